"""Drum presets of a SoundFont as SFZ files with their samples: two zones that are the sides of one sound become one."""

import math
import re
from collections import defaultdict, deque
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from itertools import chain, count
from os.path import commonprefix
from pathlib import Path

import numpy as np
import soundfile

from dactyl.core.errors import KitFileError
from dactyl.core.formats.sf2 import read as sf2
from dactyl.core.formats.sf2.lost import Lost
from dactyl.core.formats.sf2.read import Preset, SoundFont, Zone
from dactyl.core.formats.sfz.write import NAMED, label
from dactyl.core.kinds import KINDS

MOST_KITS = 32  # of one file
MOST_TIMES, SPARE_FRAMES = 8, 1 << 22  # the frames of a font that may be written, and beside them
SPARE_FILES = 1_000  # beside four for each of its samples
LONGEST_LOOP_S = 6.0  # of what rings for as long as a note is held: a drum is struck, and nothing lets go of it
LOOP_FADE_S = 0.3
LEAST_LOOP = 4  # frames
SIDES_DB = 20 * math.log10(math.sqrt(2))  # of a pair over one in the middle, which leaves at 0.707 on each side
ATTENUATION_DB = (
    0.04  # of a unit: the specification says 0.1, the hardware it was written for and players since do 0.04
)
MOST_ATTENUATION = 1440  # (section 8.1.3)
_ASIDE = 400  # tenths of a percent: a zone so far to a side is one of a pair, linked or not
_MOST_PAN = 500
_SIDE = re.compile(r"[\s_.\-(\[]*(?:(?<![a-z])(?:left|right|l|r))?[\s_.\-)\]]*\d*[\s_.\-)\]]*$", re.IGNORECASE)
HEARD_LINEAR = 2 / math.log(10**5)  # of the time in which a level falls by 100 dB: a line with the same sum
_FULL_DB = 100.0
KIND_OF_NOTE = {note: kind.label for kind in reversed(KINDS) for note in kind.notes}


@dataclass(slots=True)
class Unpacked:
    """An SFZ file that was written of a preset."""

    path: Path
    name: str
    is_drums: bool  # its notes are those of the standard
    not_held: list[str] = field(default_factory=list)


def unpack_soundfont(font: SoundFont, folder: Path) -> list[Unpacked]:
    """Write each drum preset that has a sound into ``folder``; their samples once, in a folder below.

    raises : KitFileError where there is none
    """
    presets = [preset for preset in font.presets if preset.zones]
    if not presets:
        raise KitFileError("None of its presets has a sample that can be played.", "Choose another.", file=font.file)
    writer = _Writer(font, folder)
    unpacked = [writer.preset(preset) for preset in presets[:MOST_KITS]]
    if len(presets) > MOST_KITS:
        unpacked[0].not_held.append(f"{font.file} has {len(presets)} presets; the first {MOST_KITS} are opened.")
    return unpacked


