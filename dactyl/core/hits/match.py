"""A pad measured against the recording of its drum: place, pitch, time, polarity, level, weight and snap, each with evidence.

Strokes that stand alone are compared with the pad's loudest layer. Nothing is changed here.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import scipy

from dactyl.core.audio.align import lag_frames
from dactyl.core.audio.prepare import SNAP_SECONDS, WEIGHT_HZ
from dactyl.core.hits.envelopes import Track

STROKE_SECONDS = 0.4  # that are compared
ALONE_SECONDS = 0.09  # in which no other drum is struck
BEFORE_SECONDS = 0.002
MOST_STROKES = 16
IMAGE_SECONDS = 0.03  # of a stroke that are looked for in the overheads
ARRIVES_SECONDS = 0.012
PITCH_SECONDS = (0.015, 0.35)
PITCHES_HZ = (35.0, 420.0)
ATTACK_SECONDS, BODY_SECONDS = 0.008, 0.08
WINDOW_SECONDS = 0.03  # over which blending is judged
MOST_CENTS = 900.0
CLEAR_SIDE = 0.15  # between the left and the right of a kit, of the way from one side to the other
FAINT = 0.5  # of what a spectrum peaks at, for a pitch to stand out


@dataclass(frozen=True, slots=True, kw_only=True)
class Match:
    """What would bring the pad nearer to the recording; None where it could not be told."""

    strokes: int  # compared
    pan: float | None  # -1..1, where the overheads hear the drum
    pan_spread: float | None  # half the distance between the quartiles of the strokes
    tune_cents: float | None  # by which the recorded drum is higher
    pitches_hz: tuple[float, float] | None  # of the recording, of the pad
    late_ms: float  # by which the pad's sound comes behind the recorded one
    is_flipped: bool
    alike_before: float  # correlation of both as they are, -1..1 ...
    alike_after: float  # ... and with time and polarity as is proposed
    gain_db: float  # by which the recorded drum is louder
    weight_db: float  # ... in its low end, level apart
    snap_db: float  # ... in its attack, level apart


def alone(times: Sequence[float], others: Sequence[float]) -> list[float]:
    """Strokes beside which nothing else is struck, own ones too."""
    own, rest = np.asarray(times), np.sort(np.asarray(others))
    kept = []
    for n, time in enumerate(own):
        at = np.searchsorted(rest, time)
        near = [abs(rest[k] - time) for k in (at - 1, at) if 0 <= k < len(rest)]
        near += [abs(own[k] - time) for k in (n - 1, n + 1) if 0 <= k < len(own)]
        if all(gap > ALONE_SECONDS for gap in near):
            kept.append(float(time))
    return kept


def strokes_of(track: Track, times: Sequence[float], seconds: float = STROKE_SECONDS) -> list[np.ndarray]:
    """The sound of strokes from a little before each: float32, (channels, frames), those that fit whole."""
    rate, found = track.rate_hz, []
    for time in times:
        first = max(0, round((time - BEFORE_SECONDS) * rate))
        sound = track.read(first, first + round(seconds * rate))
        if sound.shape[1] == round(seconds * rate):
            found.append(sound - sound[:, : max(1, round(BEFORE_SECONDS * rate / 2))].mean(axis=1, keepdims=True))
    return found


def match(
    strokes: Sequence[np.ndarray], takes: Sequence[np.ndarray], rate_hz: int, images: Sequence[np.ndarray] = ()
) -> Match:
    """Compare strokes with takes, both (channels, frames) at one rate, and measure where the overheads hear them.

    strokes : of the close microphone, the loudest first; takes : of the pad's loudest layer, from the pad's zero;
    images : the same strokes in a stereo pair, at ``rate_hz``
    """
    ours, theirs = [_mono(take) for take in takes], [_mono(stroke) for stroke in strokes]
    lags = [lag_frames(take[np.newaxis], stroke[np.newaxis], rate_hz) for stroke in theirs for take in ours[:2]]
    late = int(np.median([lag for lag, _ in lags]))
    is_flipped = sum(sign for _, sign in lags) < 0
    wait = round(BEFORE_SECONDS * rate_hz)  # strokes are read from before their zero, takes are not
    places = [_place(stroke, image, rate_hz) for stroke, image in zip(theirs, images, strict=False)]
    pans = [place for place in places if place is not None]
    pitch = _pitches(theirs, ours, rate_hz)
    level = _level_db(theirs, rate_hz) - _level_db(ours, rate_hz)
    return Match(
        strokes=len(strokes),
        pan=float(np.median(pans)) if pans else None,
        pan_spread=float(np.subtract(*np.percentile(pans, [75, 25])) / 2) if pans else None,
        tune_cents=_cents(pitch),
        pitches_hz=pitch,
        late_ms=1000 * (late + wait) / rate_hz,
        is_flipped=is_flipped,
        alike_before=_alike(theirs, ours, -wait, 1, rate_hz),
        alike_after=_alike(theirs, ours, late, -1 if is_flipped else 1, rate_hz),
        gain_db=float(level),
        weight_db=float(_weight_db(theirs, rate_hz) - _weight_db(ours, rate_hz)),
        snap_db=float(_snap_db(theirs, rate_hz) - _snap_db(ours, rate_hz)),
    )


def side_of(pans: Mapping[str, float]) -> str | None:
    """From whose side the overheads show the kit: "player", who has the hat at the left and the low toms at the right, or
    "audience"; None where the drums do not say. pans : by role, -1..1
    """
    toms = sorted(role for role in pans if role.startswith("tom"))
    lefts = [pans[role] for role in ("hat",) if role in pans] or [pans[role] for role in toms[:1]]
    rights = [pans[role] for role in ("ride", *toms[-1:]) if role in pans]
    if not lefts or not rights or abs(away := np.mean(rights) - np.mean(lefts)) < CLEAR_SIDE:
        return None
    return "player" if away > 0 else "audience"


def place_of(strokes: Sequence[np.ndarray], images: Sequence[np.ndarray], rate_hz: int) -> float | None:
    """Where the overheads hear a drum, -1..1."""
    places = [_place(_mono(stroke), image, rate_hz) for stroke, image in zip(strokes, images, strict=False)]
    known = [place for place in places if place is not None]
    return float(np.median(known)) if known else None


def _mono(sound: np.ndarray) -> np.ndarray:
    return sound.mean(axis=0, dtype=np.float64)


def _place(stroke: np.ndarray, image: np.ndarray, rate_hz: int) -> float | None:
    """Of a stroke in a stereo pair, by the pan law of the kit (design rule 6): of what in both sides is the stroke itself.

    Each side is compared with the close microphone at the time the stroke arrives there, so that what else sounds at the
    same time, a cymbal without a microphone of its own, counts for nothing.
    """
    if len(image) < 2:
        return None
    own = stroke[: round(IMAGE_SECONDS * rate_hz)]
    reach = round(ARRIVES_SECONDS * rate_hz)
    sides = [scipy.signal.correlate(side[: len(own) + reach].astype(np.float64), own, "valid") for side in image]
    arrives = int(np.argmax(np.abs(sides[0]) + np.abs(sides[1])))
    left, right = abs(sides[0][arrives]), abs(sides[1][arrives])
    return float(np.clip(4 / np.pi * np.arctan2(right, left) - 1, -1, 1)) if left + right > 0 else None


def _pitches(
    theirs: Sequence[np.ndarray], ours: Sequence[np.ndarray], rate_hz: int
) -> tuple[float, float] | None:  # fmt: skip
    found = [_pitch(sounds, rate_hz) for sounds in (theirs, ours)]
    return None if None in found else (found[0], found[1])  # type: ignore[return-value]


def _pitch(sounds: Sequence[np.ndarray], rate_hz: int) -> float | None:
    """The strongest partial where drums have their pitch, of the mean spectrum; None where none stands out."""
    first, last = (round(seconds * rate_hz) for seconds in PITCH_SECONDS)
    size = 1 << int(np.ceil(np.log2(8 * (last - first))))
    power = np.zeros(size // 2 + 1)
    for sound in sounds:
        body = sound[first:last]
        if len(body) < rate_hz // 25 or not np.abs(body).max() > 0:
            continue
        spectrum = np.abs(np.fft.rfft(body * np.hanning(len(body)), size)) ** 2
        power += spectrum / spectrum.sum()
    hz = np.fft.rfftfreq(size, 1 / rate_hz)
    inside = np.flatnonzero((hz >= PITCHES_HZ[0]) & (hz <= PITCHES_HZ[1]))
    peak = inside[int(np.argmax(power[inside]))]
    if not power[peak] > 0 or power[peak] < FAINT * power.max() or peak in (inside[0], inside[-1]):
        return None
    below, here, above = np.log(np.maximum(power[peak - 1 : peak + 2], 1e-30))
    return float(hz[peak] + (hz[1] - hz[0]) * 0.5 * (below - above) / (below - 2 * here + above))


def _cents(pitches_hz: tuple[float, float] | None) -> float | None:
    if pitches_hz is None:
        return None
    cents = 1200 * float(np.log2(pitches_hz[0] / pitches_hz[1]))
    return cents if abs(cents) <= MOST_CENTS else None


def _alike(theirs: Sequence[np.ndarray], ours: Sequence[np.ndarray], late: int, sign: int, rate_hz: int) -> float:
    """Correlation of strokes and takes over their attack, takes read from ``late`` frames on."""
    frames, values = round(WINDOW_SECONDS * rate_hz), []
    for stroke in theirs:
        for take in ours[:2]:
            moved = take[late:] if late >= 0 else np.concatenate([np.zeros(-late), take])
            a, b = stroke[:frames], sign * moved[:frames]
            count = min(len(a), len(b))
            size = np.sqrt((a[:count] ** 2).sum() * (b[:count] ** 2).sum())
            values.append(float(a[:count] @ b[:count] / size) if size > 0 else 0.0)
    return float(np.mean(values)) if values else 0.0


def _rms_db(sound: np.ndarray) -> float:
    return 10 * np.log10(max(float((sound**2).mean()) if len(sound) else 0.0, 1e-12))


def _level_db(sounds: Sequence[np.ndarray], rate_hz: int) -> float:
    return float(np.median([_rms_db(sound[: round(0.05 * rate_hz)]) for sound in sounds]))


def _weight_db(sounds: Sequence[np.ndarray], rate_hz: int) -> float:
    """The low end against all: what the pad's weight lifts."""
    low = scipy.signal.butter(2, 1.6 * WEIGHT_HZ, "low", fs=rate_hz, output="sos")
    frames = round(0.15 * rate_hz)
    return float(
        np.median([_rms_db(scipy.signal.sosfilt(low, sound[:frames])) - _rms_db(sound[:frames]) for sound in sounds])
    )


def _snap_db(sounds: Sequence[np.ndarray], rate_hz: int) -> float:
    """The attack against the body, as the pad's snap moves it: over its own time, a third of which is the attack."""
    attack, body = round(ATTACK_SECONDS * rate_hz), round(BODY_SECONDS * rate_hz)
    skip = round(3 * SNAP_SECONDS * rate_hz)
    return float(np.median([_rms_db(sound[:attack]) - _rms_db(sound[skip : skip + body]) for sound in sounds]))
