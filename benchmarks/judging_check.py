"""Another maker of kits, by which the kit check is judged: it shares no code and no sound with the rules, nor with their tests.

It works as a stranger would: drums are bodies (membranes, plates, shells) struck by sticks, written as files; kits are SFZ text;
faults are put into the files or the text on disk. What the check says is asked of the command, as a user would.
`python -m benchmarks.judging_check [first] [last]` prints what was found of kits of these seeds, and what was told falsely.
"""

import contextlib
import io
import json
import sys
import tempfile
from collections import Counter
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
import soundfile
from scipy.signal import fftconvolve, lfilter

RATE = 44_100
BESSEL = (1.0, 1.594, 2.136, 2.296, 2.653, 2.918, 3.156, 3.501, 3.6, 4.06)
"""Modes of a round membrane over its lowest (Rossing, The Physics of Musical Instruments, ch. 3)."""
DRUMS = {  # key: (name, what it is, lowest mode Hz or brightness, seconds of its decay)
    36: ("Kick", "skin", 52, 0.35), 38: ("Snare", "snare", 185, 0.22), 37: ("Side stick", "wood", 900, 0.05), 42: ("Closed hat", "plate", 7000, 0.06),
    46: ("Open hat", "plate", 6500, 0.8), 41: ("Low tom", "skin", 82, 0.6), 45: ("Mid tom", "skin", 110, 0.5), 48: ("High tom", "skin", 150, 0.4),
    49: ("Crash", "plate", 4200, 1.6), 51: ("Ride", "bell plate", 5200, 1.8),
}  # fmt: skip
MICS = (("", 0.0, 1.0), ("_oh", 0.0042, 0.45), ("_room", 0.0121, 0.3))  # ending, seconds after the close one, level


@dataclass
class Region:
    key: int
    name: str
    file: str
    values: dict[str, object]


@dataclass
class Folder:
    """A kit as a stranger has it: regions and files."""

    regions: list[Region] = field(default_factory=list)
    files: dict[str, np.ndarray] = field(default_factory=dict)  # (frames, channels)
    mics: int = 1
    layers: int = 3
    takes: int = 3

    def of(self, key: int) -> list[Region]:
        return [region for region in self.regions if region.key == key]

    def change(self, region: Region, how: Callable[[np.ndarray], np.ndarray]) -> None:
        self.files[region.file] = how(self.files[region.file])

    def at(self, key: int, layer: int, take: int) -> list[Region]:
        """Those of one take: its microphones."""
        return [one for one in self.of(key) if (one.values["layer"], one.values["take"]) == (layer, take)]

    def write(self, folder: Path) -> Path:
        for name, sound in self.files.items():
            target = folder / "samples" / name
            target.parent.mkdir(parents=True, exist_ok=True)
            soundfile.write(target, sound, RATE, "PCM_24")
        lines = []
        for key, drum in dict.fromkeys((region.key, region.name) for region in self.regions):
            lines.append(f"<group> group_label={drum}")
            for region in [one for one in self.of(key) if one.name == drum]:
                values = {name: value for name, value in region.values.items() if name not in ("layer", "take", "mic")}
                said = " ".join(f"{name}={value}" for name, value in {"key": key, **values}.items())
                lines.append(f"<region> sample=samples/{region.file} {said}")
        path = folder / "kit.sfz"
        path.write_text("\n".join(lines) + "\n")
        return path


# Sound ----------------------------------------------------------------------------------------------------------------


