"""Write a kit as a SoundFont: of each layer its first take, mixed as mics and desk stand; and list what that loses.

Numbers are those of the SoundFont Technical Specification, version 2.04 (1996), as in read.py.
"""

import math
import struct
from collections import Counter
from collections.abc import Callable, Generator, Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import chain, count
from pathlib import Path
from typing import BinaryIO

import numpy as np

from dactyl.core.audio.prepare import Recipe
from dactyl.core.desk.tables import become
from dactyl.core.errors import KitError
from dactyl.core.formats.notes import runs_of
from dactyl.core.formats.sf2 import read as sf2
from dactyl.core.formats.sf2.lost import Lost, lost_by_a_soundfont
from dactyl.core.formats.sf2.unpack import ATTENUATION_DB, HEARD_LINEAR, MOST_ATTENUATION
from dactyl.core.kit import MAX_VELOCITY, Kit, Pad
from dactyl.core.play.compile import compile_kit, layer_gains
from dactyl.core.play.playbook import PadTable, Playbook, Region
from dactyl.core.steps import result_of
from dactyl.core.units import db_to_gain, gain_to_db

MOST_BYTES = 2**31
SILENT_FRAMES, LEAST_FRAMES = 46, 48  # behind each sample; of each (sections 6.1 and 7.10)
NEVER = 8_000  # timecents: what takes so long is never over
MOST_RATE_HZ = 50_000  # of a sample (section 7.10)
MOST_FOLLOWS = 1.6  # of the standard's 960 centibels by which a level follows velocity
MOST_SCALE = 1200  # cents a key; and none below 0 (section 8.1.3)
MOST_ROWS = 0xFFFF  # of a table of generators
_TOLERANCES_DB = (0.75, 3.0, math.inf)  # of a level: the first with that all zones find room
_MOST_UNDER_DB = ATTENUATION_DB * MOST_ATTENUATION
_ROWS_OF_ZONE = 16  # generators, at most
_TABLES = ("phdr", "pbag", "pmod", "pgen", "inst", "ibag", "imod", "igen", "shdr")


Law = tuple[float, float, float]
"""level at 127 in dB, how far it follows velocity, how far off that is at most in dB: level + follows x 40 log10(v/127)"""
Levelled = tuple[Region, tuple[int, int], Law]
"""A take, the velocities from and to which it answers so, and how loud."""


@dataclass(frozen=True, slots=True)
class _Zone:
    keys: tuple[int, int]
    velocities: tuple[int, int]
    follows: float  # velocity: 1 as the standard has it, 0 not at all
    sample: int
    values: dict[int, int]
    side: int = 0  # -1 left, 1 right


def write_soundfont(path: Path, kit: Kit, load_sound: Callable[[Recipe], np.ndarray]) -> tuple[str, ...]:
    """Returns a sentence for everything that it can't hold. raises : KitError where no pad has a sound and a note"""
    return result_of(soundfont_steps(path, kit, load_sound))


def soundfont_steps(
    path: Path, kit: Kit, load_sound: Callable[[Recipe], np.ndarray]
) -> Generator[tuple[int, int], None, tuple[str, ...]]:
    """The same step by step: (done, of how many), and at the end the sentences."""
    rates = Counter(sample.rate_hz for _, pad in kit.pads() for layer in pad.layers for take in layer.takes for _, sample in take.samples)  # fmt: skip
    rate_hz = rates.most_common(1)[0][0] if rates else 44_100
    while rate_hz > MOST_RATE_HZ:
        rate_hz = rate_hz // 2 if rate_hz % 2 == 0 else 48_000
    with path.open("wb") as file:
        return (yield from _Writer(file, kit, compile_kit(kit, rate_hz), load_sound).write())


