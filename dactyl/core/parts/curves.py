"""Curves: settings that move along a part, points joined by lines in time (design rule 17).

A curve of an output or a group is read by the desk (``core/desk/moving.py``), one of a lane at the moment of each hit.
"""

import math
from bisect import bisect_left
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from dactyl.core.errors import PartError

OUTPUT, GROUP, LANE = "output", "group", "lane"
LIMITS = {"gain_db": (-96.0, 24.0), "balance": (-1.0, 1.0), "width": (0.0, 2.0), "pan": (-1.0, 1.0), "tune_cents": (-2400.0, 2400.0)}  # fmt: skip
"""What can move, and between what: dB, balance and pan to either side, width (0 mono, 1 as it is), cents."""
OF = {OUTPUT: ("gain_db", "balance", "width"), GROUP: ("gain_db",), LANE: ("gain_db", "pan", "tune_cents")}
WORDS = {"gain_db": "level", "balance": "balance", "width": "width", "pan": "pan", "tune_cents": "tuning"}
MOST_POINTS, MOST_CURVES = 5000, 256
MOST_TICKS = 1_000_000  # of a beat, in a file
NOTES = 128

Points = tuple[tuple[int, float], ...]


@dataclass(frozen=True, slots=True)
class Curve:
    of: str  # "output:Kick", "group:Drums" or "lane:38", a lane by the note that the part has
    what: str  # a key of LIMITS
    points: Points  # (tick, value), each tick behind the one before it

    @property
    def kind(self) -> str:
        return self.of.partition(":")[0]

    @property
    def name(self) -> str:
        return self.of.partition(":")[2]


@dataclass(frozen=True, slots=True)
class Moved:
    """What the curves of its lane add to a hit."""

    gain_db: float = 0.0
    pan: float = 0.0
    tune_cents: float = 0.0


@dataclass(frozen=True, slots=True, eq=False)
class Line:
    """A curve in time: level ahead of its first point and behind its last."""

    seconds: np.ndarray  # float64, (points,)
    values: np.ndarray  # float64, (points,)

    def at(self, seconds: float | np.ndarray) -> np.ndarray:
        return np.interp(seconds, self.seconds, self.values)


def line_of(curve: Curve, seconds_at: Callable[[int], float]) -> Line:
    return Line(
        np.array([seconds_at(tick) for tick, _ in curve.points]), np.array([at for _, at in curve.points], float)
    )


RESTING = {"gain_db": 0.0, "balance": 0.0, "width": 1.0, "pan": 0.0, "tune_cents": 0.0}
"""What each setting is where nothing moves it: what is added (dB, pan, cents) rests at 0, an output stands as it is."""
Resting = Callable[[str, str], float]
"""(of, what) -> the value that is heard where no curve moves it: a kit may set width and balance of its outputs otherwise."""


def usual(of: str, what: str) -> float:
    return RESTING[what]


def check(curves: Iterable[Curve], loop_ticks: int) -> tuple[Curve, ...]:
    """raises : PartError for a curve of nothing that can move, values out of their limits, points out of order"""
    curves = tuple(curves)
    if len(curves) > MOST_CURVES:
        raise PartError(f"A part has at most {MOST_CURVES} curves.")
    for curve in curves:
        _check(curve, loop_ticks)
    named = [(curve.of, curve.what) for curve in curves]
    if twice := next((of for of in named if named.count(of) > 1), None):
        raise PartError(f"Two curves move the {WORDS[twice[1]]} of {twice[0][:60]}; one can.")
    return curves


