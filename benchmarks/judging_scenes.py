"""Another maker of scenes, by which finding hits is judged: it shares no drums and no code with the one that teaches.

A shoe box with drums and microphones at places in it: the direct way and the six first reflections give delays and levels,
walls and the backs of microphones the colour, a cloud of late echoes the rest. Its drummer is a chain of chance: for each
drum a chance on each place of a bar, a level that wanders, now and then a drag, a flam, a roll.
"""

from dataclasses import dataclass

import numpy as np
import scipy.signal

from benchmarks.soundfonts import one_shots

RATE = 48_000
SPEED = 343.0  # of sound, m/s
PLACES = {  # of drums, metres from the middle of the kit: across, to the front, up
    "kick": (0.0, 0.5, 0.3), "snare": (-0.35, 0.0, 0.65), "tom 1": (-0.2, 0.55, 0.85), "tom 2": (0.65, 0.1, 0.6),
    "hat": (-0.75, 0.1, 0.95), "ride": (0.75, 0.55, 1.1),
}  # fmt: skip
SOUNDS = {
    "kick": ("kick",), "snare": ("snare",), "tom 1": ("high_tom", "mid_tom"), "tom 2": ("low_tom",),
    "hat": ("closed_hat", "pedal_hat"), "ride": ("ride",),
}  # fmt: skip
SOFTEST_DB = -35.0
GHOST_DB = -19.0
PASSES = 0.02  # of its own peak: where a stroke begins


@dataclass
class Told:
    """One stroke, as `benchmarks.scenes.Stroke`."""

    role: str
    time: float
    level_db: float
    what: str


@dataclass
class Judged:
    tracks: dict[str, np.ndarray]
    strokes: list[Told]
    silent: list[str]

    @property
    def close(self) -> list[str]:
        return [name for name in self.tracks if name != "overhead"]


def judged(source: str, seed: int, seconds: float = 20.0) -> Judged:
    chance = np.random.default_rng([seed, 77])
    every = one_shots(source)
    names = [name for name in PLACES if any(shot.kind in SOUNDS[name] for shot in every)]
    names = [name for name in names if name in ("kick", "snare") or chance.random() < 0.75]
    quiet = {name for name in names[2:] if chance.random() < 0.15}
    score = _score(chance, seconds, [name for name in names if name not in quiet])
    length = int((seconds + 1) * RATE)
    alone: dict[str, np.ndarray] = {}
    for name in names:
        choice = [shot.audio for shot in every if shot.kind in SOUNDS[name]]
        alone[name] = np.zeros(length)
        own = scipy.signal.resample_poly(
            choice[int(chance.integers(len(choice)))], RATE, int(44_100 * chance.uniform(0.9, 1.1))
        )
        for told in score:
            if told.role == name:
                _lay(alone[name], own, told, chance)
    return Judged(_heard(alone, chance), sorted(score, key=lambda told: told.time), sorted(quiet))


