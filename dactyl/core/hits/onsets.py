"""Find the transients of a loop or a recording, to the frame.

Spectral flux (Dixon, "Onset Detection Revisited", DAFx 2006): the rise of levels from one spectrum to the next,
over bands; peaks that stand out from their surroundings are onsets. Each is then refined on the waveform. How many
it finds, and how near, is measured in benchmarks/cutting.py.
"""

from collections.abc import Callable, Iterator

import numpy as np
import scipy

WINDOW_SECONDS, HOP_SECONDS = 0.0213, 0.0027
NEIGHBOURHOOD_SECONDS = 0.12
MIN_GAP_SECONDS = 0.03
BANDS, FLOOR_DB = 20, 70.0
BACK_SECONDS, AHEAD_SECONDS, LEAST_SECONDS = 0.014, 0.008, 0.0007  # where the refinement looks; the least stretch
WHITEN = 0.97
HOPS_AT_ONCE = 1024
LEAST_POWER = 1e-20  # of a band: silence
RISE_SECONDS, LEAST_RISE = 0.008, 1.0


Read = Callable[[int, int], np.ndarray]
"""Frames ``first..stop`` of a recording as float32 of shape (channels, frames); fewer at its end."""


def find_onsets(audio: np.ndarray, rate_hz: int, *, sensitivity: float = 0.5) -> list[int]:
    """
    audio : float32, shape (channels, frames)
    sensitivity : 0..1; higher finds softer hits
    returns : frames, rising
    """

    def read(first: int, stop: int) -> np.ndarray:
        return audio[:, first:stop]

    *_, flux = listen(read, audio.shape[1], rate_hz)
    return onsets_of(flux, read, audio.shape[1], rate_hz, sensitivity=sensitivity)


def listen(read: Read, frames: int, rate_hz: int) -> Iterator[float | np.ndarray]:
    """What takes long and does not depend on the sensitivity: yields how much is done, 0 to 1, and at last the flux,
    float32 by hops of 2.7 ms; empty where all is silent or the sound is shorter than a window. It is read in blocks:
    memory grows by 40 bytes for each hop."""
    window, hop = _sizes(rate_hz)
    if frames < window:
        yield np.zeros(0, np.float32)
        return
    yield from _flux(read, frames, window, hop, rate_hz)


def onsets_of(
    flux: np.ndarray, read: Read, frames: int, rate_hz: int, *, sensitivity: float = 0.5, most: int | None = None
) -> list[int]:
    """The onsets in what ``listen`` heard, the first ``most`` of them: frames, rising."""
    if not len(flux):
        return []
    _, hop = _sizes(rate_hz)
    peaks = _peaks(flux, sensitivity, round(NEIGHBOURHOOD_SECONDS / HOP_SECONDS), round(MIN_GAP_SECONDS / HOP_SECONDS))
    margin = int((BACK_SECONDS + AHEAD_SECONDS + 2 * RISE_SECONDS) * rate_hz)
    places: set[int] = set()
    for peak in peaks:
        if most is not None and len(places) >= most:
            break
        first = max(0, int(peak) * hop - margin)
        mono = read(first, int(peak) * hop + margin).mean(axis=0)
        place = first + _refine(mono, int(peak) * hop - first, rate_hz)
        if place < frames and _rises(mono, place - first, rate_hz):
            places.add(place)
    return sorted(places)


def _sizes(rate_hz: int) -> tuple[int, int]:
    """Frames of a window, and from one to the next."""
    return max(32, int(WINDOW_SECONDS * rate_hz)), max(4, int(HOP_SECONDS * rate_hz))


