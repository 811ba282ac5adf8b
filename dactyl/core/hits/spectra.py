"""Levels of a track in twenty-six bands, every four milliseconds: finer than what tells when something rises (``envelopes``), for
what it is made of.

Fifteen bands of short windows (12 ms, Hann) follow an attack; eleven of long windows (46 ms), of the sound thinned out to some
2.8 kHz, tell low drums from each other by what they ring on at.
"""

from functools import cache

import numpy as np
import scipy

HOP_SECONDS = 0.004
EDGES_HZ = (0, 130, 215, 300, 430, 600, 860, 1200, 1700, 2400, 3400, 4700, 6500, 9000, 12_500, 22_000)
LOW_EDGES_HZ = (20, 45, 65, 85, 110, 140, 175, 215, 265, 330, 410, 520)
SHORT, LOW = len(EDGES_HZ) - 1, len(LOW_EDGES_HZ) - 1
SHORT_SECONDS, LOW_FRAMES, LOW_RATE_HZ = 0.0116, 128, 2756
REACH_SECONDS = 0.1  # of sound around what is measured that windows reach into
FLOOR_DB = -100.0
AT_ONCE = 2000  # windows


def spectra(sound: np.ndarray, first_frame: int, hops: range, rate_hz: int) -> np.ndarray:
    """dBFS, float16 of shape (hops, SHORT + LOW); a long window begins at its hop, a short one stands about it.

    The lines of a band are added up: a sine stands 1.76 dB higher than its amplitude (the noise bandwidth of a Hann window).

    sound : float32, (frames,), from ``first_frame`` of the track on; nothing sounds outside of it
    """
    width = 2 ** round(np.log2(SHORT_SECONDS * rate_hz))
    window, bank = _bank(width, float(rate_hz), EDGES_HZ)
    thinner = 4 * max(1, round(rate_hz / LOW_RATE_HZ / 4))
    low_window, low_bank = _bank(LOW_FRAMES, rate_hz / thinner, LOW_EDGES_HZ)
    reach = round(REACH_SECONDS * rate_hz)
    padded = np.pad(sound, (reach, reach + -(len(sound) + 2 * reach) % 4))
    fourth = padded.reshape(-1, 4).mean(axis=1)  # what it lets through would fold to far above these bands
    thin = scipy.signal.resample_poly(fourth, 1, thinner // 4).astype(np.float32)
    places = np.round(np.arange(hops.start, hops.stop) * (HOP_SECONDS * rate_hz)).astype(int) - first_frame + reach
    shorts = np.lib.stride_tricks.sliding_window_view(padded, width)
    lows = np.lib.stride_tricks.sliding_window_view(thin, LOW_FRAMES)
    result = np.empty((len(places), SHORT + LOW), np.float16)
    for first in range(0, len(places), AT_ONCE):
        at = places[first : first + AT_ONCE]
        rows = shorts[np.clip(at - width // 2, 0, len(shorts) - 1)] * window
        result[first : first + AT_ONCE, :SHORT] = _in_bands(rows, bank)
        rows = lows[np.clip(np.round(at / thinner).astype(int), 0, len(lows) - 1)]
        result[first : first + AT_ONCE, SHORT:] = _in_bands(
            (rows - rows.mean(axis=1, keepdims=True)) * low_window, low_bank
        )
    return result


def _in_bands(windows: np.ndarray, bank: np.ndarray) -> np.ndarray:
    lines = scipy.fft.rfft(windows, axis=1)
    power = (np.square(lines.real) + np.square(lines.imag)) @ bank
    return 10 * np.log10(np.maximum(power, 10 ** (FLOOR_DB / 10)))


@cache
def _bank(width: int, rate_hz: float, edges_hz: tuple[float, ...]) -> tuple[np.ndarray, np.ndarray]:
    """A window, and which lines of its spectrum are of which band, by the power of a sine; a band has one line at least."""
    lines = np.fft.rfftfreq(width, 1 / rate_hz)
    window = np.hanning(width + 1)[:-1].astype(np.float32)
    bank = np.zeros((len(lines), len(edges_hz) - 1), np.float32)
    for band, (low, high) in enumerate(zip(edges_hz, edges_hz[1:], strict=False)):
        inside = (lines >= low) & (lines < high)
        inside[np.argmin(np.abs(lines - (low + high) / 2))] |= not inside.any()
        bank[inside, band] = 4 / window.sum() ** 2
    return window, bank
