"""What the check hears of one mic's stretch of a take: numbers, and two short pictures of its wave to compare by.

All of it is of the sound as it lies in the file, before any gain, so that it is measured once whatever a kit does with it.
"""

import math
import struct
from dataclasses import dataclass, fields
from functools import lru_cache

import numpy as np

from dactyl.core.audio.measure import magnitude_of, peaks_of, span_seen
from dactyl.core.audio.timbre import SIZE as TIMBRE_SIZE
from dactyl.core.audio.timbre import timbre
from dactyl.core.units import gain_to_db

MEASURES = 3  # raised where what is measured changes: kept measures of an earlier number are made anew
SILENT_DB = -90.0
ATTACK_HZ, ATTACK_VALUES, AHEAD_SECONDS = (
    4000,
    256,
    0.008,
)  # of the picture of the attack, which begins ahead of the arrival
LOW_HZ, LOW_VALUES = 1000, 256  # of the picture of the low end, from the stretch's first frame
MARKS, MARKED_FRAMES = 48, 4096  # of a fingerprint
AT_PEAK = 1 - 1e-4  # of the peak: as flat as 16 bits tell
SHORTEST_FLAT = 3  # frames at the peak in a row; a wave that is whole touches it once or twice
CORNER = 1e-3  # of the peak: a step into a flat top that is a cut, where what is driven hard bends into it
HUM_HZ = (50, 60, 100, 120, 150, 180)  # the mains, and twice and thrice it
HUM_BESIDE_HZ, HUM_OVER_DB = 25, 12.0
HUM_LEAST = 1e-4  # full scale: what is softer hums at less than -80 dBFS
HUM_WINDOW_SECONDS, HUM_WINDOWS, HUM_STEADY_DB = 0.1, 3, 1.5
STEP_SECONDS = 0.005
STROKE_AFTER_SECONDS, STROKE_RISE_DB, STROKE_WITHIN_DB, STROKE_LED_STEPS = 0.06, 5.5, 24.0, 9
SHARP_RISE_DB, SHARP_WITHIN_DB, SOFT_RISE_DB = 9.0, 14.0, -3.0  # of a stroke that its attack tells, in what still rings


@dataclass(frozen=True, slots=True)
class Sound:
    """dB are dBFS; frames count from the stretch's first."""

    rate_hz: int
    channels: int
    frames: int
    onset_frame: int
    arrival_frame: int  # where it first comes within 12 dB of its peak: told surely in noise too
    peak_db: float
    level_db: float
    before_db: float  # RMS of what lies ahead of the onset; SILENT_DB where there is nothing
    head_db: float  # peak of the first quarter of a millisecond, against the peak
    attack_db: float  # the same from the onset on
    end_db: float  # peak of the last tenth of a millisecond, against the peak: what fades to nothing ends in nothing
    ring_frames: int  # from the onset until it stays 40 dB below its peak, or ends
    flat_runs: int  # how often it stays at its peak for some frames
    flat_frames: int  # of the longest of these
    dc: float  # a mean that all quarters share, full scale
    hum_db: float  # of a steady line of the mains in its second half; SILENT_DB for none
    second_frame: int  # of another stroke in it; 0 for none
    attack: np.ndarray  # (ATTACK_VALUES,), below 2 kHz, of unit power
    low: np.ndarray  # (LOW_VALUES,), below 500 Hz, full scale
    marks: np.ndarray  # (MARKS,), the same for the same sound at another level, turned or not
    timbre: np.ndarray  # (TIMBRE_SIZE,), of a take's first mic; zeros for the others, and where it is silent

    @property
    def is_silent(self) -> bool:
        return self.peak_db <= SILENT_DB

    def pack(self) -> bytes:
        """Compact, as a row keeps it."""
        numbers = _PACKED.pack(*(getattr(self, name) for name in _NUMBERS))
        return numbers + b"".join(getattr(self, name).astype(np.float16).tobytes() for name in _PICTURES)

    @classmethod
    def unpack(cls, packed: bytes) -> "Sound":
        numbers = _PACKED.unpack_from(packed)
        values = {name: kind(number) for (name, kind), number in zip(_NUMBERS.items(), numbers, strict=True)}
        rest, at = np.frombuffer(packed, np.float16, offset=8 * len(_NUMBERS)), 0  # kept as it is: half the memory
        for name, size in _PICTURES.items():
            values[name], at = rest[at : at + size], at + size
        return cls(**values)


