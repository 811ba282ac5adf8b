"""Presets of a SoundFont file, each as zones with all that they inherit; every number is looked at before it is used.

Section and generator numbers are those of the SoundFont Technical Specification, version 2.04 (1996).
"""

import mmap
import struct
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from types import MappingProxyType

import numpy as np

from dactyl.core.errors import KitFileError

DRUM_BANK = 128
MOST_PRESETS, MOST_ZONES = 2_000, 50_000
MOST_MEETINGS = 500_000  # of zones of presets with those of their instruments, whether or not they sound
ROM, COMPRESSED = 0x8000, 0x10  # of a sample's type; the second is no SoundFont 2
LEFT, RIGHT = 4, 2

# Generators (section 8.1.2)
START, END, START_COARSE, END_COARSE = 0, 1, 4, 12
LOOP_START, LOOP_END, LOOP_START_COARSE, LOOP_END_COARSE = 2, 3, 45, 50
FILTER_CENTS, FILTER_Q = 8, 9
PAN, DELAY, ATTACK, HOLD, DECAY, SUSTAIN, RELEASE = 17, 33, 34, 35, 36, 37, 38
INSTRUMENT, KEYS, VELOCITIES, FORCED_KEY, FORCED_VELOCITY, ATTENUATION = 41, 43, 44, 46, 47, 48
COARSE_TUNE, FINE_TUNE, SAMPLE, MODE, SCALE, EXCLUSIVE, ROOT = 51, 52, 53, 54, 56, 57, 58
TO_PITCH, TO_FILTER, MOVING_DECAY, MOVING_SUSTAIN = 7, 11, 28, 29  # of the envelope of pitch and filter
MOVING = (5, 6, TO_PITCH, 10, TO_FILTER, 13)  # by vibrato or by that envelope
FOLLOWS = -1  # our own: how far the level follows velocity, centibels; from the modulator below where it is said anew
LAST = 60  # of the generators; those behind it say nothing (section 8.1)
VELOCITY_TO_LEVEL = 0x0502  # velocity, falling, concave (section 8.4.1)
DEFAULTS = MappingProxyType({
    FOLLOWS: 960,
    FILTER_CENTS: 13_500, MOVING_DECAY: -12_000, DELAY: -12_000, ATTACK: -12_000, HOLD: -12_000, DECAY: -12_000, RELEASE: -12_000,
    SCALE: 100, ROOT: -1, FORCED_KEY: -1, FORCED_VELOCITY: -1,
})  # fmt: skip
_NOT_ADDED = {
    START, END, START_COARSE, END_COARSE, INSTRUMENT, KEYS, VELOCITIES, FORCED_KEY, FORCED_VELOCITY, SAMPLE, MODE, EXCLUSIVE,
    ROOT, LOOP_START, LOOP_END, LOOP_START_COARSE, LOOP_END_COARSE,
}  # fmt: skip
_RANGES = {KEYS, VELOCITIES}
_SIZES = {
    b"phdr": 38,
    b"pbag": 4,
    b"pmod": 10,
    b"pgen": 4,
    b"inst": 22,
    b"ibag": 4,
    b"imod": 10,
    b"igen": 4,
    b"shdr": 46,
}


@dataclass(frozen=True, slots=True)
class Wave:
    """What a sample header says."""

    name: str
    start: int  # frames of the file's one long sound
    end: int
    loop: tuple[int, int]  # frames of it too, the second is the first that is not played
    rate_hz: int
    key: int
    correction_cents: int
    link: int
    type: int


@dataclass(frozen=True, slots=True)
class Zone:
    """One sample within ranges of keys and velocities, both inclusive."""

    wave: int  # index into SoundFont.waves
    keys: tuple[int, int]
    velocities: tuple[int, int]
    values: Mapping[int, int] = field(hash=False)  # by generator

    def __getitem__(self, generator: int) -> int:
        return self.values.get(generator, DEFAULTS.get(generator, 0))


@dataclass(frozen=True, slots=True)
class Preset:
    name: str
    bank: int
    number: int
    zones: tuple[Zone, ...]
    is_modulated: bool  # by modulators of its own, that of velocity and level apart


