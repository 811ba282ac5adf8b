"""Several playbooks as one: each member plays by its own tables, and nothing crosses but what is linked (design rule 19)."""

from collections.abc import Callable, Hashable, Mapping, Sequence
from dataclasses import dataclass, field, replace

from dactyl.core.desk.tables import PARALLEL, Channel, Compressor, Desk, Matrix, compressor_of, level
from dactyl.core.kit import HALL, Parallel
from dactyl.core.lineup import Choke, Lineup, LineupGroup, LineupOutput, Link, Listening
from dactyl.core.play.compile import compile_kit, curve_table
from dactyl.core.play.playbook import Grip, MemberTable, OutputTable, PadTable, Playbook, Region, Shares
from dactyl.core.units import ms_to_frames

IdOf = Callable[[int, int], Hashable]
"""(number of a member, id of a pad in its kit) -> what the pad is called in the tables of all."""


@dataclass(frozen=True, slots=True)
class EnsembleDesk:
    """The desk behind those of the members; with nothing set it does nothing."""

    master_db: float = 0.0
    is_hall: bool = False
    outputs: Mapping[tuple[int, str], LineupOutput] = field(default_factory=dict)  # by member and name there
    groups: Mapping[str, LineupGroup] = field(default_factory=dict)
    parallel: Parallel = Parallel()

    def bus(self, rate_hz: int, name: str = PARALLEL) -> Compressor | None:
        """Its own parallel bus."""
        if not self.parallel.is_on:
            return None
        return replace(compressor_of(self.parallel, self.master_db, rate_hz, is_hall=self.is_hall), name=name)


NO_DESK = EnsembleDesk()


def desk_of(lineup: Lineup) -> EnsembleDesk:
    return EnsembleDesk(
        lineup.master_db,
        lineup.side == HALL,
        {(one.member, one.name): one for one in lineup.outputs},
        {group.name: group for group in lineup.groups},
        lineup.parallel,
    )


def compile_lineup(lineup: Lineup, rate_hz: int) -> Playbook:
    books = [compile_kit(member.kit, rate_hz) for member in lineup.members]
    names = [member.kit.name for member in lineup.members]
    return join(
        books,
        lineup.members,
        names,
        lineup.links,
        lineup.chokes,
        desk=desk_of(lineup),
    )


def join(
    books: Sequence[Playbook],
    asked: Sequence[Listening],
    names: Sequence[str],
    links: Sequence[Link] = (),
    chokes: Sequence[Choke] = (),
    *,
    desk: EnsembleDesk = NO_DESK,
) -> Playbook:
    """Return one playbook of several of one rate. Where there is more than one, names of pads, pieces, outputs and mics end
    in the number of their member, from 1 on. desk : of the lineup, behind its members' desks"""
    shared = sum(len(book.desk.compressors) for book in books)
    parts = [
        MemberPart(number, *of, ending=f" {number + 1}" if len(books) > 1 else "", desk=desk, shared_bus=shared)
        for number, of in enumerate(zip(books, asked, strict=True))
    ]
    numbered = [(part.number, pad.id) for part in parts for pad in part.pads]
    ids = {key: number for number, key in enumerate(numbered, start=1)}
    pads, outputs, channels, compressors, members = [], [], [], [], []
    for part, name in zip(parts, names, strict=True):
        first_pad, first_output = len(pads), len(outputs)
        pads += part.joined(links, chokes, lambda number, pad: ids.get((number, pad)), first_output)
        outputs += [
            OutputTable(part.named(o.name), part.named(o.group), part.number, o.name, o.group, part.handle_of(o.name))
            for o in part.book.outputs
        ]
        channels += [replace(one, bus=one.bus + len(compressors)) for one in part.channels]
        compressors += part.compressors
        members.append(part.table(name, first_pad))
    if bus := desk.bus(books[0].rate_hz):
        compressors.append(bus)
    ambience = frozenset(part.named(mic) for part in parts for mic in part.book.ambience)
    return Playbook(
        rate_hz=books[0].rate_hz,
        pads=tuple(pads),
        notes={},
        outputs=tuple(outputs),
        seed=books[0].seed,
        desk=Desk(tuple(channels), tuple(compressors)),
        ambience=ambience,
        groups=tuple(dict.fromkeys([*desk.groups, *(name for part in parts for name in part.book.groups)])),
        members=tuple(members),
    )


