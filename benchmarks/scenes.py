"""Drummers before microphones, made of recorded one-shots: what finding hits is taught on. Nothing of it ships.

Made as wide as life: strokes of any level over 35 dB, spill from 6 to 35 dB below them by chance for each drum and
microphone, by ways, delays and noise of chance, drums without a microphone, quiet and clipped recordings. What it finds is
measured on scenes of another maker (benchmarks/judging_scenes.py), which shares neither drums nor code with this one. The
truth of a hit is where the stroke by itself first passes -34 dB of its own peak in its own microphone.
"""

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from scipy.signal import fftconvolve, lfilter, resample_poly

from benchmarks.soundfonts import OneShot, one_shots, tilted

RATE_HZ = 44_100
DRUMS = ("kick", "snare", "tom 1", "tom 2", "hat", "ride")
KIND_OF = {
    "kick": ("kick",), "snare": ("snare",), "tom 1": ("high_tom", "mid_tom"), "tom 2": ("low_tom", "mid_tom"),
    "hat": ("closed_hat", "pedal_hat", "open_hat"), "ride": ("ride", "ride_bell", "crash"),
}  # fmt: skip
TRUTH_DB = -34.0
GHOST_DB = -19.0
RANGE_DB = 35.0


@dataclass
class Stroke:
    role: str
    time: float
    level_db: float  # below the drum's hardest
    what: str = "hit"  # hit, ghost, flam, roll


@dataclass
class Scene:
    tracks: dict[str, np.ndarray]  # role -> float32, (channels, frames)
    strokes: list[Stroke]  # of the drums that have a microphone
    silent: list[str] = field(default_factory=list)  # roles that are never struck

    @property
    def close(self) -> list[str]:
        return [role for role in self.tracks if role.split()[0] not in ("overhead", "room")]


def scene(font: str, seed: int, seconds: float = 24.0) -> Scene:
    rng = np.random.default_rng([seed, 1])
    shots = one_shots(font)
    drums = [role for role in DRUMS if any(shot.kind in KIND_OF[role] for shot in shots)]
    drums = [role for role in drums if role in ("kick", "snare") or rng.random() < 0.8]
    silent = [role for role in drums[1:] if rng.random() < 0.12]
    strokes = list(_played(rng, seconds, [role for role in drums if role not in silent]))
    frames = int((seconds + 1.5) * RATE_HZ)
    dry = {role: np.zeros(frames) for role in drums}
    for role in drums:
        shot = rng.choice(np.array([s for s in shots if s.kind in KIND_OF[role]], object))
        _strike(dry[role], shot, [one for one in strokes if one.role == role], rng)
    miked = [role for role in drums if role in ("kick", "snare") or rng.random() < 0.85]
    tracks = _microphones(dry, miked, rng, frames)
    heard = sorted((one for one in strokes if one.role in miked), key=lambda one: one.time)
    return Scene(tracks, heard, [role for role in silent if role in miked])


def _strike(dry: np.ndarray, shot: OneShot, strokes: list[Stroke], rng: np.random.Generator) -> None:
    sound = resample_poly(shot.audio[: 2 * RATE_HZ], 100, round(100 * 2 ** (rng.normal(0, 1.5) / 12)))
    if rng.random() < 0.4:
        sound = sound * np.exp(-6.9 * np.arange(len(sound)) / (rng.uniform(0.15, 1.5) * RATE_HZ))
    colour, darker, closes = (
        float(rng.normal(0, 0.4)),
        float(rng.uniform(0, 1.5)),
        float(rng.uniform(0, 2)) * (rng.random() < 0.5),
    )
    for stroke in strokes:  # softer ones are darker, and some drums close too
        audio = tilted(sound, colour + rng.normal(0, 0.05) + darker * stroke.level_db / RANGE_DB)
        if closes and stroke.level_db < -1:
            pole = float(np.exp(-2 * np.pi * 12_000 * 10 ** (closes * stroke.level_db / RANGE_DB) / RATE_HZ))
            audio = lfilter([1 - pole], [1, -pole], audio)
        audio = audio * (10 ** (stroke.level_db / 20) / max(1e-9, float(np.abs(audio).max())))
        onset = truth_of(audio)
        start = max(0, round(stroke.time * RATE_HZ) - onset)
        audio = audio[: len(dry) - start]
        dry[start : start + len(audio)] += audio
        stroke.time = (start + onset) / RATE_HZ


