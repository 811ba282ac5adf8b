"""Curves: settings that move along a part, points joined by lines in time (design rule 17).

A curve of an output or a group is read by the desk (``core/desk/moving.py``), one of a lane at the moment of each hit.
"""

import math
from bisect import bisect_left
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from dactyl.core.errors import PartError

OUTPUT, GROUP, LANE = "output", "group", "lane"
LIMITS = {"gain_db": (-96.0, 24.0), "balance": (-1.0, 1.0), "width": (0.0, 2.0), "pan": (-1.0, 1.0), "tune_cents": (-2400.0, 2400.0)}  # fmt: skip
"""What can move, and between what: dB, balance and pan to either side, width (0 mono, 1 as it is), cents."""
OF = {OUTPUT: ("gain_db", "balance", "width"), GROUP: ("gain_db",), LANE: ("gain_db", "pan", "tune_cents")}
WORDS = {"gain_db": "level", "balance": "balance", "width": "width", "pan": "pan", "tune_cents": "tuning"}
MOST_POINTS, MOST_CURVES = 5000, 256
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


@dataclass(frozen=True, slots=True)
class Line:
    """A curve in time: level ahead of its first point and behind its last."""

    seconds: tuple[float, ...]
    values: tuple[float, ...]

    def at(self, seconds: float | np.ndarray) -> np.ndarray:
        return np.interp(seconds, self.seconds, self.values)


def line_of(curve: Curve, seconds_at: Callable[[int], float]) -> Line:
    return Line(tuple(seconds_at(tick) for tick, _ in curve.points), tuple(value for _, value in curve.points))


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


def with_curve(curves: Sequence[Curve], of: Sequence[str], what: str, points: Points) -> tuple[Curve, ...]:
    """These curves with one of each in ``of`` in the place of what was there; no points take them away."""
    kept = [curve for curve in curves if not (curve.of in of and curve.what == what)]
    return (*kept, *(Curve(one, what, points) for one in of if points))


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


def put_behind(curves: Sequence[Curve], at: int, others: Sequence[Curve]) -> tuple[Curve, ...]:
    """Those of another part from a tick on; each stays level where the other part has none of its kind, and before."""
    made = {(curve.of, curve.what): curve for curve in curves}
    for other in others:
        own = made.get((other.of, other.what))
        points = [(tick + at, value) for tick, value in other.points]
        if own is None:
            made[other.of, other.what] = replace(other, points=tuple(points))
        else:
            held = [(tick, value) for tick, value in own.points if tick < at]
            edge = [(at - 1, value_at(own.points, at - 1)), (at, value_at(other.points, 0))]
            made[other.of, other.what] = _with(own, [*held, *edge, *points])
    return tuple(made.values())


def laid_over(curves: Sequence[Curve], others: Sequence[Curve]) -> tuple[Curve, ...]:
    """Those of another part beside these, where these have none of their kind."""
    own = {(curve.of, curve.what) for curve in curves}
    return (*curves, *(other for other in others if (other.of, other.what) not in own))


def of_notes(curves: Sequence[Curve], notes: set[int]) -> tuple[Curve, ...]:
    """All but those of lanes that hold none of these notes."""
    return tuple(curve for curve in curves if curve.kind != LANE or int(curve.name) in notes)


def renoted(curves: Sequence[Curve], becomes: Callable[[int], int | None]) -> tuple[Curve, ...]:
    """Curves of lanes under other notes; of two that meet on a note the first stays, one of no note goes."""
    made: dict[tuple[str, str], Curve] = {}
    for curve in curves:
        if curve.kind == LANE:
            note = becomes(int(curve.name))
            if note is None:
                continue
            curve = replace(curve, of=f"{LANE}:{note}")
        made.setdefault((curve.of, curve.what), curve)
    return tuple(made.values())


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