def struck(
    what: str, low: float, decay: float, force: float, modes: np.ndarray, dice: np.random.Generator
) -> np.ndarray:
    """A stroke as loud as its force, a little elsewhere each time; float64, (frames,). modes : of a plate, over its lowest"""
    frames = round(RATE * min(2.2, max(0.12, 6 * decay)))
    time, force = np.arange(frames) / RATE, max(force, 0.02)
    noise = dice.normal(size=frames)
    if what in ("skin", "snare"):
        place = dice.uniform(0.2, 0.6)
        sound = np.zeros(frames)
        for number, ratio in enumerate(BESSEL):
            weight = abs(np.cos(place * (number + 1))) / (1 + number) ** (1.4 - 0.6 * force)
            bend = 1 + 0.06 * force * np.exp(-time / 0.03)
            sound += (
                weight * np.sin(2 * np.pi * np.cumsum(low * ratio * bend) / RATE) * np.exp(-time * (1 + number) / decay)
            )
        sound += 0.3 * force * lowpassed(noise, 800 + 6000 * force) * np.exp(-time / 0.004)
        if what == "snare":
            wires = highpassed(noise, 1500) * (np.exp(-time / (0.09 + 0.05 * force)) - np.exp(-time / 0.0015))
            sound += 0.9 * lowpassed(wires, 3000 + 9000 * force)
    elif what == "wood":
        sound = sum(np.sin(2 * np.pi * low * r * time) * np.exp(-time * r / decay) / r for r in (1.0, 1.83, 2.71))
        sound += 0.5 * highpassed(noise, 2000) * np.exp(-time / 0.003)
    else:
        hits = np.zeros(frames)
        for mode in modes * low:
            hits += np.sin(2 * np.pi * mode * time + dice.uniform(0, 6)) * np.exp(-time * (0.5 + mode / low) / decay)
        sound = 0.15 * hits + 0.5 * highpassed(noise, 0.5 * low) * np.exp(-time / (0.4 * decay))
        if "bell" in what:
            sound += 1.5 * np.sin(2 * np.pi * 1180 * time) * np.exp(-time / (0.5 * decay)) + 1.2 * highpassed(
                noise, 3000
            ) * np.exp(-time / 0.003)
        sound = lowpassed(sound, 5000 + 12_000 * force)
    sound *= 1 - np.exp(-time / 0.0004)
    return sound / np.abs(sound).max() * 0.7 * force**1.4


def lowpassed(sound: np.ndarray, hz: float) -> np.ndarray:
    pole = np.exp(-2 * np.pi * hz / RATE)
    return lfilter([1 - pole], [1, -pole], lfilter([1 - pole], [1, -pole], sound))


def highpassed(sound: np.ndarray, hz: float) -> np.ndarray:
    return sound - lowpassed(sound, hz)


def room_of(dice: np.random.Generator) -> np.ndarray:
    """Late echoes without a sign."""
    frames = round(0.3 * RATE)
    tail = dice.normal(size=frames) * np.exp(-np.arange(frames) / (dice.uniform(0.04, 0.1) * RATE))
    return tail / np.sqrt((tail**2).sum())


def as_recorded(
    dry: np.ndarray, mic: int, floor_db: float, lead: float, room: np.ndarray, dice: np.random.Generator
) -> np.ndarray:
    """What one microphone has of it: later, softer, the room's with its tail; (frames, 1)."""
    _, delay, level = MICS[mic]
    length = len(dry) + round(RATE * (0.35 if mic == 2 else 0.05))
    sound = np.zeros(length + round(RATE * lead))
    start = round(RATE * (lead + delay))
    heard = {0: lambda: dry, 1: lambda: lowpassed(dry, 9000), 2: lambda: fftconvolve(dry, room)}[mic]()
    sound[start : start + len(heard)] += level * heard[: len(sound) - start]
    sound += 10 ** (floor_db / 20) * dice.normal(size=len(sound))
    fade = min(len(sound), round(0.15 * RATE))
    sound[-fade:] *= np.linspace(1, 0, fade)
    return np.clip(sound, -0.99, 0.99)[:, np.newaxis]


