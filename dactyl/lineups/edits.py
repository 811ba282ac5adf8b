"""What sounds alongside a kit: edits of that kit."""

from collections.abc import Mapping, Sequence
from typing import Any

from django.db import transaction
from django.db.models import Model

from dactyl.core.errors import KitError
from dactyl.core.fields import DESK, DRAWN, OUTPUT, OUTPUT_GROUP, row_of
from dactyl.core.lineup import Lineup, Member
from dactyl.history.edits import Change, edit
from dactyl.history.models import Revision
from dactyl.kits.alongside import is_lineup
from dactyl.kits.edits.kits import create_kit
from dactyl.kits.edits.outputs import drop_empty_groups
from dactyl.kits.models import Kit
from dactyl.lineups import queries
from dactyl.lineups.models import Alongside, LineupGroup, LineupOutput, Link, SharedChoke
from dactyl.lineups.queries import MOST, own_row, rows_of

MOST_LINKS = 64
GROUP_VALUES = ("gain_db", "muted", "colour")
OUTPUT_VALUES = ("gain_db", "width", "balance", "muted", "parallel_db")
WORDS = {
    "other_id": "kit", "version_id": "version", "channels": "channels", "low": "lowest note", "high": "highest note", "gain_db": "level",
    "muted": "mute", "delay_ms": "delay", "curve": "velocity curve", "curve_points": "velocity curve", "pieces": "pieces",
    "device_id": "device", "is_met": "how notes are met", "notes": "how notes are met",
}  # fmt: skip
"""What a kit alongside hears, and how: the columns of its row, in words."""
TABLES: dict[str, type[Model]] = {
    "alongside": Alongside, "groups": LineupGroup, "outputs": LineupOutput, "links": Link, "chokes": SharedChoke,
}  # fmt: skip
Kept = dict[str, list[dict[str, Any]]]
"""The rows of each of them as values of their columns; versions of before have no groups and outputs."""


def add(kit: Kit, version: int, other: Kit, **said: Any) -> Revision | None:
    """said : columns of its row that are not as usual"""
    rows = rows_of(kit)
    if len(rows) >= MOST + is_lineup(kit):
        raise KitError(f"{len(rows)} kits sound alongside {kit.name} already; that is the most.")
    with edit(kit, version, f"{other.name} alongside") as change:
        position = max((row.position for row in rows), default=0) + 1
        change.create(Alongside(kit=kit, other=other, position=position, **said))
    return change.revision


def set_fields(row: Alongside, version: int, values: dict[str, Any], words: str) -> Revision | None:
    with edit(row.kit, version, f"{row.other.name} alongside: {words}") as change:
        change.update(row, **values)
    return change.revision


def set_channels(
    kit: Kit, version: int, wanted: Sequence[tuple[Alongside | None, list[int] | None]], words: str
) -> Revision | None:
    """What several members hear, in one edit; None stands for the kit itself. What is written for a kit on a channel of its
    own means that kit's own notes."""
    with edit(kit, version, words) as change:
        for row, channels in wanted:
            mine = row or own_row(kit)
            if mine is None:
                change.create(Alongside(kit=kit, other=kit, position=0, channels=channels))
            else:
                change.update(mine, channels=channels, **({"is_met": False} if row else {}))
    return change.revision


def remove(row: Alongside, version: int) -> Revision | None:
    with edit(row.kit, version, f"{row.other.name} no longer alongside") as change:
        change.delete_all([row])
        drop_empty_groups(change, LineupGroup)
    return change.revision


def remove_link(kit: Kit, version: int, row: Link | SharedChoke) -> Revision | None:
    with edit(kit, version, "Links between kits: one less") as change:
        change.delete_all([row])
    return change.revision


def link(kit: Kit, version: int, row: Link | SharedChoke, words: str) -> Revision | None:
    if Link.objects.filter(kit=kit).count() + SharedChoke.objects.filter(kit=kit).count() >= MOST_LINKS:
        raise KitError(f"There are {MOST_LINKS} links between these kits; that is the most.")
    with edit(kit, version, words) as change:
        change.create(row)
    return change.revision


# Lineups of their own -------------------------------------------------------------------------------------------------


