"""Write a bounce: one file for each stem that sounds, and the mix, all from the part's zero and of one length."""

import re
from bisect import bisect_left
from collections import Counter, defaultdict
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from functools import cache
from pathlib import Path

import numpy as np

from dactyl.core.audio.overview import pack_columns
from dactyl.core.bounce.ahead import ahead
from dactyl.core.bounce.render import LoadSound, bounce_frames, render, voices_of
from dactyl.core.desk.moving import Motion, motions
from dactyl.core.desk.stage import Stage
from dactyl.core.desk.tables import Desk, dry_desk, is_even
from dactyl.core.errors import BounceError
from dactyl.core.formats.notes import note_label
from dactyl.core.kinds import IN_SCORE_ORDER
from dactyl.core.kit import Kit
from dactyl.core.lineup import Lineup
from dactyl.core.parts.curves import GROUP, LANE, OUTPUT
from dactyl.core.parts.part import Part
from dactyl.core.play.compile import compile_kit
from dactyl.core.play.playbook import MicSound, Playbook
from dactyl.core.play.player import Voice
from dactyl.core.play.together import compile_lineup
from dactyl.core.units import counted, gain_to_db
from dactyl.core.wave.write import BYTES_PER_VALUE, WaveWriter

RATES_HZ = (44_100, 48_000, 88_200, 96_000)
GROUPINGS = {
    "output": "output",
    "group": "group of outputs",
    "piece": "piece",
    "pad": "pad",
    "mic": "mic",
    "own": "groups of your own",
}
LINEUP_GROUPINGS = GROUPINGS | {"member": "kit", "merged": "outputs of one name"}
LONGEST_TEMPLATE = 120
TEMPLATE_FIELDS = ("number", "name", "kit", "member", "part", "rate")
MIX = "Mix"
BLOCKS_AHEAD = 2  # rendered while others are written; 16 MB each
GroupOf = Callable[[Voice, MicSound], str]
PICTURE_HOP = 256  # frames reduced to one extreme before the picture's columns are known


@dataclass(frozen=True, slots=True)
class Stem:
    name: str
    output: str  # where it leaves the kit; several where it gathers several
    file: str
    channels: int
    frames: int
    peak_db: float
    overview: bytes

    def described(self) -> dict[str, str | int | float]:
        """As bounce.json lists it (docs/formats.md)."""
        return {
            "name": self.name,
            "output": self.output,
            "file": self.file,
            "channels": self.channels,
            "frames": self.frames,
            "peak_db": round(self.peak_db, 3),
        }


@dataclass(frozen=True, slots=True)
class BounceProgress:
    done_frames: int
    frames: int
    hits: tuple[tuple[str, int, int], ...] = ()  # of each stem: its name, the hits begun, all its hits
    stems: tuple[Stem, ...] = ()  # filled in the last one


@dataclass(frozen=True, slots=True)
class Stems:
    """Which sounds go together: buses by (output, group), and the stem that each bus is part of."""

    group_of: GroupOf
    names: tuple[str, ...]
    outputs: tuple[str, ...]  # of each stem, joined by " + "
    buses: dict[tuple[int, str], int]
    stem_of_bus: tuple[int, ...]
    is_mono: tuple[bool, ...]  # of each stem: nothing in it differs from left to right
    members: tuple[str, ...]  # the kit that is in each stem, where it is one alone
    left_out: frozenset[str] = frozenset()  # mics that are not heard

    @property
    def output_of_bus(self) -> tuple[int, ...]:
        return tuple(output for output, _ in self.buses)

    def bus_of(self, voice: Voice, sound: MicSound) -> int | None:
        return None if sound.mic in self.left_out else self.buses[sound.output, self.group_of(voice, sound)]