def sound_kit(seed: int) -> Folder:
    """One without a fault, in one of four styles."""
    dice = np.random.default_rng(seed)
    kit = Folder(mics=int(dice.integers(1, 4)), layers=int(dice.integers(2, 5)), takes=int(dice.integers(2, 4)))
    keys = [36, 38, 42, 46, *dice.choice([37, 41, 45, 48, 49, 51], 4, replace=False)]
    if seed % 4 == 3:  # a machine: one stroke each, all alike
        kit.mics, kit.layers, kit.takes = 1, 1, 1
    floor_db, lead = float(dice.uniform(-96, -68)), float(dice.choice([0.0, 0.0, 0.002, 0.005]))
    room = room_of(dice)
    for key in sorted(map(int, keys)):
        name, what, low, decay = DRUMS[key]
        low, decay, modes = low * dice.uniform(0.85, 1.2), decay * dice.uniform(0.7, 1.3), dice.uniform(0.15, 1.6, 24)
        edges = np.linspace(0, 127, kit.layers + 1).astype(int)
        for layer in range(kit.layers):
            for take in range(kit.takes):
                force = (layer + 1) / kit.layers * dice.uniform(0.93, 1.0)
                dry = struck(what, low, decay, force, modes, dice)
                for mic in range(kit.mics):
                    file = f"{name}_L{layer + 1}_RR{take + 1}{MICS[mic][0]}.wav"
                    kit.files[file] = as_recorded(dry, mic, floor_db, lead, room, dice)
                    values: dict[str, object] = {
                        "lovel": edges[layer] + 1,
                        "hivel": edges[layer + 1],
                        "layer": layer,
                        "take": take,
                        "mic": mic,
                    }
                    if kit.takes > 1:
                        values |= {"seq_length": kit.takes, "seq_position": take + 1}
                    if key in (42, 46):
                        values |= {"group": 1, "off_by": 1}
                    values |= {"loop_mode": "one_shot", "amp_veltrack": 100 if kit.layers == 1 else 20}
                    kit.regions.append(Region(key, name, file, values))
    return kit


# Faults ---------------------------------------------------------------------------------------------------------------

Planted = tuple[set[str], str, set[int]]
"""(rules that may tell it, how severely at least, the keys at which)."""
Fault = Callable[[Folder, np.random.Generator], Planted | None]


def some_take(
    kit: Folder, dice: np.random.Generator, keys: tuple[int, ...] = (36, 38, 41, 45, 48)
) -> tuple[int, int, int]:
    there = [key for key in keys if kit.of(key)]
    return int(dice.choice(there)), int(dice.integers(kit.layers)), int(dice.integers(kit.takes))


def in_take(rules: str, severity: str, how: Callable[[np.ndarray, np.random.Generator], np.ndarray], *, mics: bool = True, takes: int = 1,
            keys: tuple[int, ...] = (36, 38, 41, 45, 48), loud: bool = False) -> Fault:  # fmt: skip
    def fault(kit: Folder, dice: np.random.Generator) -> Planted | None:
        if kit.takes < takes:
            return None
        key, layer, take = some_take(kit, dice, keys)
        for region in kit.at(key, kit.layers - 1 if loud else layer, take):
            if mics or region.values["mic"] == 0:
                kit.change(region, lambda sound: how(sound, dice))
        return set(rules.split()), severity, {key}

    return fault


def later(ms: float) -> Callable[[np.ndarray, np.random.Generator], np.ndarray]:
    frames = round(RATE * ms / 1000)
    return lambda sound, dice: np.concatenate([1e-5 * dice.normal(size=(frames, 1)), sound])


def peak_at(sound: np.ndarray) -> int:
    return int(np.argmax(np.abs(sound[:, 0]) > 0.3 * np.abs(sound).max()))


def beheaded(sound: np.ndarray, dice: np.random.Generator) -> np.ndarray:
    return sound[peak_at(sound) + round(0.009 * RATE) :]


def clipped(sound: np.ndarray, dice: np.random.Generator) -> np.ndarray:
    return np.clip(sound / np.abs(sound).max() * 4, -1, 1) * 0.98


