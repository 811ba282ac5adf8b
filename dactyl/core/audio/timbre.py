"""What a one-shot sounds like, as numbers that hold whatever its level: where its power lies, and how that falls.

Ten windows from the onset to 1.5 s, each longer than the one before, in each the power of twenty bands of equal width in
octaves from 40 Hz to 16 kHz, in dB against the loudest window, not below −60 dB; then the noisiness of the first windows,
how fast the sound falls, and the strongest partial of its body. Seen so, two hits of one drum are near each other.
"""

from dataclasses import dataclass
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
    looks = _looks(rate_hz)
    padded = np.zeros(looks.frames, np.float32)
    padded[looks.long // 2 :][: len(sound)] = sound
    quick = looks.means @ _spectra(padded, looks.short_begins, looks.short, looks.short // 2 + 1)
    powers = quick @ _bands(looks.short, rate_hz)
    lowest = int(np.searchsorted(_edges_hz(), LONG_BELOW_HZ)) - 1  # bands below
    low_bins = min(looks.long // 2 + 1, 2 + int(looks.long * _edges_hz()[lowest + 1] / rate_hz))  # all that these see
    slow = _spectra(padded, looks.long_begins, looks.long, low_bins)
    powers[:, :lowest] = slow @ _bands(looks.long, rate_hz)[:low_bins, :lowest]
    inside = quick[:FLAT_WINDOWS, 1 : max(3, int(HIGHEST_HZ * looks.short / rate_hz))]
    mean = inside.mean(axis=1) + 1e-20
    flat = 10 * np.log10(np.exp(np.log(inside + 1e-9 * mean[:, None]).mean(axis=1)) / mean) / 20
    return powers, flat


@dataclass(frozen=True, slots=True)
class _Looks:
    """Where spectra are taken, in frames of the sound with half a long one of silence before it."""

    short: int  # frames of a spectrum
    long: int
    short_begins: np.ndarray  # of every window one to MOST_LOOKS, in the middle of its parts
    means: np.ndarray  # (windows, short_begins), float32: of those of each window
    long_begins: np.ndarray  # one in the middle of each window
    frames: int  # of all


@lru_cache(maxsize=16)
def _looks(rate_hz: int) -> _Looks:
    short, long = (1 << max(5, round(np.log2(ms * rate_hz / 1000))) for ms in (SHORT_MS, LONG_MS))
    edges = np.array(EDGES_MS) * rate_hz / 1000
    counts = np.clip(((edges[1:] - edges[:-1]) / short).astype(int), 1, MOST_LOOKS)
    parts = zip(edges, edges[1:], counts, strict=False)
    of_window = np.repeat(np.arange(len(counts)), counts)
    means = (of_window == np.arange(len(counts))[:, None]) / counts[:, None]
    middles = [begin + (end - begin) * (n + 0.5) / count for begin, end, count in parts for n in range(count)]
    return _Looks(
        short=short,
        long=long,
        short_begins=np.array(middles).astype(int) + (long - short) // 2,
        means=means.astype(np.float32),
        long_begins=((edges[1:] + edges[:-1]) / 2).astype(int),
        frames=int(edges[-1]) + long + long // 2,
    )


def _spectra(padded: np.ndarray, begins: np.ndarray, size: int, bins: int) -> np.ndarray:
    """Power of the first bins of stretches, (stretches, bins)."""
    return _power(np.stack([padded[begin : begin + size] for begin in begins]), size, bins) / np.float32(size)


def _power(window: np.ndarray, size: int, bins: int) -> np.ndarray:
    """Of tapered windows, (..., frames), bin by bin; in float32, which is twice as fast and exact enough."""
    spectrum = scipy.fft.rfft(window * _hann(window.shape[-1]), n=size)[..., :bins]
    return np.square(spectrum.real) + np.square(spectrum.imag)


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
    rows = sound[:usable].reshape(-1, hop)
    envelope = np.sqrt(np.einsum("rf,rf->r", rows, rows) / hop)
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
    power = _power(window, size, size // 2 + 1)
    total = float(power.sum())
    first, last = int(LOWEST_HZ * size / rate_hz), int(2000 * size / rate_hz)
    if total <= 0 or last <= first:
        return 0.0, 0.0
    strongest = first + int(np.argmax(power[first:last]))
    lobe = max(1, 2 * size // len(window))
    share = float(power[max(0, strongest - lobe) : strongest + lobe + 1].sum()) / total
    return float(np.log2(max(strongest, 1) * rate_hz / size / LOWEST_HZ) / 4), share