class MemberPart:
    """One member's tables as those of a lineup hold them."""

    def __init__(
        self, number: int, book: Playbook, asked: Listening, *, ending: str = "", desk: EnsembleDesk = NO_DESK,
        shared_bus: int = 1, tag_of: Callable[[int], str] = str,
    ) -> None:  # fmt: skip
        """ending : of its names. shared_bus : index of the lineup's parallel bus. tag_of : what signals of the member of a
        number begin with"""
        self.number, self.book, self._asked, self._ending = number, book, asked, ending
        self._desk, self._shared_bus, self._tag_of = desk, shared_bus, tag_of
        self._places = [
            place for place, pad in enumerate(book.pads) if asked.pieces is None or pad.piece_id in asked.pieces
        ]
        self.pads = [book.pads[place] for place in self._places]

    def named(self, name: str) -> str:
        return name + self._ending if name else name

    @property
    def channels(self) -> list[Channel]:
        """Of its outputs, behind its own desk: what the lineup's desk says of them, its level, and the master and side of all."""
        return [
            self._channel(own, self._desk.outputs.get((self.number, output.name), LineupOutput(member=0, name="")))
            for output, own in zip(self.book.outputs, self.book.desk.channels, strict=True)
        ]

    def _channel(self, own: Channel, asked: LineupOutput) -> Channel:
        desk, group = self._desk, self._desk.groups.get(asked.group)
        levels_db = (self._asked.gain_db, asked.gain_db, group.gain_db if group else 0.0)
        is_muted = asked.muted or (group is not None and group.muted)
        gain = level(*levels_db, desk.master_db, is_muted=is_muted)
        amount_db = asked.parallel_db if desk.parallel.is_on else None
        if asked.width == 1 and not asked.balance and amount_db is None:  # one level more: no second matrix
            is_hall = own.is_hall != desk.is_hall
            return replace(own, level=gain * own.level, is_hall=is_hall, is_muted=own.is_muted or is_muted)
        sent = None if amount_db is None else level(*levels_db, is_muted=is_muted) * level(amount_db)
        behind = Channel(gain, asked.width, asked.balance, desk.is_hall, sent, is_muted, self._shared_bus)
        return replace(own, behind=behind, is_muted=own.is_muted or is_muted)

    def handle_of(self, output: str) -> str:
        """The lineup's group of one of its outputs."""
        asked = self._desk.outputs.get((self.number, output))
        return asked.group if asked else ""

    @property
    def compressors(self) -> list[Compressor]:
        return [
            replace(one, name=self.named(one.name), matrix=self._turned(one.matrix))
            for one in self.book.desk.compressors
        ]

    def _turned(self, matrix: Matrix) -> Matrix:
        gain = level(self._asked.gain_db, self._desk.master_db)
        left_left, left_right, right_left, right_right = (gain * value for value in matrix)
        turned = (right_left, right_right, left_left, left_right)
        return turned if self._desk.is_hall else (left_left, left_right, right_left, right_right)

    def table(self, name: str, first_pad: int) -> MemberTable:
        """first_pad : how many pads come before its own"""
        alone, asked = self.book.members[0], self._asked
        becomes = dict(asked.notes)
        indexes = {place: first_pad + at for at, place in enumerate(self._places)}
        notes = {}
        for note in range(asked.low, asked.high + 1):
            struck = [indexes[i] for i in self.book.notes.get(becomes.get(note, note), ()) if i in indexes]
            if struck:
                notes[note] = tuple(struck)
        return MemberTable(
            notes=notes,
            name=name,
            channels=None if asked.channels is None else frozenset(asked.channels),
            played_as=becomes,
            curve=curve_table(asked.curve),
            delay=ms_to_frames(asked.delay_ms, self.book.rate_hz),
            low=asked.low,
            high=asked.high,
            seed=alone.seed,
            draws=alone.draws,
            shares=tuple(made for shares in alone.shares if (made := _shares_of(shares, indexes))),
            grips=tuple(made for grip in alone.grips if (made := _grip_of(grip, indexes))),
        )

    def joined(
        self, links: Sequence[Link], chokes: Sequence[Choke], id_of: IdOf, first_output: int = 0
    ) -> list[PadTable]:
        """Return its pads. id_of : None for a pad that does not take part"""
        along: dict[int, list[tuple[Hashable, float]]] = {}
        for one, pad, other, other_pad, strength in links:
            if one == self.number and (key := id_of(other, other_pad)) is not None:
                along.setdefault(pad, []).append((key, strength))
        return [self._pad(pad, along.get(pad.id, ()), chokes, id_of, first_output) for pad in self.pads]

    def _pad(
        self, pad: PadTable, along: Sequence[tuple[Hashable, float]], chokes: Sequence[Choke], id_of: IdOf,
        first_output: int,
    ) -> PadTable:  # fmt: skip
        own = ((id_of(self.number, other), strength) for other, strength in pad.companions)
        joined = {other: fade for signal, fade in pad.listens for other in self._joined(signal, chokes)}
        return replace(
            pad,
            id=id_of(self.number, pad.id),
            name=self.named(pad.name),
            piece=self.named(pad.piece),
            member=self.number,
            muted=pad.muted or self._asked.muted,
            regions=tuple(self._region(region, first_output) for region in pad.regions),
            companions=(*((key, strength) for key, strength in own if key is not None), *along),
            emits=tuple(self._signal(self.number, signal) for signal in pad.emits),
            listens=(*((self._signal(self.number, signal), fade) for signal, fade in pad.listens), *joined.items()),
            pool=self._signal(self.number, pad.pool),
        )

    def _signal(self, number: int, name: str) -> str:
        return f"{self._tag_of(number)} {name}"

    def _joined(self, signal: str, chokes: Sequence[Choke]) -> list[str]:
        """Signals of other members' choke groups that cut what this signal cuts."""
        pairs = [((a, f"choke {x}"), (b, f"choke {y}")) for a, x, b, y in chokes]
        ours = (self.number, signal)
        others = [right for left, right in pairs if left == ours] + [left for left, right in pairs if right == ours]
        return [self._signal(*other) for other in others]

    def _region(self, region: Region, first_output: int) -> Region:
        if not (first_output or self._ending):
            return region
        sounds = tuple(
            replace(sound, output=sound.output + first_output, mic=self.named(sound.mic)) for sound in region.sounds
        )
        return replace(region, sounds=sounds)


def _shares_of(shares: Shares, indexes: Mapping[int, int]) -> Shares | None:
    """With the pads that take part, as they are called in the tables of all: pieces take part whole."""
    if not all(pad in indexes for pad in shares.pads):
        return None
    return replace(
        shares,
        pads=tuple(indexes[pad] for pad in shares.pads),
        chick=indexes.get(shares.chick),
        splash=indexes.get(shares.splash),
    )


def _grip_of(grip: Grip, indexes: Mapping[int, int]) -> Grip | None:
    if not all(pad in indexes for pad in grip.pads):
        return None
    return replace(grip, pads=tuple(indexes[pad] for pad in grip.pads), sounds=indexes.get(grip.sounds))