def hummed(sound: np.ndarray, dice: np.random.Generator) -> np.ndarray:
    time = np.arange(len(sound))[:, np.newaxis] / RATE
    return sound + 0.02 * np.sin(2 * np.pi * 50 * time) + 0.008 * np.sin(2 * np.pi * 150 * time)


def noisy_before(sound: np.ndarray, dice: np.random.Generator) -> np.ndarray:
    return np.concatenate([0.01 * dice.normal(size=(round(0.15 * RATE), 1)), sound])


def clicking(sound: np.ndarray, dice: np.random.Generator) -> np.ndarray:
    level = np.abs(sound[:, 0]) > 0.25 * np.abs(sound).max()
    return sound[: int(np.nonzero(level)[0][-1]) + 1]


def short(sound: np.ndarray, dice: np.random.Generator) -> np.ndarray:
    start = peak_at(sound)
    cut = sound[: start + round(0.06 * RATE)].copy()
    cut[-400:] *= np.linspace(1, 0, 400)[:, np.newaxis]
    return cut


def doubled(sound: np.ndarray, dice: np.random.Generator) -> np.ndarray:
    made, at = sound.copy(), round(RATE * 0.16)
    made[at:] += 0.6 * sound[: len(sound) - at]
    return made


def whole_pad(rules: str, severity: str, how: Callable, keys: tuple[int, ...] = (36, 38, 41, 45, 48)) -> Fault:
    def fault(kit: Folder, dice: np.random.Generator) -> Planted | None:
        key, *_ = some_take(kit, dice, keys)
        for region in kit.of(key):
            kit.change(region, lambda sound: how(sound, dice))
        return set(rules.split()), severity, {key}

    return fault


def hole(kit: Folder, dice: np.random.Generator) -> Planted | None:
    if kit.takes < 3:
        return None
    key, layer, take = some_take(kit, dice)
    kit.regions = [one for one in kit.regions if one not in kit.at(key, layer, take)]
    return {"velocities"}, "warning", {key}


def gap(kit: Folder, dice: np.random.Generator) -> Planted | None:
    if kit.layers < 3:
        return None
    key, *_ = some_take(kit, dice)
    for region in kit.of(key):
        if region.values["layer"] == 1:
            region.values["lovel"] += 12
    return {"velocities", "empty_layers"}, "error", {key}


def overlap(kit: Folder, dice: np.random.Generator) -> Planted | None:
    if kit.layers < 3:
        return None
    key, *_ = some_take(kit, dice)
    for region in kit.of(key):
        if region.values["layer"] == 1:
            region.values["hivel"] += 9
    return {"velocities"}, "warning", {key}


def far_root(kit: Folder, dice: np.random.Generator) -> Planted | None:
    key, *_ = some_take(kit, dice)
    for region in kit.of(key):
        region.values |= {"pitch_keycenter": key - 19, "pitch_keytrack": 100}
    return {"far_tuned"}, "warning", {key}


def swapped_toms(kit: Folder, dice: np.random.Generator) -> Planted | None:
    toms = [key for key in (41, 45, 48) if kit.of(key)]
    if len(toms) < 2:
        return None
    low, high = toms[0], toms[-1]
    for region in kit.regions:
        region.key = {low: high, high: low}.get(region.key, region.key)
    return {"toms_in_order", "standard_notes"}, "note", {low, high}


def no_choke(kit: Folder, dice: np.random.Generator) -> Planted | None:
    for region in kit.of(46):
        region.values.pop("off_by")
    return {"open_hats", "velocities"}, "warning", {42, 46}


def sudden(kit: Folder, dice: np.random.Generator) -> Planted | None:
    for region in kit.of(46):
        region.values |= {"off_mode": "time", "off_time": 0}
    return {"zero_fades", "velocities"}, "warning", {46, 42}


def in_other_case(kit: Folder, dice: np.random.Generator) -> Planted | None:
    region = kit.regions[int(dice.integers(len(kit.regions)))]
    kit.files[region.file.upper().replace(".WAV", ".wav")] = kit.files.pop(region.file)
    return {"damage"}, "warning", {region.key}


