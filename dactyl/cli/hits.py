"""``dactyl hits FILE...``: the hits of one recording, heard by all its microphones together."""

import argparse
from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path

from dactyl.cli.say import ProgressLine, as_json_line
from dactyl.core.errors import DactylError
from dactyl.core.fields import printable
from dactyl.core.formats.midi import write_midi
from dactyl.core.hits.envelopes import Track
from dactyl.core.hits.find import Found, find_hits
from dactyl.core.hits.part import part_of
from dactyl.core.hits.rises import WEIGHTS
from dactyl.core.hits.roles import heard_roles, roles_of
from dactyl.core.hits.tracks import check_tracks, opened
from dactyl.core.units import counted


def run(asked: argparse.Namespace) -> int:
    check_tracks([str(path) for path in asked.files])
    given = _by_file(asked.files, asked.role, "role", str)
    thresholds = _by_file(asked.files, asked.threshold, "threshold", float)
    guessed = roles_of([path.name for path in asked.files])
    files = [(path, str(path), _role(given.get(str(path), role))) for path, role in zip(asked.files, guessed, strict=True)]  # fmt: skip
    with opened(files) as tracks:
        roles = heard_roles(tracks, said=given)
        found = _found([replace(one, role=role) for one, role in zip(tracks, roles, strict=True)], thresholds)
    if asked.midi:
        asked.midi.write_bytes(write_midi(part_of(found, asked.midi.stem)))
    print(as_json_line(as_json(found)) if asked.json else "\n".join(printable(row) for row in _plain(found)))
    return 0


def _found(tracks: Sequence[Track], thresholds: dict[str, float]) -> list[Found]:
    line = ProgressLine("Listening")
    for step in find_hits(tracks, thresholds):
        if isinstance(step, list):
            line.end()
            return step
        line.show(round(1000 * step), 1000)
    return []


def _role(role: str) -> str:
    if kind(role) not in WEIGHTS:
        raise DactylError(f"“{role[:30]}” is no role: {', '.join(WEIGHTS)} are, and toms may be numbered.")
    return role


def kind(role: str) -> str:
    return role.split()[0] if role.strip() else ""


def _by_file(files: Sequence[Path], said: Sequence[str], what: str, read: Callable) -> dict:
    """``FILE=VALUE`` by the file it names, which may be named without its folder."""
    values = {}
    for text in said:
        name, _, value = text.rpartition("=")
        path = next((path for path in files if name in (str(path), path.name)), None)
        if path is None:
            raise DactylError(f"--{what} {text[:60]}: none of the tracks is called “{name[:40]}”.")
        try:
            values[str(path)] = read(value.strip())
        except ValueError:
            raise DactylError(f"--{what} {text[:60]}: “{value[:20]}” is not a number of dB.") from None
    return values


def as_json(found: Sequence[Found]) -> dict:
    """As docs/formats.md describes it."""
    return {
        "tracks": [
            {
                "file": one.track.name,
                "role": one.track.role,
                "hits": [
                    {
                        "time": round(hit.time, 6), "velocity": hit.velocity, "level_db": round(hit.level_db, 2),
                        "confidence": round(hit.confidence, 3), "why": hit.why,
                    }
                    for hit in one.hits
                ],
            }
            for one in found
        ]
    }  # fmt: skip


def _plain(found: Sequence[Found]) -> list[str]:
    return [
        f"{one.track.name}: {one.track.role}, {counted(len(one.hits), 'hit')}"
        + (f", {sum(hit.confidence < 0.8 for hit in one.hits)} of them unsure" if one.hits else "")
        for one in found
    ]