def truth_of(audio: np.ndarray) -> int:
    peak = float(np.abs(audio[: RATE_HZ // 5]).max())
    return int(np.argmax(np.abs(audio) >= peak * 10 ** (TRUTH_DB / 20)))


# What is played -------------------------------------------------------------------------------------------------------

Add = Callable[..., None]


def _played(rng: np.random.Generator, seconds: float, drums: list[str]) -> list[Stroke]:
    """One style after another, each for some seconds; nothing stands on the grid to the millisecond."""
    strokes: list[Stroke] = []
    range_db = float(rng.uniform(8, RANGE_DB))
    last: dict[str, float] = {}

    def add(role: str, time: float, level: float, what: str = "hit", loose: float = 0.006) -> None:
        """level : 0 for the softest of this player, 1 for the hardest"""
        time += float(rng.normal(0, loose)) if loose else 0.0
        if role not in drums or not 0.15 < time < seconds - 0.2 or abs(time - last.get(role, -9)) < 0.016:
            return
        last[role] = time
        level_db = float(np.clip(-range_db * (1 - level) + rng.normal(0, 1.0), -RANGE_DB, 0))
        strokes.append(Stroke(role, time, level_db, "ghost" if what == "hit" and level_db < GHOST_DB else what))

    at = 0.3
    while at < seconds:
        until = at + float(rng.uniform(3, 7))
        STYLES[int(rng.integers(len(STYLES)))](rng, add, at, min(until, seconds), drums)
        at = until
    return strokes


def _beat(rng: np.random.Generator, add: Add, at: float, until: float, _drums: list[str]) -> None:
    beat, ghosts, time_keeper = 60 / rng.uniform(75, 170), rng.random(), rng.choice(["hat", "ride"])
    for number in range(int((until - at) / beat)):
        here = at + number * beat
        if number % 2 == 0 or rng.random() < 0.2:
            add("kick", here, rng.uniform(0.7, 1))
        if rng.random() < 0.3:
            add("kick", here + beat / 2, rng.uniform(0.4, 0.9))
        if number % 2:
            if rng.random() < 0.3:
                add("snare", here - float(rng.uniform(0.018, 0.045)), rng.uniform(0.3, 0.7), "flam", 0.0)
            add("snare", here, rng.uniform(0.75, 1), loose=0.002)
        for quarter in (1, 3):
            if rng.random() < ghosts:
                add("snare", here + quarter * beat / 4, rng.uniform(0, 0.45))
        for eighth in range(4 if beat > 0.5 and rng.random() < 0.5 else 2):
            add(time_keeper, here + eighth * beat / (4 if eighth % 2 else 2), rng.uniform(0.3, 0.9))


def _blast(rng: np.random.Generator, add: Add, at: float, until: float, _drums: list[str]) -> None:
    step, together = float(rng.uniform(0.055, 0.11)), rng.random() < 0.4
    for number in range(int((until - at) / step)):
        here = at + number * step
        if number % 2 == 0 or together:
            add("kick", here, rng.uniform(0.5, 1), loose=0.003)
            add("hat", here, rng.uniform(0.5, 1), loose=0.003)
        if number % 2 or together:
            add("snare", here, rng.uniform(0.4, 1), loose=0.003)


def _crescendo(rng: np.random.Generator, add: Add, at: float, until: float, drums: list[str]) -> None:
    step = float(rng.uniform(0.08, 0.4))
    roles = rng.choice(drums, int(rng.integers(1, 4)))
    first, last = (0.0, 1.0) if rng.random() < 0.7 else (1.0, 0.0)
    count = max(1, int((until - at) / step))
    for number in range(count):
        for role in roles:
            add(role, at + number * step, first + (last - first) * number / count)


def _rolls(rng: np.random.Generator, add: Add, at: float, until: float, drums: list[str]) -> None:
    while at < until:
        role, step = rng.choice([d for d in drums if d != "kick"] or drums), float(rng.uniform(0.035, 0.085))
        count, first, last = int(rng.integers(5, 22)), rng.uniform(0, 0.7), rng.uniform(0.2, 1)
        for number in range(count):
            add(role, at + number * step, first + (last - first) * number / count, "roll", 0.002)
        at += count * step + float(rng.uniform(0.05, 0.6))


def _scattered(rng: np.random.Generator, add: Add, at: float, until: float, drums: list[str]) -> None:
    """Any drum at any time at any level, two or three at once too."""
    while at < until:
        for role in rng.choice(drums, min(len(drums), int(rng.choice([1, 1, 1, 2, 3]))), replace=False):
            if rng.random() < 0.12:
                add(role, at - float(rng.uniform(0.018, 0.045)), rng.uniform(0.1, 0.7), "flam", 0.0)
            add(role, at + float(rng.uniform(0, 0.012)), rng.random(), loose=0.0)
        at += float(rng.exponential(0.16)) + 0.02


def _toms(rng: np.random.Generator, add: Add, at: float, until: float, drums: list[str]) -> None:
    own = [role for role in drums if role.startswith("tom")] or drums
    step = float(rng.uniform(0.09, 0.25))
    for number in range(int((until - at) / step)):
        add(own[number // 3 % len(own)], at + number * step, rng.uniform(0.1, 1))
        if number % 4 == 0:
            add("kick", at + number * step, rng.uniform(0.5, 1))


STYLES = (_beat, _beat, _blast, _crescendo, _rolls, _scattered, _scattered, _toms)


# How it is recorded ---------------------------------------------------------------------------------------------------


def _way(rng: np.random.Generator, sound: np.ndarray, low_db: float, high_db: float) -> np.ndarray:
    """From a drum to a microphone of another: later, softer, duller, by some reflections of its own."""
    delay, dark = int(rng.uniform(0.0005, 0.006) * RATE_HZ), float(rng.uniform(0.0, 0.85))
    taps = np.zeros(int(0.05 * RATE_HZ))
    taps[0] = 1
    count, reach = int(rng.integers(2, 12)), float(rng.uniform(0.004, 0.045))
    taps[rng.integers(1, int(reach * RATE_HZ), count)] += rng.normal(0, rng.uniform(0.05, 0.6), count)
    spill = fftconvolve(lfilter([1 - dark], [1, -dark], sound), taps)[: len(sound)]
    spill = np.concatenate([np.zeros(delay), spill[: len(sound) - delay]])
    wanted = 10 ** (float(rng.uniform(low_db, high_db)) / 20) * float(np.abs(sound).max())
    return spill * wanted / max(1e-9, float(np.abs(spill).max())) * (-1 if rng.random() < 0.3 else 1)


def _microphones(
    dry: dict[str, np.ndarray], miked: list[str], rng: np.random.Generator, frames: int
) -> dict[str, np.ndarray]:
    size = float(rng.uniform(0.05, 0.4))
    tail = rng.standard_normal(int(size * 2 * RATE_HZ))
    tail = lfilter([0.3], [1, -0.7], tail * np.exp(-6.9 * np.arange(len(tail)) / len(tail)))
    room = fftconvolve(sum(dry.values()), tail / np.sqrt((tail**2).sum()))[:frames]
    late = np.concatenate([np.zeros(int(0.004 * RATE_HZ)), room])[:frames]
    tracks = {}
    loud, soft = sorted(rng.uniform(-35, -6, 2))[::-1]
    noise_db, gain_db = (
        float(rng.uniform(-85, -45)),
        float(rng.uniform(-40, 3) if rng.random() < 0.4 else rng.uniform(-12, 0)),
    )
    for own in miked:
        sound = dry[own].copy()
        for other in (role for role in dry if role != own and dry[role].any()):
            sound += _way(rng, dry[other], soft, loud)
        sound += 10 ** (float(rng.uniform(-45, -22)) / 20) * late
        tracks[own] = _recorded(sound[None], rng, noise_db + float(rng.normal(0, 3)), gain_db + float(rng.normal(0, 3)))
    if rng.random() < 0.8:
        sides = 1 if rng.random() < 0.4 else 2
        over = np.array([sum(_way(rng, dry[role], -14, -2) for role in dry) + 0.2 * late for _ in range(sides)])
        tracks["overhead"] = _recorded(over, rng, noise_db, gain_db)
    return tracks


def _recorded(sound: np.ndarray, rng: np.random.Generator, noise_db: float, gain_db: float) -> np.ndarray:
    """gain_db : of the peak; over 0 it is clipped. noise_db : dBFS, at least 45 dB under the peak"""
    sound = sound / max(1e-9, float(np.abs(sound).max())) if sound.any() else sound
    time = np.arange(sound.shape[1]) / RATE_HZ
    sound = sound + rng.standard_normal(sound.shape) * 10 ** (min(-45.0, noise_db - min(0.0, gain_db)) / 20)
    if rng.random() < 0.25:
        sound += 10 ** (rng.uniform(-70, -45) / 20) * np.sin(2 * np.pi * rng.choice([50, 60, 100]) * time)
    sound *= 10 ** (gain_db / 20) * (-1 if rng.random() < 0.3 else 1)
    if rng.random() < 0.15:
        sound += float(rng.uniform(-0.02, 0.02))
    return np.clip(sound, -1, 1).astype(np.float32)
