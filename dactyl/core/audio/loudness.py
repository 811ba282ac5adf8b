"""How loud something is: integrated loudness and true peak (ITU-R BS.1770-4), fed block by block.

Loudness: each side through the K weighting, mean squares of 400 ms every 100 ms, those above −70 LUFS and then above 10 LU
below their own mean (EBU R 128, EBU Tech 3341). True peak: the highest sample at four times the rate (Annex 2).
"""

import math
from dataclasses import dataclass, field

import numpy as np
import scipy

HOPS_A_SECOND, HOPS_IN_A_BLOCK = 10, 4
ABSOLUTE_GATE_LUFS, RELATIVE_GATE_LU = -70.0, -10.0
OFFSET_LU = -0.691  # so that a sine of 997 Hz at 0 dBFS on one side is −3.01 LUFS
TAPS = 12  # of the interpolator, to each side of a sample
STRETCH = 4096  # frames whose peak decides whether a true peak may lie there


@dataclass(frozen=True, slots=True)
class Loudness:
    integrated_lufs: float | None  # None: nothing is above −70 LUFS, or it is shorter than 400 ms
    true_peak: float  # linear


@dataclass(slots=True)
class LoudnessMeter:
    """rate_hz : of all that is fed"""

    rate_hz: int
    _state: np.ndarray | None = None  # of the K weighting
    _rest: np.ndarray = field(default_factory=lambda: np.zeros(0))  # squares of a hop that is not whole
    _hops: list[float] = field(default_factory=list)  # sums of squares of both sides
    _before: np.ndarray | None = None  # the last samples, into which the interpolator reaches
    _peak: float = 0.0

    def feed(self, audio: np.ndarray) -> None:
        """audio : float, (1 or 2, frames); one side is heard on both"""
        audio = np.asarray(audio, np.float64)
        self._feed_loudness(audio if len(audio) == 2 else np.repeat(audio, 2, axis=0))
        self._feed_peak(audio)

    def measured(self) -> Loudness:
        self._feed_peak(np.zeros((1 if self._before is None else len(self._before), TAPS)))
        return Loudness(_integrated(np.array(self._hops), self._hop_frames), self._peak)

    @property
    def _hop_frames(self) -> int:
        return round(self.rate_hz / HOPS_A_SECOND)

    def _feed_loudness(self, audio: np.ndarray) -> None:
        sections = k_weighting(self.rate_hz)
        if self._state is None:
            self._state = np.zeros((len(sections), 2, 2))
        weighted, self._state = scipy.signal.sosfilt(sections, audio, axis=1, zi=self._state)
        squares = np.concatenate([self._rest, np.square(weighted).sum(axis=0)])
        whole = len(squares) - len(squares) % self._hop_frames
        self._hops += squares[:whole].reshape(-1, self._hop_frames).sum(axis=1).tolist()
        self._rest = squares[whole:]

    def _feed_peak(self, audio: np.ndarray) -> None:
        """Only stretches that may hold a higher peak are interpolated: no value is above the gain of the interpolator."""
        phases = _phases(self.rate_hz)
        if self._before is None:
            self._before = np.zeros((len(audio), 2 * TAPS))
        audio = np.concatenate([self._before, audio], axis=1)
        self._before = audio[:, -2 * TAPS :]
        most = float(np.abs(phases).sum(axis=1).max())
        for start in range(0, audio.shape[1] - 2 * TAPS, STRETCH):
            stretch = audio[:, start : start + STRETCH + 2 * TAPS]
            self._peak = max(self._peak, highest := float(np.abs(stretch).max()))
            if highest * most > self._peak:
                between = [np.convolve(side, taps, "valid") for side in stretch for taps in phases]
                self._peak = max(self._peak, *(float(np.abs(one).max()) for one in between))


def _integrated(hops: np.ndarray, hop_frames: int) -> float | None:
    if len(hops) < HOPS_IN_A_BLOCK:
        return None
    blocks = np.convolve(hops, np.ones(HOPS_IN_A_BLOCK), "valid") / (HOPS_IN_A_BLOCK * hop_frames)
    for gate in (10 ** ((ABSOLUTE_GATE_LUFS - OFFSET_LU) / 10), None):
        blocks = blocks[blocks > (blocks.mean() * 10 ** (RELATIVE_GATE_LU / 10) if gate is None else gate)]
        if not len(blocks):
            return None
    return OFFSET_LU + 10 * math.log10(blocks.mean())


def k_weighting(rate_hz: int) -> np.ndarray:
    """Second-order sections of BS.1770-4's two filters for any rate, by the analogue filters behind its table for 48 kHz
    (Brecht De Man, "Evaluation of Implementations of the EBU R128 Loudness Measurement", AES 145, 2018)."""
    head_hz, head_q, head_db = 1681.9744509555319, 0.7071752369554193, 3.99984385397
    tan = math.tan(math.pi * head_hz / rate_hz)
    high, band = 10 ** (head_db / 20), (10 ** (head_db / 20)) ** 0.499666774155
    over = 1 + tan / head_q + tan * tan
    shelf = [
        (high + band * tan / head_q + tan * tan) / over, 2 * (tan * tan - high) / over,
        (high - band * tan / head_q + tan * tan) / over, 1.0, 2 * (tan * tan - 1) / over, (1 - tan / head_q + tan * tan) / over,
    ]  # fmt: skip
    low_hz, low_q = 38.13547087613982, 0.5003270373253953
    tan = math.tan(math.pi * low_hz / rate_hz)
    over = 1 + tan / low_q + tan * tan
    low_cut = [1.0, -2.0, 1.0, 1.0, 2 * (tan * tan - 1) / over, (1 - tan / low_q + tan * tan) / over]
    return np.array([shelf, low_cut])


def filters(rate_hz: int) -> dict[str, list[list[float]]]:
    """What a meter that plays along works by: sections as b0 b1 b2 a1 a2, and the interpolator's phases."""
    sections = [[b0, b1, b2, a1, a2] for b0, b1, b2, _, a1, a2 in k_weighting(rate_hz).tolist()]
    return {"sections": sections, "phases": _phases(rate_hz).tolist()}


def _phases(rate_hz: int) -> np.ndarray:
    """Windowed sincs between two samples, (phases, taps): three at 48 kHz, one at 96, none needed above."""
    count = 4 if rate_hz < 80_000 else 2 if rate_hz < 160_000 else 1
    at = np.arange(2 * TAPS) - (TAPS - 1)
    return np.array([
        np.sinc(at - phase / count) * np.kaiser(2 * TAPS, 8.0) for phase in range(1, count)
    ] or [np.where(at == 0, 1.0, 0.0)])  # fmt: skip