_PICTURES = {"attack": ATTACK_VALUES, "low": LOW_VALUES, "marks": MARKS, "timbre": TIMBRE_SIZE}
_NUMBERS = {f.name: int if f.type is int else float for f in fields(Sound) if f.name not in _PICTURES}
_PACKED = struct.Struct(f"<{len(_NUMBERS)}d")


def listen(
    audio: np.ndarray, rate_hz: int, *, with_timbre: bool = True, known_timbre: np.ndarray | None = None
) -> Sound:
    """audio : float32, (channels, frames >= 1), as it is heard. known_timbre : where it was heard from its onset before"""
    magnitude = magnitude_of(audio)
    envelope = peaks_of(magnitude, max(1, rate_hz // 1000))
    span = span_seen(audio, magnitude, envelope, rate_hz)
    peak, onset, frames = float(envelope.max()), span.onset_frame, audio.shape[1]
    if gain_to_db(peak) <= SILENT_DB:
        return _silence(rate_hz, len(audio), frames)
    mono = audio.mean(axis=0) if len(audio) > 1 else audio[0]
    millisecond = max(1, rate_hz // 1000)
    ahead = audio[:, : max(0, onset - millisecond)]
    has_ahead = ahead.shape[1] >= 2 * millisecond
    first = int(np.argmax(envelope >= peak / 4)) * millisecond
    arrival = first + int(np.argmax(magnitude[first : first + millisecond] >= peak / 4))
    steps = _steps(magnitude, envelope, rate_hz)
    flat_runs, flat_frames = _flats(magnitude, envelope, peak, millisecond)
    return Sound(
        rate_hz=rate_hz,
        channels=len(audio),
        frames=frames,
        onset_frame=onset,
        arrival_frame=arrival,
        peak_db=span.peak_db,
        level_db=span.level_db,
        before_db=max(SILENT_DB, _rms_db(ahead)) if has_ahead else SILENT_DB,
        head_db=gain_to_db(float(magnitude[: max(1, millisecond // 4)].max()) / peak),
        attack_db=gain_to_db(float(magnitude[onset:][: max(1, millisecond // 4)].max()) / peak),
        end_db=gain_to_db(float(magnitude[-max(1, millisecond // 10) :].max()) / peak),
        ring_frames=_ring(steps, peak, rate_hz, onset, frames),
        flat_runs=flat_runs,
        flat_frames=flat_frames,
        dc=_dc(mono),
        hum_db=_hum_db(mono, rate_hz),
        second_frame=_second(steps, _sharp(mono, rate_hz), onset, peak, rate_hz),
        attack=_attack(mono, arrival, rate_hz),
        low=_slowed(mono, rate_hz, LOW_HZ, LOW_VALUES),
        marks=_marks(mono[onset:]),
        timbre=_timbre(audio, onset, rate_hz, known_timbre) if with_timbre else np.zeros(TIMBRE_SIZE, np.float32),
    )


def _timbre(audio: np.ndarray, onset: int, rate_hz: int, known: np.ndarray | None) -> np.ndarray:
    return known if known is not None else timbre(audio, onset, rate_hz)


def _silence(rate_hz: int, channels: int, frames: int) -> Sound:
    values = {name: kind(0) for name, kind in _NUMBERS.items()}
    pictures = {name: np.zeros(size, np.float32) for name, size in _PICTURES.items()}
    quiet = dict.fromkeys(("peak_db", "level_db", "before_db", "head_db", "attack_db", "end_db", "hum_db"), SILENT_DB)
    return Sound(**values | pictures | quiet | {"rate_hz": rate_hz, "channels": channels, "frames": frames})


def _rms_db(audio: np.ndarray) -> float:
    return gain_to_db(math.sqrt(float(np.square(audio, dtype=np.float64).mean(axis=1).max())))


def _steps(magnitude: np.ndarray, envelope: np.ndarray, rate_hz: int) -> np.ndarray:
    """Peak of every 5 ms; envelope : of every 1 ms"""
    hop, short = max(1, round(STEP_SECONDS * rate_hz)), max(1, rate_hz // 1000)
    return peaks_of(envelope, hop // short) if hop % short == 0 else peaks_of(magnitude, hop)


def _ring(steps: np.ndarray, peak: float, rate_hz: int, onset: int, frames: int) -> int:
    over = np.flatnonzero(steps >= peak / 100)
    hop = max(1, round(STEP_SECONDS * rate_hz))
    return max(0, min(frames, (int(over[-1]) + 1) * hop) - onset)


def _flats(magnitude: np.ndarray, envelope: np.ndarray, peak: float, hop: int) -> tuple[int, int]:
    """How many runs of frames lie at the peak, and how long the longest is. envelope : peaks of every `hop` frames"""
    least = np.float32(peak * AT_PEAK)
    at = np.concatenate(
        [
            n * hop + np.flatnonzero(magnitude[n * hop : (n + 1) * hop] >= least)
            for n in np.flatnonzero(envelope >= least)
        ]
    )
    if len(at) < SHORTEST_FLAT:
        return 0, 0
    begins = np.flatnonzero(np.concatenate(([True], np.diff(at) > 1)))
    lengths = np.diff(np.append(begins, len(at)))
    before = magnitude[np.maximum(0, at[begins] - 1)]
    flat = lengths[(lengths >= SHORTEST_FLAT) & (peak - before >= CORNER * peak)]
    return len(flat), int(flat.max(initial=0))


def _dc(mono: np.ndarray) -> float:
    """The least of the means of its quarters where all have one sign: a sound swings about its middle, an offset stays."""
    quarter = len(mono) // 4
    quarters = (
        (np.add.reduce(mono[: 4 * quarter].reshape(4, quarter), axis=1) / quarter).tolist()
        if quarter
        else [float(mono.mean())]
    )
    if len({value > 0 for value in quarters}) > 1:
        return 0.0
    least, most = min(map(abs, quarters)), max(map(abs, quarters))
    return math.copysign(least, quarters[0]) if least > most / 2 else 0.0


def _hum_db(mono: np.ndarray, rate_hz: int) -> float:
    """The level of a line at 50 or 60 Hz, or twice or thrice it, that is as loud in all windows of the second half.

    A drum's own partial falls from window to window; the mains don't.
    """
    size = round(HUM_WINDOW_SECONDS * rate_hz)
    second = mono[len(mono) // 2 :]
    if len(second) < HUM_WINDOWS * size:
        return SILENT_DB
    if np.abs(second[-size:]).max() < HUM_LEAST:
        return SILENT_DB  # as most sounds end: nothing of it is there
    begins = [n * (len(second) - size) // (HUM_WINDOWS - 1) for n in range(HUM_WINDOWS)]
    windows = np.stack([second[begin : begin + size] for begin in begins])
    seen = (windows @ _lines(size, rate_hz)).reshape(
        HUM_WINDOWS, 2, len(HUM_HZ), 3
    )  # cosine and sine; line and beside it
    levels = 10 * np.log10(np.maximum(np.square(seen).sum(axis=1), 1e-18))
    lines, beside = levels[..., 0], levels[..., 1:].max(axis=2)
    is_steady = (np.ptp(lines, axis=0) <= HUM_STEADY_DB) & ((lines - beside).min(axis=0) >= HUM_OVER_DB)
    return float(lines.mean(axis=0)[is_steady].max(initial=SILENT_DB))


@lru_cache(maxsize=16)
def _lines(size: int, rate_hz: int) -> np.ndarray:
    """Tapered cosines and sines at each line and to both sides of it, (size, 2 x lines x 3)."""
    window = np.hanning(size + 2)[1:-1]
    hz = np.array([[line, line - HUM_BESIDE_HZ, line + HUM_BESIDE_HZ] for line in HUM_HZ]).ravel()
    turns = 2 * np.pi * np.outer(np.arange(size) / rate_hz, hz)
    both = np.concatenate([np.cos(turns), np.sin(turns)], axis=1)
    return (both * (2 * window / window.sum())[:, None]).astype(np.float32)


def _sharp(mono: np.ndarray, rate_hz: int) -> np.ndarray:
    """Peak of every 5 ms of the second difference, in which an attack stands out of what rings."""
    hop = max(1, round(STEP_SECONDS * rate_hz))
    return peaks_of(np.abs(np.diff(mono, n=2, prepend=np.zeros(2, mono.dtype))), hop)


def _second(steps: np.ndarray, sharp: np.ndarray, onset: int, peak: float, rate_hz: int) -> int:
    """Where another stroke is 5.5 dB over all of the 40 ms that lead to it, and within 24 dB of the peak; or 3 dB under them, where its
    attack is 9 dB over them and within 14 dB of the first one's; else 0.

    40 ms hold a whole turn of the lowest drum, so that its own waves are no strokes.
    """
    hop = max(1, round(STEP_SECONDS * rate_hz))
    first = onset // hop + math.ceil(STROKE_AFTER_SECONDS / STEP_SECONDS)
    rise, least = 10 ** (STROKE_RISE_DB / 20), peak * 10 ** (-STROKE_WITHIN_DB / 20)
    if len(steps) <= first:
        return 0
    before = _led_by(steps)
    is_struck = (steps >= least) & (steps >= rise * before)
    is_sharp = (sharp >= 10 ** (SHARP_RISE_DB / 20) * _led_by(sharp)) & (
        sharp >= sharp.max() * 10 ** (-SHARP_WITHIN_DB / 20)
    )
    is_sharp &= (steps >= least) & (steps >= 10 ** (SOFT_RISE_DB / 20) * before)
    struck = np.flatnonzero(is_struck | is_sharp)
    struck = struck[struck >= first]
    return int(struck[0]) * hop if len(struck) else 0


def _led_by(steps: np.ndarray) -> np.ndarray:
    """The largest of the eight steps that lead to each, the last aside."""
    before = np.concatenate([np.zeros(STROKE_LED_STEPS, steps.dtype), steps])
    for by in (1, 2, 4):
        before = np.maximum(before[:-by], before[by:])
    return np.maximum(before[: len(steps)], 1e-6)


def _attack(mono: np.ndarray, arrival: int, rate_hz: int) -> np.ndarray:
    ahead = round(AHEAD_SECONDS * rate_hz)
    begin = arrival - ahead
    sound = mono[max(0, begin) : begin + math.ceil(ATTACK_VALUES * rate_hz / ATTACK_HZ)]
    sound = np.concatenate([np.zeros(max(0, -begin), np.float32), sound])
    shape = _slowed(sound, rate_hz, ATTACK_HZ, ATTACK_VALUES)
    power = math.sqrt(float(np.square(shape).sum()))
    return shape / power if power > 0 else shape


def _slowed(mono: np.ndarray, rate_hz: int, to_hz: int, count: int) -> np.ndarray:
    """Means of equal stretches twice over: a low pass that is good enough to compare by. float32, (count,)"""
    begins, widths, end = _stretches(rate_hz, to_hz, count)
    if len(mono) < end:
        mono = np.concatenate([mono, np.zeros(end - len(mono), np.float32)])
    padded = np.zeros(count + 2, np.float32)
    padded[1:-1] = np.add.reduceat(mono[:end], begins) / widths
    return 0.25 * padded[:-2] + 0.5 * padded[1:-1] + 0.25 * padded[2:]


@lru_cache(maxsize=64)
def _stretches(rate_hz: int, to_hz: int, count: int) -> tuple[np.ndarray, np.ndarray, int]:
    """Where they begin, how many frames they are, float32, and where the last one ends."""
    edges = (np.arange(count + 1) * rate_hz / to_hz).astype(int)
    return edges[:-1], np.diff(edges).astype(np.float32), int(edges[-1])


def _marks(sound: np.ndarray) -> np.ndarray:
    """The first frames from the onset, of unit power, seen from chance directions, which are the same for every sound.

    Two sounds are as far from each other there as they are frame by frame, to a fifth (Johnson and Lindenstrauss, 1984).
    """
    frames = min(len(sound), MARKED_FRAMES)
    power = math.sqrt(float(np.square(sound[:frames], dtype=np.float64).sum()))
    if not power > 0:
        return np.zeros(MARKS, np.float32)
    marks = (sound[:frames] / power) @ _directions()[:frames]
    return marks * (np.sign(marks[np.argmax(np.abs(marks))]) or 1)


@lru_cache(maxsize=1)
def _directions() -> np.ndarray:
    return (np.random.default_rng(0).standard_normal((MARKED_FRAMES, MARKS)) / math.sqrt(MARKS)).astype(np.float32)