def _flux(read: Read, frames: int, window: int, hop: int, rate_hz: int) -> Iterator[float | np.ndarray]:
    """Rise of the level in dB from one window to the next but one, quadratic mean over bands; [n] is at n hops.

    Bands are BANDS to the ten octaves, so that a low drum weighs as much as a cymbal; what lies FLOOR_DB below the
    loudest band is silence. Empty where all of it is.
    """
    edges = np.unique(
        np.searchsorted(np.fft.rfftfreq(window, 1 / rate_hz), np.geomspace(30, 0.45 * rate_hz, BANDS + 1))
    )
    count = frames // hop + 1
    levels_db = np.empty((count, len(edges) - 1), np.float16)  # a hundredth of a step of what follows
    for first in range(0, count, HOPS_AT_ONCE):
        stop = min(count, first + HOPS_AT_ONCE)
        start = first * hop - window // 2
        mono = read(max(0, start), (stop - 1) * hop + window).mean(axis=0)
        mono = np.concatenate([np.zeros(max(0, -start)), mono, np.zeros(2 * window)])
        rows = np.lib.stride_tricks.sliding_window_view(mono, window)[::hop][: stop - first]
        power = np.square(np.abs(np.fft.rfft(rows * np.hanning(window), axis=1)))
        widths = np.diff(np.append(edges[:-1], power.shape[1]))
        bands = np.add.reduceat(power, edges[:-1], axis=1) / widths
        levels_db[first:stop] = 10 * np.log10(np.maximum(bands, LEAST_POWER))
        yield stop / count
    loudest_db = float(levels_db.max())
    if loudest_db <= 10 * np.log10(LEAST_POWER) + 1:
        yield np.zeros(0, np.float32)
        return
    weights = np.minimum(1.0, np.diff(edges) / 4)  # a band of a bin or two strays by chance
    flux = np.empty(count, np.float32)
    for first in range(0, count, HOPS_AT_ONCE):
        level_db = levels_db[max(0, first - 2) : first + HOPS_AT_ONCE].astype(np.float64)
        level_db = np.maximum(level_db - loudest_db, -FLOOR_DB)
        if first == 0:
            level_db = np.concatenate([np.full((2, level_db.shape[1]), -FLOOR_DB), level_db])
        rise = np.maximum(0, level_db[2:] - level_db[:-2])
        flux[first : first + len(rise)] = np.sqrt((np.square(rise) * weights).sum(axis=1) / weights.sum())
    yield flux


def _peaks(flux: np.ndarray, sensitivity: float, reach: int, gap: int) -> np.ndarray:
    """Local maxima above the median of their surroundings by a margin that sinks with the sensitivity."""
    around = scipy.ndimage.median_filter(flux, 2 * reach + 1, mode="constant")
    margin = 5.8 - 5.4 * min(1.0, max(0.0, sensitivity))  # dB
    rising = np.r_[True, flux[1:] > flux[:-1]] & np.r_[flux[:-1] >= flux[1:], True]
    candidates = np.flatnonzero(rising & (flux > around + margin))
    taken = np.zeros(len(flux) + gap, bool)
    kept: list[int] = []
    for place in candidates[np.argsort(-flux[candidates], kind="stable")]:
        if not taken[place]:
            kept.append(int(place))
            taken[max(0, place - gap + 1) : place + gap] = True
    return np.sort(np.array(kept, int))


def _refine(mono: np.ndarray, near: int, rate_hz: int) -> int:
    """The frame that parts the quiet before from the loud after best.

    The likeliest change of variance of the whitened sound (Maeda's AIC picker, as seismologists time first arrivals:
    k ln var(before) + (n - k) ln var(after), lowest where the change is).
    """
    first, stop = near - int(BACK_SECONDS * rate_hz), min(len(mono), near + int(AHEAD_SECONDS * rate_hz))
    part = np.concatenate([np.zeros(max(0, -first)), mono[max(0, first) : stop]])  # before the file it is silent
    power = np.square(part - WHITEN * np.r_[part[:1], part[:-1]]) + 1e-14
    frames, least = len(power), max(2, int(LEAST_SECONDS * rate_hz))
    if frames < 4 * least:
        return near
    sums, split = np.cumsum(power), np.arange(least, frames - least)
    before, after = sums[split - 1] / split, (sums[-1] - sums[split - 1]) / (frames - split)
    cost = split * np.log(before) + (frames - split) * np.log(np.maximum(after, 1e-14))
    cost[after <= before] = np.inf
    if not np.isfinite(cost).any():
        return near
    return max(0, first + int(split[np.argmin(cost)]))


def _rises(mono: np.ndarray, place: int, rate_hz: int) -> bool:
    """Whether it is louder after ``place`` than before: in a decaying noise a spectrum strays by chance, no more."""
    reach = int(RISE_SECONDS * rate_hz)
    before, after = mono[max(0, place - reach) : place], mono[place : place + reach]
    return not len(before) or float(np.square(after).mean()) > LEAST_RISE**2 * float(np.square(before).mean())


def grid(frames: int, count: int) -> list[int]:
    """Equal pieces: the first frame of each."""
    return [frames * place // count for place in range(count)]
