"""Measure a one-shot: onset, level of the attack, peak, brightness, decay.

onset   the first frame of the rise that leads within 30 dB of the peak of a 1 ms envelope
level   RMS over the 50 ms from the onset, loudest channel, dBFS
"""

from dataclasses import dataclass

import numpy as np

from dactyl.core.units import gain_to_db

SPECTRUM_SECONDS = 0.05
_SILENCE = 10 ** (-120 / 20)


@dataclass(frozen=True, slots=True)
class Measure:
    onset_frame: int
    peak_db: float
    level_db: float
    brightness_hz: float  # spectral centroid (power) of the attack
    pitch_hz: float  # strongest partial of the attack
    low_share: float  # share of the attack's power below 150 Hz, 0..1
    decay_seconds: float  # from the onset until the envelope stays 30 dB below its peak


def measure(audio: np.ndarray, rate_hz: int) -> Measure:
    """Measure ``audio``, float32 of shape (channels, frames), frames >= 1."""
    magnitude = np.abs(audio).max(axis=0) if len(audio) > 1 else np.abs(audio[0])
    peak = float(magnitude.max())
    if peak < _SILENCE:
        return Measure(0, gain_to_db(0), gain_to_db(0), 0.0, 0.0, 0.0, 0.0)
    hop = max(1, rate_hz // 1000)
    envelope = np.maximum.reduceat(magnitude, np.arange(0, len(magnitude), hop))
    onset = _onset_frame(magnitude, envelope, hop)
    attack = audio[:, onset : onset + max(1, round(0.05 * rate_hz))]
    level = float(np.sqrt(np.square(attack, dtype=np.float64).mean(axis=1).max()))
    brightness, pitch, low = _spectrum(audio, onset, rate_hz)
    loud = np.flatnonzero(envelope >= peak * 10 ** (-30 / 20))
    decay = max(0.0, ((loud[-1] + 1) * hop - onset) / rate_hz)
    return Measure(onset, gain_to_db(peak), gain_to_db(level), brightness, pitch, low, decay)


def _onset_frame(magnitude: np.ndarray, envelope: np.ndarray, hop: int) -> int:
    """Walk back from where the envelope comes within 30 dB of its peak to where that rise leaves the floor.

    The floor is twice the quietest of the 20 ms before: noise ahead of the hit is not its onset.
    A pause of 1 ms (a zero crossing of a low partial) does not end the walk.
    """
    threshold = envelope.max() * 10 ** (-30 / 20)
    first = int(np.argmax(envelope >= threshold))
    crossing = first * hop + int(np.argmax(magnitude[first * hop : (first + 1) * hop] >= threshold))
    floor = 2 * float(envelope[max(0, first - 20) : first].min(initial=threshold / 2))
    rising = magnitude[max(0, crossing - 10 * hop) : crossing] > max(floor, threshold * 10 ** (-30 / 20))
    steps = np.flatnonzero(rising)[::-1]  # the frames above the floor, last first
    onset, start = crossing, max(0, crossing - 10 * hop)
    for step in steps:  # at most 10 ms of them
        if onset - (start + step) > hop:
            break
        onset = start + int(step)
    return onset


def _spectrum(audio: np.ndarray, onset: int, rate_hz: int) -> tuple[float, float, float]:
    size = 1 << round(np.log2(SPECTRUM_SECONDS * rate_hz))
    window = audio[:, onset : onset + size].mean(axis=0)
    tapered = window * np.hanning(2 * len(window) + 1)[len(window) : -1]  # falling half: the attack counts whole
    power = np.square(np.abs(np.fft.rfft(tapered, n=size)))
    hz = np.fft.rfftfreq(size, 1 / rate_hz)
    total = float(power[1:].sum())
    if total <= 0:
        return 0.0, 0.0, 0.0
    strongest = 1 + int(np.argmax(power[1:]))
    return float((power * hz)[1:].sum() / total), float(hz[strongest]), float(power[1:][hz[1:] < 150].sum() / total)
