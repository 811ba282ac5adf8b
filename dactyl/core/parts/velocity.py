"""Velocities of many hits at once. Each function takes hits and returns those that are different now."""

import math
import statistics
from collections.abc import Callable, Sequence

import numpy as np

from dactyl.core.errors import PartError
from dactyl.core.parts.part import Event
from dactyl.core.parts.reshape import clip_velocity, hits_of

ACCENTS = {"X": 1.0, "x": 0.72, "o": 0.5, ".": 0.3, "-": 0.3}
"""How strong a hit of an accent pattern is, against the strongest."""


def set_to(hits: Sequence[Event], velocity: int) -> list[Event]:
    return _each(hits, lambda hit: velocity)


def add(hits: Sequence[Event], by: float) -> list[Event]:
    return _each(hits, lambda hit: hit.velocity + by)


def scale(hits: Sequence[Event], factor: float) -> list[Event]:
    return _each(hits, lambda hit: hit.velocity * factor)


def spread(hits: Sequence[Event], factor: float) -> list[Event]:
    """Around their mean: a factor below 1 evens them out, 0 makes them the same, above 1 they stand further apart."""
    middle = statistics.fmean(hit.velocity for hit in hits) if hits else 0.0
    return _each(hits, lambda hit: middle + (hit.velocity - middle) * factor)


def ramp(hits: Sequence[Event], first: int, last: int, curve: float = 0.0) -> list[Event]:
    """From ``first`` to ``last`` along the time of the hits.

    curve : -1..1; 0 a straight line, above 0 it rises late (x to the power 4^curve), below 0 early
    """
    ordered = hits_of(hits)
    if not ordered:
        return []
    start, length = ordered[0].tick, max(1, ordered[-1].tick - ordered[0].tick)
    power = 4.0**curve
    return _each(ordered, lambda hit: first + (last - first) * ((hit.tick - start) / length) ** power)


def accent(hits: Sequence[Event], pattern: str) -> list[Event]:
    """Hits in their order follow ``pattern`` again and again: X strongest, x strong, o middle, . or - soft.

    The strongest is as loud as the loudest of the hits is now. Hits of one tick share a place.
    """
    steps = [ACCENTS[step] for step in pattern if step in ACCENTS]
    if not steps or len(steps) < len(pattern.replace(" ", "")):
        raise PartError(f"“{pattern[:20]}” is no accent pattern. Use X, x, o and a dot, as in X.o.")
    ordered = hits_of(hits)
    places = {tick: place for place, tick in enumerate(dict.fromkeys(hit.tick for hit in ordered))}
    loudest = max((hit.velocity for hit in ordered), default=0)
    return _each(ordered, lambda hit: loudest * steps[places[hit.tick] % len(steps)])


def randomize(hits: Sequence[Event], amount: float, rng: np.random.Generator) -> list[Event]:
    """Each by a uniform deviate of ± ``amount``; the same ``rng`` state gives the same velocities."""
    ordered = hits_of(hits)
    by = dict(zip((hit.id for hit in ordered), rng.uniform(-amount, amount, len(ordered)), strict=True))
    return _each(ordered, lambda hit: hit.velocity + by[hit.id])


def _each(hits: Sequence[Event], velocity_of: Callable[[Event], float]) -> list[Event]:
    set_ = [(hit, clip_velocity(velocity_of(hit))) for hit in hits if hit.velocity]
    return [hit._replace(velocity=velocity) for hit, velocity in set_ if velocity != hit.velocity]


def mean_velocity(hits: Sequence[Event]) -> float:
    return statistics.fmean(hit.velocity for hit in hits) if hits else math.nan