def keep_as_lineup(kit: Kit) -> Kit:
    """A new lineup of a kit and what sounds alongside it, each as it is heard there; the kit stays as it is."""
    if is_lineup(kit) or not rows_of(kit):
        raise KitError(
            f"{kit.name} is a lineup already." if is_lineup(kit) else "Nothing sounds alongside this kit yet."
        )
    mine = queries.own_row(kit)
    with transaction.atomic():
        made = create_kit(" + ".join([kit.name, *(row.other.name for row in rows_of(kit))]), pads=0, seed=kit.seed)
        channels = mine.channels if mine else None
        first = Alongside.objects.create(kit=made, other=kit, position=0, channels=channels, is_met=False)
        kept = kept_in_version(kit)
        kept["alongside"] = [row for row in kept["alongside"] if row["other_id"] != kit.pk]
        _write(kept, made, first=first)
    return made


def lineup_of(name: str, kits: Sequence[Kit]) -> Kit:
    """A new lineup of kits that all hear all. raises : KitError where they are too few, or too many"""
    if away := next((kit.name for kit in kits if kit.is_put_away), None):
        raise KitError(f"{away} was put away. Bring it back on the first page, or take it out of the set.")
    if empty := next((kit.name for kit in kits if not kit.pads.exists()), None):
        raise KitError(f"{empty} has no pads of its own; a lineup is made of kits that have.")
    if not 2 <= len(kits) <= MOST + 1:
        raise KitError(f"A lineup is made of 2 to {MOST + 1} kits; this would be one of {len(kits)}.")
    with transaction.atomic():
        made = create_kit(name, pads=0)
        for position, kit in enumerate(kits, start=1):
            Alongside.objects.create(kit=made, other=kit, position=position, is_met=position > 1)
    return made


def copy_alongside(kept: Kept, made: Kit, pads: Mapping[int, int]) -> None:
    """What sounds alongside a kit, or did in a version of it, alongside a copy too. pads : keys of its own, in the copy"""
    rows = kept["alongside"]
    own = [{**row, "other_id": made.pk} if row["other_id"] == row["kit_id"] else row for row in rows]
    _write({**kept, "alongside": own}, made, pads=pads)


def _write(kept: Kept, made: Kit, *, first: Alongside | None = None, pads: Mapping[int, int] | None = None) -> None:
    """Rows of another kit for ``made``. first : what stands for the other kit itself in it"""
    new: dict[int | None, Alongside | None] = {None: first}
    for row in kept["alongside"]:
        values = {name: row[name] for name in ("position", *WORDS)}
        new[row["id"]] = Alongside.objects.create(kit=made, **values)
    _write_desk(kept, made, new)
    for row in kept["links"]:
        one, other = ((key, (pads or {}).get(pad, pad) if key is None else pad) for key, pad in (
            (row["one_id"], row["pad_id"]), (row["other_id"], row["other_pad_id"])
        ))  # fmt: skip
        Link.objects.create(
            kit=made, one=new[one[0]], pad_id=one[1], other=new[other[0]], other_pad_id=other[1], strength=row["strength"]
        )  # fmt: skip
    for row in kept["chokes"]:
        letters = {name: row[name] for name in ("letter", "other_letter")}
        SharedChoke.objects.create(kit=made, one=new[row["one_id"]], other=new[row["other_id"]], **letters)


def _write_desk(kept: Kept, made: Kit, members: Mapping[int | None, Alongside | None]) -> None:
    groups = {
        row["id"]: LineupGroup.objects.create(
            kit=made, **{name: row[name] for name in ("name", "position", *GROUP_VALUES)}
        )
        for row in kept.get("groups", ())
    }
    for row in kept.get("outputs", ()):
        values = {name: row[name] for name in ("output_id", "name", *OUTPUT_VALUES)}
        LineupOutput.objects.create(kit=made, one=members[row["one_id"]], group=groups.get(row["group_id"]), **values)


