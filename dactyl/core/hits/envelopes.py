"""Levels of a track, millisecond by millisecond, in three bands: read in blocks, so that memory stays whatever the length."""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
import scipy

from dactyl.core.hits import spectra as finer
from dactyl.core.hits.spectra import LOW, REACH_SECONDS, SHORT, spectra

Read = Callable[[int, int], np.ndarray]
"""Frames ``first..stop`` as float32 of shape (channels, frames); fewer at the end."""

HOP_SECONDS = 0.001
SPECTRA_HOPS = round(finer.HOP_SECONDS / HOP_SECONDS)
BLOCK_SECONDS = 20
LOW_HZ, HIGH_HZ = 160.0, 3500.0
RUMBLE_HZ = 35.0  # below lie offsets and rumble
BANDS = ("low", "mid", "high")
FLOOR_DB = -100.0


@dataclass(frozen=True)
class Track:
    """One microphone of a recording."""

    name: str
    role: str
    read: Read
    frames: int
    rate_hz: int


def in_blocks(track: Track, seconds: float) -> Track:
    """The same track for many short reads in time order: it is read in stretches of some seconds."""
    held, begin = np.zeros((1, 0), np.float32), 0

    def read(first: int, stop: int) -> np.ndarray:
        nonlocal held, begin
        if first < begin or stop > begin + held.shape[1]:
            begin = first
            held = track.read(first, min(track.frames, max(stop, first + round(seconds * track.rate_hz))))
        return held[:, first - begin : stop - begin]

    return replace(track, read=read)


def levels(track: Track) -> np.ndarray:
    """Level of each band in dBFS, float16 of shape (3, hops): quadratic mean over a millisecond."""
    return _heard(track, None)


def levels_and_spectra(track: Track) -> tuple[np.ndarray, np.ndarray]:
    """The same, and ``spectra.spectra`` of the whole track, of which each block is read once."""
    rows: list[np.ndarray] = [np.zeros((0, SHORT + LOW), np.float16)]
    return _heard(track, rows), np.concatenate(rows)


def _heard(track: Track, rows: list[np.ndarray] | None) -> np.ndarray:
    """Levels; spectra are put behind ``rows``, if they are wanted."""
    hop = track.rate_hz * HOP_SECONDS  # may be no whole number
    filters = [
        scipy.signal.butter(2, RUMBLE_HZ, "high", fs=track.rate_hz, output="sos"),
        scipy.signal.butter(2, LOW_HZ, "low", fs=track.rate_hz, output="sos"),
        scipy.signal.butter(2, min(HIGH_HZ, 0.45 * track.rate_hz), "high", fs=track.rate_hz, output="sos"),
    ]
    states = [np.zeros((len(sos), 2)) for sos in filters]
    hops = int(track.frames / hop)
    result = np.full((len(BANDS), hops), FLOOR_DB, np.float16)
    for first in range(0, hops, BLOCK_SECONDS * 1000):
        last = min(hops, first + BLOCK_SECONDS * 1000)
        edges = np.round(np.arange(first, last + 1) * hop).astype(int)
        reach = round(REACH_SECONDS * track.rate_hz) if rows is not None else 0
        begin = max(0, int(edges[0]) - reach)
        around = track.read(begin, min(track.frames, int(edges[-1]) + reach)).mean(axis=0, dtype=np.float32)
        if rows is not None:
            rows.append(spectra(around, begin, range(first // SPECTRA_HOPS, last // SPECTRA_HOPS), track.rate_hz))
        sound = around[int(edges[0]) - begin : int(edges[-1]) - begin].astype(np.float64)
        clean, states[0] = scipy.signal.sosfilt(filters[0], sound, zi=states[0])
        low, states[1] = scipy.signal.sosfilt(filters[1], clean, zi=states[1])
        high, states[2] = scipy.signal.sosfilt(filters[2], clean, zi=states[2])
        for number, band in enumerate((low, clean - low - high, high)):
            power = np.add.reduceat(np.square(band), np.minimum(edges[:-1] - edges[0], len(band) - 1)) / hop
            result[number, first : first + len(power)] = 10 * np.log10(np.maximum(power, 10 ** (FLOOR_DB / 10)))
    return result
