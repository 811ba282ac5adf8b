"""What sounds alongside a kit: edits of that kit."""

from collections.abc import Sequence
from typing import Any

from dactyl.core.errors import KitError
from dactyl.core.lineup import Lineup, Listening
from dactyl.history.edits import edit
from dactyl.history.models import Revision
from dactyl.kits.models import Kit
from dactyl.lineups.models import Alongside
from dactyl.lineups.queries import MOST, notes_met, own_row, rows_of


def add(kit: Kit, version: int, other: Kit, **said: Any) -> Revision | None:
    """said : columns of its row that are not as usual"""
    rows = rows_of(kit)
    if len(rows) >= MOST:
        raise KitError(f"{MOST} kits sound alongside {kit.name} already; that is the most.")
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
    return change.revision


def put_together(lineup: Lineup, kits: Sequence[Kit]) -> list[str]:
    """Kits that were opened for the members of a lineup: the others sound alongside the first. Returns what can't be kept."""
    first, *others = lineup.members
    kit, said = kits[0], []
    for position, (member, other) in enumerate(zip(others, kits[1:], strict=True), start=1):
        if other == kit:
            said.append(f"{first.kit.name} is in it twice; alongside itself it can't be kept.")
            continue
        Alongside.objects.create(
            kit=kit, other=other, position=position, low=member.low, high=member.high,
            channels=None if member.channels is None else list(member.channels), gain_db=member.gain_db,
            muted=member.muted, delay_ms=member.delay_ms, curve=member.curve if isinstance(member.curve, str) else "even",
            pieces=None if member.pieces is None else list(member.pieces), is_met=bool(member.notes),
        )  # fmt: skip
        if not isinstance(member.curve, str):
            said.append(f"{member.kit.name}: its velocity curve becomes even.")
        if member.notes and member.notes != notes_met(first.kit, member.kit):
            said.append(f"{member.kit.name}: its notes are met by what they mean, not by the table in the file.")
    if first.channels is not None:
        Alongside.objects.create(kit=kit, other=kit, position=0, channels=list(first.channels))
    own = {name: getattr(first, name) for name in Listening.__dataclass_fields__ if name != "channels"}
    if own != {name: getattr(Listening(), name) for name in own}:
        said.append(f"{first.kit.name} hears all notes of its channels here, as it is.")
    if lineup.links or lineup.chokes:
        said.append("Its links and chokes between kits are left out.")
    return said
