"""Measure a one-shot: onset, level of the attack, peak, brightness, decay.

onset   the first frame of the rise that leads within 30 dB of the peak of a 1 ms envelope
level   RMS over the 50 ms from the onset, loudest channel, dBFS
"""

from dataclasses import dataclass, field
from functools import lru_cache

import numpy as np

from dactyl.core.audio.timbre import timbre
from dactyl.core.units import gain_to_db

LEVEL_SECONDS = 0.05
SPECTRUM_SECONDS = 0.05
HIGHEST_HZ = 16_000
# Strikes of a loop: what a listener counts as one more, in steps of the envelope
STEP_MS = 10
STEPS_APART = 12  # 120 ms: sixteenths at 125 beats a minute
LIKE_STRENGTH = 0.18  # of the peak: -15 dB
STEEP_RISE = 4  # times the valley before it: 12 dB
# Bursts of one strike, as of a clap: hands 5 to 30 ms apart
ATTACK_MS, BURSTS_MS, SMOOTH_MS = 120, 60, 4
BURST_STRENGTH = 0.3  # of the peak: -10 dB
BURST_VALLEY = 0.6  # of the softer one beside it: -4.4 dB
SILENCE_DB = -120
_SILENCE = 10 ** (SILENCE_DB / 20)


@dataclass(frozen=True, slots=True)
class Measure:
    onset_frame: int
    peak_db: float
    level_db: float
    brightness_hz: float  # spectral centroid (power) of the attack, up to 16 kHz: the same at every rate
    pitch_hz: float  # strongest partial of the body: 200 ms that begin 25 ms after the onset
    low_share: float  # share of the attack's power below 150 Hz, 0..1
    decay_seconds: float  # from the onset until the envelope stays 30 dB below its peak
    tonality: float = 0.0  # share of the body's power in its three strongest partials, 0..1
    bursts: int = 1  # separate strikes in the first 60 ms
    attack_ms: float = 0.0  # from the onset to the peak of the envelope
    polarity: int = 0  # sign of the first half-wave within 12 dB of the peak of the first 10 ms; 0 for silence
    strikes: int = field(default=1, repr=False)  # of like strength in the whole sound: a loop has several
    timbre: tuple[float, ...] = field(default=(), repr=False)  # of timbre.timbre; nothing for silence