@dataclass(frozen=True, slots=True)
class BounceOrder:
    """How a bounce is written."""

    bits: str  # a key of wave.write.SUBTYPES
    by: str = "output"  # a key of LINEUP_GROUPINGS
    groups: tuple[tuple[str, str], ...] = ()  # (piece, stem) where the groups are one's own; others keep their name
    format: str = "wav"
    has_mix: bool = True
    mono_where_mono: bool = False
    in_desk_order: bool = False  # kick, snare, hats, toms, cymbals ..., not the order of the kit
    name_template: str = "{number} {name}"
    names: tuple[tuple[str, str], ...] = ()  # what else the template may name: kit, part
    seed: int = 0
    is_dry: bool = False  # each output as it leaves the kit, without ambience (design rule 18)
    side: str = ""  # a key of SIDES; empty: as the kit says
    has_master: bool = True
    ambience_apart: bool = False  # what each mic of ambience hears is a stem of its own

    def __post_init__(self) -> None:
        rest = self.name_template
        for field in TEMPLATE_FIELDS:
            rest = rest.replace(f"{{{field}}}", "")
        if "{" in rest or "}" in rest or len(self.name_template) > LONGEST_TEMPLATE:
            known = ", ".join(f"{{{field}}}" for field in TEMPLATE_FIELDS)
            raise BounceError(f"“{self.name_template[:60]}” is not a name for stems: it may hold {known}.")
        if self.format == "flac" and self.bits == "32f":
            raise BounceError("FLAC holds no float. Choose 16 or 24 bit, or WAV.")

    def file_name(self, number: int | None, name: str, rate_hz: int, member: str = "") -> str:
        """A stem's file name without its ending. number : None for the mix, which has none"""
        values = {"kit": "", "part": ""} | dict(self.names) | {"member": member}
        values |= {"number": f"{number:02}" if number else "", "name": safe_name(name), "rate": str(rate_hz)}
        template = self.name_template if number is not None else re.sub(r"\{number\}[\s_.-]*", "", self.name_template)
        return safe_name(re.sub(r"\{(\w+)\}", lambda field: values[field[1]], template))


def bounce(
    playbook: Playbook, part: Part, folder: Path, order: BounceOrder, *, load_sound: LoadSound, threads: int = 1
) -> Iterator[BounceProgress]:
    """Write stems, and the mix if wished, into ``folder``, which must be empty; to cancel is to stop iterating.

    raises : BounceError if nothing in the part sounds
    """
    voices = voices_of(playbook, part.hits(playbook.rate_hz))
    if not voices:
        raise BounceError("Nothing in this part sounds on this kit. Give its notes to pads, or choose another part.")
    frames = bounce_frames(voices, part.end_frame(playbook.rate_hz))
    stems = arrange(playbook, voices, order, part)
    if not stems.names:
        raise BounceError(
            "Nothing of this part is left without ambience: all its sounds are of mics that are marked so."
        )
    desk = desk_of(playbook, order)
    stage = Stage(desk, stems.output_of_bus, {} if order.is_dry else _motions(playbook, part))
    parallel = [compressor.name for compressor in desk.compressors]
    names = [*stems.names, *parallel, *([MIX] if order.has_mix else [])]
    files = stem_files(names, order, playbook.rate_hz, stems.members)
    is_mono = [*(mono and order.mono_where_mono for mono in stems.is_mono), *(False for _ in parallel), False]
    tracks = [
        StemFile(name, folder / file, playbook.rate_hz, order, frames, number, channels=1 if is_mono[number] else 2)
        for number, (name, file) in enumerate(zip(names, files, strict=True))
    ]

    begins = _begins(voices, stems)
    try:
        with ThreadPoolExecutor(threads) as pool:
            blocks = render(voices, len(stems.buses), frames, load_sound, bus_of=stems.bus_of, threads=threads)
            for block in ahead(blocks, BLOCKS_AHEAD):
                left, beside = stage.process(block.buses, each=pool.map)
                audio = [*gather(left, stems.stem_of_bus, len(stems.names)), *beside]
                list(pool.map(StemFile.write, tracks, audio + ([mix_of(audio)] if order.has_mix else [])))
                done = min(frames, block.start_frame + block.buses.shape[2])
                yield BounceProgress(
                    done, frames, tuple((name, bisect_left(b, done), len(b)) for name, b in begins.items())
                )
            list(pool.map(StemFile.finish, tracks))
    finally:
        for track in tracks:
            track.close()
    outputs = [*stems.outputs, *parallel, MIX]
    whole = tuple((name, len(b), len(b)) for name, b in begins.items())
    yield BounceProgress(frames, frames, whole, tuple(t.stem(frames, o) for t, o in zip(tracks, outputs, strict=False)))


