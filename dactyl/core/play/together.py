"""Several playbooks as one: each member plays by its own tables, and nothing crosses but what is linked (design rule 19)."""

from collections.abc import Sequence
from dataclasses import replace
from itertools import count

from dactyl.core.desk.tables import Channel, Compressor, Desk, Matrix, level
from dactyl.core.lineup import Choke, Lineup, Link, Listening
from dactyl.core.play.compile import compile_kit, curve_table
from dactyl.core.play.playbook import MemberTable, OutputTable, PadTable, Playbook, Region
from dactyl.core.units import ms_to_frames


def compile_lineup(lineup: Lineup, rate_hz: int) -> Playbook:
    books = [compile_kit(member.kit, rate_hz) for member in lineup.members]
    names = [member.kit.name for member in lineup.members]
    return join(books, lineup.members, names, lineup.links, lineup.chokes)


def join(
    books: Sequence[Playbook],
    asked: Sequence[Listening],
    names: Sequence[str],
    links: Sequence[Link] = (),
    chokes: Sequence[Choke] = (),
) -> Playbook:
    """One playbook of several of one rate. Where there is more than one, names of pads, pieces, outputs and mics end in
    the number of their member, from 1 on."""
    parts = [_Part(number, *of, is_alone=len(books) == 1) for number, of in enumerate(zip(books, asked, strict=True))]
    ids = count(1)
    new_ids = {(part.number, pad.id): next(ids) for part in parts for pad in part.pads}
    along: dict[tuple[int, int], list[tuple[int, float]]] = {}
    for one, pad, other, other_pad, strength in links:
        if (other, other_pad) in new_ids:
            along.setdefault((one, pad), []).append((new_ids[other, other_pad], strength))
    pads, outputs, channels, compressors, members = [], [], [], [], []
    for part, name in zip(parts, names, strict=True):
        first_pad, first_output = len(pads), len(outputs)
        pads += [
            part.pad(pad, first_output, new_ids, along.get((part.number, pad.id), ()), chokes) for pad in part.pads
        ]
        outputs += [
            OutputTable(part.named(o.name), part.named(o.group), part.number, o.name, o.group)
            for o in part.book.outputs
        ]
        channels += [part.channel(channel, len(compressors)) for channel in part.book.desk.channels]
        compressors += [part.compressor(compressor) for compressor in part.book.desk.compressors]
        members.append(part.table(name, first_pad))
    ambience = frozenset(part.named(mic) for part in parts for mic in part.book.ambience)
    return Playbook(
        rate_hz=books[0].rate_hz,
        pads=tuple(pads),
        notes={},
        outputs=tuple(outputs),
        seed=books[0].seed,
        desk=Desk(tuple(channels), tuple(compressors)),
        ambience=ambience,
        groups=tuple(dict.fromkeys(name for part in parts for name in part.book.groups)),
        members=tuple(members),
    )


class _Part:
    """One member's tables on their way into those of all."""

    def __init__(self, number: int, book: Playbook, asked: Listening, *, is_alone: bool) -> None:
        self.number, self.book, self._asked = number, book, asked
        self._ending = "" if is_alone else f" {number + 1}"
        self._gain = level(asked.gain_db)
        self._places = [
            place for place, pad in enumerate(book.pads) if asked.pieces is None or pad.piece_id in asked.pieces
        ]
        self.pads = [book.pads[place] for place in self._places]

    def named(self, name: str) -> str:
        return name + self._ending if name else name

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
        )

    def pad(
        self,
        pad: PadTable,
        first_output: int,
        new_ids: dict[tuple[int, int], int],
        along: Sequence[tuple[int, float]],
        chokes: Sequence[Choke],
    ) -> PadTable:
        companions = [
            (new_ids[self.number, other], s) for other, s in pad.companions if (self.number, other) in new_ids
        ]
        joined = {other: fade for signal, fade in pad.listens for other in self._joined(signal, chokes)}
        return replace(
            pad,
            id=new_ids[self.number, pad.id],
            name=self.named(pad.name),
            piece=self.named(pad.piece),
            member=self.number,
            muted=pad.muted or self._asked.muted,
            regions=tuple(self._region(region, first_output) for region in pad.regions),
            companions=(*companions, *along),
            emits=tuple(self._signal(signal) for signal in pad.emits),
            listens=(*((self._signal(signal), fade) for signal, fade in pad.listens), *joined.items()),
            pool=self._signal(pad.pool),
        )

    def _signal(self, name: str) -> str:
        return f"{self.number} {name}"

    def _joined(self, signal: str, chokes: Sequence[Choke]) -> list[str]:
        """Signals of other members' choke groups that cut what this signal cuts."""
        pairs = [((a, f"choke {x}"), (b, f"choke {y}")) for a, x, b, y in chokes]
        ours = (self.number, signal)
        others = [right for left, right in pairs if left == ours] + [left for left, right in pairs if right == ours]
        return [f"{number} {name}" for number, name in others]

    def _region(self, region: Region, first_output: int) -> Region:
        sounds = tuple(
            replace(sound, output=sound.output + first_output, mic=self.named(sound.mic)) for sound in region.sounds
        )
        return replace(region, sounds=sounds)

    def channel(self, channel: Channel, first_bus: int) -> Channel:
        return replace(channel, level=self._gain * channel.level, bus=channel.bus + first_bus)

    def compressor(self, compressor: Compressor) -> Compressor:
        return replace(compressor, name=self.named(compressor.name), matrix=self._scaled(compressor.matrix))

    def _scaled(self, matrix: Matrix) -> Matrix:
        left_left, left_right, right_left, right_right = (self._gain * value for value in matrix)
        return left_left, left_right, right_left, right_right
