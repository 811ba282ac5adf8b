"""Drummers in small rooms, made of recorded one-shots: what finding hits is tuned and measured on. Nothing of it ships.

A scene is played by rules (a beat, ghosts, flams, a roll, a crescendo, fills), each drum into its own microphone, and later,
softer and darker into the others, with a room and noise. The truth of a hit is where the stroke by itself first passes
-34 dB of its own peak in its own microphone.
"""

from dataclasses import dataclass, field

import numpy as np
from scipy.signal import fftconvolve, lfilter

from benchmarks.soundfonts import OneShot, Player, hit, one_shots

RATE_HZ = 44_100
CLOSE = ("kick", "snare", "tom 1", "tom 2", "hat")
KIND_OF = {"kick": ("kick",), "snare": ("snare",), "tom 1": ("high_tom", "mid_tom"), "tom 2": ("low_tom",), "hat": ("closed_hat", "pedal_hat")}  # fmt: skip
TRUTH_DB = -34.0


@dataclass
class Stroke:
    role: str
    time: float
    strength: float  # 0 to 1
    what: str = "hit"  # hit, ghost, flam, roll


@dataclass
class Scene:
    tracks: dict[str, np.ndarray]  # role -> float32 (frames,)
    strokes: list[Stroke]
    silent: list[str] = field(default_factory=list)  # roles that are never struck


def scene(font: str, seed: int, seconds: float = 30.0) -> Scene:
    rng = np.random.default_rng(seed)
    shots = _drums(font, rng)
    silent = ["tom 2"] if rng.random() < 0.25 else []
    strokes = [stroke for stroke in _played(rng, seconds) if stroke.role not in silent]
    frames = int((seconds + 1.5) * RATE_HZ)
    dry = {role: np.zeros(frames) for role in CLOSE}
    players = {role: Player(float(rng.normal(0, 1)), np.inf, float(rng.normal(0, 0.2)), 0.0, -120.0) for role in CLOSE}
    for stroke in strokes:
        audio = hit(shots[stroke.role], players[stroke.role], stroke.strength, rng)[0]
        onset = _truth(audio)
        start = max(0, round(stroke.time * RATE_HZ) - onset)
        audio = audio[: frames - start]
        dry[stroke.role][start : start + len(audio)] += audio
        stroke.time = (start + onset) / RATE_HZ
    tracks = _microphones(dry, rng, frames)
    return Scene(tracks, sorted(strokes, key=lambda stroke: stroke.time), silent)


def _drums(font: str, rng: np.random.Generator) -> dict[str, OneShot]:
    shots = one_shots(font)
    return {role: rng.choice(np.array([s for s in shots if s.kind in KIND_OF[role]], object)) for role in CLOSE}


def _truth(audio: np.ndarray) -> int:
    peak = float(np.abs(audio[: RATE_HZ // 5]).max())
    return int(np.argmax(np.abs(audio) >= peak * 10 ** (TRUTH_DB / 20)))


def _played(rng: np.random.Generator, seconds: float) -> list[Stroke]:
    """A beat with its accidents: nothing stands on the grid to the millisecond."""
    beat = 60 / rng.uniform(80, 150)
    strokes: list[Stroke] = []

    def add(role: str, time: float, strength: float, what: str = "hit", loose: float = 0.006) -> None:
        time += float(rng.normal(0, loose)) if loose else 0.0
        if 0.2 < time < seconds - 0.3:
            strokes.append(Stroke(role, time, float(np.clip(strength + rng.normal(0, 0.05), 0.06, 1.0)), what))

    for number in range(int(seconds / beat)):
        at = number * beat
        bar, place = divmod(number, 4)
        if bar % 4 == 3 and place == 3:
            _fill(rng, add, at, beat)
            continue
        if place in (0, 2) or rng.random() < 0.15:
            add("kick", at, 0.85)
        if rng.random() < 0.25:
            add("kick", at + beat / 2, 0.7)
        if place in (1, 3):
            add("snare", at, 0.9)
            if rng.random() < 0.25:
                add("snare", at - float(rng.uniform(0.018, 0.042)), 0.35, "flam", 0.0)
        for quarter in (1, 3):
            if rng.random() < 0.3:
                add("snare", at + quarter * beat / 4, float(rng.uniform(0.1, 0.3)), "ghost")
        for eighth in range(2):
            add("hat", at + eighth * beat / 2, 0.75 if eighth == 0 else 0.5)
    return strokes


def _fill(rng: np.random.Generator, add, at: float, beat: float) -> None:
    which = rng.integers(3)
    if which == 0:  # a roll that grows
        step, count = float(rng.uniform(0.042, 0.07)), int(beat / 0.06)
        for number in range(count):
            add("snare", at + number * step, 0.3 + 0.6 * number / count, "roll", 0.002)
    elif which == 1:
        for number, role in enumerate(("snare", "snare", "tom 1", "tom 1", "tom 2", "tom 2")):
            add(role, at + number * beat / 6, 0.8)
    else:
        for number, role in enumerate(("tom 1", "tom 1", "tom 2", "snare")):
            add(role, at + number * beat / 4, 0.6 + 0.1 * number)
            if number == 0:
                add(role, at - 0.03, 0.35, "flam", 0.0)


def _microphones(dry: dict[str, np.ndarray], rng: np.random.Generator, frames: int) -> dict[str, np.ndarray]:
    size = float(rng.uniform(0.08, 0.3))
    tail = rng.standard_normal(int(size * 2 * RATE_HZ)) * np.exp(
        -6.9 * np.arange(int(size * 2 * RATE_HZ)) / (size * 2 * RATE_HZ)
    )
    tail = lfilter([0.3], [1, -0.7], tail)
    room = fftconvolve(sum(dry.values()), tail / np.sqrt((tail**2).sum()))[:frames]
    tracks = {}
    for own in dry:
        sound = dry[own].copy()
        for other in (role for role in dry if role != own):
            delay, gain_db = int(rng.uniform(0.0012, 0.006) * RATE_HZ), float(rng.uniform(-34, -14))
            dark = float(rng.uniform(0.2, 0.75))
            spill = lfilter([1 - dark], [1, -dark], dry[other])
            sound[delay:] += 10 ** (gain_db / 20) * spill[:-delay]
        late = int(0.004 * RATE_HZ)
        sound[late:] += 10 ** (float(rng.uniform(-40, -26)) / 20) * room[:-late]
        sound *= 10 ** (float(rng.uniform(-12, 0)) / 20) * (-1 if rng.random() < 0.3 else 1)
        if rng.random() < 0.3:
            sound += 0.002 * np.sin(2 * np.pi * 50 * np.arange(frames) / RATE_HZ)
        if rng.random() < 0.2:
            sound += 0.01  # an offset
        sound += rng.standard_normal(frames) * 10 ** (float(rng.uniform(-80, -62)) / 20)
        tracks[own] = np.clip(sound, -1, 1).astype(np.float32)
    overhead = sum(np.roll(dry[role], int(rng.uniform(0.003, 0.006) * RATE_HZ)) for role in dry) * 0.3 + 0.1 * room
    tracks["overhead"] = np.clip(overhead, -1, 1).astype(np.float32)
    return tracks