def _motions(playbook: Playbook, part: Part) -> dict[int, Motion]:
    """The part's curves move each kit's outputs by the names that they have there."""
    named = [(one.merged or one.name, one.merged_group or one.group) for one in playbook.outputs]
    return motions(part, named, playbook.rate_hz) if part.curves else {}


def unmet_curves(playbook: Playbook, part: Part, *, is_dry: bool = False) -> list[str]:
    """What the part's curves move that nothing here is called, and what a dry bounce leaves out, in words."""
    outputs = {one.merged or one.name for one in playbook.outputs}
    groups = {one.merged_group or one.group for one in playbook.outputs} - {""}
    of_desk = [curve for curve in part.curves if curve.kind != LANE]
    if is_dry and of_desk:
        return [f"{counted(len(of_desk), 'curve')} of outputs and groups left out of a dry bounce."]
    there = {OUTPUT: outputs, GROUP: groups}
    missing = dict.fromkeys(f"{curve.kind} {curve.name}" for curve in of_desk if curve.name not in there[curve.kind])
    return [f"A curve moves {of}, which the kit does not have." for of in missing]


def _begins(voices: Sequence[Voice], stems: Stems) -> dict[str, list[int]]:
    """The frames, rising, at which the voices of each stem begin."""
    begins: dict[str, list[int]] = {name: [] for name in stems.names}
    for voice in voices:
        for name in {stems.group_of(voice, sound) for sound in voice.sounds if sound.mic not in stems.left_out}:
            begins[name].append(voice.start_frame)
    return {name: sorted(frames) for name, frames in begins.items()}


def arrange(playbook: Playbook, voices: Sequence[Voice], order: BounceOrder, part: Part) -> Stems:
    """Stems in the order of the outputs or the pads, or of the desk; only those that a voice goes to.

    part : whose voices they are; what moves in it decides which stems differ from left to right
    """
    group_of, left_out = _group_of(playbook, order), playbook.ambience if order.is_dry else frozenset()
    heard = [
        (sound.output, group_of(voice, sound), voice, sound)
        for voice in voices
        for sound in voice.sounds
        if sound.mic not in left_out
    ]
    buses = {(output, group) for output, group, _, _ in heard}
    names = _in_order(playbook, order, {group for _, group in buses}, heard)
    ordered = sorted(buses, key=lambda bus: (names.index(bus[1]), bus[0]))
    desk, moving = desk_of(playbook, order), {} if order.is_dry else _motions(playbook, part)
    kits: dict[str, set[int]] = defaultdict(set)
    for output, group, _, _ in heard:
        kits[group].add(playbook.outputs[output].member)
    sided = {
        group
        for output, group, voice, sound in heard
        if sound.recipe.channels > 1
        or sound.left != sound.right
        or (output in moving and moving[output].balance)
        or not is_even(desk.channels[output].matrix)
    }
    return Stems(
        group_of=group_of,
        names=tuple(names),
        outputs=tuple(" + ".join(playbook.outputs[o].name for o, group in ordered if group == name) for name in names),
        buses={bus: number for number, bus in enumerate(ordered)},
        stem_of_bus=tuple(names.index(group) for _, group in ordered),
        is_mono=tuple(name not in sided for name in names),
        members=tuple(playbook.members[min(kits[name])].name if len(kits[name]) == 1 else "" for name in names),
        left_out=left_out,
    )


def as_ordered(kit: Kit, order: BounceOrder) -> Kit:
    """The kit with the side and the master that the bounce asks for."""
    return replace(kit, side=order.side or kit.side, master_db=kit.master_db if order.has_master else 0.0)


