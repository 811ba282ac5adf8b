"""The parallel bus: a compressed copy beside the dry sound (design rule 16).

Feed-forward, in dB, peak detector, both sides linked (Giannoulis, Massberg and Reiss, "Digital Dynamic Range Compressor
Design", JAES 60(6), 2012), the gain smoothed in steps of 32 frames whose ends are joined by lines. What is left of a block
that is no whole step waits for the next one, so that the length of blocks changes nothing.
"""

import math

import numpy as np

from dactyl.core.desk.tables import LEAST_DB, STEP_FRAMES, Compressor, apply_matrix

_LEAST = 10 ** (LEAST_DB / 20)
_PLACES = (np.arange(STEP_FRAMES) / STEP_FRAMES).astype(np.float64)


class ParallelBus:
    """What it was sent becomes what it plays; its state is the gain of the last step."""

    def __init__(self, compressor: Compressor) -> None:
        self._compressor = compressor
        self._gain_db = 0.0
        self._gain = 1.0
        self._waiting = np.zeros((2, 0), np.float32)

    def process(self, sent: np.ndarray, *, is_last: bool = False) -> np.ndarray:
        """sent : float32, (2, frames). Returns as many frames as are whole steps by now, all where it is the last block."""
        sound = np.concatenate([self._waiting, sent], axis=1) if self._waiting.shape[1] else sent
        whole = sound.shape[1] if is_last else sound.shape[1] - sound.shape[1] % STEP_FRAMES
        self._waiting = sound[:, whole:].copy()
        return apply_matrix(self._compressed(sound[:, :whole]), self._compressor.matrix)

    def _compressed(self, sound: np.ndarray) -> np.ndarray:
        frames = sound.shape[1]
        if not frames:
            return sound
        peaks = np.maximum.reduceat(np.abs(sound).max(axis=0), np.arange(0, frames, STEP_FRAMES))
        ends = np.array([self._gain, *self._smoothed(wanted_db(self._compressor, peaks))])
        self._gain = float(ends[-1])
        gains = (ends[:-1, np.newaxis] + np.diff(ends)[:, np.newaxis] * _PLACES).ravel()[:frames]
        return sound * gains.astype(np.float32)

    def _smoothed(self, wanted: np.ndarray) -> list[float]:
        """Linear gains at the ends of steps: g <- a g + (1 - a) wanted."""
        gain, attack, release = self._gain_db, self._compressor.attack, self._compressor.release
        ends = []
        for target in wanted.tolist():
            stays = attack if target < gain else release
            gain = target + stays * (gain - target)
            ends.append(gain)
        self._gain_db = gain
        return [math.exp(db * math.log(10) / 20) for db in ends]


def wanted_db(compressor: Compressor, peaks: np.ndarray) -> np.ndarray:
    """The gain that the static curve asks for at these linear peaks, dB: nothing below the knee, a parabola within it."""
    over = 20 * np.log10(np.maximum(peaks.astype(np.float64), _LEAST)) - compressor.threshold_db
    knee, slope = compressor.knee_db, compressor.slope
    bent = slope * np.square(over + knee / 2) / (2 * knee) if knee > 0 else np.zeros_like(over)
    return np.where(2 * over < -knee, 0.0, np.where(2 * np.abs(over) <= knee, bent, slope * over))
