"""What a one-shot sounds like, as numbers that hold whatever its level: where its power lies, and how that falls.

Ten windows from the onset to 1.5 s, each longer than the one before, in each the power of twenty bands of equal width in
octaves from 40 Hz to 16 kHz, in dB against the loudest window, not below −60 dB; then the noisiness of the first windows,
how fast the sound falls, and the strongest partial of its body. Seen so, two hits of one drum are near each other.
"""

from functools import lru_cache

import numpy as np
import scipy

EDGES_MS = (0, 6, 15, 30, 60, 110, 190, 320, 520, 850, 1490)
BANDS = 20
LOWEST_HZ, HIGHEST_HZ = 40.0, 16_000.0
FLOOR_DB = -60.0
SHORT_MS, LONG_MS = 23.0, 93.0  # what a spectrum is made of: quick enough for an attack, and fine enough for a low drum
LONG_BELOW_HZ = 500.0
MOST_LOOKS = 3  # spectra of a long window, evenly over it
FLAT_WINDOWS = 6
FALLS_DB = (-6, -12, -20, -30, -40)
SIZE = (len(EDGES_MS) - 1) * BANDS + FLAT_WINDOWS + len(FALLS_DB) + 3


def timbre(audio: np.ndarray, onset: int, rate_hz: int) -> np.ndarray:
    """audio : float32, shape (channels, frames), not silent; returns float32, shape (SIZE,)"""
    audio = audio[:, onset : onset + EDGES_MS[-1] * rate_hz // 1000]
    sound = audio.mean(axis=0) if len(audio) > 1 else audio[0]
    if not sound.any():  # two sides that cancel
        sound = audio[0]
    powers, flat = _powers(sound, rate_hz)
    top = powers.sum(axis=1).max()
    shown = np.maximum(10 * np.log10(np.maximum(powers / max(top, 1e-20), 1e-9)), FLOOR_DB)
    return np.concatenate([shown.ravel() / 20, flat, _falls(sound, rate_hz), _body(sound, rate_hz)]).astype(np.float32)


def _powers(sound: np.ndarray, rate_hz: int) -> tuple[np.ndarray, np.ndarray]:
    """Mean power of each band in each window, (windows, BANDS); and how much like noise the first windows are."""
    short, long, whose, middles, spans = _looks(rate_hz)
    padded = np.concatenate([np.zeros(long // 2, np.float32), sound, np.zeros(spans + long - len(sound), np.float32)])
    quick = _spectra(padded, whose[0] + (long - short) // 2, short)
    counts = np.bincount(whose[1])
    of_windows = np.add.reduceat(quick, np.searchsorted(whose[1], range(len(counts)))) / counts[:, None]
    slow = _spectra(padded, middles, long)
    powers = of_windows @ _bands(short, rate_hz)
    lowest = int(np.searchsorted(_edges_hz(), LONG_BELOW_HZ)) - 1  # bands below
    powers[:, :lowest] = (slow @ _bands(long, rate_hz))[:, :lowest]
    inside = of_windows[:FLAT_WINDOWS, 1 : max(3, int(HIGHEST_HZ * short / rate_hz))]
    mean = inside.mean(axis=1) + 1e-20
    flat = 10 * np.log10(np.exp(np.log(inside + 1e-9 * mean[:, None]).mean(axis=1)) / mean) / 20
    return powers, flat


@lru_cache(maxsize=16)
def _looks(rate_hz: int) -> tuple[int, int, tuple[np.ndarray, np.ndarray], np.ndarray, int]:
    """Frames of a short and of a long spectrum; where the short ones begin, each in the middle of its part of a window,
    and of which windows they are; where the long ones begin; and the frames of all windows."""
    short, long = (1 << max(5, round(np.log2(ms * rate_hz / 1000))) for ms in (SHORT_MS, LONG_MS))
    edges = np.array(EDGES_MS) * rate_hz / 1000
    begins, windows = [], []
    for number, (begin, end) in enumerate(zip(edges, edges[1:], strict=False)):
        looks = min(MOST_LOOKS, max(1, int((end - begin) / short)))
        begins += [begin + (end - begin) * (look + 0.5) / looks for look in range(looks)]
        windows += [number] * looks
    middles = ((edges[1:] + edges[:-1]) / 2).astype(int)
    return short, long, (np.array(begins).astype(int), np.array(windows)), middles, int(edges[-1])


def _spectra(padded: np.ndarray, begins: np.ndarray, size: int) -> np.ndarray:
    """Power of each bin of the tapered stretches, (stretches, bins); in float32, which is twice as fast and exact enough."""
    stretches = np.lib.stride_tricks.sliding_window_view(padded, size)[begins] * _hann(size)
    spectra = scipy.fft.rfft(stretches, axis=1)
    return (np.square(spectra.real) + np.square(spectra.imag)) / size


@lru_cache(maxsize=1)
def _edges_hz() -> np.ndarray:
    return np.geomspace(LOWEST_HZ, HIGHEST_HZ, BANDS + 1)


@lru_cache(maxsize=32)
def _bands(size: int, rate_hz: int) -> np.ndarray:
    """(bins, BANDS): how much of each bin goes to each band, triangles that reach over their neighbours' middles."""
    hz, edges = np.fft.rfftfreq(size, 1 / rate_hz), _edges_hz()
    middles = np.sqrt(edges[1:] * edges[:-1])
    widths = np.maximum(edges[1:] - edges[:-1], 1.01 * rate_hz / size)
    shares = np.maximum(0.0, 1 - np.abs(hz[:, None] - middles) / widths)
    return (shares / np.maximum(shares.sum(axis=0), 1e-9)).astype(np.float32)


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
    spectrum = scipy.fft.rfft(window * _hann(len(window)), n=size)
    power = np.square(spectrum.real) + np.square(spectrum.imag)
    total = float(power.sum())
    first, last = int(LOWEST_HZ * size / rate_hz), int(2000 * size / rate_hz)
    if total <= 0 or last <= first:
        return 0.0, 0.0
    strongest = first + int(np.argmax(power[first:last]))
    lobe = max(1, 2 * size // len(window))
    share = float(power[max(0, strongest - lobe) : strongest + lobe + 1].sum()) / total
    return float(np.log2(max(strongest, 1) * rate_hz / size / LOWEST_HZ) / 4), share
