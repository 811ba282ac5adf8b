"""Edits of the kit's default map: the notes of many pads at once."""

from collections.abc import Mapping, Sequence

from dactyl.core.errors import KitError
from dactyl.history.edits import edit
from dactyl.history.models import Revision
from dactyl.kits.models import Kit, Map, MapNote, Pad


def set_all_notes(kit: Kit, version: int, sentence: str, wanted: Mapping[int, Sequence[int]]) -> Revision | None:
    """Give each of these pads exactly these notes; the others keep theirs. One revision."""
    if any(not 0 <= note < 128 for notes in wanted.values() for note in notes):
        raise KitError("Notes are numbers from 0 to 127.")
    known = set(Pad.objects.filter(kit=kit, pk__in=wanted).values_list("pk", flat=True))
    with edit(kit, version, sentence) as change:
        default = Map.objects.get(kit=kit, is_default=True)
        rows = list(MapNote.objects.filter(map=default, pad__in=known))
        held = {(row.pad_id, row.note) for row in rows}
        asked = [(pad, note) for pad in known for note in dict.fromkeys(wanted[pad])]
        gone = [row for row in rows if (row.pad_id, row.note) not in set(asked)]
        new = [MapNote(map=default, pad_id=pad, note=note) for pad, note in asked if (pad, note) not in held]
        change.delete_all(gone)
        change.create_all(new)
        change.touch(*{row.pad_id for row in (*gone, *new)})
    return change.revision
