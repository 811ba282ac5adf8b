"""Find the transients of a loop or a recording, to the frame.

Spectral flux (Dixon, "Onset Detection Revisited", DAFx 2006): the rise of levels from one spectrum to the next,
over bands; peaks that stand out from their surroundings are onsets. Each is then refined on the waveform. How many
it finds, and how near, is measured in benchmarks/cutting.py.
"""

import numpy as np

WINDOW_SECONDS, HOP_SECONDS = 0.0213, 0.0027
NEIGHBOURHOOD_SECONDS = 0.12
MIN_GAP_SECONDS = 0.03
BANDS, FLOOR_DB = 20, 70.0
BACK_SECONDS, AHEAD_SECONDS, LEAST_SECONDS = 0.014, 0.008, 0.0007  # where the refinement looks; the least stretch
WHITEN = 0.97
RISE_SECONDS, LEAST_RISE = 0.008, 1.0


def find_onsets(audio: np.ndarray, rate_hz: int, *, sensitivity: float = 0.5) -> list[int]:
    """
    audio : float32, shape (channels, frames)
    sensitivity : 0..1; higher finds softer hits
    returns : frames, rising
    """
    mono = audio.mean(axis=0)
    window, hop = max(32, int(WINDOW_SECONDS * rate_hz)), max(4, int(HOP_SECONDS * rate_hz))
    if len(mono) < window or not np.abs(mono).max() > 0:
        return []
    flux = spectral_flux(mono, window, hop, rate_hz)
    peaks = _peaks(flux, sensitivity, round(NEIGHBOURHOOD_SECONDS / HOP_SECONDS), round(MIN_GAP_SECONDS / HOP_SECONDS))
    places = sorted({_refine(mono, int(peak) * hop, rate_hz) for peak in peaks})
    return [place for place in places if _rises(mono, place, rate_hz)]


def spectral_flux(mono: np.ndarray, window: int, hop: int, rate_hz: int) -> np.ndarray:
    """Rise of the level in dB from one window to the next, quadratic mean over bands; [n] is at n hops.

    Bands are BANDS to the ten octaves, so that a low drum weighs as much as a cymbal; what lies FLOOR_DB below the
    loudest band is silence.
    """
    padded = np.concatenate([np.zeros(window // 2), mono, np.zeros(window)])
    rows = np.lib.stride_tricks.sliding_window_view(padded, window)[::hop][: len(mono) // hop + 1]
    power = np.square(np.abs(np.fft.rfft(rows * np.hanning(window), axis=1)))
    edges = np.unique(
        np.searchsorted(np.fft.rfftfreq(window, 1 / rate_hz), np.geomspace(30, 0.45 * rate_hz, BANDS + 1))
    )
    bands = np.add.reduceat(power, edges[:-1], axis=1) / np.diff(np.append(edges[:-1], power.shape[1]))
    level_db = 10 * np.log10(np.maximum(bands / max(float(bands.max()), 1e-30), 10 ** (-FLOOR_DB / 10)))
    rise = np.maximum(0, level_db - np.roll(level_db, 2, axis=0))
    rise[:2] = np.maximum(0, level_db[:2] + FLOOR_DB)
    weights = np.minimum(1.0, np.diff(edges) / 4)  # a band of a bin or two strays by chance
    return np.sqrt((np.square(rise) * weights).sum(axis=1) / weights.sum())


def _peaks(flux: np.ndarray, sensitivity: float, reach: int, gap: int) -> np.ndarray:
    """Local maxima above the median of their surroundings by a margin that sinks with the sensitivity."""
    padded = np.pad(flux, reach)
    around = np.lib.stride_tricks.sliding_window_view(padded, 2 * reach + 1)
    margin = 5.8 - 5.4 * min(1.0, max(0.0, sensitivity))  # dB
    rising = np.r_[True, flux[1:] > flux[:-1]] & np.r_[flux[:-1] >= flux[1:], True]
    candidates = np.flatnonzero(rising & (flux > np.median(around, axis=1) + margin))
    kept: list[int] = []
    for place in candidates[np.argsort(-flux[candidates], kind="stable")]:
        if all(abs(place - other) >= gap for other in kept):
            kept.append(int(place))
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
