"""Which sounds go to one stem, told by what they are (an output, a piece, a pad) and never by a name; in which order."""

from collections import Counter, defaultdict
from collections.abc import Callable, Collection, Hashable, Iterable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from dactyl.core.bounce.order import MIX, BounceOrder, desk_of
from dactyl.core.desk.moving import Motion, motions
from dactyl.core.desk.tables import is_even
from dactyl.core.kinds import IN_SCORE_ORDER
from dactyl.core.parts.part import Part
from dactyl.core.play.playbook import MicSound, PadTable, Playbook
from dactyl.core.play.player import Voice
from dactyl.core.units import told_apart

Key = tuple[Hashable, ...]
"""What a stem is of: ("output", number), ("group", member, name), ("handle", name), ("piece", member, place), ("pad", member, id), ..."""
UNNAMED = "Unnamed"
KeyOf = Callable[[PadTable, MicSound], Key]


@dataclass(frozen=True, slots=True)
class Stems:
    """Which sounds go together: buses by (output, key), and the stem that each bus is part of."""

    key_of: KeyOf
    keys: tuple[Key, ...]  # of the stems, in their order
    names: tuple[str, ...]  # no two alike
    outputs: tuple[str, ...]  # of each stem, joined by " + "
    buses: dict[tuple[int, Key], int]
    stem_of_bus: tuple[int, ...]
    is_mono: tuple[bool, ...]  # of each stem: nothing in it differs from left to right
    members: tuple[str, ...]  # the kit that is in each stem, where it is one alone
    left_out: frozenset[str] = frozenset()  # mics that are not heard

    @property
    def output_of_bus(self) -> tuple[int, ...]:
        return tuple(output for output, _ in self.buses)

    def bus_of(self, voice: Voice, sound: MicSound) -> int | None:
        return None if sound.mic in self.left_out else self.buses[sound.output, self.key_of(voice.pad, sound)]


Heard = Iterable[tuple[PadTable, MicSound]]
"""What sounds of which pad."""


def sounds_of(voices: Iterable[Voice]) -> Heard:
    return ((voice.pad, sound) for voice in voices for sound in voice.sounds)


def arrange(playbook: Playbook, sounding: Heard, order: BounceOrder, part: Part) -> Stems:
    """Return the stems that what sounds goes to, in the order of the outputs or the pads, or of the desk.

    part : that sounds; what moves in it decides which stems differ from left to right
    """
    key_of, left_out = key_by(playbook, order), playbook.ambience if order.is_dry else frozenset()
    heard = [(sound.output, key_of(pad, sound), pad, sound) for pad, sound in sounding if sound.mic not in left_out]
    buses = {(output, key) for output, key, _, _ in heard}
    keys = _in_order(playbook, order, {key for _, key in buses}, ((key, pad) for _, key, pad, _ in heard))
    places = {key: number for number, key in enumerate(keys)}
    ordered = sorted(buses, key=lambda bus: (places[bus[1]], bus[0]))
    desk, moving = desk_of(playbook, order), {} if order.is_dry else motions_of(playbook, part)
    kits: dict[Key, set[int]] = defaultdict(set)
    for output, key, _, _ in heard:
        kits[key].add(playbook.outputs[output].member)
    sided = {
        key
        for output, key, _, sound in heard
        if sound.recipe.channels > 1
        or sound.left != sound.right
        or (output in moving and moving[output].balance)
        or not is_even(desk.channels[output].matrix)
    }
    return Stems(
        key_of=key_of,
        keys=tuple(keys),
        names=tuple(names_of(playbook, order, keys)),
        outputs=tuple(" + ".join(playbook.outputs[o].name for o, key in ordered if key == one) for one in keys),
        buses={bus: number for number, bus in enumerate(ordered)},
        stem_of_bus=tuple(places[key] for _, key in ordered),
        is_mono=tuple(key not in sided for key in keys),
        members=tuple(playbook.members[min(kits[key])].name if len(kits[key]) == 1 else "" for key in keys),
        left_out=left_out,
    )


def motions_of(playbook: Playbook, part: Part) -> dict[int, Motion]:
    """The part's curves move each kit's outputs by the names that they have there."""
    named = [(one.merged or one.name, one.merged_group or one.group, one.handle) for one in playbook.outputs]
    return motions(part, named, playbook.rate_hz) if part.curves else {}


