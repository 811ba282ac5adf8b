"""The staircase of a pad: velocity to the right, level up. Layout only; paths in a box 127 wide and 42 high.

One unit to the right is one velocity, one unit down is one dB where no axis is chosen; the lowest 6 units hold what lies
further down, six times as dense. A kit's sheet chooses one axis for all its rows, so that they compare and its softest
layers do not lie on the floor.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial

from dactyl.core.kit import Curve
from dactyl.core.play.compile import curve_table, dynamics_gain
from dactyl.kits.queries import OUTLIER_DB, PadRow
from dactyl.kits.values import curve_of

HEIGHT = 42.0
DENSE_FROM, DENSITY = 36.0, 6.0  # units down; dB per unit below that


SOFT_VELOCITY = 16  # what is softer may lie below the axis
STEP_DB, LEAST_SPAN_DB, MOST_SPAN_DB = 6.0, 24.0, 96.0


@dataclass(frozen=True, slots=True)
class Axis:
    """What the height of a box stands for."""

    top_db: float = 0.0
    span_db: float = 48.0

    @property
    def floor_db(self) -> float:
        return self.top_db - self.span_db

    def down(self, level_db: float) -> float:
        """Units from the top of the box to a level."""
        return min(HEIGHT - 1.0, max(0.0, (self.top_db - level_db) / self.span_db * HEIGHT))


def axis_of(rows: Sequence[PadRow]) -> Axis:
    """The axis on which the rows of a kit show their steps: from above its loudest level to below its softest."""
    tables = [level_table(row) for row in rows if row.layers and any(layer.levels for layer in row.layers)]
    if not tables:
        return Axis()
    top_db = STEP_DB * math.ceil(max(table[-1] for table in tables) / STEP_DB)
    softest = min(table[SOFT_VELOCITY - 1] for table in tables)
    span_db = STEP_DB * math.ceil((top_db - softest) / STEP_DB + 0.5)
    return Axis(top_db, min(MOST_SPAN_DB, max(LEAST_SPAN_DB, span_db)))


@dataclass(frozen=True, slots=True)
class Staircase:
    edge: str  # top of the steps
    fill: str  # what stands under it
    borders: str
    dots: str  # the takes, zero-length strokes with round ends
    rings: str  # the outliers among them
    axis: tuple[float, ...]  # dB at 12, 24 and 36 units down
    summary: str  # the same in words


def top_above(loudest_db: float) -> float:
    """Where a box of its own begins."""
    return 6.0 * min(0, math.ceil(loudest_db / 6))


def down_to(level_db: float, top_db: float = 0.0) -> float:
    """Units from the top of the box to a level."""
    down = max(0.0, top_db - level_db)
    return min(HEIGHT, down if down < DENSE_FROM else DENSE_FROM + (down - DENSE_FROM) / DENSITY)


def staircase(
    layers: Sequence[tuple[int, int, Sequence[float]]],
    *,
    gain_db: float = 0.0,
    dynamics: float = 1.0,
    curve: Curve = "even",
    fits: bool = False,
    axis: Axis | None = None,
) -> Staircase:
    """layers : (low, high, level in dB of each take), softest first; gain_db is the pad's and what comes after it.
    axis : that of the kit's sheet; fits : whether the box begins just above the loudest take, where no other staircase stands beside it; else at 0 dB
    """
    loudest_db = max((level + gain_db for _, _, levels in layers for level in levels), default=0.0)
    top_db = top_above(loudest_db) if fits else 0.0
    y = axis.down if axis and not fits else partial(down_to, top_db=top_db)
    edges, fills, dots, rings, words = [], [], [], [], []
    for low, high, levels in layers:
        if not levels:
            continue
        mean = sum(levels) / len(levels)
        points = [(v, mean + gain_db + _played_db(v, dynamics, curve)) for v in (low, (low + high) / 2, high + 0.999)]
        path = " L".join(f"{x - 1:.1f} {y(level):.1f}" for x, level in points)
        edges.append(f"M{path}")
        fills.append(f"M{low - 1} {HEIGHT:.0f} L{path} L{high} {HEIGHT:.0f}Z")
        for number, level in enumerate(levels):
            velocity = low + (high + 1 - low) * (number + 0.5) / len(levels)
            dot = f"M{velocity - 1:.1f} {y(level + gain_db + _played_db(velocity, dynamics, curve)):.1f}h0"
            dots.append(dot)
            if abs(level - mean) > OUTLIER_DB:
                rings.append(dot)
        words.append(f"{low} to {high} at {mean + gain_db:.0f} dB")
    axis = tuple(top_db - down for down in (12.0, 24.0, 36.0))
    borders = "".join(f"M{high} 0V{HEIGHT:.0f}" for _, high, _ in layers[:-1])
    return Staircase("".join(edges), "".join(fills), borders, "".join(dots), "".join(rings), axis, "; ".join(words))


def level_table(row: PadRow) -> list[float]:
    """The level in dB that the pad would be heard at, for velocities 1 to 127: its takes' mean, with every gain."""
    pad, curve = row.pad, curve_of(row.pad)
    gain_db = pad.gain_db + pad.piece.gain_db
    return [
        layer.level_db + gain_db + _played_db(velocity, pad.dynamics, curve)
        for layer in row.layers
        for velocity in range(layer.low, layer.high + 1)
    ]


def _played_db(velocity: float, dynamics: float, curve: Curve) -> float:
    shaped = curve_table(curve)[max(1, min(127, round(velocity))) - 1] if curve != "even" else velocity
    return 20 * math.log10(max(1e-4, dynamics_gain(min(127.0, shaped), dynamics)))
