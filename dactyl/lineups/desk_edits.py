"""The desk over the kits of a lineup: what it makes of their outputs, and groups that take outputs of several of them."""

from collections.abc import Mapping, Sequence
from typing import Any

from dactyl.core.fields import OUTPUT
from dactyl.desk.edits import refuse_group
from dactyl.history.edits import Change, edit
from dactyl.history.models import Revision
from dactyl.kits.edits.outputs import drop_empty_groups
from dactyl.kits.edits.sentences import settings_named
from dactyl.kits.models import Kit, Output
from dactyl.lineups.models import Alongside, LineupGroup, LineupOutput

Place = tuple[Alongside, Output]
"""An output of a kit of the lineup."""


def set_outputs(places: Sequence[Place], kit: Kit, version: int, values: Mapping[str, Any]) -> Revision | None:
    """Settings of one output, or of all that are selected: one undo."""
    with edit(kit, version, settings_named(OUTPUT, values, _named(places))) as change:
        change.update_all(_rows(change, places), **values)
    return change.revision


def group(kit: Kit, version: int, places: Sequence[Place], name: str) -> Revision | None:
    """One handle for outputs of any of the kits; they leave the groups of the lineup that they were in."""
    refuse_group(LineupGroup, kit, name, len(places))
    with edit(kit, version, f"{len(places)} outputs grouped as {name}") as change:
        last = LineupGroup.objects.filter(kit=kit).order_by("-position").first()
        made = change.create(LineupGroup(kit=change.document, name=name, position=last.position + 1 if last else 0))
        change.update_all(_rows(change, places), group_id=made.pk)
        drop_empty_groups(change, LineupGroup)
    return change.revision


def join_group(places: Sequence[Place], kit: Kit, version: int, row: LineupGroup | None) -> Revision | None:
    where = f"in group {row.name}" if row else "in no group"
    with edit(kit, version, f"{_named(places)[:1].upper()}{_named(places)[1:]} {where}") as change:
        change.update_all(_rows(change, places), group_id=row.pk if row else None)
        drop_empty_groups(change, LineupGroup)
    return change.revision


def _named(places: Sequence[Place]) -> str:
    if len(places) != 1:
        return f"{len(places)} outputs"
    member, output = places[0]
    return f"output {output.name} of {member.other.name}"


def _rows(change: Change, places: Sequence[Place]) -> list[LineupOutput]:
    """What the desk says of them, made where it said nothing; their names are those of now."""
    there = {(row.one_id, row.output_id): row for row in LineupOutput.objects.filter(kit=change.document)}
    rows = []
    for member, output in places:
        row = there.get((member.pk, output.pk))
        if row is None:
            row = change.create(LineupOutput(kit=change.document, one=member, output_id=output.pk, name=output.name))
        else:
            change.update(row, name=output.name)
        rows.append(row)
    return rows
