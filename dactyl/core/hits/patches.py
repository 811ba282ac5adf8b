"""What a rise looks like, beside what other drums would make of it and what its own drum looks like: for ``network``.

Pictures of twenty-six bands around each rise. What a drum makes be heard in a microphone is learned from its sure strokes, for
each of its power: as its strokes there are when no other drum is struck with them.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from dactyl.core.hits.envelopes import SPECTRA_HOPS
from dactyl.core.hits.rises import Rises, power_of, weights_of
from dactyl.core.hits.spectra import LOW, SHORT
from dactyl.core.hits.ways import Ways, nearest_of, struck_too

AROUND = np.arange(-3, 8)  # hops of spectra of the short windows around a rise
BEFORE = 2  # of them that stand before it
LOW_AROUND = np.array([-12, 0, 4])  # of the long windows, the first before it
QUICK = np.arange(-14, 15)  # of the three bands, by the millisecond
FEWEST, MOST_TAUGHT, OWN_SHARE, OTHER_SHARE = 3, 80, 50, 35  # strokes that tell; percentiles of them
HALF = 0.5  # of the power of its loud strokes: what a drum's own picture is shown at
NOISE_SHARE = 15
UNKNOWN_LAG = 2.0  # hops of levels
SCALE_DB, MIDDLE, LOWEST, HIGHEST = 20.0, 1.5, -1.5, 2.5  # dB below a track's loud strokes, as numbers for the network
TINY = 1e-10

Picture = tuple[np.ndarray, np.ndarray]
"""Power in the short windows, (AROUND, SHORT), and in the low ones behind a rise, (2, LOW)."""


@dataclass(frozen=True)
class Patches:
    """Of the rises of one track, as numbers of the order of one."""

    short: (
        np.ndarray
    )  # (rises, 3, AROUND, SHORT): what is heard, what others would make, what a stroke of its own makes
    low: np.ndarray  # (rises, 3, LOW_AROUND, LOW)
    quick: np.ndarray  # (rises, 3 bands, QUICK)


def pictures(heard: Sequence[Rises], sure: Mapping[int, np.ndarray]) -> dict[tuple[int, int], Picture]:
    """By (drum, track): what each unit of a drum's power makes be heard there. sure : as for ``ways.learned``"""
    strokes_of = {number: heard[number].places[sure[number]] for number in sure}
    found = {}
    for number, strokes in strokes_of.items():
        own = heard[number]
        total = weights_of(own.role) @ own.jumps[:, strokes]
        strokes, total = strokes[total > 0], total[total > 0]
        others = np.sort(
            np.concatenate([places for other, places in strokes_of.items() if other != number] or [strokes[:0]])
        )
        for other, track in enumerate(heard):
            alone = ~struck_too(strokes, others if other == number else strokes_of.get(other, strokes[:0]))
            if other == number and alone.sum() < FEWEST:
                alone[:] = True
            if alone.sum() >= FEWEST:
                loudest = np.flatnonzero(alone)[np.argsort(-total[alone], kind="stable")[:MOST_TAUGHT]]
                share = OWN_SHARE if other == number else OTHER_SHARE
                found[number, other] = _grown(track, strokes[loudest], total[loudest], share)
    return found


def _grown(track: Rises, places: np.ndarray, total: np.ndarray, share: int) -> Picture:
    """By how much the power grows about ``places`` for each of ``total``."""
    short, low = _seen(track, places)
    grown = np.maximum(0, short - short[:, :BEFORE].min(axis=1, keepdims=True)) / total[:, None, None]
    ringing = np.maximum(0, low[:, 1:] - low[:, :1]) / total[:, None, None]
    return np.percentile(grown, share, axis=0), np.percentile(ringing, share, axis=0)


def _seen(track: Rises, places: np.ndarray) -> Picture:
    """Power about places: (places, AROUND, SHORT) and (places, LOW_AROUND, LOW)."""
    hops, last = np.round(places / SPECTRA_HOPS).astype(int)[:, None], len(track.spectra) - 1
    short = track.spectra[np.clip(hops + AROUND, 0, last), :SHORT]
    return power_of(short), power_of(track.spectra[np.clip(hops + LOW_AROUND, 0, last), SHORT:])


def patches(
    heard: Sequence[Rises],
    number: int,
    rows: np.ndarray,
    ways: Ways,
    without: np.ndarray,
    known: Mapping[tuple[int, int], Picture],
    top_db: float,
) -> Patches:
    """Of some rises of a track.

    rows : which of its rises
    without : (rises, drums): how hard each other drum would have been struck if this one had not been
    known : ``pictures``
    top_db : how loud its own strokes are
    """
    rise, places = heard[number], heard[number].places[rows]
    short, low = _seen(rise, places)
    others, ringing = np.zeros_like(short), np.zeros_like(low)
    for column, drum in enumerate(ways.drums):
        if drum == number or (drum, number) not in known:
            continue
        made, rings = known[drum, number]
        later = _later(heard[drum].places, places, ways.lags[number, column])
        strength = without[rows, column].astype(np.float32)[:, None, None]
        others += strength * made[np.clip(np.arange(len(AROUND)) + later[:, None], 0, len(AROUND) - 1)]
        ringing[:, 1:] += strength * rings
    own, own_rings = known.get((number, number), (np.zeros(short.shape[1:]), np.zeros((2, LOW))))
    reference = 10 ** (top_db / 10)
    noise = power_of(np.percentile(rise.spectra[::7].astype(np.float32), NOISE_SHARE, axis=0))
    own = np.broadcast_to(own * HALF * reference, short.shape)
    own_rings = np.broadcast_to(np.concatenate([np.zeros((1, LOW)), own_rings * HALF * reference]), low.shape)

    def shown(power: np.ndarray, over: np.ndarray | float = 0.0) -> np.ndarray:
        level = 10 * np.log10((power + over + TINY) / reference)
        return np.clip(level / SCALE_DB + MIDDLE, LOWEST, HIGHEST).astype(np.float32)

    hops = np.clip(places[:, None] + QUICK, 0, rise.bands.shape[1] - 1)
    return Patches(
        np.stack([shown(short), shown(others, noise[:SHORT]), shown(own, noise[:SHORT])], axis=1),
        np.stack([shown(low), shown(ringing, noise[SHORT:]), shown(own_rings, noise[SHORT:])], axis=1),
        shown(rise.bands[:, hops].transpose(1, 0, 2)),
    )  # fmt: skip


def _later(strokes: np.ndarray, places: np.ndarray, lag: float) -> np.ndarray:
    """By how many hops of spectra each place is later than the rise of another drum that is nearest to it."""
    near, stroke = nearest_of(strokes, places)
    gap = np.where(near, places - stroke, lag if np.isfinite(lag) else UNKNOWN_LAG)
    return np.round(gap / SPECTRA_HOPS).astype(int)
