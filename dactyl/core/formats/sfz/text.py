"""The text of an SFZ file as headers and opcodes, each with its file and line."""

import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from itertools import zip_longest
from pathlib import Path

from dactyl.core.errors import KitFileError

MAX_DEPTH = 10  # of #include
MAX_FILES = 200
MAX_BYTES = 16 << 20  # of all files together
MAX_TOKENS = 1_000_000
MAX_DEFINES = 10_000
MAX_VALUE = 2000  # characters of a value once its names are filled in

_TOKEN = re.compile(r"<(\w+)>|(?:(?<=\s)|(?<=>)|^)([A-Za-z_][\w#]*)=")
_DIRECTIVE = re.compile(r'#include\s+"([^"]*)"|#define\s+(\$\w+)\s+(\S+)')
_USED = re.compile(r"\$\w{1,200}")
_BLOCK_COMMENT = re.compile(r"/\*.*?(?:\*/|\Z)", re.DOTALL)


@dataclass(frozen=True, slots=True)
class Place:
    file: str  # as it is called from the kit's folder
    line: int

    def __str__(self) -> str:
        return f"{self.file}, line {self.line}"


@dataclass(frozen=True, slots=True)
class Token:
    """A header (``<group>``: no value) or an opcode."""

    name: str
    value: str | None
    place: Place


_NAMED = re.compile(r"//@ (output \d{1,4}|piece|pad|mic) (.+)")
_NAMES = {
    "piece": "master_label",
    "pad": "group_label",
    "mic": "region_label",
}  # as opcodes, which files of before have


def _without_comment(line: str) -> str:
    """The line as far as it is SFZ; a comment line of our own form as the opcode it stands for."""
    if named := _NAMED.fullmatch(line.strip()):
        what, name = named.groups()
        return f"{_NAMES.get(what) or what.replace('output ', 'label_output')}={name}"
    return line.split("//", 1)[0]


@dataclass(slots=True)
class Notes:
    """What was not understood, or left out: never silence about it."""

    lines: list[str] = field(default_factory=list)

    def add(self, text: str, place: Place) -> None:
        line = f"{place}: {text}"
        if len(self.lines) < 1000 and line not in self.lines:
            self.lines.append(line)


def tokens_of(path: Path, notes: Notes) -> Iterator[Token]:
    """Every header and opcode of the file at ``path`` and of what it includes, in order.

    raises : KitFileError if a file is missing, not text, too large, included too deep or from outside the folder
    """
    return _Reader(path.parent.resolve(), notes).read(path, path.name, depth=0, asked_at=None)


class _Reader:
    def __init__(self, folder: Path, notes: Notes) -> None:
        self._folder, self._notes = folder, notes
        self._names: dict[str, str] = {}
        self._files = self._bytes = self._tokens = 0

    def read(self, path: Path, name: str, *, depth: int, asked_at: Place | None) -> Iterator[Token]:
        for number, line in enumerate(self._lines(path, name, depth, asked_at), start=1):
            place = Place(name, number)
            at = 0
            for directive in _DIRECTIVE.finditer(line):
                yield from self._tokens_in(line[at : directive.start()], place)
                at = directive.end()
                included, defined, value = directive.groups()
                if defined:
                    self._names[defined] = self._filled(value, place)
                    if len(self._names) > MAX_DEFINES:
                        raise KitFileError(
                            f"It defines over {MAX_DEFINES:,} names.", "No kit needs that.", file=name, line=number
                        )
                else:
                    inner = self._filled(included, place).replace("\\", "/")
                    yield from self.read(self._inside(inner, place), inner, depth=depth + 1, asked_at=place)
            yield from self._tokens_in(line[at:], place)

    def _lines(self, path: Path, name: str, depth: int, asked_at: Place | None) -> list[str]:
        file, line = (asked_at.file, asked_at.line) if asked_at else (name, 0)
        self._files += 1
        if depth > MAX_DEPTH or self._files > MAX_FILES:
            raise KitFileError(
                f"{name} is included too deep or too often.", "Put the text in one file.", file=file, line=line
            )
        try:
            data = path.read_bytes() if path.stat().st_size <= MAX_BYTES else None
        except OSError:
            raise KitFileError(f"{name} can't be read.", "Is it there?", file=file, line=line) from None
        self._bytes += len(data or b"")
        if data is None or self._bytes > MAX_BYTES:
            raise KitFileError(
                f"The text is larger than {MAX_BYTES >> 20} MB.", "No kit needs that.", file=file, line=line
            )
        if b"\0" in data:
            raise KitFileError("This is not a text file.", "Choose an SFZ file.", file=name)
        try:
            text = data.decode("utf-8-sig")
        except UnicodeDecodeError:
            text = data.decode("latin-1")
        text = _BLOCK_COMMENT.sub(lambda comment: "\n" * comment[0].count("\n") or " ", text)
        return [_without_comment(line) for line in re.split(r"\r\n|\r|\n", text)]

    def _inside(self, name: str, place: Place) -> Path:
        path = (self._folder / name).resolve()
        if not path.is_relative_to(self._folder):
            raise KitFileError(
                f"“{name[:80]}” lies outside the kit's folder.",
                "Copy it into the folder.",
                file=place.file,
                line=place.line,
            )
        return path

    def _tokens_in(self, line: str, place: Place) -> Iterator[Token]:
        line = self._filled(line, place) if "$" in line else line
        found = list(_TOKEN.finditer(line))
        before = line[: found[0].start()] if found else line
        if before.strip():
            self._notes.add(f"“{before.strip()[:40]}” is not understood.", place)
        for token, following in zip_longest(found, found[1:]):
            self._tokens += 1
            if self._tokens > MAX_TOKENS:
                raise KitFileError(
                    "The file has over a million opcodes.", "No kit needs that.", file=place.file, line=place.line
                )
            header, opcode = token.groups()
            value = line[token.end() : following.start() if following else None].strip()
            if header:
                yield Token(header, None, place)
                if value:
                    self._notes.add(f"“{value[:40]}” is not understood.", place)
            else:
                yield Token(opcode, value, place)

    def _filled(self, text: str, place: Place) -> str:
        """``text`` with the values of #define in the place of their names, the longest name first."""
        text = _USED.sub(self._value_of, text)
        if len(text) > MAX_VALUE + 65_536:
            raise KitFileError("A #define makes this line too long.", "", file=place.file, line=place.line)
        return text

    def _value_of(self, used: re.Match[str]) -> str:
        """The longest defined name that the word begins with, and what is left of the word behind it."""
        word = used[0]
        for end in range(len(word), 1, -1):
            if word[:end] in self._names:
                return self._names[word[:end]] + word[end:]
        return word
