"""``dactyl listen FILE...``: what each file sounds like, or why it can't be used."""

import argparse
import os
from dataclasses import asdict

from dactyl.cli.say import as_json_line
from dactyl.core.fields import printable
from dactyl.core.stack.kind import heard_together
from dactyl.core.stack.listen import Said, files_in, listen, said_by_names
from dactyl.core.stack.propose import File, propose
from dactyl.core.units import frames_to_ms


def run(asked: argparse.Namespace) -> int:
    files = listen(files_in(asked.files))
    said = said_by_names(files)
    kinds = {path: pad.kind for pad in propose(files).pads for path in pad.files}
    for file in files:
        line = _line(file, said.get(file.path), kinds.get(file.path, ""))
        print(as_json_line(line) if asked.json else printable(_plain(line)))
    return int(any(file.problem for file in files))


def _line(file: File, said: Said | None, kind: str) -> dict:
    """kind : of the drum that it is of, among the files that came with it; it counts where the name says one at all"""
    if file.measure is None or said is None:
        return {"file": _name(file), "error": file.problem}
    heard = heard_together([file.measure])
    return {
        "file": _name(file),
        "rate": file.rate_hz,
        "channels": file.channels,
        "seconds": round(file.frames / file.rate_hz, 6),
        "onset_ms": round(frames_to_ms(file.measure.onset_frame, file.rate_hz), 3),
        "peak_db": round(file.measure.peak_db, 2),
        "level_db": round(file.measure.level_db, 2),
        "kind": (said.kind and kind) or said.kind or heard.kind,
        "heard": {"kind": heard.kind, "share": round(heard.share, 2)},
        "name": {name: value for name, value in asdict(said).items() if name != "kind"},
    }


def _name(file: File) -> str:
    """The path as text; bytes that are none become U+FFFD, which JSON can hold."""
    return os.fsencode(file.path).decode("utf-8", "replace")


def _plain(line: dict) -> str:
    if "error" in line:
        return f"{line['file']}: {line['error']}"
    return (
        f"{line['file']}: {line['kind'].replace('_', ' ')}, {line['seconds']:.3f} s, {line['rate']} Hz, "
        f"onset {line['onset_ms']:.1f} ms, attack {line['level_db']:.1f} dB, peak {line['peak_db']:.1f} dB"
    )
