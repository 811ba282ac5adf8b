"""The rows of the Desk view for several kits: those beside a kit, and all rows of a lineup's own desk."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from typing import Any

from django.urls import reverse

from dactyl.core import kit as core
from dactyl.core.fields import MEMBER, OUTPUT, OUTPUT_GROUP
from dactyl.desk.picture import Beside, Strip, numbers_of
from dactyl.kits.models import Kit, Output
from dactyl.lineups.models import Alongside, LineupGroup, LineupOutput
from dactyl.lineups.queries import Placed, placed, rows_of, said_of_outputs

NUMBERS = {name: MEMBER[name] for name in ("gain_db", "delay_ms", "low", "high")}
OUTPUT_NUMBERS = {name: field for name, field in OUTPUT.items() if name != "name"}


def beside(kit: Kit) -> list[Beside]:
    """Kits that sound alongside one with pads: one handle for each, and the outputs of its own desk under it."""
    if not kit.pads.exists():
        return []
    rows = enumerate(rows_of(kit), start=2)
    return [Beside(_handle(row, number), list(row.other.outputs.all())) for number, row in rows]


def _handle(row: Alongside, number: int) -> Strip:
    return Strip("alongside", row.other.name, row.gain_db, row, numbers_of(NUMBERS, row), mark=str(number))


@dataclass(frozen=True, slots=True)
class _Channel:
    """An output of a member as the desk of all has it, whether or not that says anything of it."""

    member: Placed
    number_of_member: int  # from 1
    number: int  # among the outputs of all members, from 0
    output: Output
    said: LineupOutput
    name: str  # in the kit as it sounds: a version of it may have called it otherwise

    @property
    def pk(self) -> str:
        return f"{self.member.key}:{self.output.pk}"

    def __getattr__(self, name: str) -> Any:
        return getattr(self.said, name)


def strips(kit: Kit) -> list[Strip]:
    """Groups over several kits with their outputs, then each kit with those that are in no group."""
    found = list(_channels(kit))
    groups = {row.pk: row for row in LineupGroup.objects.filter(kit=kit)}
    rows: list[Strip] = []
    for group in groups.values():
        own = [one for one in found if one.said.group_id == group.pk]
        numbers = " ".join(str(one.number) for one in own)
        address = reverse("lineups:change_group", args=[kit.pk, group.pk, "_"])
        rows.append(
            Strip("group", group.name, group.gain_db, group, numbers_of(OUTPUT_GROUP, group), numbers, address=address)
        )
        rows += _under(kit, own)
    for number, member in enumerate(dict.fromkeys(one.member.key for one in found), start=1):
        own = [one for one in found if one.member.key == member]
        alone = [one for one in own if one.said.group_id not in groups]
        rows.append(replace(_handle(own[0].member.row, number), is_last=not alone))
        rows += _under(kit, alone)
    return rows


def _under(kit: Kit, channels: list[_Channel]) -> list[Strip]:
    """Their rows, under a handle."""
    rows = [_strip(kit, one) for one in channels]
    return [replace(row, is_last=row is rows[-1]) for row in rows]


def _strip(kit: Kit, one: _Channel) -> Strip:
    return Strip(
        "output", one.name, one.said.gain_db, one, numbers_of(OUTPUT_NUMBERS, one.said), number=one.number, is_member=True,
        pieces=_goes_in(one.member.member.kit)[one.name], address=reverse("lineups:set_output", args=[kit.pk, one.pk, "_"]),
        mark=f"{one.number_of_member}.{one.output.position + 1}", of_member=one.member.member.kit.name,
    )  # fmt: skip


def _channels(kit: Kit) -> Iterator[_Channel]:
    """In the order in which players count them. What a version of a kit has and the kit has no more is left out."""
    members = placed(kit)
    said = said_of_outputs(kit, members)
    rows = {row.pk: row for row in Output.objects.filter(kit__in={one.row.other_id for one in members})}
    by_name = {(row.kit_id, row.name): row for row in rows.values()}
    number = 0
    for at, one in enumerate(members):
        for output in one.member.kit.outputs:
            told = said.get((at, output.name))
            row = rows.get(told.output_id) if told else by_name.get((one.row.other_id, output.name))
            if row is not None:
                told = told or LineupOutput(kit=kit, one=one.row, output_id=row.pk, name=row.name)
                yield _Channel(one, at + 1, number, row, told, output.name)
            number += 1


def _goes_in(kit: core.Kit) -> Mapping[str, list[tuple[int, str, str]]]:
    """Pieces by the output that their pads leave by: (id, name, kind of the first such pad)."""
    found: dict[str, dict[int, tuple[int, str, str]]] = {output.name: {} for output in kit.outputs}
    for piece, pad in kit.pads():
        if pad.layers:
            output = pad.output or piece.output or kit.outputs[0].name
            found[output].setdefault(piece.id, (piece.id, piece.name or pad.name, pad.kind))
    return {output: list(own.values()) for output, own in found.items()}