class _Writer:
    def __init__(self, file: BinaryIO, kit: Kit, book: Playbook, load_sound: Callable[[Recipe], np.ndarray]) -> None:
        self._file, self._kit, self._book, self._load = file, kit, book, load_sound
        self._matrices = [channel.matrix for channel in book.desk.channels]
        self._headers: list[tuple] = []
        self._names: set[bytes] = set()
        self._zones: list[_Zone] = []
        self._frames = 0
        self._lost = Lost()
        self._classes = iter(range(27, 128))  # behind those of choke groups: of pads that cut themselves

    def write(self) -> Generator[tuple[int, int], None, tuple[str, ...]]:
        self._file.write(struct.pack("<4sI4s", b"RIFF", 0, b"sfbk"))
        self._file.write(_list(b"INFO", self._info()))
        begin = self._file.tell()
        self._file.write(struct.pack("<4sI4s4sI", b"LIST", 0, b"sdta", b"smpl", 0))
        notes = self._kit.notes()
        pads = zip(self._kit.pads(), self._book.pads, strict=True)
        written = [(pad, table) for (_, pad), table in pads if pad.layers and not pad.muted and notes.get(pad.id)]
        self._choking = Counter(pad.choke.letter for pad, _ in written if pad.choke)
        levelled = self._levelled(written, notes)
        self._loudest = 1.0
        for done, (_, _, layers) in enumerate(levelled):
            self._loudest = max(self._loudest, self._peak(layers))
            yield done, 2 * len(levelled)
        for done, (pad, table, layers) in enumerate(levelled, start=len(levelled)):
            self._pad(pad, table, sorted(notes[pad.id]), layers)
            yield done, 2 * len(levelled)
        if not self._zones:
            raise KitError("No pad of this kit has a sound and a note. Give one both first.")
        self._tell(begin + 4, 12 + 2 * self._frames)
        self._tell(begin + 16, 2 * self._frames)
        self._file.write(_list(b"pdta", self._tables()))
        self._tell(4, self._file.seek(0, 2) - 8)
        softer = f"All of it is {gain_to_db(self._loudest):.1f} dB softer, so that its loudest take fits."
        return (*lost_by_a_soundfont(self._kit), *self._lost.sentences(), *([softer] if self._loudest > 1 else []))

    def _tell(self, at: int, size: int) -> None:
        self._file.seek(at)
        self._file.write(struct.pack("<I", size))
        self._file.seek(0, 2)

    # One pad -----------------------------------------------------------------------------------------------------------

    def _levelled(
        self, written: Sequence[tuple[Pad, PadTable]], notes: Mapping[int, Sequence[int]]
    ) -> list[tuple[Pad, PadTable, list[Levelled]]]:
        """Each pad with its layers, in as many stretches of velocity as keep the levels right."""
        for most_off_db in _TOLERANCES_DB:
            found = [(pad, table, list(_layers(pad, table, most_off_db))) for pad, table in written]
            rows = sum(2 * _ROWS_OF_ZONE * len(layers) * len(_keys(table, sorted(notes[pad.id]))) for pad, table, layers in found)  # fmt: skip
            if rows <= MOST_ROWS:
                break
        return found

    def _peak(self, layers: Sequence[Levelled]) -> float:
        """Of the loudest sample, each at the highest level of its own stretches."""
        loudest: dict[int, tuple[Region, float]] = {}
        for region, _, (level_db, *_) in layers:
            _, before = loudest.get(id(region), (region, -math.inf))
            loudest[id(region)] = region, max(before, level_db)
        peaks = [np.abs(self._mixed(region)).max(initial=0) * db_to_gain(level_db) for region, level_db in loudest.values()]  # fmt: skip
        return float(max(peaks, default=0))

    def _pad(self, pad: Pad, table: PadTable, notes: Sequence[int], layers: Sequence[Levelled]) -> None:
        """Stretches of one layer share its sample, as far as the softer ones can be attenuated; else it is there softer too."""
        shared = self._values(pad)
        level_of: dict[int, float] = {}
        for region, _, (level_db, *_) in layers:
            level_of[id(region)] = max(level_db, level_of.get(id(region), -math.inf))
        samples: dict[tuple[int, float], list[tuple[int, int]]] = {}
        for region, velocities, (level_db, follows, off_db) in layers:
            if off_db > 1:
                self._lost.add(pad.name, "how the level follows velocity is over 1 dB off")
            under_db = level_of[id(region)] - level_db
            sample_db = level_of[id(region)] - under_db // _MOST_UNDER_DB * _MOST_UNDER_DB
            if (id(region), sample_db) not in samples:
                samples[id(region), sample_db] = list(self._samples(pad.name, region, db_to_gain(sample_db)))
            softer = round((sample_db - level_db) / ATTENUATION_DB)
            for number, side in samples[id(region), sample_db]:
                for keys, tuned in _keys(table, notes):
                    values = shared | tuned | ({sf2.ATTENUATION: softer} if softer else {})
                    self._zones.append(_Zone(keys, velocities, follows, number, values, side))

    def _values(self, pad: Pad) -> dict[int, int]:
        """Generators that all zones of a pad share."""
        envelope, values = pad.envelope, {}
        seconds = {sf2.DELAY: pad.delay_ms, sf2.ATTACK: envelope.attack_ms}
        values |= {generator: _timecents(ms / 1000) for generator, ms in seconds.items() if ms > 0}
        if envelope.decay_ms is not None:
            sustain = envelope.sustain if pad.is_held else 0.0
            fall_db = -gain_to_db(sustain) if sustain > 1e-5 else 100.0
            seconds_to_silence = (
                envelope.decay_ms / 1000 / (HEARD_LINEAR if fall_db >= 100 else max(fall_db, 0.1) / 100)
            )
            self._lost.add(pad.name, "the level falls by so many dB a second, not along a line")
            values |= {
                sf2.HOLD: _timecents(envelope.hold_ms / 1000),
                sf2.DECAY: _timecents(seconds_to_silence),
                sf2.SUSTAIN: round(10 * fall_db),
            }
        values[sf2.RELEASE] = _timecents(envelope.release_ms / 1000 / HEARD_LINEAR) if pad.is_held else NEVER
        if pad.filter.kind == "low":
            cutoff_hz = pad.filter.cutoff_hz * 2 ** (pad.filter.octaves * (100 / MAX_VELOCITY - 1))
            values[sf2.FILTER_CENTS] = round(min(13_500, max(1_500, 1200 * math.log2(cutoff_hz / 8.176))))
            values[sf2.FILTER_Q] = _resonance(pad)
        if pad.choke and self._choking[pad.choke.letter] > 1:
            values[sf2.EXCLUSIVE] = ord(pad.choke.letter) - ord("A") + 1
            if not pad.cuts_itself:
                self._lost.add(pad.name, "its own strikes cut it too, as all of an exclusive class do")
        elif pad.cuts_itself and (number := next(self._classes, None)):
            values[sf2.EXCLUSIVE] = number
        return values

    def _samples(self, name: str, region: Region, level: float) -> Iterator[tuple[int, int]]:
        """Write the mixed sound of a take at its level, on which all players agree: number and side of each channel."""
        mixed = self._mixed(region)
        if not mixed.any():
            return
        is_mono = np.array_equal(*mixed)
        level *= 1.0 if is_mono else math.sqrt(0.5)  # a pair leaves whole, one in the middle at 0.707 on each side
        steps = np.round(mixed * np.float32(32_767 * level / self._loudest)).astype("<i2")
        sides = [(0, steps[0])] if is_mono else [(-1, steps[0]), (1, steps[1])]
        first, called_both = len(self._headers), self._free(name)
        for place, (side, channel) in enumerate(sides):
            if 2 * (self._frames + len(channel)) > MOST_BYTES:
                raise KitError("The kit is too large for a SoundFont, which holds 2 GB. Take pads or mics out.")
            channel = np.pad(channel, (0, max(0, LEAST_FRAMES - len(channel))))
            self._file.write(channel.tobytes() + bytes(2 * SILENT_FRAMES))
            start, end = self._frames, self._frames + len(channel)
            self._frames = end + SILENT_FRAMES
            link = first + 1 - place if side else 0
            kind = {-1: sf2.LEFT, 0: 1, 1: sf2.RIGHT}[side]
            called = called_both + (b" L" if side < 0 else b" R" if side else b"")
            loop = start + 8, end - 8  # which nothing uses; no nearer to the ends (section 7.10)
            self._headers.append((called, start, end, *loop, self._book.rate_hz, 60, 0, link, kind))
            yield first + place, side

    def _mixed(self, region: Region) -> np.ndarray:
        """As it leaves the desk without its parallel bus: what that does to all at once is no sample's."""
        parts = [(sound, self._load(sound.recipe)) for sound in region.sounds]
        mixed = np.zeros((2, max((audio.shape[1] for _, audio in parts), default=0)), np.float32)
        for sound, audio in parts:
            sides = np.stack([np.float32(sound.left) * audio[0], np.float32(sound.right) * audio[-1]])
            become(sides, self._matrices[sound.output])
            mixed[:, : audio.shape[1]] += sides
        return mixed

    def _free(self, name: str) -> bytes:
        """A name of 18 letters at most that no other sample has."""
        names = chain([name], (f"{name[: 17 - len(str(number))]} {number}" for number in count(2)))
        free = next(one for one in (_name(name, 18) for name in names) if one not in self._names)
        self._names.add(free)
        return free

    # Tables ------------------------------------------------------------------------------------------------------------

    def _info(self) -> bytes:
        return b"".join([
            _chunk(b"ifil", struct.pack("<HH", 2, 4)), _chunk(b"isng", _ended(b"EMU8000")),
            _chunk(b"INAM", _ended(_name(self._kit.name, 60))), _chunk(b"ISFT", _ended(b"Dactyl")),
        ])  # fmt: skip

    def _tables(self) -> bytes:
        """One preset, the first of the drums, with one instrument of all zones."""
        rows: dict[str, list[bytes]] = {name: [] for name in _TABLES}
        name = _name(self._kit.name, 20)
        for called, bag, bank in ((name, 0, sf2.DRUM_BANK), (b"EOP", 1, 0)):
            rows["phdr"].append(struct.pack("<20sHHHIII", called, 0, bank, bag, 0, 0, 0))
        rows["pbag"] += [struct.pack("<HH", 0, 0), struct.pack("<HH", 1, 0)]
        rows["pgen"] += [struct.pack("<HH", sf2.INSTRUMENT, 0), bytes(4)]
        rows["inst"] += [struct.pack("<20sH", name, 0), struct.pack("<20sH", b"EOI", len(self._zones))]
        for zone in self._zones:
            rows["ibag"].append(struct.pack("<HH", len(rows["igen"]), len(rows["imod"])))
            rows["igen"] += [struct.pack("<HH", *one) for one in _generators(zone)]
            if zone.follows != 1:
                rows["imod"].append(
                    struct.pack("<HHhHH", sf2.VELOCITY_TO_LEVEL, sf2.ATTENUATION, round(960 * zone.follows), 0, 0)
                )
        if len(rows["igen"]) > MOST_ROWS:
            raise KitError("The kit is too large for a SoundFont. Take pads out.")
        rows["ibag"].append(struct.pack("<HH", len(rows["igen"]), len(rows["imod"])))
        rows["igen"].append(bytes(4))
        for ends in ("pmod", "imod"):
            rows[ends].append(bytes(10))
        rows["shdr"] += [struct.pack("<20sIIIIIBbHH", *header) for header in self._headers]
        rows["shdr"].append(struct.pack("<20s26x", b"EOS"))
        return b"".join(_chunk(name.encode(), b"".join(rows[name])) for name in _TABLES)