def _check(curve: Curve, loop_ticks: int) -> None:
    is_lane = curve.kind == LANE and curve.name.isascii() and curve.name.isdigit() and len(curve.name) <= 3
    if curve.what not in OF.get(curve.kind, ()) or not curve.name or (curve.kind == LANE and not is_lane):
        raise PartError(f"“{curve.what[:20]}” of “{curve.of[:60]}” is nothing that a curve can move.")
    if is_lane and int(curve.name) >= NOTES:
        raise PartError(f"A lane is named by a note from 0 to {NOTES - 1}; {curve.name} is none.")
    if not 1 <= len(curve.points) <= MOST_POINTS:
        raise PartError(f"A curve has 1 to {MOST_POINTS:,} points; that of {curve.of[:60]} has {len(curve.points):,}.")
    low, high = LIMITS[curve.what]
    before = -1
    for tick, value in curve.points:
        if not before < tick <= loop_ticks:
            raise PartError(
                f"A point of {curve.of[:60]} stands at tick {tick}: points follow each other up to {loop_ticks}."
            )
        if not (math.isfinite(value) and low <= value <= high):
            raise PartError(
                f"The {WORDS[curve.what]} of {curve.of[:60]} can be {low:g} to {high:g}; a point says {value:g}."
            )
        before = tick


