"""Borders between velocity layers, and how much gain follows velocity on top of them."""

from collections.abc import Sequence

from dactyl.core.kit import MAX_VELOCITY

BORDERS = {"even": "evenly", "levels": "by measured level"}


def split_evenly(count: int) -> list[int]:
    """The highest velocity of each of ``count`` layers, 1..127 shared as evenly as whole numbers allow."""
    return [(2 * MAX_VELOCITY * (number + 1) + count) // (2 * count) for number in range(count)]


def split_by_level(levels_db: Sequence[float]) -> list[int]:
    """Borders at which loudness rises by as many dB for each velocity: a layer is as wide as its step is high.

    levels_db : shape (n,), the mean level of each layer, softest first
    returns : the highest velocity of each layer; even where the levels do not rise
    """
    count = len(levels_db)
    if count < 2 or levels_db[-1] - levels_db[0] < 0.5:
        return split_evenly(count)
    rising = [max(levels_db[: number + 1]) for number in range(count)]
    borders = [(a + b) / 2 for a, b in zip(rising, rising[1:], strict=False)]
    floor = rising[0] - (borders[0] - rising[0])
    top = rising[-1] + (rising[-1] - borders[-1])
    highs = [round(MAX_VELOCITY * (border - floor) / (top - floor)) for border in borders] + [MAX_VELOCITY]
    for number in range(count):  # at least one velocity each, room for those above
        lowest = highs[number - 1] + 1 if number else 1
        highs[number] = min(max(highs[number], lowest), MAX_VELOCITY - (count - 1 - number))
    return highs


def layered_dynamics(count: int) -> float:
    """How much gain follows velocity on a pad of ``count`` layers.

    Recordings of several strengths bring their own dynamics; on top of them velocity adds 6 dB at most.
    """
    return 1.0 if count < 2 else 0.5