def missing(kit: Folder, dice: np.random.Generator) -> Planted | None:
    region = kit.regions[int(dice.integers(len(kit.regions)))]
    kit.files.pop(region.file)
    return {"damage"}, "error", {region.key}


def swapped_layers(kit: Folder, dice: np.random.Generator) -> Planted | None:
    if kit.layers < 2:
        return None
    key, *_ = some_take(kit, dice)
    last = kit.layers - 1
    for region in kit.of(key):
        was = region.values["layer"]
        if was in (0, last):
            other = next(
                one
                for one in kit.of(key)
                if (one.values["layer"], one.values["take"], one.values["mic"])
                == (last - was, region.values["take"], region.values["mic"])
            )
            region.values["goes"] = (other.values["lovel"], other.values["hivel"])
    for region in kit.of(key):
        if "goes" in region.values:
            region.values["lovel"], region.values["hivel"] = region.values.pop("goes")
    return {"layers_rise", "jumps"}, "warning", {key}


def soft_layer(kit: Folder, dice: np.random.Generator) -> Planted | None:
    if kit.layers < 3:
        return None
    key, *_ = some_take(kit, dice)
    for region in kit.of(key):
        if region.values["layer"] == 1:
            kit.change(region, lambda sound: 0.14 * sound)
    return {"layers_rise", "jumps"}, "warning", {key}


def other_drum(kit: Folder, dice: np.random.Generator) -> Planted | None:
    if kit.takes < 2:
        return None
    layer, take = int(dice.integers(kit.layers)), int(dice.integers(kit.takes))
    key, other = ((36, 38), (38, 36), (42, 36), (38, 42))[int(dice.integers(4))]
    for region, by in zip(kit.at(key, layer, take), kit.at(other, layer, take), strict=True):
        kit.files[region.file] = kit.files[by.file].copy()
    return {"another_drum", "twice"}, "warning", {key}


def same_twice(kit: Folder, dice: np.random.Generator) -> Planted | None:
    if kit.takes < 2:
        return None
    key, layer, take = some_take(kit, dice)
    for region, by in zip(kit.at(key, layer, take), kit.at(key, layer, (take + 1) % kit.takes), strict=True):
        kit.files[region.file] = 0.9 * kit.files[by.file]
    return {"twice"}, "note", {key}


def turned_mic(kit: Folder, dice: np.random.Generator) -> Planted | None:
    if kit.mics < 2:
        return None
    return in_take("polarity low_end", "warning", lambda sound, dice: -sound, mics=False, takes=2)(kit, dice)


def on_one_note(kit: Folder, dice: np.random.Generator) -> Planted | None:
    key, *_ = some_take(kit, dice, (41, 45, 48, 49, 51))
    for region in kit.of(key):
        region.key = 38
    return {"notes_shared", "velocities"}, "note", {38}


FAULTS: dict[str, Fault] = {
    "a hole in the rotation": hole, "a gap of velocities": gap, "velocities that overlap": overlap, "a root far off": far_root,
    "toms on each other's notes": swapped_toms, "an open hat without choke": no_choke, "a choke without a fade": sudden,
    "a name in other case": in_other_case, "a file that is not there": missing, "layers in the other order": swapped_layers,
    "a layer that is too soft": soft_layer, "a take of another drum": other_drum, "one take twice": same_twice,
    "a mic turned in one take": turned_mic, "two drums on a note": on_one_note,
    "a pad 40 ms late": whole_pad("pads_late", "warning", later(40)),
    "a take 12 ms late": in_take("onsets mics", "warning", later(12), takes=2),
    "a take 6 ms late": in_take("onsets mics", "warning", later(6), takes=2),
    "the attack cut off": in_take("beginnings", "warning", beheaded, takes=2),
    "a take that is clipped": in_take("clipped", "warning", clipped),
    "an offset": in_take("offset", "warning", lambda sound, dice: sound + 0.05),
    "hum": in_take("hum", "note", hummed),
    "noise ahead of the stroke": in_take("noise_before second_strokes", "warning", noisy_before),
    "an end that clicks": in_take("ends tails", "warning", clicking, keys=(41, 45, 48, 49, 51, 46)),
    "a tail cut short": in_take("tails", "warning", short, takes=2, keys=(41, 45, 48, 49, 51, 46)),
    "a second stroke": in_take("second_strokes", "warning", doubled, keys=(36, 38)),
    "silence": in_take("silence", "error", lambda sound, dice: 0 * sound),
    "a take 9 dB louder": in_take("takes_alike clipped", "warning", lambda sound, dice: np.clip(2.8 * sound, -0.99, 0.99), takes=2),
}  # fmt: skip
RANKS = {"note": 0, "warning": 1, "error": 2}


