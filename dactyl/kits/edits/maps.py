"""Edits of the kit's default map: the notes of many pads at once."""

from collections.abc import Mapping, Sequence

from dactyl.core.errors import KitError
from dactyl.history.edits import Change, edit
from dactyl.history.models import Revision
from dactyl.kits.models import Kit, Map, MapNote, Pad


def set_all_notes(kit: Kit, version: int, sentence: str, wanted: Mapping[int, Sequence[int]]) -> Revision | None:
    """Give each of these pads exactly these notes; the others keep theirs. One revision."""
    if any(not 0 <= note < 128 for notes in wanted.values() for note in notes):
        raise KitError("Notes are numbers from 0 to 127.")
    known = set(Pad.objects.filter(kit=kit, pk__in=wanted).values_list("pk", flat=True))
    with edit(kit, version, sentence) as change:
        write_notes(change, {pad: wanted[pad] for pad in known})
    return change.revision


def write_notes(change: Change, wanted: Mapping[int, Sequence[int]]) -> dict[int, list[int]]:
    """Within an edit: give pads of the kit exactly these notes; returns those they had."""
    default = Map.objects.get(kit=change.document, is_default=True)
    rows = {(row.pad_id, row.note): row for row in MapNote.objects.filter(map=default, pad__in=wanted)}
    asked = dict.fromkeys((pad, note) for pad, notes in wanted.items() for note in notes)
    gone = [row for key, row in rows.items() if key not in asked]
    new = [MapNote(map=default, pad_id=pad, note=note) for pad, note in asked if (pad, note) not in rows]
    change.delete_all(gone)
    change.create_all(new)
    change.touch(*{row.pad_id for row in (*gone, *new)})
    before: dict[int, list[int]] = {pad: [] for pad in wanted}
    for pad, note in sorted(rows):
        before[pad].append(note)
    return before
