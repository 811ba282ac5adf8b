"""The parallel bus: a compressed copy beside the dry sound (design rule 16).

Feed-forward, in dB, peak detector, both sides linked (Giannoulis, Massberg and Reiss, "Digital Dynamic Range Compressor
Design", JAES 60(6), 2012), the gain smoothed in steps of 32 frames whose ends are joined by lines. Blocks are whole
steps, so that their length changes nothing.
"""

import math
from collections.abc import Callable, Iterable

import numpy as np

from dactyl.core.desk.tables import LEAST_DB, PIECE_FRAMES, STEP_FRAMES, STRETCH_FRAMES, Compressor, pieces_of, steps_of

_LEAST = 10 ** (LEAST_DB / 20)
_PLACES = (np.arange(STEP_FRAMES) / STEP_FRAMES).astype(np.float32)


class ParallelBus:
    """What it was sent becomes what it plays; its state is the gain of the last step."""

    def __init__(self, compressor: Compressor) -> None:
        self._compressor = compressor
        self._gain_db = 0.0

    def process(self, sent: np.ndarray, peaks: np.ndarray, *, each: Callable[..., Iterable[None]] = map) -> np.ndarray:
        """sent : float32, (2, frames), a block of whole steps unless it is the last one, changed in place.
        peaks : of its steps, by ``find_peaks``. each : ``map``, or a pool's
        """
        level, exchanged, *_ = self._compressor.matrix
        ends = self._smoothed(wanted_db(self._compressor, peaks)) * (level or exchanged)

        def play(stretch: slice) -> None:
            for at in pieces_of(stretch.start, stretch.stop, PIECE_FRAMES):
                sent[:, at] *= _lines(ends[at.start // STEP_FRAMES :], at.stop - at.start)

        for _ in each(play, pieces_of(0, sent.shape[1], STRETCH_FRAMES)):
            pass
        return sent[::-1] if exchanged else sent

    def _smoothed(self, wanted: np.ndarray) -> np.ndarray:
        """Linear gains at the begin and at the ends of steps: g <- a g + (1 - a) wanted, in dB."""
        gain, attack, release = self._gain_db, self._compressor.attack, self._compressor.release
        ends = [gain]
        for target in wanted.tolist():
            gain = target + (attack if target < gain else release) * (gain - target)
            ends.append(gain)
        self._gain_db = gain
        return np.exp(np.array(ends) * (math.log(10) / 20))


def find_peaks(sound: np.ndarray) -> np.ndarray:
    """The largest of both sides in each step: turned round first, since a step is too short for a loop of its own."""
    loudest = np.maximum(np.abs(sound[0]), np.abs(sound[1]))
    if short := -len(loudest) % STEP_FRAMES:
        loudest = np.pad(loudest, (0, short))
    return np.ascontiguousarray(loudest.reshape(-1, STEP_FRAMES).T).max(axis=0)


def _lines(ends: np.ndarray, frames: int) -> np.ndarray:
    """Gains of each frame between the ends of steps; float32, (frames,)"""
    ends = ends[: steps_of(frames) + 1]
    lines = np.multiply.outer(np.diff(ends).astype(np.float32), _PLACES)
    lines += ends[:-1, np.newaxis].astype(np.float32)
    return lines.ravel()[:frames]


def wanted_db(compressor: Compressor, peaks: np.ndarray) -> np.ndarray:
    """The gain that the static curve asks for at these linear peaks, dB: nothing below the knee, a parabola within it."""
    over = 20 * np.log10(np.maximum(peaks.astype(np.float64), _LEAST)) - compressor.threshold_db
    knee, slope = compressor.knee_db, compressor.slope
    bent = slope * np.square(over + knee / 2) / (2 * knee) if knee > 0 else np.zeros_like(over)
    return np.where(2 * over < -knee, 0.0, np.where(2 * np.abs(over) <= knee, bent, slope * over))
