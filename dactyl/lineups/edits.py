"""What sounds alongside a kit: edits of that kit."""

from typing import Any

from dactyl.core.errors import KitError
from dactyl.history.edits import edit
from dactyl.history.models import Revision
from dactyl.kits.models import Kit
from dactyl.lineups.models import Alongside
from dactyl.lineups.queries import MOST, rows_of


def add(kit: Kit, version: int, other: Kit, *, only: str = "") -> Revision | None:
    """only : one piece of it alone, by name"""
    rows = rows_of(kit)
    if len(rows) >= MOST:
        raise KitError(f"{MOST} kits sound alongside {kit.name} already; that is the most.")
    what = f"{only} of {other.name}" if only else other.name
    with edit(kit, version, f"{what} alongside") as change:
        position = max((row.position for row in rows), default=0) + 1
        pieces = [only] if only else None
        change.create(Alongside(kit=kit, other=other, position=position, pieces=pieces))
    return change.revision


def set_fields(row: Alongside, version: int, values: dict[str, Any], words: str) -> Revision | None:
    with edit(row.kit, version, f"{row.other.name} alongside: {words}") as change:
        change.update(row, **values)
    return change.revision


def remove(row: Alongside, version: int) -> Revision | None:
    with edit(row.kit, version, f"{row.other.name} no longer alongside") as change:
        change.delete_all([row])
    return change.revision
