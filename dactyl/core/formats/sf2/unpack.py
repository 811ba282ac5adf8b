"""Drum presets of a SoundFont as SFZ files with their samples: two zones that are the sides of one sound become one."""

import math
import re
from collections import defaultdict
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
SPARE_FRAMES = 1 << 26
SIDES_DB = 20 * math.log10(math.sqrt(2))  # of a pair over one in the middle, which leaves at 0.707 on each side
ATTENUATION_DB = (
    0.04  # of a unit: the specification says 0.1, the hardware it was written for and players since do 0.04
)
_ASIDE = 400  # tenths of a percent: a zone so far to a side is one of a pair
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
        self._room = 2 * len(font.frames) + SPARE_FRAMES  # that may be written: zones may cut one sample in many ways
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
        spans = [self._span(one) for one in (left, right) if one]
        path, seconds = self._sample(wave.name, spans, wave.rate_hz)
        root = zone[sf2.ROOT] if 0 <= zone[sf2.ROOT] <= 127 else wave.key
        tune = 100 * zone[sf2.COARSE_TUNE] + zone[sf2.FINE_TUNE] + wave.correction_cents + _held(zone, sf2.TO_PITCH)
        values: dict[str, object] = {
            "sample": path, "lovel": zone.velocities[0], "hivel": zone.velocities[1],
            "pitch_keycenter": root, "pitch_keytrack": zone[sf2.SCALE], "tune": tune,
            "volume": -ATTENUATION_DB * min(1440, max(0, zone[sf2.ATTENUATION])) - (0 if right else SIDES_DB)
            - min(960, max(0, zone[sf2.FILTER_Q])) / 20,  # section 8.1.2: half of what it raises, whatever the filter does
        }  # fmt: skip
        if zone[sf2.FOLLOWS] != 960:
            values["amp_veltrack"] = _veltrack(zone[sf2.FOLLOWS])
        if not right:
            values["pan"] = max(-500, min(500, zone[sf2.PAN])) / 5
        self._say_left_out(name, zone)
        return values | self._envelope(name, zone, seconds) | _filter(zone, wave.rate_hz)

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
        if zone[sf2.MODE] & 1:
            self._lost.add(name, "the loop is left out; it plays to its end once")
        if any(zone.values.get(one) for one in sf2.MOVING):
            self._lost.add(name, "what vibrato and the second envelope move is left out")

    # Samples -----------------------------------------------------------------------------------------------------------

    def _span(self, zone: Zone) -> tuple[int, int]:
        wave = self._font.waves[zone.wave]
        start = wave.start + zone[sf2.START] + 32_768 * zone[sf2.START_COARSE]
        end = wave.end + zone[sf2.END] + 32_768 * zone[sf2.END_COARSE]
        within = wave.start <= start < end <= len(self._font.frames)
        return (start, end) if within else (wave.start, wave.end)

    def _sample(self, name: str, spans: Sequence[tuple[int, int]], rate_hz: int) -> tuple[str, float]:
        """The path of the file that holds these frames, one channel each, and its length in seconds."""
        frames = min(end - start for start, end in spans)
        key = (tuple(spans), rate_hz)
        if key not in self._files:
            self._room -= frames * len(spans)
            if self._room < 0:
                raise KitFileError(
                    "Its zones cut its samples in too many ways.", "Choose another.", file=self._font.file
                )
            sides = [self._font.audio(start, start + frames) for start, _ in spans]
            called = _SIDE.sub("", name) if len(spans) > 1 else name
            self._files[key] = path = f"samples/{self._free(called or 'Sample')}.wav"
            has_24 = self._font.low_bytes is not None
            soundfile.write(
                self._folder / path, np.stack(sides, axis=1) << 8, rate_hz, "PCM_24" if has_24 else "PCM_16"
            )
        return self._files[key], frames / rate_hz

    def _free(self, name: str) -> str:
        """A file's name that is used once, whatever the system makes of large and small letters."""
        return _first_free(re.sub(r"[^\w \-+#&']+", " ", name).strip()[:60] or "Sample", self._used)


def _first_free(name: str, used: set[str]) -> str:
    """The name, or the name with a number; it is used then."""
    names = chain([name], (f"{name} {number}" for number in count(2)))
    free = next(one for one in names if one.casefold() not in used)
    used.add(free.casefold())
    return free


def _veltrack(centibels: int) -> float:
    """Percent by which SFZ lets a level follow velocity, so that both agree half way: (1/2)^(2f) = 1 - d (1 - (1/2)^2)"""
    follows = min(1.0, max(0.0, centibels / 960))
    return 100 * (1 - 0.5 ** (2 * follows)) / (1 - 0.5**2)


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


def _sides(zones: Sequence[Zone], waves: Sequence[sf2.Wave]) -> Iterator[tuple[Zone, Zone | None]]:
    """Pairs of zones that are the left and the right of one sound; and those that stand alone."""
    waiting: dict[tuple, list[Zone]] = defaultdict(list)
    for zone in zones:
        if zone[sf2.PAN] >= _ASIDE:
            waiting[_company(zone, waves)].append(zone)
    taken: set[int] = set()
    for zone in zones:
        if zone[sf2.PAN] <= -_ASIDE:
            rights = waiting[_company(zone, waves)]
            if linked := next((one for one in rights if _is_pair(waves, zone.wave, one.wave)), None):
                rights.remove(linked)
                taken.add(id(linked))
                yield zone, linked
                continue
        if zone[sf2.PAN] < _ASIDE:
            yield zone, None
    for rights in waiting.values():
        yield from ((zone, None) for zone in rights if id(zone) not in taken)


def _is_pair(waves: Sequence[sf2.Wave], left: int, right: int) -> bool:
    """Linked, as section 7.10 wants it; or called alike but for the side."""
    linked = waves[left].link == right or waves[right].link == left
    return linked or _SIDE.sub("", waves[left].name) == _SIDE.sub("", waves[right].name)


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