@dataclass(frozen=True, slots=True)
class SoundFont:
    file: str
    waves: tuple[Wave, ...]
    presets: tuple[Preset, ...]
    frames: np.ndarray  # int16, of all samples
    low_bytes: np.ndarray | None = None  # uint8: the third byte of 24 bits

    def audio(self, start: int, end: int) -> np.ndarray:
        """int32 of 24 bits, (frames,)"""
        sound = self.frames[start:end].astype(np.int32) << 8
        if self.low_bytes is not None:
            sound |= self.low_bytes[start:end]
        return sound


def read_soundfont(path: Path, name: str) -> SoundFont:
    """raises : KitFileError where it is no SoundFont 2, or says what can't be"""
    try:
        with path.open("rb") as file:
            data = mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ)
    except ValueError:  # nothing in it
        raise _damaged(name) from None
    return _Reader(data, name).soundfont()


def _damaged(name: str) -> KitFileError:
    return KitFileError("It is damaged, or no SoundFont 2.", "Bring it in again, or choose another.", file=name)


class _Reader:
    def __init__(self, data: mmap.mmap, name: str) -> None:
        self._data, self._name = data, name

    def soundfont(self) -> SoundFont:
        if len(self._data) < 12 or self._data[:4] != b"RIFF" or self._data[8:12] != b"sfbk":
            raise _damaged(self._name)
        chunks: dict[bytes, tuple[int, int]] = {}
        for key, start, size in self._chunks(12, len(self._data)):
            if key == b"LIST" and size >= 4:
                chunks |= {inner: (at, length) for inner, at, length in self._chunks(start + 4, start + size)}
        if not {b"smpl", *_SIZES} - {b"pmod", b"imod"} <= set(chunks):
            raise _damaged(self._name)
        start, size = chunks[b"smpl"]
        frames = np.frombuffer(self._data, "<i2", size // 2, start)
        low_start, low_size = chunks.get(b"sm24", (0, 0))
        has_low = low_size >= len(frames)
        self._records = {key: self._rows(key, *chunks.get(key, (0, 0))) for key in _SIZES}
        waves = tuple(self._waves(len(frames)))
        return SoundFont(
            self._name, waves, tuple(self._presets(waves)), frames,
            np.frombuffer(self._data, np.uint8, len(frames), low_start) if has_low else None,
        )  # fmt: skip

    def _chunks(self, at: int, stop: int) -> Iterator[tuple[bytes, int, int]]:
        """(name, first byte, length) of each, cut off where the file ends."""
        while at + 8 <= stop:
            size = struct.unpack_from("<I", self._data, at + 4)[0]
            yield self._data[at : at + 4], at + 8, min(size, stop - at - 8)
            at += 8 + size + size % 2

    def _rows(self, key: bytes, start: int, size: int) -> list[tuple]:
        shape = {
            b"phdr": "<20sHHHIII", b"inst": "<20sH", b"shdr": "<20sIIIIIBbHH", b"pbag": "<HH", b"ibag": "<HH",
            b"pgen": "<HH", b"igen": "<HH", b"pmod": "<HHHHH", b"imod": "<HHHHH",
        }[key]  # fmt: skip
        whole = size - size % _SIZES[key]
        return list(struct.iter_unpack(shape, self._data[start : start + whole]))

    def _waves(self, frames: int) -> Iterator[Wave]:
        for name, start, end, loop_start, loop_end, rate, key, correction, link, kind in self._records[b"shdr"][:-1]:
            there = start < end <= frames and 400 <= rate <= 400_000
            end, key, loop = end if there else start, key if key <= 127 else 60, (loop_start, loop_end)
            yield Wave(_text(name), start, end, loop, rate, key, correction, link, kind)

    def _presets(self, waves: Sequence[Wave]) -> Iterator[Preset]:
        """Those of drums, in the order of their numbers; where there is none, all that there are."""
        heads, last = self._records[b"phdr"][:-1], len(self._records[b"inst"]) - 1
        if not 1 <= len(heads) <= MOST_PRESETS:
            raise _damaged(self._name)
        numbers = sorted(range(len(heads)), key=lambda number: heads[number][1])
        drums = [number for number in numbers if heads[number][2] == DRUM_BANK]
        instruments: dict[int, list[dict[int, int]]] = {}
        modulated: dict[int, bool] = {}
        left, met = MOST_ZONES, 0
        for number in drums or numbers:
            zones, has_modulators = [], self._has_modulators(b"phdr", number)
            for own in self._zones(b"phdr", number, INSTRUMENT):
                if (instrument := own[INSTRUMENT]) >= last:
                    continue
                if instrument not in instruments:
                    instruments[instrument] = list(self._zones(b"inst", instrument, SAMPLE))
                    modulated[instrument] = self._has_modulators(b"inst", instrument)
                has_modulators |= modulated[instrument]
                met += len(instruments[instrument])
                if met > MOST_MEETINGS:
                    raise KitFileError("Its presets and instruments have too many zones.", "Split it.", file=self._name)
                zones += [zone for inner in instruments[instrument] if (zone := _zone(own, inner, waves))]
                if len(zones) > left:
                    raise KitFileError(f"It has over {MOST_ZONES:,} zones.", "Split it.", file=self._name)
            left -= len(zones)
            name, program, bank, *_ = heads[number]
            yield Preset(_text(name) or f"Preset {program}", bank, program, tuple(zones), has_modulators)

    def _bags(self, of: bytes, number: int) -> tuple[bytes, bytes, range]:
        """Names of the bags and generators, and which bags belong to this preset or instrument."""
        bags, generators, at = (b"pbag", b"pgen", 3) if of == b"phdr" else (b"ibag", b"igen", 1)
        heads = self._records[of]
        first, last = heads[number][at], heads[number + 1][at]
        if not first <= last < len(self._records[bags]):
            raise _damaged(self._name)
        return bags, generators, range(first, last)

    def _zones(self, of: bytes, number: int, ends_with: int) -> Iterator[dict[int, int]]:
        """Generators of each zone that has a sample or an instrument, with those of the global zone before it."""
        bags, generators, own = self._bags(of, number)
        shared: dict[int, int] = {}
        for place, bag in enumerate(own):
            first, last = self._records[bags][bag][0], self._records[bags][bag + 1][0]
            if not first <= last <= len(self._records[generators]):
                raise _damaged(self._name)
            values = {
                operator: amount if operator in _RANGES or operator == ends_with else _signed(amount)
                for operator, amount in self._records[generators][first:last]
                if operator <= LAST
            }
            values |= self._follows(of, bag)
            if ends_with in values:
                yield shared | values
            elif place == 0:
                shared = values

    def _follows(self, of: bytes, bag: int) -> dict[int, int]:
        amounts = [
            _signed(amount)
            for source, to, amount, *_ in self._modulators(of, range(bag, bag + 1))
            if _is_level(source, to)
        ]
        return {FOLLOWS: amounts[-1]} if amounts else {}

    def _has_modulators(self, of: bytes, number: int) -> bool:
        *_, own = self._bags(of, number)
        return any(not _is_level(source, to) for source, to, *_ in self._modulators(of, own))

    def _modulators(self, of: bytes, bags: range) -> list[tuple]:
        named = (b"pbag", b"pmod") if of == b"phdr" else (b"ibag", b"imod")
        rows = self._records[named[0]]
        return self._records[named[1]][rows[bags.start][1] : rows[bags.stop][1]]


def _zone(preset: Mapping[int, int], instrument: Mapping[int, int], waves: Sequence[Wave]) -> Zone | None:
    """Ranges are those of both, other values those of the instrument and the preset's added (section 9.4)."""
    wave = instrument[SAMPLE]
    if wave >= len(waves) or waves[wave].end <= waves[wave].start or waves[wave].type & (ROM | COMPRESSED):
        return None
    keys, velocities = (_both(preset.get(one), instrument.get(one)) for one in (KEYS, VELOCITIES))
    if keys[0] > keys[1] or velocities[0] > velocities[1]:
        return None
    values = dict(instrument)
    for operator, amount in preset.items():
        if operator not in _NOT_ADDED:
            values[operator] = values.get(operator, DEFAULTS.get(operator, 0)) + amount
    return Zone(wave, keys, velocities, MappingProxyType(values))


def _is_level(source: int, to: int) -> bool:
    return (source, to) == (VELOCITY_TO_LEVEL, ATTENUATION)


def _both(one: int | None, other: int | None) -> tuple[int, int]:
    ranges = [(amount & 0xFF, amount >> 8) for amount in (one, other) if amount is not None]
    return max([0, *(low for low, _ in ranges)]), min([127, *(high for _, high in ranges)])


def _signed(amount: int) -> int:
    return amount - 0x10000 if amount >= 0x8000 else amount


def _text(name: bytes) -> str:
    text = name.split(b"\0")[0].decode("latin-1")
    return " ".join("".join(letter if letter.isprintable() else " " for letter in text).split())
