"""Find the layers in a row of measured levels, and the drums in a heap of measures."""

from collections.abc import Sequence

import numpy as np
import scipy

from dactyl.core.audio.measure import Measure
from dactyl.core.stack.hearing import alike

MIN_STEP_DB = 1.5  # recordings nearer than this are takes of one layer
MAX_RANGE_DB = 9.0  # of one layer; a wider one was played without steps and is cut
MOST_LAYERS = 16
CUT_RANGE_DB = 6.0


SAME_DRUM = 20.0  # mean distance between hits of one drum in the space of hearing.alike; benchmarks/hearing.py
SAME_TRAITS = 0.65  # distance between neighbours in the space of _traits, for sounds whose timbre is not known


def drums_by_sound(measures: Sequence[Measure]) -> list[int]:
    """Which recordings are of one drum, by timbre: a number for each, from 0. Average linkage (Sokal and Michener 1958).

    Where timbres are not known, by pitch, brightness, decay and tonality, with single linkage.
    """
    if len(measures) < 2:
        return [0] * len(measures)
    if all(measure.timbre for measure in measures):
        places = alike(np.array([measure.timbre for measure in measures]))
        labels = scipy.cluster.hierarchy.fcluster(
            scipy.cluster.hierarchy.linkage(places, "average"), SAME_DRUM, "distance"
        )
    else:
        traits = np.array([_traits(measure) for measure in measures])
        labels = scipy.cluster.hierarchy.fcluster(
            scipy.cluster.hierarchy.linkage(traits, "single"), SAME_TRAITS, "distance"
        )
    first = {label: number for number, label in enumerate(dict.fromkeys(labels))}
    return [first[label] for label in labels]


def _traits(measure: Measure) -> tuple[float, float, float, float]:
    """In octaves, weighted; the pitch of noise says nothing, so all noise shares one."""
    has_pitch = measure.tonality > 0.4 or (measure.pitch_hz < 420 and measure.tonality > 0.04)
    pitch = np.log2(max(measure.pitch_hz, 20.0)) if has_pitch else 13.0
    return (
        float(np.log2(max(measure.brightness_hz, 20.0))),
        1.2 * float(pitch),
        0.8 * float(np.log2(max(measure.decay_seconds, 0.01))),
        2.0 * measure.tonality,
    )


def layers_by_level(levels_db: Sequence[float], count: int | None = None) -> list[list[int]]:
    """Group recordings into layers by loudness, softest layer first.

    levels_db : shape (n,), the measured level of each recording
    count : how many layers; by default as many as the levels show: the steps that stand out from the rest
    returns : for each layer the indexes of its recordings, in the order they were given
    """
    if not len(levels_db):
        return []
    levels = np.asarray(levels_db, float)
    order = np.argsort(levels, kind="stable")
    rising = levels[order]
    bounds = _best_cuts(rising, count) if count is not None else _shown_cuts(rising)
    edges = [0, *bounds, len(order)]
    return [sorted(int(i) for i in order[a:b]) for a, b in zip(edges, edges[1:], strict=False)]


def _shown_cuts(rising: np.ndarray) -> list[int]:
    """Where levels step: the cut that leaves the largest ratio between the steps above it and those below."""
    steps = np.diff(rising)
    wide = np.flatnonzero(steps >= MIN_STEP_DB)
    if len(wide):
        sizes = np.sort(steps)[::-1]
        most = min(int((steps >= MIN_STEP_DB).sum()), MOST_LAYERS - 1)
        ratios = [sizes[n - 1] / max(sizes[n] if n < len(sizes) else 0.0, 0.5) for n in range(1, most + 1)]
        best = len(ratios) - int(np.argmax(ratios[::-1]))  # of equal ratios the finer division
        if len(rising) <= 8 and sizes[most - 1] >= 2 * MIN_STEP_DB:
            best = most  # a few files, each step wide: each is a layer
        wide = np.sort(np.argsort(-steps, kind="stable")[:best])
    edges = [0, *(int(place) + 1 for place in wide), len(rising)]
    cuts = edges[1:-1]
    for first, last in zip(edges, edges[1:], strict=False):
        span = rising[last - 1] - rising[first]
        if span > MAX_RANGE_DB:
            parts = min(int(np.ceil(span / CUT_RANGE_DB)), last - first)
            cuts += [first + cut for cut in _best_cuts(rising[first:last], parts)]
    return sorted(cuts)


def _best_cuts(rising: np.ndarray, count: int) -> list[int]:
    """The ``count - 1`` cuts with the least variance inside the groups, by dynamic programming (Fisher 1958)."""
    size = len(rising)
    count = max(1, min(count, size, 127))
    sums, squares = np.concatenate([[0], np.cumsum(rising)]), np.concatenate([[0], np.cumsum(rising**2)])
    ends = np.arange(1, size + 1)

    def spread(first: int) -> np.ndarray:
        """Squared deviations of first..end for every end."""
        width = np.maximum(ends - first, 1)
        return np.where(ends > first, squares[ends] - squares[first] - (sums[ends] - sums[first]) ** 2 / width, np.inf)

    costs, cut_at = spread(0), []
    spreads = np.stack([spread(first) for first in range(size)]) if count > 1 else None
    for _ in range(count - 1):
        through = costs[:-1, np.newaxis] + spreads[1:, :]  # [first - 1, end - 1]
        best = np.argmin(through, axis=0)
        cut_at.append(best + 1)
        costs = np.minimum(through[best, np.arange(size)], np.inf)
    cuts, end = [], size
    for table in reversed(cut_at):
        end = int(table[end - 1])
        cuts.append(end)
    return sorted(cuts)
