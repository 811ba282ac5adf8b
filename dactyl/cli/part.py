"""``dactyl part PART.mid ... --out OUT.mid``: the core's ways of shaping hits, on a file."""

import argparse
import os
import uuid
from collections.abc import Callable, Iterable, Sequence
from contextlib import suppress
from dataclasses import replace
from pathlib import Path

import numpy as np

from dactyl.core.errors import DactylError, PartError
from dactyl.core.formats.midi import read_midi, write_midi
from dactyl.core.formats.musicxml.read import is_musicxml, read_musicxml
from dactyl.core.formats.musicxml.write import PACKED, STANDARD, packed, write_musicxml
from dactyl.core.formats.notes import parse_note
from dactyl.core.parts import figures, timing, velocity
from dactyl.core.parts.meter import GRIDS
from dactyl.core.parts.part import Event, Part
from dactyl.core.parts.structure import in_order
from dactyl.core.parts.timing import Grid
from dactyl.core.stack.kind import kind_from_name
from dactyl.core.units import counted


def run(asked: argparse.Namespace) -> int:
    """In this order: velocities, tightening, loosening, figures."""
    part = read_part(asked.part)
    part = replace(part, events=tuple(event._replace(id=n) for n, event in enumerate(part.events, start=1)))
    rng = np.random.default_rng(asked.seed)
    only = _notes(asked.only)
    if asked.velocity:
        part = _changed(part, _velocity(asked.velocity, rng)(_hits(part, only)))
    if asked.tighten:
        part = _changed(part, _tightened(part, _hits(part, only), asked))
    if asked.loosen is not None:
        part = _changed(part, timing.loosen(part, _hits(part, only), _between("--loosen", asked.loosen, 0, 100), rng))
    for figure in figures.GRACES:
        if notes := _notes(getattr(asked, figure)):
            apart, softer = _between("--apart", asked.apart, 1, 200), _between("--softer", asked.softer, 0.01, 1)
            made = figures.graces(part, _hits(part, notes), figure, ms=apart, strength=softer)
            part = replace(part, events=in_order([*part.events, *made.added]))
    write_whole(asked.out, _written(part, asked.out))
    print(f"{asked.out}: {counted(len(part.note_ons), 'hit')} in {counted(part.bars, 'bar')}")
    return 0


def _written(part: Part, out: Path) -> bytes:
    ending = out.suffix.lower()
    if ending in (".mid", ".midi"):
        return write_midi(part)
    if ending in (".musicxml", ".xml"):
        return write_musicxml(part, STANDARD)
    if ending == PACKED:
        return packed(write_musicxml(part, STANDARD))
    raise PartError(f"{out}: No part is called so. End its name with .mid, .musicxml, .xml or {PACKED}.")


def read_part(path: Path) -> Part:
    """A MIDI file, or a score."""
    data = read_bytes(path)
    return read_musicxml(data, path.name, kind_from_name) if is_musicxml(data) else read_midi(data, path.name)


def read_bytes(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError as problem:
        raise PartError(f"{path}: It can't be read ({problem.strerror}). Is it there?") from problem


def write_whole(path: Path, data: bytes) -> None:
    """A file has its final name only when it is whole."""
    partial = path.with_name(f".part-{uuid.uuid4().hex}")
    try:
        with partial.open("xb") as file:  # for all who may read what is written here, as other files are
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        partial.replace(path)
    except OSError as problem:
        with suppress(OSError):
            partial.unlink(missing_ok=True)
        raise PartError(f"{path}: It can't be written ({problem.strerror}). Choose another place.") from problem


def _notes(texts: Sequence[str]) -> set[int]:
    return {parse_note(text) for text in texts}


def _hits(part: Part, notes: set[int]) -> list[Event]:
    return [event for event in part.note_ons if not notes or event.note in notes]


def _changed(part: Part, changed: Iterable[Event]) -> Part:
    by_id = {event.id: event for event in changed}
    return replace(part, events=in_order([by_id.get(event.id, event) for event in part.events]))


def _velocity(text: str, rng: np.random.Generator) -> Callable[[Sequence[Event]], list[Event]]:
    how, _, value = text.partition(":")
    limits = {"set": (1, 127), "add": (-126, 126), "scale": (0, 10), "spread": (0, 4), "random": (0, 126)}
    if how not in limits:
        raise DactylError(f"--velocity {text[:30]}: {how[:20]} is no way; {', '.join(limits)} are.")
    try:
        amount = _between(f"--velocity {how}", float(value), *limits[how])
    except ValueError:
        raise DactylError(f"--velocity {text[:30]}: {value[:20] or 'nothing'} is no number.") from None
    ways: dict[str, Callable[[Sequence[Event]], list[Event]]] = {
        "set": lambda hits: velocity.set_to(hits, round(amount)),
        "add": lambda hits: velocity.add(hits, amount),
        "scale": lambda hits: velocity.scale(hits, amount),
        "spread": lambda hits: velocity.spread(hits, amount),
        "random": lambda hits: velocity.randomize(hits, amount, rng),
    }
    return ways[how]


def _tightened(part: Part, hits: Sequence[Event], asked: argparse.Namespace) -> list[Event]:
    if asked.tighten not in GRIDS:
        raise DactylError(f"--tighten {asked.tighten[:20]}: no such grid. Choose one of {', '.join(GRIDS)}.")
    grid = Grid(name=asked.tighten, swing=_between("--swing", asked.swing, 50, 75))
    strength = _between("--strength", asked.strength, 0, 100) / 100
    return timing.tighten(part, hits, grid, strength, closer_ms=_between("--closer", asked.closer, 0, 500))


def _between(name: str, value: float, low: float, high: float) -> float:
    if not low <= value <= high:
        raise DactylError(f"{name} is a number from {low:g} to {high:g}, not {value:g}.")
    return value