def counted_as(curves: Sequence[Curve], ticks: int, ticks_per_beat: int, loop_ticks: int) -> tuple[Curve, ...]:
    """Curves of a file that counts ``ticks`` a beat in the ticks of a part, up to its end.

    raises : PartError where their points do not follow each other
    """
    if any(one >= other for curve in curves for (one, _), (other, _) in pairwise(curve.points)):
        raise PartError("The points of a curve in this file do not follow each other.")
    if ticks != ticks_per_beat:
        curves = shifted(curves, lambda tick: (2 * tick * ticks_per_beat + ticks) // (2 * ticks))
    return ending_at(curves, loop_ticks)


def with_curve(curves: Sequence[Curve], of: Sequence[str], what: str, points: Points) -> tuple[Curve, ...]:
    """These curves with one of each in ``of`` in the place of what was there; no points take them away."""
    kept = [curve for curve in curves if not (curve.of in of and curve.what == what)]
    return (*kept, *(Curve(one, what, points) for one in of if points))


def ending_at(curves: Sequence[Curve], loop_ticks: int) -> tuple[Curve, ...]:
    """Without what stands behind the end of a part that became shorter; what is heard up to there stays."""
    return tuple(
        _with(
            curve, [*(p for p in curve.points if p[0] < loop_ticks), (loop_ticks, value_at(curve.points, loop_ticks))]
        )
        if curve.points[-1][0] > loop_ticks
        else curve
        for curve in curves
    )


# Points that go along with bars -----------------------------------------------------------------------------------------


def shifted(curves: Sequence[Curve], to: Callable[[int], int]) -> tuple[Curve, ...]:
    """Every point at another tick; of those that come to stand at one tick the last stays."""
    return tuple(_with(curve, ((to(tick), value) for tick, value in curve.points)) for curve in curves)


def room_made(curves: Sequence[Curve], at: int, length: int) -> tuple[Curve, ...]:
    """Room of so many ticks from a tick on, in which each stays level: what is around it sounds as before."""
    made = []
    for curve in curves:
        points = [(tick + length if tick >= at else tick, value) for tick, value in curve.points]
        if curve.points[0][0] < at <= curve.points[-1][0]:
            value = value_at(curve.points, at)
            points += [(at, value), (at + length, value)]
        made.append(_with(curve, points))
    return tuple(made)


def without(curves: Sequence[Curve], start: int, end: int) -> tuple[Curve, ...]:
    """Without the points of a stretch; what stands where it begins and ends stays as it was heard."""
    return tuple(
        _with(curve, [*_outside(curve, start, end), *_edges(curve, start, end)])
        if any(start <= tick < end for tick, _ in curve.points)
        else curve
        for curve in curves
    )


def cut_out(curves: Sequence[Curve], start: int, end: int) -> tuple[Curve, ...]:
    """Without a stretch: what follows closes up, and sounds as before."""
    made = []
    for curve in curves:
        kept = _outside(curve, start, end)
        if _moves(curve, start, end) or not kept:
            kept += _edges(curve, start, end)
        made.append(_with(curve, ((tick - (end - start) if tick >= end else tick, value) for tick, value in kept)))
    return tuple(made)


def _outside(curve: Curve, start: int, end: int) -> list[tuple[int, float]]:
    return [(tick, value) for tick, value in curve.points if not start <= tick < end]


def _edges(curve: Curve, start: int, end: int) -> list[tuple[int, float]]:
    """What is heard right before a stretch and right behind it."""
    return [(tick, value_at(curve.points, tick)) for tick in ((start - 1, end) if start else (end,))]


def _moves(curve: Curve, start: int, end: int) -> bool:
    """Whether it may be other than level in a stretch or at its edges."""
    is_level = len({value for _, value in curve.points}) == 1
    return not is_level and curve.points[0][0] <= end and curve.points[-1][0] >= start - 1


def within(curve: Curve, start: int, end: int) -> list[tuple[int, float]]:
    """The points of a stretch, with what is heard where it begins and at its last tick."""
    inside = [(tick, value) for tick, value in curve.points if start < tick < end - 1]
    return [(start, value_at(curve.points, start)), *inside, (end - 1, value_at(curve.points, end - 1))]


def copied_behind(curves: Sequence[Curve], start: int, end: int) -> tuple[Curve, ...]:
    """A stretch once more, right behind itself, where room was made: bars are copied with what moves in them.

    curves : as they were before room was made from ``end`` on
    """
    length = end - start
    made = []
    for curve in curves:
        points = list(curve.points)
        if _moves(curve, start, end):
            held = within(curve, start, end)
            points = [*_outside(curve, start, end), *_edges(curve, start, end), *held]
            copied = [(tick + length, value) for tick, value in held]
        else:
            copied = []
        made.append(
            _with(curve, [*((tick + length if tick >= end else tick, value) for tick, value in points), *copied])
        )
    return tuple(made)


def put_behind(
    curves: Sequence[Curve], at: int, others: Sequence[Curve], resting: Resting = usual
) -> tuple[Curve, ...]:
    """Join the curves of two parts at a tick (at least 1): each part sounds as it did by itself.

    at : where the second part begins. resting : what is heard where a part has no curve of its own
    """
    own = {(curve.of, curve.what): curve for curve in curves}
    coming = {(curve.of, curve.what): curve for curve in others}
    return tuple(
        _with(
            Curve(*key, ()),
            [
                *_first_part(own.get(key), at, resting(*key)),
                *_second_part(coming.get(key), at, resting(*key)),
            ],
        )
        for key in dict.fromkeys((*own, *coming))
    )


def _first_part(curve: Curve | None, at: int, rest: float) -> list[tuple[int, float]]:
    """The points ahead of a seam, with what is heard right before it."""
    if curve is None:
        return [(at - 1, rest)]
    return [*((tick, value) for tick, value in curve.points if tick < at), (at - 1, value_at(curve.points, at - 1))]


def _second_part(curve: Curve | None, at: int, rest: float) -> list[tuple[int, float]]:
    """The points from a seam on, with what is heard right there."""
    if curve is None:
        return [(at, rest)]
    return [(at, value_at(curve.points, 0)), *((tick + at, value) for tick, value in curve.points)]


def laid_over(
    curves: Sequence[Curve],
    ends: tuple[int, int],
    others: Sequence[Curve],
    notes: tuple[set[int], set[int]],
    resting: Resting = usual,
) -> tuple[tuple[Curve, ...], list[Curve]]:
    """Lay the curves of another part over a part that stays as it sounds; return them and those of the other left out.

    A curve moves the hits of both. So the other's is taken whole only where it moves no hit of the part: a lane that the part
    does not play. Else the other's counts from the part's end on, and ahead of it is left out.

    ends : loop ticks of the part, and of the other. notes : lanes that the part plays, and those of the other
    """
    end, other_end = ends
    own = {(curve.of, curve.what): curve for curve in curves}
    coming = {(curve.of, curve.what): curve for curve in others}
    made, left = [], []
    for key in dict.fromkeys((*own, *coming)):
        mine, theirs = own.get(key), coming.get(key)
        lane = int(theirs.name) if theirs and theirs.kind == LANE else None
        is_free = theirs is not None and mine is None and (lane not in notes[0] if lane is not None else not notes[0])
        if is_free:
            made.append(theirs)
            continue
        if theirs is not None and (lane is None or lane in notes[1]):
            left.append(theirs)
        if other_end <= end:
            made += [mine] if mine else []
            continue
        behind = [(tick, value) for tick, value in theirs.points if tick >= end] if theirs else []
        begins = value_at(theirs.points, end) if theirs else resting(*key)
        made.append(_with(Curve(*key, ()), [*_first_part(mine, end, resting(*key)), (end, begins), *behind]))
    return tuple(made), left


def of_notes(curves: Sequence[Curve], notes: set[int]) -> tuple[Curve, ...]:
    """All but those of lanes that hold none of these notes."""
    return tuple(curve for curve in curves if curve.kind != LANE or int(curve.name) in notes)


def renoted(curves: Sequence[Curve], becomes: Callable[[int], int | None], played: Iterable[int]) -> tuple[Curve, ...]:
    """Give curves of lanes other notes; one of no note goes.

    played : notes that the part has hits of. Where two of them become one note, their curves must be alike: one lane can't
        move some of its hits. raises : PartError where they are not
    """
    lanes: dict[tuple[int, str], Points] = {}
    for curve in curves:
        if curve.kind == LANE:
            lanes[int(curve.name), curve.what] = curve.points
    of_note: dict[int, list[int]] = {}
    for note in sorted({*played}):
        if (new := becomes(note)) is not None:
            of_note.setdefault(new, []).append(note)
    made = [curve for curve in curves if curve.kind != LANE]
    moved = {becomes(note) for note, _ in lanes} - {None}
    for new in sorted(moved):
        from_notes = of_note.get(new) or [note for note, _ in lanes if becomes(note) == new][:1]
        for what in OF[LANE]:
            found = [lanes.get((note, what)) for note in from_notes]
            if len(set(found)) > 1:
                raise PartError(
                    f"Notes {', '.join(map(str, from_notes))} become the one note {new}, and the {WORDS[what]} of their "
                    "lanes moves differently. Make it the same in both lanes, or take it away, then write the translation."
                )
            if found[0]:
                made.append(Curve(f"{LANE}:{new}", what, found[0]))
    return tuple(made)


def value_at(points: Points, tick: int) -> float:
    """Between two points along the ticks: within one tempo that is along time."""
    at = bisect_left(points, tick, key=lambda point: point[0])
    if at == len(points):
        return points[-1][1]
    (end, high) = points[at]
    if end == tick or not at:
        return high
    start, low = points[at - 1]
    return low + (high - low) * (tick - start) / (end - start)


def _with(curve: Curve, points: Iterable[tuple[int, float]]) -> Curve:
    return replace(curve, points=tuple(sorted({tick: (tick, value) for tick, value in points}.values())))


# Hits -------------------------------------------------------------------------------------------------------------------


class LaneCurves:
    """What the curves of lanes add to hits, by the note that the part has."""

    def __init__(self, curves: Sequence[Curve], seconds_at: Callable[[int], float]) -> None:
        self._lines: dict[int, dict[str, Line]] = {}
        for curve in curves:
            if curve.kind == LANE:
                self._lines.setdefault(int(curve.name), {})[curve.what] = line_of(curve, seconds_at)

    def __bool__(self) -> bool:
        return bool(self._lines)

    def at(self, note: int, seconds: float) -> Moved | None:
        """None where nothing moves hits of this note."""
        lines = self._lines.get(note)
        return Moved(**{what: float(line.at(seconds)) for what, line in lines.items()}) if lines else None
