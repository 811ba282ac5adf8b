"""Found hits as a part: the standard drum note of each role, at ticks so fine that every time is exact to its frame."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from itertools import pairwise
from typing import NamedTuple

from dactyl.core.hits.find import Found
from dactyl.core.kinds import BY_SLUG
from dactyl.core.parts.part import Event, Part

TICKS_PER_BEAT = 24_000  # at 120 beats a minute 48,000 ticks a second: a tick is a frame at 48 kHz
FINE_TICKS_PER_BEAT = 96_000  # under a tempo map: fine enough for every frame at 48 kHz down to 30 beats a minute
MOST_MICROSECONDS = (1 << 24) - 1  # of a beat, as MIDI files can say it
BEAT_MICROSECONDS = 500_000
KIND_OF = {"kick": "kick", "snare": "snare", "hat": "closed_hat", "ride": "ride", "overhead": "crash", "tom": "mid_tom"}
TOMS = ("high_tom", "mid_tom", "low_tom")


class Stroke(NamedTuple):
    time: float  # seconds from the recording's zero
    note: int
    velocity: int


def kinds_of(roles: Sequence[str]) -> dict[str, str]:
    """The kind of drum that each role hears; several toms from high to low. Rooms and others hear none."""
    toms = [role for role in roles if role.startswith("tom")]
    kinds = {}
    for role in roles:
        kind = KIND_OF.get(role.split()[0])
        if role in toms and len(toms) > 1:
            kind = TOMS[min(2, round(2 * toms.index(role) / (len(toms) - 1)))]
        if kind:
            kinds[role] = kind
    return kinds


def notes_of(roles: Sequence[str]) -> dict[str, int]:
    """The standard drum note of each role."""
    return {role: BY_SLUG[kind].notes[0] for role, kind in kinds_of(roles).items()}


def part_of(found: Sequence[Found], name: str, notes: Mapping[str, int] | None = None) -> Part:
    """All hits in one part, in time order. notes : of each role; by default the standard ones"""
    chosen = notes if notes is not None else notes_of([one.track.role for one in found])
    strokes = [
        Stroke(hit.time, chosen[one.track.role], hit.velocity)
        for one in found
        if one.track.role in chosen
        for hit in one.hits
    ]
    last = max((one.track.frames / one.track.rate_hz for one in found), default=1.0)
    return part_from(strokes, name, last)


def part_from(
    strokes: Iterable[Stroke], name: str, seconds: float, lines: Sequence[float] = (), beats: int = 4
) -> Part:
    """Strokes as a part, at the ticks nearest to their times; none is moved to a grid.

    seconds : how long the recording is; lines : seconds of the first beat of each bar, rising, whose first is the part's
    zero (at or before that of the recording); beats : of a bar, quarters
    """
    tempos = ((0, BEAT_MICROSECONDS),)
    zero = 0.0
    if len(lines) > 1:
        zero = lines[0]
        bar = FINE_TICKS_PER_BEAT * beats
        spans = [(later - line) * 1_000_000 / beats for line, later in pairwise(lines)]
        each = [min(MOST_MICROSECONDS, max(1, round(span))) for span in spans]
        tempos = tuple((n * bar, tempo) for n, tempo in enumerate(each) if not n or tempo != each[n - 1])
    part = Part(
        name=name, ticks_per_beat=FINE_TICKS_PER_BEAT if lines else TICKS_PER_BEAT, tempos=tempos, events=(),
        meters=((0, beats, 4),), end_tick=1,
    )  # fmt: skip
    rows = sorted((part.tick_at(stroke.time - zero), stroke.note, stroke.velocity) for stroke in strokes)
    events = tuple(Event(tick=tick, note=note, velocity=velocity) for tick, note, velocity in rows)
    return replace(part, events=events, end_tick=max(1, part.tick_at(seconds - zero)))