def key_by(playbook: Playbook, order: BounceOrder) -> KeyOf:
    """Return what tells the stem of a sound."""
    outputs = playbook.outputs
    own = {(member, piece): stem for member, piece, stem in order.groups}

    def piece(pad: PadTable) -> Key:
        return "piece", pad.member, pad.piece if pad.piece_id is None else pad.piece_id

    def by_group(_: PadTable, sound: MicSound) -> Key:
        output = outputs[sound.output]
        if output.handle:
            return "handle", output.handle
        return ("group", output.member, output.group) if output.group else ("output", sound.output)

    def by_own(pad: PadTable, _: MicSound) -> Key:
        stem = own.get((pad.member, pad.piece_id))
        return ("own", stem) if stem else piece(pad)

    together: KeyOf = {
        "output": lambda _, sound: ("output", sound.output),
        "group": by_group,
        "piece": lambda pad, _: piece(pad),
        "pad": lambda pad, _: ("pad", pad.member, pad.name if pad.piece_id is None else pad.id),
        "mic": lambda _, sound: ("mic", sound.mic),
        "member": lambda _, sound: ("member", outputs[sound.output].member),
        "merged": lambda _, sound: ("merged", outputs[sound.output].merged or outputs[sound.output].name),
        "own": by_own,
    }[order.by]
    if not order.ambience_apart:
        return together
    return lambda pad, sound: ("ambience", sound.mic) if sound.mic in playbook.ambience else together(pad, sound)


def names_of(playbook: Playbook, order: BounceOrder, keys: Collection[Key]) -> list[str]:
    """Return what the stems of these keys are called, no two alike, and none as the mix or a parallel bus is."""
    kits = member_names(playbook)
    first_of: dict[Key, PadTable] = {}
    key_of = key_by(playbook, order)
    for pad, sound in _sounds(playbook):
        first_of.setdefault(key_of(pad, sound), pad)

    def name(key: Key) -> str:
        match key:
            case ("output", int(number)):
                return playbook.outputs[number].name
            case ("piece", _, _):
                return first_of[key].piece or first_of[key].name
            case ("pad", _, _):
                return first_of[key].name
            case ("member", int(number)):
                return kits[number]
            case ("ambience", str(mic)):
                return mic[:1].upper() + mic[1:]
            case (_, *_, str(called)):
                return called
        raise ValueError(key)

    beside = [*bus_names(playbook, order), *[MIX] * order.has_mix]
    return told_apart([*beside, *(name(key) or UNNAMED for key in keys)])[len(beside) :]


def bus_names(playbook: Playbook, order: BounceOrder) -> list[str]:
    """What the parallel buses of a bounce are called, no two alike, and none as the mix is."""
    whole = [MIX] * order.has_mix
    return told_apart([*whole, *(one.name for one in desk_of(playbook, order).compressors)])[len(whole) :]


def member_names(playbook: Playbook) -> list[str]:
    """What stems by kit are called: two members of one kit are told apart by their numbers."""
    counts = Counter(member.name for member in playbook.members)
    return [
        member.name if counts[member.name] == 1 else f"{member.name} {number}"
        for number, member in enumerate(playbook.members, start=1)
    ]


def _sounds(playbook: Playbook) -> Iterator[tuple[PadTable, MicSound]]:
    for pad in playbook.pads:
        for region in pad.regions:
            for sound in region.sounds:
                yield pad, sound


def _in_order(
    playbook: Playbook, order: BounceOrder, keys: set[Key], heard: Iterable[tuple[Key, PadTable]]
) -> list[Key]:
    """Of outputs their order, of all else that of the pads; ambience last."""
    key_of = key_by(playbook, order)
    of_outputs = order.by in ("output", "group", "merged", "member")
    sounds = list(_sounds(playbook))
    if of_outputs:
        sounds.sort(key=lambda one: one[1].output)  # stable
    known = dict.fromkeys(key_of(pad, sound) for pad, sound in sounds)
    found = [key for key in known if key in keys]
    last = [key for key in found if key[0] == "ambience"]
    found = [key for key in found if key[0] != "ambience"]
    is_together = len(playbook.members) > 1 and order.by in ("piece", "pad")  # kick 1 beside kick 2
    if not (order.in_desk_order or is_together):
        return [*found, *last]
    desk = {kind.slug: place for place, kind in enumerate(IN_SCORE_ORDER)}
    ranks = dict.fromkeys(found, len(desk))
    for key, pad in heard:
        if key in ranks:
            ranks[key] = min(ranks[key], desk.get(pad.kind, len(desk)))
    return [*sorted(found, key=lambda key: ranks[key]), *last]


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
