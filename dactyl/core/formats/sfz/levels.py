"""Levels that follow velocity by any law, as a kit has them: one drawn curve for a pad, and a gain for each of its layers."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from dactyl.core.fields import MOST_POINTS
from dactyl.core.formats.sfz.read import SfzRegion
from dactyl.core.kit import MAX_VELOCITY
from dactyl.core.units import gain_to_db

_NEAR = 0.25  # of a step of velocity: a curve so near needs no further point


@dataclass(frozen=True, slots=True)
class Levels:
    """A pad whose level follows its curve in full (``dynamics`` is 1)."""

    points: tuple[tuple[float, float], ...]  # of its curve
    highs: tuple[int, ...]  # the highest velocity of each layer, behind the curve
    gains_db: tuple[float, ...]  # to be added to each layer


def velocity_law(region: SfzRegion) -> np.ndarray:
    """Gain at each velocity 1..127: 1 + t(curve - 1). float64, (127,)"""
    velocities = np.arange(1, 128)
    if region.velocity_curve:
        points = sorted(({0: 0.0, 127: 1.0} | region.velocity_curve).items())
        curve = np.interp(velocities, [v for v, _ in points], [gain for _, gain in points])
    else:
        curve = (velocities / 127) ** 2
    return 1 + region["amp_veltrack"] / 100 * (curve - 1)


def velocity_gains(region: SfzRegion) -> tuple[float | None, ...]:
    """The same times the crossfades; None outside lovel..hivel."""
    velocities = np.arange(1, 128)
    rising = np.array([_rise(v, region["xfin_lovel"], region["xfin_hivel"]) for v in velocities])
    falling = np.array([_rise(-v, -region["xfout_hivel"], -region["xfout_lovel"]) for v in velocities])
    gains = velocity_law(region) * np.sin(rising * np.pi / 2) * np.sin(falling * np.pi / 2)
    answers = (velocities >= region["lovel"]) & (velocities <= region["hivel"])
    return tuple(float(gain) if answer else None for gain, answer in zip(gains, answers, strict=True))


def _rise(velocity: int, low: int, high: int) -> float:
    """From 0 at ``low`` and below to 1 at ``high`` and above."""
    if velocity >= high:
        return 1.0
    return max(0.0, (velocity - low) / (high - low)) if low < high else 0.0


def is_plain(region: SfzRegion) -> bool:
    """Whether its level follows velocity by the law that a pad's dynamics have."""
    return not region.velocity_curve and 0 <= region["amp_veltrack"] <= 100


def levels_of(layers: Sequence[tuple[int, int, np.ndarray]]) -> Levels:
    """
    layers : (lowest, highest struck velocity, linear gain at each of 1..127), without a gap, softest first

    A layer's curve is 127 sqrt(gain), scaled to end right below what the layer above needs, so that a pad of the plain law has
    the plain curve; the layer is made louder by as much as that takes away.
    """
    curve, highs, gains_db = np.zeros(MAX_VELOCITY), [], []
    top = MAX_VELOCITY
    for number in range(len(layers) - 1, -1, -1):
        low, high, gains = layers[number]
        own = np.maximum(gains[low - 1 : high], 0.0)
        loudest = float(own.max(initial=0.0)) or 1.0
        top = max(number + 1, top)
        wanted = np.maximum(top * np.sqrt(own / loudest), number + 1)  # each layer below keeps a velocity of its own
        curve[low - 1 : high] = wanted
        highs.insert(0, top)
        gains_db.insert(0, gain_to_db(loudest) - 2 * gain_to_db(top / MAX_VELOCITY))
        top = round(float(wanted.min())) - 1
    return Levels(_points(curve), tuple(highs), tuple(gains_db))


def _points(curve: np.ndarray) -> tuple[tuple[float, float], ...]:
    """As few as are near enough: one more wherever the lines between them are furthest off."""
    places, all_places = [0, len(curve) - 1], np.arange(len(curve))
    while len(places) < MOST_POINTS:
        off = np.abs(np.interp(all_places, places, curve[places]) - curve)
        if off.max() <= _NEAR:
            break
        places = sorted({*places, int(off.argmax())})
    return tuple((float(place + 1), round(float(curve[place]), 2)) for place in places)