# Judging --------------------------------------------------------------------------------------------------------------


def told_of(kit: Folder) -> list[dict]:
    """What the command says."""
    from dactyl.cli import main

    with (
        tempfile.TemporaryDirectory() as folder,
        contextlib.redirect_stdout(io.StringIO()) as said,
        contextlib.redirect_stderr(io.StringIO()),
    ):
        main(["check", str(kit.write(Path(folder))), "--json"])
    return json.loads(said.getvalue())["findings"]


def judged(case: tuple[str, int]) -> tuple[str, int, str, list[tuple[str, str, str]]]:
    """(fault, seed, how it was found, what was told elsewhere); a fault that the kit can't have: ""."""
    fault, seed = case
    kit, dice = sound_kit(seed), np.random.default_rng([seed, len(fault)])
    planted = FAULTS[fault](kit, dice) if fault else (set(), "note", set())
    if planted is None:
        return fault, seed, "", []
    rules, severity, keys = planted
    found = told_of(kit)

    def key_of(one: dict) -> int | None:
        if (key := one["where"].get("key")) is not None:
            return key
        sample = one["where"].get("sample", "").removeprefix("samples/").lower()
        return next((region.key for region in kit.regions if region.file.lower() == sample), None)

    at = [one for one in found if key_of(one) in keys and one["rule"] in rules]
    how = (
        "missed" if not at else "found" if any(RANKS[one["severity"]] >= RANKS[severity] for one in at) else "too mild"
    )
    elsewhere = [
        (one["rule"], one["severity"], one["message"])
        for one in found
        if key_of(one) not in keys and RANKS[one["severity"]]
    ]
    return fault, seed, how, elsewhere


def report(first: int, last: int) -> None:
    cases = [(fault, seed) for number, fault in enumerate(FAULTS) for seed in range(first + number, last + number)]
    cases += [("", seed) for seed in range(1000 + first * 7, 1000 + first * 7 + 4 * (last - first))]
    results, false, sound = Counter(), [], 0
    with ProcessPoolExecutor(2) as pool:
        for fault, seed, how, elsewhere in pool.map(judged, cases):
            if fault and how:
                results[fault, how] += 1
                if how != "found":
                    print(f"{how}: {fault}, seed {seed}", flush=True)
            sound += not fault
            false += [(fault, seed, *one) for one in elsewhere]
    planted = sum(results.values())
    found = sum(count for (_, how), count in results.items() if how == "found")
    print(f"{found} of {planted} planted faults found at their place and severity ({found / planted:.3f})")
    of_sound = [one for one in false if not one[0]]
    print(
        f"{sound} sound kits: {sum(one[3] == 'error' for one in of_sound)} false wrong, {sum(one[3] == 'warning' for one in of_sound)} false doubtful"
    )
    print(f"beside planted faults: {sum(one[3] == 'error' for one in false if one[0])} wrong elsewhere")
    for one in false:
        if not one[0] or one[3] == "error":
            print("  false:", *one)


if __name__ == "__main__":
    report(*(int(number) for number in sys.argv[1:3] or (0, 4)))
