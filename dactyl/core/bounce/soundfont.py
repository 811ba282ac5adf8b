"""Write a kit as a SoundFont: of each layer its first take, all mics mixed; and list what that loses.

Numbers are those of the SoundFont Technical Specification, version 2.04 (1996), as in read.py.
"""

import math
import struct
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

import numpy as np

from dactyl.core.audio.prepare import Recipe
from dactyl.core.errors import KitError
from dactyl.core.formats.notes import runs_of
from dactyl.core.formats.sf2 import read as sf2
from dactyl.core.formats.sf2.lost import Lost, lost_by_a_soundfont
from dactyl.core.formats.sf2.unpack import HEARD_LINEAR
from dactyl.core.kit import MAX_VELOCITY, Kit, Pad
from dactyl.core.play.compile import compile_kit, layer_gains
from dactyl.core.play.playbook import PadTable, Playbook, Region
from dactyl.core.units import db_to_gain, gain_to_db

MOST_BYTES = 2**31
SILENT_FRAMES, LEAST_FRAMES = 46, 48  # behind each sample; of each (sections 6.1 and 7.10)
NEVER = 8_000  # timecents: what takes so long is never over
_TABLES = ("phdr", "pbag", "pmod", "pgen", "inst", "ibag", "imod", "igen", "shdr")


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
    rates = Counter(sample.rate_hz for _, pad in kit.pads() for layer in pad.layers for take in layer.takes for _, sample in take.samples)  # fmt: skip
    rate_hz = rates.most_common(1)[0][0] if rates else 44_100
    with path.open("wb") as file:
        return _Writer(file, kit, compile_kit(kit, rate_hz), load_sound).write()


class _Writer:
    def __init__(self, file: BinaryIO, kit: Kit, book: Playbook, load_sound: Callable[[Recipe], np.ndarray]) -> None:
        self._file, self._kit, self._book, self._load = file, kit, book, load_sound
        self._headers: list[tuple] = []
        self._zones: list[_Zone] = []
        self._frames = 0
        self._lost = Lost()
        self._classes = iter(range(27, 128))  # behind those of choke groups: of pads that cut themselves

    def write(self) -> tuple[str, ...]:
        self._file.write(struct.pack("<4sI4s", b"RIFF", 0, b"sfbk"))
        self._file.write(_list(b"INFO", self._info()))
        begin = self._file.tell()
        self._file.write(struct.pack("<4sI4s4sI", b"LIST", 0, b"sdta", b"smpl", 0))
        notes = self._kit.notes()
        pads = zip(self._kit.pads(), self._book.pads, strict=True)
        written = [(pad, table) for (_, pad), table in pads if pad.layers and not pad.muted and notes.get(pad.id)]
        self._loudest = max([1.0, *(self._peak(pad, table) for pad, table in written)])
        for pad, table in written:
            self._pad(pad, table, sorted(notes[pad.id]))
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

    def _peak(self, pad: Pad, table: PadTable) -> float:
        peaks = [np.abs(self._mixed(region)).max(initial=0) * db_to_gain(level_db) for region, _, (level_db, *_) in _layers(pad, table)]  # fmt: skip
        return float(max(peaks, default=0))

    def _pad(self, pad: Pad, table: PadTable, notes: Sequence[int]) -> None:
        shared = self._values(pad)
        for region, velocities, (level_db, follows, off_db) in _layers(pad, table):
            if off_db > 1:
                self._lost.add(pad.name, "how the level follows velocity is over 1 dB off")
            for number, side in self._samples(pad.name, region, db_to_gain(level_db)):
                for keys in runs_of(notes):
                    root = table.root if table.cents_per_key else keys[0]
                    values = shared | {sf2.ROOT: root, sf2.SCALE: round(table.cents_per_key)}
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
        if pad.choke:
            values[sf2.EXCLUSIVE] = ord(pad.choke.letter) - ord("A") + 1
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
        first = len(self._headers)
        for place, (side, channel) in enumerate(sides):
            if 2 * (self._frames + len(channel)) > MOST_BYTES:
                raise KitError("The kit is too large for a SoundFont, which holds 2 GB. Take pads or mics out.")
            channel = np.pad(channel, (0, max(0, LEAST_FRAMES - len(channel))))
            self._file.write(channel.tobytes() + bytes(2 * SILENT_FRAMES))
            start, end = self._frames, self._frames + len(channel)
            self._frames = end + SILENT_FRAMES
            link = first + 1 - place if side else 0
            kind = {-1: sf2.LEFT, 0: 1, 1: sf2.RIGHT}[side]
            called = _name(name, 18) + (b" L" if side < 0 else b" R" if side else b"")
            loop = start + 8, end - 8  # which nothing uses; no nearer to the ends (section 7.10)
            self._headers.append((called, start, end, *loop, self._book.rate_hz, 60, 0, link, kind))
            yield first + place, side

    def _mixed(self, region: Region) -> np.ndarray:
        parts = [(sound, self._load(sound.recipe)) for sound in region.sounds]
        mixed = np.zeros((2, max((audio.shape[1] for _, audio in parts), default=0)), np.float32)
        for sound, audio in parts:
            mixed[0, : audio.shape[1]] += np.float32(sound.left) * audio[0]
            mixed[1, : audio.shape[1]] += np.float32(sound.right) * audio[-1]
        return mixed

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
        if len(rows["igen"]) > 0xFFFF:
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


Law = tuple[float, float, float]
"""level at 127 in dB, how far it follows velocity, how far off that is at most in dB: level + follows x 40 log10(v/127)"""


def _layers(pad: Pad, table: PadTable) -> Iterator[tuple[Region, tuple[int, int], Law]]:
    """Of each layer that sounds its first take, and the struck velocities that come to it."""
    regions = iter(table.regions)
    for layer, gains in zip(pad.layers, layer_gains(pad, table.curve), strict=True):
        own = [(take, next(regions)) for take in layer.takes]
        first = next((region for take, region in own if take.enabled), None)
        struck = [v for v in range(1, MAX_VELOCITY + 1) if layer.low <= table.curve[v - 1] <= layer.high]
        if first and struck:
            velocities = struck[0], struck[-1]
            level_db, follows, off_db = _follows(gains, velocities)
            yield first, velocities, (level_db + _resonance(pad) / 20, follows, off_db)


def _resonance(pad: Pad) -> int:
    """Centibels over a plain filter; players take half of it off the level (section 8.1.2), so the sample is louder by that."""
    return round(min(960, max(0, 200 * math.log10(pad.filter.q / 0.7071)))) if pad.filter.kind == "low" else 0


def _follows(gains: Sequence[float | None], velocities: tuple[int, int]) -> Law:
    struck = np.array([v for v in range(velocities[0], velocities[1] + 1) if gains[v - 1]])
    if not len(struck):
        return 0.0, 1.0, 0.0
    wanted = np.array([gain_to_db(gains[v - 1] or 0.0) for v in struck])
    line = 40 * np.log10(struck / MAX_VELOCITY)
    spread = line - line.mean()
    slope = float(spread @ wanted / (spread @ spread)) if len(struck) > 1 else 1.0
    slope = round(min(1.0, max(0.0, slope)), 3)
    level = float((wanted - slope * line).mean())
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
