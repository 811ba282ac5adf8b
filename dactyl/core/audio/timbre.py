"""What a one-shot sounds like, as numbers that hold whatever its level: where its power lies, and how that falls.

Six windows from the onset on (0 to 10, 10 to 40, 40 to 100, 100 to 250, 250 to 600, 600 to 1500 ms), in each the power of
twelve bands of equal width in octaves from 40 Hz to 16 kHz, in dB against the loudest window, not below −60 dB; then the
noisiness of four windows and how fast the sound falls. Seen so, two hits of one drum are near each other.
"""

from functools import lru_cache

import numpy as np
import scipy

EDGES_MS = (0, 10, 40, 100, 250, 600, 1500)
BANDS = 12
LOWEST_HZ, HIGHEST_HZ = 40.0, 16_000.0
FLOOR_DB = -60.0
LONGEST = 2048  # frames of a window that are looked at, from its middle
FLAT_WINDOWS = 4
FALLS_DB = (-6, -12, -20, -30, -40)
SIZE = (len(EDGES_MS) - 1) * BANDS + FLAT_WINDOWS + len(FALLS_DB) + 3


def timbre(audio: np.ndarray, onset: int, rate_hz: int) -> np.ndarray:
    """audio : float32, shape (channels, frames), not silent; returns float32, shape (SIZE,)"""
    audio = audio[:, onset : onset + EDGES_MS[-1] * rate_hz // 1000]
    sound = audio.mean(axis=0) if len(audio) > 1 else audio[0]
    if not sound.any():  # two sides that cancel
        sound = audio[0]
    powers = np.zeros((len(EDGES_MS) - 1, BANDS))
    flat = np.zeros(FLAT_WINDOWS)
    for number, (begin, end) in enumerate(zip(EDGES_MS, EDGES_MS[1:], strict=False)):
        window = sound[begin * rate_hz // 1000 : end * rate_hz // 1000]
        if len(window) < 16:
            continue
        powers[number], flatness = _bands(window, rate_hz, is_told=number < FLAT_WINDOWS)
        if number < FLAT_WINDOWS:
            flat[number] = flatness
    top = powers.sum(axis=1).max()
    shown = np.maximum(10 * np.log10(np.maximum(powers / max(top, 1e-20), 1e-9)), FLOOR_DB)
    return np.concatenate([shown.ravel() / 20, flat, _falls(sound, rate_hz), _body(sound, rate_hz)]).astype(np.float32)


def _bands(window: np.ndarray, rate_hz: int, *, is_told: bool) -> tuple[np.ndarray, float]:
    """Mean power of each band, and where it is told how much like noise the window is: geometric against arithmetic mean, in dB / 20."""
    if len(window) > LONGEST:
        middle = (len(window) - LONGEST) // 2
        window = window[middle : middle + LONGEST]
    size = 1 << max(9, (len(window) - 1).bit_length())
    power = _power(window, size) / len(window) ** 2
    places, inside = _places(size, rate_hz)
    bands = np.bincount(places, weights=power[inside], minlength=BANDS)[:BANDS]
    mean = power[inside].mean()
    if not (is_told and mean > 0):
        return bands, 0.0
    return bands, float(10 * np.log10(np.exp(np.log(power[inside] + 1e-9 * mean).mean()) / mean) / 20)


def _power(window: np.ndarray, size: int) -> np.ndarray:
    """Of the tapered window, bin by bin; in float32, which is twice as fast and exact enough."""
    spectrum = scipy.fft.rfft(window * _hann(len(window)), n=size)
    return np.square(spectrum.real) + np.square(spectrum.imag)


@lru_cache(maxsize=64)
def _places(size: int, rate_hz: int) -> tuple[np.ndarray, slice]:
    """The band of each bin, and the bins that lie in one."""
    hz = np.fft.rfftfreq(size, 1 / rate_hz)
    low, high = np.searchsorted(hz, [LOWEST_HZ, min(HIGHEST_HZ, rate_hz / 2)])
    inside = slice(int(low), max(int(high), int(low) + 1))
    width = np.log2(HIGHEST_HZ / LOWEST_HZ) / BANDS
    return np.minimum((np.log2(np.maximum(hz[inside], 1e-3) / LOWEST_HZ) / width).astype(int), BANDS - 1), inside


@lru_cache(maxsize=64)
def _hann(size: int) -> np.ndarray:
    return np.hanning(size + 2)[1:-1].astype(np.float32)


def _falls(sound: np.ndarray, rate_hz: int) -> np.ndarray:
    """When the envelope falls for good below some levels under its peak: octaves above 1 ms, / 4."""
    hop = max(1, rate_hz // 500)
    usable = len(sound) // hop * hop
    if not usable:
        return np.zeros(len(FALLS_DB))
    envelope = np.sqrt(np.square(sound[:usable]).reshape(-1, hop).mean(axis=1))
    top = envelope.max()
    times = []
    for db in FALLS_DB:
        over = np.flatnonzero(envelope >= top * 10 ** (db / 20))
        times.append(np.log2(1 + 2 * (over[-1] + 1)) / 4 if len(over) else 0.0)
    return np.array(times)


def _body(sound: np.ndarray, rate_hz: int) -> np.ndarray:
    """The pitch of the strongest partial below 2 kHz early and later, and how much of the power it holds."""
    early, _ = _partial(sound[: rate_hz // 25], rate_hz)
    late, share = _partial(sound[rate_hz // 25 : rate_hz // 8], rate_hz)
    return np.array([early, late, share])


def _partial(window: np.ndarray, rate_hz: int) -> tuple[float, float]:
    """Octaves above 40 Hz, / 4; and the share of the power around it."""
    if len(window) < 64:
        return 0.0, 0.0
    size = 1 << max(12, (len(window) - 1).bit_length())
    power = _power(window, size)
    total = float(power.sum())
    first, last = int(LOWEST_HZ * size / rate_hz), int(2000 * size / rate_hz)
    if total <= 0 or last <= first:
        return 0.0, 0.0
    strongest = first + int(np.argmax(power[first:last]))
    lobe = max(1, 2 * size // len(window))
    share = float(power[max(0, strongest - lobe) : strongest + lobe + 1].sum()) / total
    return float(np.log2(max(strongest, 1) * rate_hz / size / LOWEST_HZ) / 4), share
