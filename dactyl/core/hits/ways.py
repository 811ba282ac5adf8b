"""The ways from each drum to each microphone, learned from the recording itself, and what of a rise is a drum's own.

A drum is heard in every microphone by a way that hardly changes over a song: so much softer, in each band, and so much
later. What its sure strokes make be heard elsewhere tells it; the least of that, since others may be struck with it. Every
rise of a track is then shared among the drums by all that rises in all tracks at that moment: a non-negative sum of what
each drum makes be heard where (multiplicative updates for the generalised Kullback-Leibler divergence, Lee and Seung,
NIPS 2000).
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from dactyl.core.hits.rises import AROUND_HOPS, Rises, weights_of

LATER_HOPS = (-2, 10)  # a drum elsewhere, after it is heard in its own microphone
LEAST_SHARE = 30  # percentile of what strokes make be heard on a way
FEWEST = 3  # strokes that tell a way
USUAL_LOSS_DB, LEAST_LOSS_DB = 16.0, 4.0  # of a way that too few tell, and of any: each track against its loud rises
ROUNDS = 15
MOST_TAUGHT = 400  # strokes of a drum
TINY = 1e-12


@dataclass(frozen=True)
class Ways:
    """drums : numbers of the close tracks, one for each drum"""

    drums: tuple[int, ...]
    gains: np.ndarray  # (tracks, 3, drums): power of a track's band for each of a drum's own
    lags: np.ndarray  # (tracks, drums): hops by which its rise begins later than in its own track; nan: unknown


def learned(heard: Sequence[Rises], sure: Mapping[int, np.ndarray], loud: np.ndarray) -> Ways:
    """sure : for each close track, which of its rises are surely strokes of its drum. loud : (tracks, 3): by how much the
    power of a track's loud rises grows"""
    drums = tuple(sure)
    gains = np.zeros((len(heard), 3, len(drums)))
    lags = np.full((len(heard), len(drums)), np.nan)
    strokes_of = {number: np.sort(heard[number].places[sure[number]]) for number in drums}
    for column, number in enumerate(drums):
        own = heard[number]
        strokes = np.flatnonzero(sure[number])
        strokes = strokes[:: max(1, len(strokes) // MOST_TAUGHT)]
        jumps = own.jumps[:, own.places[strokes]]
        total = weights_of(own.role) @ jumps
        strokes, jumps, total = strokes[total > 0], jumps[:, total > 0], total[total > 0]
        gains[number, :, column] = np.median(jumps / total, axis=1) if len(strokes) >= FEWEST else _colour(own)
        for other, track in enumerate(heard):
            if other == number:
                continue
            taught = ~struck_too(own.places[strokes], strokes_of.get(other, np.zeros(0, int)))
            usual = float(weights_of(track.role) @ loud[other]) / max(float(weights_of(own.role) @ loud[number]), TINY)
            gains[other, :, column] = _way(
                own.places[strokes[taught]], total[taught], track, usual, gains[number, :, column]
            )
            if taught.sum() >= FEWEST:
                lags[other, column] = _lag(own, strokes[taught], track)
    return Ways(drums, gains, lags)


def struck_too(places: np.ndarray, others: np.ndarray) -> np.ndarray:
    """Which strokes stand beside one of another drum, and tell nothing of the way to its microphone."""
    if not len(others):
        return np.zeros(len(places), bool)
    at = np.searchsorted(others, places + LATER_HOPS[0] - 1)
    return (at < len(others)) & (others[np.minimum(at, len(others) - 1)] <= places + LATER_HOPS[1])


def _way(places: np.ndarray, total: np.ndarray, track: Rises, usual: float, colour: np.ndarray) -> np.ndarray:
    """How much of a drum's power each band of another track gets. usual : how loud that track is against the drum's own"""
    weights = weights_of(track.role)
    if len(places) < FEWEST:
        return colour * usual * 10 ** (-USUAL_LOSS_DB / 10) / max(float(weights @ colour), TINY)
    way = np.percentile(track.most_within(places, *LATER_HOPS) / total, LEAST_SHARE, axis=1)
    most = usual * 10 ** (-LEAST_LOSS_DB / 10)
    return way * min(1.0, most / max(float(weights @ way), TINY))


def _colour(own: Rises) -> np.ndarray:
    """How the power of a track's rises is shared among its bands, for each of its own."""
    jumps = own.jumps[:, own.places]
    total = weights_of(own.role) @ jumps
    return np.median(jumps[:, total > 0] / total[total > 0], axis=1) if (total > 0).any() else np.ones(3)


def _lag(own: Rises, strokes: np.ndarray, track: Rises) -> float:
    """By how many hops a drum's strokes begin later in another track, where they rise there at all."""
    near, begins = nearest(track, own.begins[strokes])
    gap = begins - own.begins[strokes]
    gap = gap[near & (gap >= LATER_HOPS[0]) & (gap <= LATER_HOPS[1])]
    return float(np.median(gap)) if len(gap) >= FEWEST else np.nan


def nearest(track: Rises, times: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Of a track's rises the one that begins nearest to each time: whether there is one within reach, and when it begins."""
    return nearest_of(np.sort(track.begins), times)


def nearest_of(marks: np.ndarray, times: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The same of any marks in time order, in hops."""
    if not len(marks) or not len(times):
        return np.zeros(len(times), bool), np.zeros(len(times))
    at = np.clip(np.searchsorted(marks, times), 1, max(1, len(marks) - 1))
    left, right = marks[at - 1], marks[np.minimum(at, len(marks) - 1)]
    best = np.where(np.abs(times - left) <= np.abs(right - times), left, right)
    return np.abs(best - times) <= AROUND_HOPS, best


@dataclass(frozen=True)
class Shared:
    """The rises of one track, shared among the drums."""

    own: np.ndarray  # (rises,): power of the drum itself, in its bands
    seen: np.ndarray  # (rises, 3): power that rises
    others: np.ndarray  # (rises, 3): what the other drums would make of it if this one had not been struck at all
    most: np.ndarray  # (rises,): which other drum makes most of it, a column of the ways; -1 for none
    strengths: np.ndarray  # (rises, drums): how hard each was struck, as power in its own bands
    without: np.ndarray  # (rises, drums): the same if this one had not been struck at all


def shared(number: int, heard: Sequence[Rises], ways: Ways, loud: np.ndarray) -> Shared:
    """loud : (tracks, 3): what counts as much in each track and band"""
    rise = heard[number]
    count = len(rise.places)
    seen = np.array([track.jumps_at(rise.places, is_own=other == number).T for other, track in enumerate(heard)])
    seen = seen.transpose(1, 0, 2).astype(np.float64)  # (rises, tracks, 3)
    scale = 1 / np.maximum(loud, TINY)
    rows = (seen * scale).reshape(count, -1) + 1e-4  # 40 dB below what is loud nothing is told
    gains = (ways.gains * scale[:, :, None]).reshape(-1, len(ways.drums))
    column = ways.drums.index(number)
    strengths = _shares(rows, gains)
    without = _shares(rows, np.delete(gains, column, axis=1))
    here = ways.gains[number]
    parts = strengths[:, None, :] * here  # (rises, 3, drums)
    weights = weights_of(rise.role)
    each = np.einsum("b,rbd->rd", weights, parts)
    own = each[:, column].copy()
    each[:, column] = 0
    most = np.where(each.max(axis=1) > 0, each.argmax(axis=1), -1) if each.shape[1] > 1 else np.full(count, -1)
    others = without @ np.delete(here, column, axis=1).T
    return Shared(own, seen[:, number], others, most, strengths, np.insert(without, column, 0, axis=1))


def _shares(rows: np.ndarray, gains: np.ndarray) -> np.ndarray:
    """(rises, drums): the non-negative strengths that tell ``rows`` best."""
    if not gains.shape[1]:
        return np.zeros((len(rows), 0))
    sums = gains.sum(axis=0) + TINY
    strengths = np.maximum((rows @ gains) / np.square(gains).sum(axis=0).clip(TINY), TINY)
    for _ in range(ROUNDS):
        told = strengths @ gains.T + 1e-4
        strengths *= (rows / told) @ gains / sums
    return strengths