def _generators(zone: _Zone) -> Iterator[tuple[int, int]]:
    """In the order that section 8.1.2 asks for: keys, velocities, the sample last."""
    yield sf2.KEYS, zone.keys[0] | zone.keys[1] << 8
    yield sf2.VELOCITIES, zone.velocities[0] | zone.velocities[1] << 8
    values = zone.values | ({sf2.PAN: 500 * zone.side} if zone.side else {})
    for generator in sorted(values):
        yield generator, values[generator] & 0xFFFF
    yield sf2.SAMPLE, zone.sample


def _keys(table: PadTable, notes: Sequence[int]) -> list[tuple[tuple[int, int], dict[int, int]]]:
    """Stretches of keys with the tuning that all of each share: key by key where their steps are nothing a font can say."""
    cents = table.cents_per_key
    if not cents:
        return [(keys, {sf2.ROOT: keys[0], sf2.SCALE: 0}) for keys in runs_of(notes)]
    if cents == round(cents) and 0 <= cents <= MOST_SCALE:
        return [(keys, {sf2.ROOT: table.root, sf2.SCALE: round(cents)}) for keys in runs_of(notes)]
    made = []
    for key in notes:
        coarse, fine = divmod(round(cents * (key - table.root)), 100)
        made.append(((key, key), {sf2.ROOT: key, sf2.SCALE: 0, sf2.COARSE_TUNE: coarse, sf2.FINE_TUNE: fine}))
    return made


