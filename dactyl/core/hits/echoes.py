"""Further breaths of a drum: what sounds after each of its strokes at one distance, by itself, and is none."""

import numpy as np

HOPS, WITHIN = (15, 200), 3  # how far behind a stroke, and by how many of them the distances may differ
AHEAD = 3  # strokes among which it is looked for
FALL_DB, ALIKE_DB = 1.5, 4.0  # by which it is softer at least, and by which that may vary
SHARE, FEWEST = 0.4, 8  # of a track's strokes that have one; strokes that tell


def echoes_of(places: np.ndarray, heights: np.ndarray) -> np.ndarray:
    """Which strokes follow most others at one distance, as much softer: the drum's own further breaths, no strokes."""
    left, echoes = np.arange(len(places)), np.zeros(0, int)
    while len(found := _at_one_distance(places[left], heights[left])):
        echoes = np.concatenate([echoes, left[found]])
        left = np.delete(left, found)
    return echoes


def _at_one_distance(places: np.ndarray, heights: np.ndarray) -> np.ndarray:
    """Which strokes are echoes of others that stand as far before them as is most usual."""
    if len(places) < FEWEST:
        return np.zeros(0, int)
    pairs = []
    for ahead in range(1, AHEAD + 1):
        gaps, falls = places[ahead:] - places[:-ahead], heights[:-ahead] - heights[ahead:]
        first = np.flatnonzero((gaps >= HOPS[0]) & (gaps <= HOPS[1]) & (falls > FALL_DB))
        pairs.append(np.stack([gaps[first], first + ahead, np.round(falls[first])], axis=1))
    gaps, seconds, falls = np.concatenate(pairs).T
    if not len(gaps):
        return np.zeros(0, int)
    usual = max(np.unique(gaps), key=lambda gap: int((np.abs(gaps - gap) <= WITHIN).sum()))
    alike = np.abs(gaps - usual) <= WITHIN
    alike &= np.abs(falls - np.median(falls[alike])) <= ALIKE_DB
    echoes = np.unique(seconds[alike]).astype(int)
    return echoes if len(echoes) >= SHARE * (len(places) - len(echoes)) else np.zeros(0, int)