def measure(audio: np.ndarray, rate_hz: int) -> Measure:
    """Measure ``audio``, float32 of shape (channels, frames), frames >= 1."""
    magnitude = np.abs(audio).max(axis=0) if len(audio) > 1 else np.abs(audio[0])
    peak = float(magnitude.max())
    if peak < _SILENCE:
        return Measure(0, gain_to_db(0), gain_to_db(0), 0.0, 0.0, 0.0, 0.0)
    hop = max(1, rate_hz // 1000)
    envelope = np.maximum.reduceat(magnitude, np.arange(0, len(magnitude), hop))
    onset = _onset_frame(magnitude, envelope, hop)
    level = _level(audio, onset, rate_hz)
    brightness, low = _attack_spectrum(audio, onset, rate_hz)
    pitch, tonality = _body_spectrum(audio, onset, rate_hz)
    loud = np.flatnonzero(envelope >= peak * 10 ** (-30 / 20))
    decay = max(0.0, ((loud[-1] + 1) * hop - onset) / rate_hz)
    return Measure(
        onset,
        gain_to_db(peak),
        gain_to_db(level),
        brightness,
        pitch,
        low,
        decay,
        tonality,
        *_strikes(audio, onset, rate_hz),
        _polarity(audio, onset, rate_hz),
        strikes=_strikes_in_all(envelope),
        timbre=tuple(timbre(audio, onset, rate_hz).tolist()),
    )


@dataclass(frozen=True, slots=True)
class SpanMeasure:
    onset_frame: int
    peak_db: float
    level_db: float


def measure_span(audio: np.ndarray, rate_hz: int) -> SpanMeasure:
    """Onset, peak and level of what a take plays: ``audio``, float32 of shape (channels, frames), from its first frame."""
    magnitude = magnitude_of(audio)
    return span_seen(audio, magnitude, peaks_of(magnitude, max(1, rate_hz // 1000)), rate_hz)


def span_seen(audio: np.ndarray, magnitude: np.ndarray, envelope: np.ndarray, rate_hz: int) -> SpanMeasure:
    """The same, where the loudest channel's magnitude and its peaks of 1 ms are known already."""
    peak = float(envelope.max(initial=0.0))
    if peak < _SILENCE:
        return SpanMeasure(0, gain_to_db(0), gain_to_db(0))
    onset = _onset_frame(magnitude, envelope, max(1, rate_hz // 1000))
    return SpanMeasure(onset, gain_to_db(peak), gain_to_db(_level(audio, onset, rate_hz)))


def magnitude_of(audio: np.ndarray) -> np.ndarray:
    """Of the loudest channel, (frames,)"""
    return np.abs(audio).max(axis=0) if len(audio) > 1 else np.abs(audio[0])


def peaks_of(values: np.ndarray, hop: int) -> np.ndarray:
    """The largest of every ``hop`` magnitudes, float32, of the rest too; in a tenth of the time of ``reduceat``.

    Floats that are not below zero are in the order of their bits (IEEE 754), which are compared faster as whole numbers.
    """
    whole = len(values) - len(values) % hop
    peaks, left = np.ascontiguousarray(values[:whole], np.float32).view(np.int32), hop
    while left % 2 == 0:  # of neighbours the larger, until an odd number of each are left
        peaks, left = np.maximum(peaks[::2], peaks[1::2]), left // 2
    if left > 1:
        columns = peaks.reshape(-1, left)
        peaks = columns[:, 0].copy()
        for column in range(1, left):
            np.maximum(peaks, columns[:, column], out=peaks)
    peaks = peaks.view(np.float32)
    return np.append(peaks, values[whole:].max()) if whole < len(values) else peaks


def _level(audio: np.ndarray, onset: int, rate_hz: int) -> float:
    """RMS over the 50 ms from the onset, of the loudest channel."""
    attack = audio[:, onset : onset + max(1, round(LEVEL_SECONDS * rate_hz))]
    return float(np.sqrt(np.square(attack, dtype=np.float64).mean(axis=1).max()))


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


def _polarity(audio: np.ndarray, onset: int, rate_hz: int) -> int:
    first = audio[:, onset : onset + max(1, rate_hz // 100)].mean(axis=0)
    loud = np.flatnonzero(np.abs(first) >= np.abs(first).max() / 4)
    return int(np.sign(first[loud[0]])) if len(loud) else 0


def _attack_spectrum(audio: np.ndarray, onset: int, rate_hz: int) -> tuple[float, float]:
    """Spectral centroid of the attack's power up to 16 kHz, in Hz, and the share of it below 150 Hz."""
    size = 1 << round(np.log2(SPECTRUM_SECONDS * rate_hz))
    window = audio[:, onset : onset + size].mean(axis=0)
    tapered = window * _hann(2 * len(window) + 1)[len(window) : -1]  # falling half: the attack counts whole
    power = np.square(np.abs(np.fft.rfft(tapered, n=size)))[1:]
    hz = np.fft.rfftfreq(size, 1 / rate_hz)[1:]
    power, hz = power[hz <= HIGHEST_HZ], hz[hz <= HIGHEST_HZ]
    total = float(power.sum())
    if total <= 0:
        return 0.0, 0.0
    return float((power * hz).sum() / total), float(power[hz < 150].sum() / total)


@lru_cache(maxsize=32)
def _hann(size: int) -> np.ndarray:
    return np.hanning(size)


def _body_spectrum(audio: np.ndarray, onset: int, rate_hz: int) -> tuple[float, float]:
    """The strongest partial between 30 Hz and 16 kHz, and how much of the power the three strongest hold."""
    start = onset + int(0.025 * rate_hz)
    window = audio[:, start : start + int(0.2 * rate_hz)].mean(axis=0)
    if len(window) < 0.02 * rate_hz or not np.abs(window).max() > 0:
        window = audio[:, onset : onset + int(0.05 * rate_hz)].mean(axis=0)
    size = 1 << (int(0.25 * rate_hz).bit_length())
    power = np.square(np.abs(np.fft.rfft(window * _hann(len(window) + 2)[1:-1], n=size)))
    hz = np.fft.rfftfreq(size, 1 / rate_hz)
    power[(hz < 30) | (hz > HIGHEST_HZ)] = 0
    total = float(power.sum())
    if total <= 0:
        return 0.0, 0.0
    strongest, held = int(np.argmax(power)), 0.0
    lobe = max(1, 2 * size // len(window))
    for _ in range(3):
        peak = int(np.argmax(power))
        near = slice(max(0, peak - lobe), peak + lobe + 1)
        held += float(power[near].sum())
        power[near] = 0
    return float(hz[strongest]), min(1.0, held / total)


def _strikes_in_all(envelope: np.ndarray) -> int:
    """How often the envelope (1 ms) rises by 12 dB out of a valley to within 15 dB of its peak, 120 ms apart at least."""
    whole = len(envelope) // STEP_MS * STEP_MS
    steps = envelope[:whole].reshape(-1, STEP_MS).max(axis=1) if whole else envelope
    top, count, valley, last = float(steps.max()), 0, 0.0, -STEPS_APART
    for at, level in enumerate(steps):
        if level > LIKE_STRENGTH * top and level >= STEEP_RISE * valley and at - last >= STEPS_APART:
            count, valley, last = count + 1, level, at
        valley = min(valley, level)
    return max(1, count)


def _strikes(audio: np.ndarray, onset: int, rate_hz: int) -> tuple[int, float]:
    """How many strikes the first 60 ms hold, and how long the envelope takes to its peak, in ms."""
    envelope = _smooth_envelope(audio[:, onset:], rate_hz)
    if not len(envelope):
        return 1, 0.0
    return _bursts(envelope[:BURSTS_MS], float(envelope.max())), float(np.argmax(envelope))


def _smooth_envelope(audio: np.ndarray, rate_hz: int) -> np.ndarray:
    """RMS of each ms of the first ``ATTACK_MS``, all channels together, over ``SMOOTH_MS``."""
    hop = max(1, rate_hz // 1000)
    sound = audio[:, : ATTACK_MS * hop]
    usable = sound.shape[1] // hop * hop
    if not usable:
        return np.zeros(0)
    power = np.square(sound[:, :usable], dtype=np.float64).mean(axis=0).reshape(-1, hop).mean(axis=1)
    return np.sqrt(np.convolve(power, np.ones(SMOOTH_MS) / SMOOTH_MS, "same"))


def _bursts(envelope: np.ndarray, top: float) -> int:
    """Peaks of like strength with a valley between them: a clap has several, a flam two."""
    count, valley, last = 1, top, 0.0
    for level in envelope:
        if last and level > BURST_STRENGTH * top and valley < BURST_VALLEY * min(last, level):
            count, last, valley = count + 1, level, level
        last = max(last, level) if valley >= level or level > last else last
        valley = min(valley, level) if last else top
        if level >= last:
            last, valley = level, level
    return count
