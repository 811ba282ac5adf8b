"""What is usual in a kit: medians and spreads that a few strange values don't move."""

from collections.abc import Iterable, Sequence
from statistics import median

MAD_TO_SIGMA = 1.4826  # of a normal distribution (Rousseeuw and Croux, JASA 88, 1993)


def spread(values: Iterable[float]) -> float:
    """The median distance from the median, scaled to a standard deviation; 0 for fewer than two."""
    values = list(values)
    if len(values) < 2:
        return 0.0
    middle = median(values)
    return MAD_TO_SIGMA * median(abs(value - middle) for value in values)


def others_median(values: Sequence[float], at: int) -> float:
    """The median of all but one."""
    return median([*values[:at], *values[at + 1 :]])


def strays(groups: Iterable[Sequence[float]]) -> list[float]:
    """How far each value is from the median of its fellows, of groups of three at least."""
    return [
        abs(value - others_median(group, at)) for group in groups if len(group) >= 3 for at, value in enumerate(group)
    ]