def _lay(track: np.ndarray, shot: np.ndarray, told: Told, chance: np.random.Generator) -> None:
    """A softer stroke is darker: its highs are taken away from 2 to 16 kHz on."""
    closes = 2000 * 8 ** (1 + told.level_db / 40)
    sound = (
        scipy.signal.lfilter(*scipy.signal.butter(1, min(0.9, closes / (RATE / 2))), shot)
        if told.level_db < -1
        else shot
    )
    sound = np.asarray(sound) * (10 ** (told.level_db / 20) / max(1e-9, np.abs(sound).max()))
    first = int(np.argmax(np.abs(sound) >= PASSES * np.abs(sound[: RATE // 5]).max()))
    at = max(0, int(told.time * RATE) - first)
    sound = sound[: len(track) - at] * (1 + 0.03 * chance.standard_normal())
    track[at : at + len(sound)] += sound
    told.time = (at + first) / RATE


def _score(chance: np.random.Generator, seconds: float, names: list[str]) -> list[Told]:
    told: list[Told] = []
    slots, bar = int(chance.choice([8, 12, 16])), float(chance.uniform(1.3, 2.8))
    wide = float(chance.uniform(10, 35))
    likely = {name: chance.dirichlet(np.full(slots, 0.6)) * slots * chance.uniform(0.1, 0.5) for name in names}
    accent = {name: chance.uniform(-wide, 0, slots) for name in names}
    wander = dict.fromkeys(names, 0.0)

    def strike(name: str, time: float, level: float, what: str) -> None:
        near = any(other.role == name and abs(other.time - time) < 0.015 for other in told[-40:])
        if 0.2 < time < seconds - 0.3 and not near:
            level = float(np.clip(level, SOFTEST_DB, 0.0))
            told.append(Told(name, time, level, "ghost" if what == "hit" and level < GHOST_DB else what))

    for number in range(int(seconds / bar)):
        for slot in range(slots):
            time = (number + slot / slots) * bar
            for name in names:
                wander[name] = 0.9 * wander[name] + chance.normal(0, 1.5)
                level = accent[name][slot] + wander[name]
                if chance.random() > min(0.95, likely[name][slot]):
                    continue
                place = time + chance.normal(0, 0.008)
                luck = chance.random()
                if luck < 0.05 and name != "kick":
                    strike(name, place - chance.uniform(0.02, 0.04), level - chance.uniform(3, 12), "flam")
                elif luck < 0.08 and name != "kick":
                    gap = chance.uniform(0.04, 0.08)
                    for behind in range(int(chance.integers(4, 12))):
                        strike(name, place + behind * gap + chance.normal(0, 0.002), level - 8 + 0.8 * behind, "roll")
                    continue
                strike(name, place, level, "hit")
    return told


def _heard(alone: dict[str, np.ndarray], chance: np.random.Generator) -> dict[str, np.ndarray]:
    box = np.array([chance.uniform(3, 9), chance.uniform(3, 8), chance.uniform(2.3, 4)])
    middle = box * [0.5, 0.45, 0.0]
    stands = {name: middle + np.array(PLACES[name]) for name in alone}
    wall = chance.uniform(0.2, 0.85)
    late = chance.standard_normal(int(chance.uniform(0.1, 0.7) * RATE))
    late *= np.exp(-6.9 * np.arange(len(late)) / len(late))
    cloud = scipy.signal.fftconvolve(sum(alone.values()), late / np.linalg.norm(late))[
        : len(next(iter(alone.values())))
    ]
    tracks = {}
    noise, gain = 10 ** (chance.uniform(-85, -50) / 20), 10 ** (chance.uniform(-36, 2) / 20)
    for name in [one for one in alone if one in ("kick", "snare") or chance.random() < 0.9]:
        near = stands[name] + np.array([0.0, -0.05, 0.06])
        own_level, sound = 1.0, alone[name].copy()
        for other in alone:
            if other == name:
                continue
            way = _impulse(stands[other], near, box, wall, chance)
            spill = scipy.signal.fftconvolve(alone[other], way)[: len(sound)]
            top = np.abs(spill).max()
            if top > 0:
                sound += spill * (own_level * np.abs(alone[other]).max() * 10 ** (chance.uniform(-35, -7) / 20) / top)
        sound += cloud * 10 ** (chance.uniform(-46, -26) / 20)
        tracks[name] = _taped(sound, noise, gain, chance)
    if chance.random() < 0.85:
        above = middle + np.array([0.0, 0.2, 1.4])
        sound = sum(
            scipy.signal.fftconvolve(alone[n], _impulse(stands[n], above, box, wall, chance))[: len(cloud)]
            for n in alone
        )
        tracks["overhead"] = _taped(sound + 0.1 * cloud, noise, gain, chance)
    return tracks


def _impulse(
    drum: np.ndarray, ear: np.ndarray, box: np.ndarray, wall: float, chance: np.random.Generator
) -> np.ndarray:
    """The direct way and the mirror images of the drum in the six walls (Allen and Berkley, JASA 65, 1979)."""
    images = [(drum, 1.0)]
    for axis in range(3):
        for at in (0.0, box[axis]):
            image = drum.copy()
            image[axis] = 2 * at - drum[axis]
            images.append((image, wall))
    way = np.zeros(int(0.06 * RATE))
    for image, kept in images:
        distance = float(np.linalg.norm(image - ear))
        frame = int(distance / SPEED * RATE)
        if frame < len(way):
            way[frame] += kept / max(0.1, distance)
    colour = scipy.signal.firwin(31, chance.uniform(1500, 16_000), fs=RATE)
    return scipy.signal.lfilter(colour, 1.0, way)[15:]


def _taped(sound: np.ndarray, noise: float, gain: float, chance: np.random.Generator) -> np.ndarray:
    top = float(np.abs(sound).max())
    sound = sound * (gain * 10 ** (chance.normal(0, 3) / 20) / top) if top > 0 else sound
    hiss = scipy.signal.lfilter([1.0, -0.6], [1.0, -0.2], chance.standard_normal(len(sound)))
    hum = 0.0005 * np.sin(2 * np.pi * 60 * np.arange(len(sound)) / RATE) if chance.random() < 0.2 else 0.0
    return np.clip(sound + min(noise, 0.004 * gain) * hiss + hum * gain, -1, 1).astype(np.float32)[None]
