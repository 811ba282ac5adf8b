"""A track as the page plays and draws it: 16-bit sound at the kit's rate, and its peaks every few milliseconds."""

from collections.abc import Iterator
from typing import BinaryIO

import numpy as np
import soxr

from dactyl.core.hits.envelopes import Track

FULL_SCALE = 2.0  # what the largest 16-bit value stands for: float files, and resampling, go beyond 1
BLOCK_FRAMES = 96_000  # of one request for sound: two seconds at 48 kHz
PEAK_FRAMES = 240  # of one peak
PEAK_FLOOR_DB = -80.0
READ_SECONDS = 20


def write_playback(track: Track, rate_hz: int, sound: BinaryIO, peaks: BinaryIO) -> Iterator[float]:
    """Write both, block by block; yields how much is done, 0 to 1.

    sound : int16, little-endian, channels interleaved; peaks : a byte for every ``PEAK_FRAMES``, 0 to 255 for
    ``PEAK_FLOOR_DB`` to 0 dBFS
    """
    left = np.zeros(0, np.float32)
    for planar, done in resampled(track, rate_hz):
        block, is_last = planar.T, done >= 1
        scaled = np.clip(np.rint(block * (32767 / FULL_SCALE)), -32767, 32767)
        sound.write(scaled.astype("<i2").tobytes())
        left = np.concatenate([left, np.abs(block).max(axis=1, initial=0.0)])
        whole = len(left) if is_last else len(left) // PEAK_FRAMES * PEAK_FRAMES
        peaks.write(_peaks(left[:whole]))
        left = left[whole:]
        yield done


def resampled(track: Track, rate_hz: int) -> Iterator[tuple[np.ndarray, float]]:
    """The track at another rate, block by block: float32 of shape (channels, frames), and how much is done, 0 to 1."""
    step, stream = READ_SECONDS * track.rate_hz, None
    for first in range(0, track.frames, step):
        block = track.read(first, min(track.frames, first + step))
        is_last = first + step >= track.frames
        if track.rate_hz != rate_hz:
            stream = stream or soxr.ResampleStream(track.rate_hz, rate_hz, len(block), dtype="float32")
            block = stream.resample_chunk(np.ascontiguousarray(block.T), last=is_last).T
        yield block, 1.0 if is_last else (first + step) / track.frames


def _peaks(sizes: np.ndarray) -> bytes:
    if not len(sizes):
        return b""
    highest = np.maximum.reduceat(sizes, np.arange(0, len(sizes), PEAK_FRAMES))
    level_db = 20 * np.log10(np.maximum(highest, 10 ** (PEAK_FLOOR_DB / 20)))
    return np.clip(np.rint((level_db - PEAK_FLOOR_DB) * (255 / -PEAK_FLOOR_DB)), 0, 255).astype(np.uint8).tobytes()