def put_together(lineup: Lineup, kits: Sequence[Kit]) -> Kit:
    """A lineup of kits that were opened, one for each member."""
    made = create_kit(lineup.name or "Lineup", pads=0, seed=lineup.members[0].kit.seed)
    rows = [
        Alongside.objects.create(
            kit=made, other=kit, position=position, low=member.low, high=member.high,
            channels=None if member.channels is None else list(member.channels), gain_db=member.gain_db,
            muted=member.muted, delay_ms=member.delay_ms,
            curve=member.curve if isinstance(member.curve, str) else DRAWN,
            curve_points=None if isinstance(member.curve, str) else [list(point) for point in member.curve],
            pieces=None if member.pieces is None else _keys_of(member, kit),
            **_met(lineup, member),
        )
        for position, (member, kit) in enumerate(zip(lineup.members, kits, strict=True), start=1)
    ]  # fmt: skip
    pads = [
        dict(zip((pad.id for _, pad in member.kit.pads()), kit.pads.values_list("pk", flat=True), strict=True))
        for member, kit in zip(lineup.members, kits, strict=True)
    ]
    desk = row_of(DESK, lineup)
    Kit.objects.filter(pk=made.pk).update(**desk)
    _put_desk_together(lineup, made, rows)
    for a, pad, b, other, strength in lineup.links:
        values = {"pad_id": pads[a][pad], "other_pad_id": pads[b][other], "strength": strength}
        Link.objects.create(kit=made, one=rows[a], other=rows[b], **values)
    for a, letter, b, other_letter in lineup.chokes:
        SharedChoke.objects.create(kit=made, one=rows[a], letter=letter, other=rows[b], other_letter=other_letter)
    return made


def _put_desk_together(lineup: Lineup, made: Kit, rows: Sequence[Alongside]) -> None:
    groups = {
        group.name: LineupGroup.objects.create(kit=made, position=position, **row_of(OUTPUT_GROUP, group))
        for position, group in enumerate(lineup.groups)
    }
    for one in lineup.outputs:
        output = rows[one.member].other.outputs.get(name=one.name)
        LineupOutput.objects.create(
            kit=made, one=rows[one.member], output_id=output.pk, group=groups.get(one.group), **row_of(OUTPUT, one)
        )


def _keys_of(member: Member, kit: Kit) -> list[int]:
    """Keys of the pieces that take part, in a kit that was opened from the member's."""
    pads = dict(zip((pad.id for _, pad in member.kit.pads()), kit.pads.values_list("piece", flat=True), strict=True))
    return list(
        dict.fromkeys(pads[pad.id] for piece in member.kit.pieces if piece.id in member.pieces for pad in piece.pads)
    )


def _met(lineup: Lineup, member: Member) -> dict[str, Any]:
    """How a member's notes are met: by what they mean where that is the table that it has, else by the table."""
    if not member.notes:
        return {"is_met": False}
    if member.notes == queries.notes_met(lineup.members[0].kit, member.kit):
        return {"is_met": True}
    return {"is_met": False, "notes": [list(pair) for pair in member.notes]}


# In versions ----------------------------------------------------------------------------------------------------------


def kept_in_version(kit: Kit) -> Kept:
    """What sounds alongside, as a version of the kit keeps it."""
    return {name: list(model.objects.filter(kit=kit).values()) for name, model in TABLES.items()}


def put_back(change: Change, kept: Kept) -> None:
    """Make what sounds alongside what a version has kept; rows have the keys again that they had."""
    for model in reversed(TABLES.values()):
        change.delete_all(list(model.objects.filter(kit=change.document)))
    for name, model in TABLES.items():
        change.create_all([model(**row) for row in kept.get(name, ())])


def compared(before: Kept, after: Kept) -> list[str]:
    """What differs in what sounds alongside, in sentences."""
    old, new = ({row["id"]: row for row in kept["alongside"]} for kept in (before, after))
    kits = {row["other_id"] for row in (*old.values(), *new.values())}
    names = dict(Kit.objects.filter(pk__in=kits).values_list("pk", "name"))
    said = [
        f"{names.get(row['other_id'], 'A kit')} no longer sounds alongside."
        for key, row in old.items()
        if key not in new
    ]
    for key, row in new.items():
        name = names.get(row["other_id"], "A kit")
        if key not in old:
            said.append(f"{name} sounds alongside.")
        elif changed := [words for field, words in WORDS.items() if row[field] != old[key][field]]:
            said.append(f"{name} alongside: {', '.join(dict.fromkeys(changed))}.")
    if any(before[name] != after[name] for name in ("links", "chokes")):
        said.append("Links between the kits differ.")
    if any(before.get(name, []) != after.get(name, []) for name in ("groups", "outputs")):
        said.append("The desk over the kits differs.")
    return said