def played_by(kit: Kit, lineup: Lineup | None, order: BounceOrder, rate_hz: int) -> Playbook:
    """What a bounce plays: the kit, or the lineup that it is in, as the order asks for it."""
    if lineup is None:
        return compile_kit(as_ordered(kit, order), rate_hz)
    members = tuple(replace(member, kit=as_ordered(member.kit, order)) for member in lineup.members)
    return compile_lineup(replace(lineup, members=members), rate_hz)


def desk_of(playbook: Playbook, order: BounceOrder) -> Desk:
    """What is done to the outputs of this bounce."""
    return dry_desk(len(playbook.outputs)) if order.is_dry else playbook.desk


def _group_of(playbook: Playbook, order: BounceOrder) -> GroupOf:
    own, kits, outputs = dict(order.groups), member_names(playbook), playbook.outputs
    together: GroupOf = {
        "output": lambda voice, sound: outputs[sound.output].name,
        "group": lambda voice, sound: outputs[sound.output].group or outputs[sound.output].name,
        "piece": lambda voice, sound: voice.pad.piece,
        "pad": lambda voice, sound: voice.pad.name,
        "mic": lambda voice, sound: sound.mic,
        "member": lambda voice, sound: kits[outputs[sound.output].member],
        "merged": lambda voice, sound: outputs[sound.output].merged or outputs[sound.output].name,
        "own": lambda voice, sound: own.get(voice.pad.piece) or voice.pad.piece,
    }[order.by]
    if not order.ambience_apart:
        return together
    apart = {mic: _ambience_stem(mic) for mic in playbook.ambience}
    return lambda voice, sound: apart.get(sound.mic) or together(voice, sound)


def _ambience_stem(mic: str) -> str:
    return mic[:1].upper() + mic[1:]


def member_names(playbook: Playbook) -> list[str]:
    """What stems by kit are called: two members of one kit are told apart by their numbers."""
    counts = Counter(member.name for member in playbook.members)
    return [
        member.name if counts[member.name] == 1 else f"{member.name} {number}"
        for number, member in enumerate(playbook.members, start=1)
    ]


def _in_order(playbook: Playbook, order: BounceOrder, groups: set[str], heard: Sequence[tuple]) -> list[str]:
    if order.by in ("output", "group", "merged"):
        field = "name" if order.by == "output" else order.by
        known = list(dict.fromkeys(getattr(one, field) or one.name for one in playbook.outputs))
    elif order.by == "member":
        known = member_names(playbook)
    else:
        known = list(dict.fromkeys([getattr(pad, order.by, pad.piece) for pad in playbook.pads]))
    apart = [mic for mic in dict.fromkeys(sound.mic for *_, sound in heard) if mic in playbook.ambience]
    last = [_ambience_stem(mic) for mic in apart] if order.ambience_apart else []
    known = [name for name in known if name not in last] + last
    names = [name for name in known if name in groups] + sorted(groups - set(known))
    is_together = len(playbook.members) > 1 and order.by in ("piece", "pad")  # kick 1 beside kick 2
    if not (order.in_desk_order or is_together):
        return names
    desk = [kind.slug for kind in IN_SCORE_ORDER]
    ranks = dict.fromkeys(names, len(desk))
    ranks |= dict.fromkeys(last, len(desk) + 1)
    for group, voice in ((group, voice) for _, group, voice, _ in heard if group not in last):
        ranks[group] = min(ranks[group], desk.index(voice.pad.kind) if voice.pad.kind in desk else len(desk))
    return sorted(names, key=lambda name: ranks[name])


def gather(buses: Sequence[np.ndarray], stem_of_bus: Sequence[int], count: int) -> Sequence[np.ndarray]:
    """Add the buses of each stem, in order: arrays of (2, frames)."""
    if len(buses) == count:
        return buses
    stems = np.zeros((count, *buses[0].shape), np.float32)
    for bus, stem in zip(buses, stem_of_bus, strict=True):
        stems[stem] += bus
    return stems


def mix_of(stems: Sequence[np.ndarray]) -> np.ndarray:
    """The float32 sum of the stems in their order (design rule 11)."""
    mix = np.zeros(stems[0].shape, np.float32)
    for stem in stems:
        mix += stem
    return mix