def _layers(pad: Pad, table: PadTable, most_off_db: float) -> Iterator[Levelled]:
    """Of each layer that sounds its first take, in stretches of the struck velocities that come to it."""
    regions = iter(table.regions)
    for layer, gains in zip(pad.layers, layer_gains(pad, table.curve), strict=True):
        own = [(take, next(regions)) for take in layer.takes]
        first = next((region for take, region in own if take.enabled), None)
        struck = [v for v in range(1, MAX_VELOCITY + 1) if layer.low <= table.curve[v - 1] <= layer.high]
        for run in runs_of(struck) if first else ():  # a curve that falls and rises comes to a layer twice
            for velocities, (level_db, follows, off_db) in _laws(gains, run, most_off_db):
                yield first, velocities, (level_db + _resonance(pad) / 20, follows, off_db)


def _laws(
    gains: Sequence[float | None], velocities: tuple[int, int], most_off_db: float
) -> Iterator[tuple[tuple[int, int], Law]]:
    """A stretch of velocities, cut in halves until each follows its law as nearly as is asked for."""
    law, (low, high) = _follows(gains, velocities), velocities
    if law[2] <= most_off_db or low == high:
        yield velocities, law
        return
    middle = (low + high) // 2
    yield from _laws(gains, (low, middle), most_off_db)
    yield from _laws(gains, (middle + 1, high), most_off_db)


