"""The staircase of a pad: velocity to the right, level up. Layout only; paths in a box 127 wide and 42 high.

One unit to the right is one velocity, one unit down is one dB; the same box for every row, so that rows compare.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from dactyl.core.kit import Curve
from dactyl.core.play.compile import curve_table, dynamics_gain
from dactyl.kits.queries import OUTLIER_DB

TOP_DB, FLOOR_DB = 0.0, -42.0


@dataclass(frozen=True, slots=True)
class Staircase:
    edge: str  # top of the steps
    fill: str  # what stands under it
    borders: str
    dots: str  # the takes, zero-length strokes with round ends
    rings: str  # the outliers among them
    summary: str  # the same in words


def staircase(
    layers: Sequence[tuple[int, int, Sequence[float]]],
    *,
    gain_db: float = 0.0,
    dynamics: float = 1.0,
    curve: Curve = "even",
) -> Staircase:
    """layers : (low, high, level in dB of each take), softest first; gain_db is the pad's and what comes after it."""
    edges, fills, dots, rings, words = [], [], [], [], []
    for low, high, levels in layers:
        if not levels:
            continue
        mean = sum(levels) / len(levels)
        points = [(v, mean + gain_db + _played_db(v, dynamics, curve)) for v in (low, (low + high) / 2, high + 0.999)]
        path = " L".join(f"{x - 1:.1f} {_y(level):.1f}" for x, level in points)
        edges.append(f"M{path}")
        fills.append(f"M{low - 1} {_y(FLOOR_DB):.0f} L{path} L{high} {_y(FLOOR_DB):.0f}Z")
        for number, level in enumerate(levels):
            velocity = low + (high + 1 - low) * (number + 0.5) / len(levels)
            dot = f"M{velocity - 1:.1f} {_y(level + gain_db + _played_db(velocity, dynamics, curve)):.1f}h0"
            dots.append(dot)
            if abs(level - mean) > OUTLIER_DB:
                rings.append(dot)
        words.append(f"{low} to {high} at {mean + gain_db:.0f} dB")
    borders = "".join(f"M{high} 0V{_y(FLOOR_DB):.0f}" for _, high, _ in layers[:-1])
    return Staircase("".join(edges), "".join(fills), borders, "".join(dots), "".join(rings), "; ".join(words))


def _played_db(velocity: float, dynamics: float, curve: Curve) -> float:
    shaped = curve_table(curve)[max(1, min(127, round(velocity))) - 1] if curve != "even" else velocity
    return 20 * math.log10(max(1e-4, dynamics_gain(min(127.0, shaped), dynamics)))


def _y(level_db: float) -> float:
    return TOP_DB - min(TOP_DB, max(FLOOR_DB, level_db))