def safe_name(text: str) -> str:
    """A file name that every system takes, without its ending."""
    return re.sub(r"[^\w \-.()+&]+", "-", text).strip(" .-")[:120] or "Output"


def stem_files(names: Sequence[str], order: BounceOrder, rate_hz: int, members: Sequence[str] = ()) -> list[str]:
    """File names in the order of the stems: "01 Main.wav", ..., and the mix last without a number.

    members : the kit that is in each of the first stems
    """
    files: list[str] = []
    for number, name in enumerate(names, start=1):
        is_mix = order.has_mix and number == len(names)
        member = members[number - 1] if number <= len(members) else ""
        stem = order.file_name(None if is_mix else number, name, rate_hz, member)
        taken = {file.lower() for file in files}
        while f"{stem}.{order.format}".lower() in taken:
            stem += " 2"
        files.append(f"{stem}.{order.format}")
    return files


@dataclass(frozen=True, slots=True)
class Unanswered:
    note: int
    hits: int

    @property
    def label(self) -> str:
        return note_label(self.note)


def shared_hits(playbook: Playbook, voices: Sequence[Voice], order: BounceOrder) -> list[tuple[tuple[str, ...], int]]:
    """Hits that sound in more than one stem of one kit: which stems, and how many hits; the most frequent first."""
    group_of = _group_of(playbook, order)
    stems_of_hit: dict[tuple[int, int], set[str]] = defaultdict(set)
    for voice in voices:
        stems_of_hit[voice.hit, voice.pad.member] |= {group_of(voice, sound) for sound in voice.sounds}
    return Counter(tuple(sorted(stems)) for stems in stems_of_hit.values() if len(stems) > 1).most_common()


def size_on_disk(stem_count: int, frames: int, order: BounceOrder) -> int:
    """Bytes that stereo stems and their mix take at most; FLAC takes less."""
    return (stem_count + order.has_mix) * (frames * 2 * BYTES_PER_VALUE[order.bits] + 4096)


def unanswered(playbook: Playbook, part: Part) -> list[Unanswered]:
    """Notes of ``part`` that no filled pad answers, the most frequent first. A muted pad answers by design."""
    filled = [any(region.places for region in pad.regions) for pad in playbook.pads]

    @cache
    def is_answered(note: int, channel: int) -> bool:
        return any(filled[index] for index in playbook.struck(note, channel))

    missing = Counter(event.note for event in part.note_ons if not is_answered(event.note, event.channel))
    return [Unanswered(note, hits) for note, hits in missing.most_common()]


class StemFile:
    """One file being written, its peak and its picture."""

    def __init__(
        self, name: str, path: Path, rate_hz: int, order: BounceOrder, frames: int, number: int, *, channels: int
    ) -> None:
        self._name, self._path, self._channels = name, path, channels
        self._writer = WaveWriter(
            path,
            rate_hz=rate_hz,
            channels=self._channels,
            bits=order.bits,
            format=order.format,
            frames=frames,
            dither_seed=[order.seed, number],
        )
        self._lows: list[np.ndarray] = []
        self._highs: list[np.ndarray] = []

    def write(self, bus: np.ndarray) -> None:
        bus = bus[: self._channels]
        self._writer.write(bus)
        starts = np.arange(0, bus.shape[1], PICTURE_HOP)
        self._lows.append(np.minimum.reduceat(bus.min(axis=0), starts))
        self._highs.append(np.maximum.reduceat(bus.max(axis=0), starts))

    def finish(self) -> None:
        """On disk, whole."""
        self._writer.close(sync=True)

    def close(self) -> None:
        self._writer.close()

    def stem(self, frames: int, output: str) -> Stem:
        lows, highs = np.concatenate(self._lows), np.concatenate(self._highs)
        peak = max(float(highs.max()), -float(lows.min()))
        return Stem(
            self._name, output, self._path.name, self._channels, frames, gain_to_db(peak), pack_columns(lows, highs)
        )
