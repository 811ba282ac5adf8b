"""The rehearsal recording: seven microphones of one song, in a small room, played by hand and not to a click."""

from dataclasses import dataclass, replace

import numpy as np
import scipy

from dactyl.demo.scenario import FERRY_HOUSE
from dactyl.demo.synth import RATE_HZ, Room, Voice, strike

NAME = "Harbour Bell, second rehearsal"
BARS, BEAT_SECONDS, LEAD_SECONDS = 16, 0.612, 1.4
VARIANTS = 3  # of each drum at each of its strengths
TUNED = {
    "kick": 0.93,
    "snare": 1.08,
    "hat": 1.1,
    "rack": 0.95,
    "floor": 1.06,
    "crash": 0.9,
    "ride": 1.05,
}  # not as in the kit
PAD_OF = {
    "kick": ("Kick", ""), "snare": ("Snare", "centre"), "hat": ("Hat", "closed"), "open": ("Hat", "open"), "rack": ("Rack tom", ""),
    "floor": ("Floor tom", ""), "crash": ("Crash", "edge"), "ride": ("Ride", "bow"),
}  # fmt: skip
CLOSE = {"Kick": ("kick",), "Snare": ("snare",), "Hat": ("hat", "open"), "Rack tom": ("rack",), "Floor tom": ("floor",)}
LATE_MS = {"kick": 3.4, "snare": 2.6, "hat": 2.9, "open": 2.9, "rack": 2.2, "floor": 3.0, "crash": 1.9, "ride": 2.4}
SPILL_DB, ROOM_DB, NOISE_DB = -24.0, -38.0, -74.0


@dataclass(frozen=True, slots=True)
class Stroke:
    time: float
    drum: str
    strength: float  # 0 to 1


def tracks(seed: int = 11) -> dict[str, np.ndarray]:
    """By the name of its file the sound of each microphone, float32 of shape (frames, channels)."""
    rng = np.random.default_rng(seed)
    strokes = song(rng)
    frames = int((max(stroke.time for stroke in strokes) + 3.0) * RATE_HZ)
    dry = _drums(strokes, frames, rng)
    room = Room(0.5, seed).response()
    every = sum(dry.values())
    wet = np.stack([scipy.signal.fftconvolve(every, side)[:frames] for side in room], axis=1)
    spilt = {drum: _dark(_later(sound, LATE_MS[drum])) for drum, sound in dry.items()}
    result = {}
    for name, own in CLOSE.items():
        others = sum(sound for drum, sound in spilt.items() if drum not in own)
        sound = sum(dry[drum] for drum in own) + _gain(SPILL_DB) * others + _gain(ROOM_DB) * wet[:, 0]
        result[f"{name}.wav"] = _finished(sound[:, np.newaxis], rng)
    over = sum(_panned(_later(sound, LATE_MS[drum] + 1.4), _voice(drum).place) for drum, sound in dry.items())
    result["Overheads.wav"] = _finished(0.35 * over + 0.2 * wet, rng)
    result["Room.wav"] = _finished(0.6 * np.roll(wet, RATE_HZ // 90, axis=0), rng)
    return result


def song(rng: np.random.Generator) -> list[Stroke]:
    """Sixteen bars: ghosts, two flams, a fill; the tempo breathes, and no stroke stands on its beat."""
    strokes = []
    time = LEAD_SECONDS

    def play(beat: float, drum: str, strength: float) -> None:
        at = time + beat * beat_seconds + float(rng.normal(0, 0.004))
        strokes.append(Stroke(at, drum, float(np.clip(strength + rng.normal(0, 0.04), 0.08, 1.0))))

    for bar in range(BARS):
        beat_seconds = BEAT_SECONDS * (1 - 0.02 * np.sin(bar / 2.6))
        is_fill = bar in (7, 15)
        if bar in (0, 8):
            play(0, "crash", 0.9)
        for beat, strength in ((0, 0.92), (1.5, 0.6), (2, 0.85)):
            play(beat, "kick", strength)
        for beat, strength in ((0.75, 0.16), (1, 0.9), (2.75, 0.2), (3, 0.92)):
            if not (is_fill and beat > 2):
                play(beat, "snare", strength)
        for eighth in range(4 if is_fill else 8):
            is_open = eighth == 7 and bar % 2
            play(eighth / 2, "ride" if bar >= 8 else "open" if is_open else "hat", 0.75 if eighth % 2 == 0 else 0.45)
        if is_fill:
            for n, drum in enumerate(("snare", "snare", "rack", "rack", "floor", "floor", "floor")):
                play(2.25 + n / 4, drum, 0.55 + 0.06 * n)
        if bar in (3, 11):  # a flam: the soft hand comes first
            strokes.append(Stroke(time + 3 * beat_seconds - 0.027, "snare", 0.38))
        time += 4 * beat_seconds
    return sorted(strokes, key=lambda stroke: stroke.time)


def _voice(drum: str) -> Voice:
    piece, pad = PAD_OF[drum]
    voice = next(plan.voice for plan in FERRY_HOUSE.pads if (plan.piece, plan.pad) == (piece, pad))
    return replace(voice, pitch_hz=voice.pitch_hz * TUNED.get(drum, 1.1), ring_seconds=voice.ring_seconds * 0.85)


def _drums(strokes: list[Stroke], frames: int, rng: np.random.Generator) -> dict[str, np.ndarray]:
    """What each drum sounds by itself."""
    dry, made = {drum: np.zeros(frames) for drum in PAD_OF}, {}
    for stroke in strokes:
        key = stroke.drum, round(10 * stroke.strength), int(rng.integers(VARIANTS))
        if key not in made:
            made[key] = 0.4 * strike(_voice(stroke.drum), max(0.1, key[1] / 10), rng)
        sound, at = made[key], round(stroke.time * RATE_HZ)
        dry[stroke.drum][at : at + len(sound)] += sound[: frames - at]
    return dry


def _gain(level_db: float) -> float:
    return 10 ** (level_db / 20)


def _later(sound: np.ndarray, ms: float) -> np.ndarray:
    return np.concatenate([np.zeros(int(ms * RATE_HZ / 1000)), sound])[: len(sound)]


def _dark(sound: np.ndarray) -> np.ndarray:
    return scipy.signal.lfilter([0.35], [1, -0.65], sound)


def _panned(sound: np.ndarray, place: float) -> np.ndarray:
    angle = (place * 0.7 + 1) * np.pi / 4
    near = scipy.signal.sosfilt(scipy.signal.butter(1, 180, "highpass", fs=RATE_HZ, output="sos"), sound)
    return np.stack([near * np.cos(angle), near * np.sin(angle)], axis=1)


def _finished(sound: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    noisy = sound + rng.standard_normal(sound.shape) * _gain(NOISE_DB)
    return np.clip(noisy, -1, 1).astype(np.float32)