class _Writer:
    def __init__(self, font: SoundFont, folder: Path) -> None:
        self._font, self._folder = font, folder
        self._files: dict[tuple, str] = {}  # what a file holds -> its path
        self._used: set[str] = set()
        self._room = MOST_TIMES * len(font.frames) + SPARE_FRAMES  # zones may cut one sample in many ways
        self._lost = Lost()
        (folder / "samples").mkdir(parents=True, exist_ok=True)

    def preset(self, preset: Preset) -> Unpacked:
        self._lost = Lost()
        if preset.is_modulated:
            self._lost.add(preset.name, "what it lets controllers and velocity move is left out")
        by_keys: dict[tuple[int, int], list[Zone]] = defaultdict(list)
        for zone in preset.zones:
            by_keys[zone.keys].append(zone)
        lines, used = [f"// {preset.name}", "<control>"], set()
        for keys in sorted(by_keys):
            name = _first_free(self._name(keys, by_keys[keys]), used)
            lines += self._pad(name, keys, by_keys[keys])
        path = self._folder / f"{self._free(preset.name)}.sfz"
        path.write_text("\n".join(lines) + "\n", encoding="utf-8")
        return Unpacked(path, preset.name, preset.bank == sf2.DRUM_BANK, list(self._lost.sentences()))

    def _pad(self, name: str, keys: tuple[int, int], zones: Sequence[Zone]) -> Iterator[str]:
        first = zones[0]
        shared = {"lokey": keys[0], "hikey": keys[1]}
        if group := first[sf2.EXCLUSIVE]:
            shared |= {"group": group, "off_by": group}
        yield f"<group> {_opcodes(shared)}"
        yield f"{NAMED}pad {label(name)}"
        for left, right in _sides(zones, self._font.waves):
            yield f"<region> {_opcodes(self._region(name, left, right))}"

    def _name(self, keys: tuple[int, int], zones: Sequence[Zone]) -> str:
        """What the names of its samples have in common; where that says nothing, the kind of its note."""
        names = [self._font.waves[zone.wave].name for zone in zones]
        common = _SIDE.sub("", commonprefix(names))
        if sum(letter.isalpha() for letter in common) >= 3:
            return common
        return KIND_OF_NOTE.get(keys[0]) or _SIDE.sub("", names[0]) or names[0] or "Pad"

    def _region(self, name: str, left: Zone, right: Zone | None) -> dict[str, object]:
        zone, wave = left, self._font.waves[left.wave]
        path, seconds = self._sample(name, [one for one in (left, right) if one], wave)
        values: dict[str, object] = {
            "sample": path, "lovel": zone.velocities[0], "hivel": zone.velocities[1],
            "volume": -_attenuation_db(zone) - (0 if right else SIDES_DB)
            - min(960, max(0, zone[sf2.FILTER_Q])) / 20,  # section 8.1.2: half of what it raises, whatever the filter does
            **self._pitch(right or left),  # section 7.10: the right one's
            **_velocity(zone),
        }  # fmt: skip
        if not right:
            values["pan"] = _pan(zone) / 5
        elif any(left[one] != right[one] for one in _OF_BOTH_SIDES):
            self._lost.add(name, "its two sides have one filter and one envelope, the left's")
        self._say_left_out(name, zone)
        return values | self._envelope(name, zone, seconds) | _filter(zone, wave.rate_hz)

    def _pitch(self, zone: Zone) -> dict[str, object]:
        wave = self._font.waves[zone.wave]
        root = zone[sf2.ROOT] if 0 <= zone[sf2.ROOT] <= 127 else wave.key
        tune = 100 * zone[sf2.COARSE_TUNE] + zone[sf2.FINE_TUNE] + wave.correction_cents + _held(zone, sf2.TO_PITCH)
        if 0 <= (key := zone[sf2.FORCED_KEY]) <= 127:
            return {"pitch_keycenter": root, "pitch_keytrack": 0, "tune": tune + zone[sf2.SCALE] * (key - root)}
        return {"pitch_keycenter": root, "pitch_keytrack": zone[sf2.SCALE], "tune": tune}

    def _envelope(self, name: str, zone: Zone, seconds: float) -> dict[str, object]:
        values: dict[str, object] = {}
        if (delay := _seconds(zone[sf2.DELAY])) > 0.002:
            values["delay"] = delay
        if (attack := _seconds(zone[sf2.ATTACK])) > 0.002:
            values["ampeg_attack"] = attack
        sustain_db = min(_FULL_DB, max(0, zone[sf2.SUSTAIN]) / 10)
        if sustain_db:
            decay = _seconds(zone[sf2.DECAY])
            values |= {
                "ampeg_hold": _seconds(zone[sf2.HOLD]),
                "ampeg_decay": decay * (HEARD_LINEAR if sustain_db >= _FULL_DB else sustain_db / _FULL_DB),
                "ampeg_sustain": 0 if sustain_db >= _FULL_DB else 100 * 10 ** (-sustain_db / 20),
            }
            self._lost.add(name, "the level falls along a line, not by so many dB a second")
        release = _seconds(zone[sf2.RELEASE])
        if release >= 4 * seconds:
            return values | {"loop_mode": "one_shot"}
        return values | {"loop_mode": "no_loop", "ampeg_release": min(100.0, release * HEARD_LINEAR)}

    def _say_left_out(self, name: str, zone: Zone) -> None:
        if any(zone.values.get(one) for one in sf2.MOVING):
            self._lost.add(name, "what vibrato and the second envelope move is left out")

    # Samples -----------------------------------------------------------------------------------------------------------

    def _span(self, zone: Zone) -> tuple[int, int]:
        wave = self._font.waves[zone.wave]
        start = wave.start + zone[sf2.START] + 32_768 * zone[sf2.START_COARSE]
        end = wave.end + zone[sf2.END] + 32_768 * zone[sf2.END_COARSE]
        within = wave.start <= start < end <= len(self._font.frames)
        return (start, end) if within else (wave.start, wave.end)

    def _loop(self, zone: Zone) -> "_Loop | None":
        """What of it is played again and again, and for how long; None where it plays once."""
        if not zone[sf2.MODE] & 1:
            return None
        wave, (start, end) = self._font.waves[zone.wave], self._span(zone)
        first = wave.loop[0] + zone[sf2.LOOP_START] + 32_768 * zone[sf2.LOOP_START_COARSE] - start
        last = wave.loop[1] + zone[sf2.LOOP_END] + 32_768 * zone[sf2.LOOP_END_COARSE] - start
        if not 0 <= first <= last - LEAST_LOOP <= end - start - LEAST_LOOP:
            return None
        seconds, is_held = LONGEST_LOOP_S, True
        if zone[sf2.SUSTAIN] >= 10 * _FULL_DB:
            falls = sum(_seconds(zone[one]) for one in (sf2.DELAY, sf2.ATTACK, sf2.HOLD))
            seconds = falls + HEARD_LINEAR * _seconds(zone[sf2.DECAY])  # as the envelope is written, see _envelope
            seconds, is_held = min(seconds, LONGEST_LOOP_S), seconds > LONGEST_LOOP_S
        return _Loop(first, last, max(last, round(seconds * wave.rate_hz)), is_held)

    def _sample(self, pad: str, zones: Sequence[Zone], wave: sf2.Wave) -> tuple[str, float]:
        """The path of the file that holds what zones cut out, a channel each, or as they are panned; its length in seconds."""
        spans, loop = [self._span(zone) for zone in zones], self._loop(zones[0])
        frames = min(end - start for start, end in spans)
        if loop and (loop.last > frames or loop.frames * len(spans) > self._room // 2):
            self._lost.add(pad, "the loop is left out; it plays to its end once")
            loop = None
        elif loop and loop.is_held:
            self._lost.add(pad, f"its loop rings for {LONGEST_LOOP_S:g} seconds, whatever holds it")
        panned = _as_panned(*zones) if len(zones) > 1 else None
        key = (tuple(spans), wave.rate_hz, panned, loop)
        length = loop.frames if loop else frames
        if key not in self._files:
            self._room -= length * len(spans)
            if self._room < 0 or len(self._files) > 4 * len(self._font.waves) + SPARE_FILES:
                raise KitFileError(
                    "Its zones cut its samples in too many ways.", "Choose another.", file=self._font.file
                )
            sound = np.stack([self._font.audio(start, start + frames) for start, _ in spans], axis=1) << 8
            if loop:
                sound = loop.played(sound, wave.rate_hz)
            called = _SIDE.sub("", wave.name) if len(spans) > 1 else wave.name
            self._files[key] = path = f"samples/{self._free(called or 'Sample')}.wav"
            kind = "PCM_24" if self._font.low_bytes is not None else "PCM_16"
            if panned:
                sound, kind = (sound / 2.0**31 @ np.array(panned)).astype(np.float32), "FLOAT"
            soundfile.write(self._folder / path, sound, wave.rate_hz, kind)
        return self._files[key], length / wave.rate_hz

    def _free(self, name: str) -> str:
        """A file's name that is used once, whatever the system makes of large and small letters."""
        return _first_free(re.sub(r"[^\w \-+#&']+", " ", name).strip()[:60] or "Sample", self._used)


@dataclass(frozen=True, slots=True)
class _Loop:
    """Frames of a sample that are played again and again (section 8.1.2, sampleModes)."""

    first: int
    last: int  # the first that is not played
    frames: int  # in all
    is_held: bool  # it would ring on: its end is faded

    def played(self, sound: np.ndarray, rate_hz: int) -> np.ndarray:
        """sound : int32, (frames, channels), once. The same, for as long as it rings."""
        places = np.arange(self.frames)
        behind = places >= self.last
        places[behind] = self.first + (places[behind] - self.first) % (self.last - self.first)
        made = sound[places]
        fade = min(self.frames, round(LOOP_FADE_S * rate_hz)) if self.is_held else 0
        if fade:
            made[-fade:] = (made[-fade:] * np.linspace(1, 0, fade)[:, np.newaxis]).astype(made.dtype)
        return made


def _first_free(name: str, used: set[str]) -> str:
    """The name, or the name with a number; it is used then."""
    names = chain([name], (f"{name} {number}" for number in count(2)))
    free = next(one for one in names if one.casefold() not in used)
    used.add(free.casefold())
    return free


def _attenuation_db(zone: Zone) -> float:
    return ATTENUATION_DB * min(MOST_ATTENUATION, max(0, zone[sf2.ATTENUATION]))


def _pan(zone: Zone) -> int:
    return max(-_MOST_PAN, min(_MOST_PAN, zone[sf2.PAN]))


def _as_panned(left: Zone, right: Zone) -> tuple[tuple[float, float], tuple[float, float]] | None:
    """What of each sample goes left and right, over what the left one's level is; None where each goes to its side, as loud."""
    softer_db = _attenuation_db(right) - _attenuation_db(left)
    if (_pan(left), _pan(right), softer_db) == (-_MOST_PAN, _MOST_PAN, 0):
        return None
    angles = [(_pan(zone) + _MOST_PAN) / (2 * _MOST_PAN) * math.pi / 2 for zone in (left, right)]
    gain = 10 ** (-softer_db / 20)
    return (math.cos(angles[0]), math.sin(angles[0])), (gain * math.cos(angles[1]), gain * math.sin(angles[1]))


def _velocity(zone: Zone) -> dict[str, object]:
    """How its level follows velocity: by 40 log10(v/127) dB for 960 centibels, or as one that is forced."""
    follows = max(0.0, zone[sf2.FOLLOWS] / 960)
    if 1 <= (forced := zone[sf2.FORCED_VELOCITY]) <= 127:
        return {"amp_veltrack": 0, "amplitude": 100 * (forced / 127) ** (2 * follows)}
    if follows in (0, 1):
        return {"amp_veltrack": 100 * follows}
    return {f"amp_velcurve_{velocity}": (velocity / 127) ** (2 * follows) for velocity in range(1, 128)}


def _held(zone: Zone, generator: int) -> int:
    """Cents by which the second envelope moves pitch or filter for as long as a drum sounds."""
    stays = 1.0 if _seconds(zone[sf2.MOVING_DECAY]) > 0.3 else 1 - min(1000, max(0, zone[sf2.MOVING_SUSTAIN])) / 1000
    return round(zone[generator] * stays)


def _filter(zone: Zone, rate_hz: int) -> dict[str, object]:
    cents = max(1_500, zone[sf2.FILTER_CENTS] + _held(zone, sf2.TO_FILTER))
    cutoff_hz = 8.176 * 2 ** (min(13_500, cents) / 1200)
    if cents >= 13_500 or cutoff_hz >= 0.45 * rate_hz:
        return {}
    return {"fil_type": "lpf_2p", "cutoff": cutoff_hz, "resonance": min(40.0, max(0, zone[sf2.FILTER_Q]) / 10)}


_OF_BOTH_SIDES = (
    sf2.FILTER_CENTS, sf2.FILTER_Q, sf2.DELAY, sf2.ATTACK, sf2.HOLD, sf2.DECAY, sf2.SUSTAIN, sf2.RELEASE,
)  # fmt: skip


def _sides(zones: Sequence[Zone], waves: Sequence[sf2.Wave]) -> Iterator[tuple[Zone, Zone | None]]:
    """Pairs of zones that are the left and the right of one sound; and those that stand alone.

    Samples of a pair (section 7.10) are one whatever else their zones say: found by their links, where those were lost by their
    names, or by standing side by side. Other samples are where they are called alike and panned far to either side.
    """

    def alike(zone: Zone) -> tuple:
        return zone.velocities, waves[zone.wave].rate_hz

    def named(zone: Zone) -> str:
        return _SIDE.sub("", waves[zone.wave].name)

    lefts, rights = ([one for one in zones if waves[one.wave].type == kind] for kind in (sf2.LEFT, sf2.RIGHT))
    far = [zone for zone in zones if abs(zone[sf2.PAN]) >= _ASIDE]
    far_left, far_right = ([one for one in far if (one[sf2.PAN] < 0) is is_left] for is_left in (True, False))
    right_of: dict[int, Zone] = {}  # by the identity of the left one
    taken: set[int] = set()  # identities of both
    for ours, theirs, key_of, key_of_other in (
        (lefts, rights, lambda one: (alike(one), waves[one.wave].link), lambda one: (alike(one), one.wave)),
        (lefts, rights, lambda one: (alike(one), one.wave), lambda one: (alike(one), waves[one.wave].link)),
        (lefts, rights, lambda one: (alike(one), named(one)), lambda one: (alike(one), named(one))),
        (lefts, rights, lambda one: (alike(one), one.wave + 1), lambda one: (alike(one), one.wave)),
        (
            far_left,
            far_right,
            lambda one: (_company(one, waves), named(one)),
            lambda one: (_company(one, waves), named(one)),
        ),
    ):
        waiting: dict[tuple, deque[Zone]] = defaultdict(deque)
        for zone in theirs:
            if id(zone) not in taken:
                waiting[key_of_other(zone)].append(zone)
        for zone in ours:
            if id(zone) not in taken and (found := waiting.get(key_of(zone))):
                other = found.popleft()
                right_of[id(zone)] = other
                taken |= {id(zone), id(other)}
    for zone in zones:
        if id(zone) in right_of or id(zone) not in taken:
            yield zone, right_of.get(id(zone))


def _company(zone: Zone, waves: Sequence[sf2.Wave]) -> tuple:
    """What both sides of one sound share."""
    shared = (sf2.ATTENUATION, sf2.COARSE_TUNE, sf2.FINE_TUNE, sf2.ROOT, sf2.SCALE)
    return zone.velocities, waves[zone.wave].rate_hz, tuple(zone[one] for one in shared)


def _seconds(timecents: int) -> float:
    """Section 8.1.3: 2^(timecents / 1200)"""
    return min(100.0, 2 ** (max(-12_000, min(8_000, timecents)) / 1200))


def _opcodes(values: dict[str, object]) -> str:
    return " ".join(
        f"{name}={value:.9g}" if isinstance(value, float) else f"{name}={value}" for name, value in values.items()
    )