def _resonance(pad: Pad) -> int:
    """Centibels over a plain filter; players take half of it off the level (section 8.1.2), so the sample is louder by that."""
    return round(min(960, max(0, 200 * math.log10(pad.filter.q / 0.7071)))) if pad.filter.kind == "low" else 0


def _follows(gains: Sequence[float | None], velocities: tuple[int, int]) -> Law:
    """The nearest law. Its level at 127 is never over full: a layer of soft strokes would else make all others softer."""
    struck = np.array([v for v in range(velocities[0], velocities[1] + 1) if gains[v - 1]])
    if not len(struck):
        return 0.0, 1.0, 0.0
    wanted = np.array([gain_to_db(gains[v - 1] or 0.0) for v in struck])
    line = 40 * np.log10(struck / MAX_VELOCITY)
    spread = line - line.mean()
    slope = float(spread @ wanted / (spread @ spread)) if len(struck) > 1 else 1.0
    slope = round(min(MOST_FOLLOWS, max(0.0, slope)), 3)
    level = float((wanted - slope * line).mean())
    if level > 0:
        slope = round(min(MOST_FOLLOWS, max(0.0, float(line @ wanted / (line @ line)))), 3)
        level = min(0.0, float((wanted - slope * line).mean()))
    return level, slope, float(np.abs(wanted - slope * line - level).max())


def _timecents(seconds: float) -> int:
    return round(min(NEVER, max(-12_000, 1200 * math.log2(max(seconds, 1e-4)))))


def _name(text: str, most: int) -> bytes:
    return text.encode("ascii", "replace")[:most]


def _ended(text: bytes) -> bytes:
    """With one or two zeros, so that its length is even (section 5)."""
    return text + bytes(2 - len(text) % 2)


def _chunk(name: bytes, data: bytes) -> bytes:
    return struct.pack("<4sI", name, len(data)) + data + bytes(len(data) % 2)


def _list(name: bytes, data: bytes) -> bytes:
    return _chunk(b"LIST", name + data)
