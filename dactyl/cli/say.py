"""What a command tells a person: warnings, and progress where somebody is looking."""

import json
import sys
from collections.abc import Iterable


def warn(lines: Iterable[str]) -> None:
    for line in lines:
        print(f"warning: {line}", file=sys.stderr)


class ProgressLine:
    """One line that counts up on a terminal; nothing in a pipe."""

    def __init__(self, label: str) -> None:
        self._label, self._is_shown = label, sys.stderr.isatty()

    def show(self, done: int, total: int) -> None:
        if self._is_shown:
            print(f"\r{self._label} {100 * done // max(1, total):3d} %", end="", file=sys.stderr, flush=True)

    def end(self) -> None:
        if self._is_shown:
            print("\r\033[K", end="", file=sys.stderr, flush=True)


def as_json_line(value: object) -> str:
    """JSON that can be printed whatever names hold: what is not UTF-8 in a file's name is escaped."""
    text = json.dumps(value, ensure_ascii=False)
    try:
        text.encode()
    except UnicodeEncodeError:
        text = json.dumps(value)
    return text
