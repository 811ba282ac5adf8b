"""The parallel bus: a compressed copy beside the dry sound (design rule 16).

Feed-forward, in dB, peak detector, both sides linked (Giannoulis, Massberg and Reiss, "Digital Dynamic Range Compressor
Design", JAES 60(6), 2012), the gain smoothed in steps of 32 frames whose ends are joined by lines. What is left of a block
that is no whole step waits for the next one, so that the length of blocks changes nothing.
"""

import math
from collections.abc import Callable, Iterable

import numpy as np

from dactyl.core.desk.tables import LEAST_DB, STEP_FRAMES, Compressor, become, pieces_of

_LEAST = 10 ** (LEAST_DB / 20)
_PLACES = (np.arange(STEP_FRAMES) / STEP_FRAMES).astype(np.float32)


class ParallelBus:
    """What it was sent becomes what it plays; its state is the gain of the last step."""

    def __init__(self, compressor: Compressor) -> None:
        self._compressor = compressor
        self._gain_db = 0.0
        self._waiting = np.zeros((2, 0), np.float32)

    def process(
        self, sent: np.ndarray, *, is_last: bool = False, each: Callable[..., Iterable[None]] = map
    ) -> np.ndarray:
        """sent : float32, (2, frames). each : ``map``, or a pool's

        Returns as many frames as are whole steps by now, all where it is the last block.
        """
        sound = np.concatenate([self._waiting, sent], axis=1) if self._waiting.shape[1] else sent
        whole = sound.shape[1] if is_last else sound.shape[1] - sound.shape[1] % STEP_FRAMES
        self._waiting = sound[:, whole:].copy()
        pieces = pieces_of(whole)
        peaks = np.zeros(-(-whole // STEP_FRAMES), np.float32)
        for _ in each(lambda at: _find_peaks(sound[:, at], _steps(peaks, at)), pieces):
            pass
        ends = self._smoothed(wanted_db(self._compressor, peaks))
        played = np.empty((2, whole), np.float32)

        def play(at: slice) -> None:
            first = at.start // STEP_FRAMES
            np.multiply(sound[:, at], _lines(ends[first:], at.stop - at.start), out=played[:, at])
            become(played[:, at], self._compressor.matrix)

        for _ in each(play, pieces):
            pass
        return played

    def _smoothed(self, wanted: np.ndarray) -> np.ndarray:
        """Linear gains at the begin and at the ends of steps: g <- a g + (1 - a) wanted, in dB."""
        gain, attack, release = self._gain_db, self._compressor.attack, self._compressor.release
        ends = [gain]
        for target in wanted.tolist():
            gain = target + (attack if target < gain else release) * (gain - target)
            ends.append(gain)
        self._gain_db = gain
        return np.exp(np.array(ends) * (math.log(10) / 20))


def _steps(peaks: np.ndarray, at: slice) -> np.ndarray:
    """The peaks of a stretch of whole steps."""
    return peaks[at.start // STEP_FRAMES : -(-at.stop // STEP_FRAMES)]


def _find_peaks(sound: np.ndarray, peaks: np.ndarray) -> None:
    """The largest of both sides in each step, by halves: a step is too short to be worth a loop of its own."""
    frames = sound.shape[1]
    loudest = np.zeros(len(peaks) * STEP_FRAMES, np.float32)
    np.maximum(np.abs(sound[0]), np.abs(sound[1]), out=loudest[:frames])
    rest = loudest.reshape(len(peaks), STEP_FRAMES)
    while rest.shape[1] > 1:
        half = rest.shape[1] // 2
        rest = np.maximum(rest[:, :half], rest[:, half:])
    peaks[:] = rest[:, 0]


def _lines(ends: np.ndarray, frames: int) -> np.ndarray:
    """Gains of each frame between the ends of steps; float32, (frames,)"""
    steps = -(-frames // STEP_FRAMES)
    ends = ends[: steps + 1]
    lines = np.multiply.outer(np.diff(ends).astype(np.float32), _PLACES)
    lines += ends[:-1, np.newaxis].astype(np.float32)
    return lines.ravel()[:frames]


def wanted_db(compressor: Compressor, peaks: np.ndarray) -> np.ndarray:
    """The gain that the static curve asks for at these linear peaks, dB: nothing below the knee, a parabola within it."""
    over = 20 * np.log10(np.maximum(peaks.astype(np.float64), _LEAST)) - compressor.threshold_db
    knee, slope = compressor.knee_db, compressor.slope
    bent = slope * np.square(over + knee / 2) / (2 * knee) if knee > 0 else np.zeros_like(over)
    return np.where(2 * over < -knee, 0.0, np.where(2 * np.abs(over) <= knee, bent, slope * over))
