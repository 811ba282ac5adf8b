"""Velocity layers from measured levels, and borders between them."""

from collections.abc import Sequence

from dactyl.core.kit import MAX_VELOCITY

SAME_LEVEL_DB = 1.5  # two recordings nearer than this count as takes of one layer


def split_evenly(count: int) -> list[int]:
    """The highest velocity of each of ``count`` layers, 1..127 shared as evenly as whole numbers allow."""
    return [(2 * MAX_VELOCITY * (number + 1) + count) // (2 * count) for number in range(count)]


def layers_by_level(levels_db: Sequence[float], count: int | None = None) -> list[list[int]]:
    """Group recordings into layers by loudness, softest layer first.

    levels_db : shape (n,), the measured level of each recording
    count : how many layers; by default a new one wherever the level steps by SAME_LEVEL_DB or more
    returns : for each layer the indexes of its recordings, in the order they were given
    """
    order = sorted(range(len(levels_db)), key=lambda i: levels_db[i])
    steps = [levels_db[b] - levels_db[a] for a, b in zip(order, order[1:], strict=False)]
    if count is None:
        count = 1 + sum(step >= SAME_LEVEL_DB for step in steps)
    count = max(1, min(count, len(order), MAX_VELOCITY))
    widest = sorted(range(len(steps)), key=lambda i: -steps[i])[: count - 1]
    bounds = [0, *sorted(i + 1 for i in widest), len(order)]
    return [sorted(order[a:b]) for a, b in zip(bounds, bounds[1:], strict=False)]


def layered_dynamics(count: int) -> float:
    """How much gain follows velocity on a pad of ``count`` layers.

    Recordings of several strengths bring their own dynamics; on top of them velocity adds 6 dB at most.
    """
    return 1.0 if count < 2 else 0.5
