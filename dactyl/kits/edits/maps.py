"""Edits of the kit's maps: the notes of many pads at once, and the maps themselves."""

from collections.abc import Collection, Mapping, Sequence

from dactyl.core.errors import KitError
from dactyl.history.edits import Change, edit
from dactyl.history.models import Revision
from dactyl.kits.models import Kit, Map, MapNote, Pad


def set_all_notes(
    kit: Kit, version: int, sentence: str, wanted: Mapping[int, Sequence[int]], *, of: Map | None = None,
    roots_by: int = 0,
) -> Revision | None:  # fmt: skip
    """Give each of these pads exactly these notes; the others keep theirs. One revision.

    of : the map, the default one unless another is named; roots_by : semitones by which set roots move along
    """
    if any(not 0 <= note < 128 for notes in wanted.values() for note in notes):
        raise KitError("Notes are numbers from 0 to 127.")
    known = set(Pad.objects.filter(kit=kit, pk__in=wanted).values_list("pk", flat=True))
    with edit(kit, version, sentence) as change:
        write_notes(change, {pad: wanted[pad] for pad in known}, of=of)
        if roots_by:
            rows = list(Pad.objects.filter(pk__in=known, root__isnull=False).exclude(cents_per_key=0))
            change.update_each((pad, {"root": min(127, max(0, pad.root + roots_by))}) for pad in rows)
    return change.revision


def write_notes(change: Change, wanted: Mapping[int, Sequence[int]], *, of: Map | None = None) -> None:
    """Within an edit: give pads of the kit exactly these notes. A pad that follows the keys keeps its root."""
    chosen = of or Map.objects.get(kit=change.document, is_default=True)
    rows = {(row.pad_id, row.note): row for row in MapNote.objects.filter(map=chosen, pad__in=wanted)}
    asked = dict.fromkeys((pad, note) for pad, notes in wanted.items() for note in notes)
    gone = [row for key, row in rows.items() if key not in asked]
    new = [MapNote(map=chosen, pad_id=pad, note=note) for pad, note in asked if (pad, note) not in rows]
    if chosen.is_default:
        _keep_roots(change, {row.pad_id for row in (*gone, *new)}, rows)
    change.delete_all(gone)
    change.create_all(new)
    change.touch(*{row.pad_id for row in (*gone, *new)})


def _keep_roots(change: Change, pads: Collection[int], notes: Collection[tuple[int, int]]) -> None:
    """A root that was not set is the lowest note; a move of the notes must not change the pitch, so it is set."""
    for pad in Pad.objects.filter(pk__in=pads, root=None).exclude(cents_per_key=0):
        own = [note for owner, note in notes if owner == pad.pk]
        if own:
            change.update(pad, root=min(own))


def add_map(kit: Kit, version: int, name: str) -> tuple[Revision | None, int]:
    """Another map, that begins with the default one's notes. Returns its key too."""
    with edit(kit, version, f"Map {name} added") as change:
        made = change.create(Map(kit=change.document, name=name))
        rows = MapNote.objects.filter(map__kit=kit, map__is_default=True)
        change.create_all([MapNote(map=made, pad_id=row.pad_id, note=row.note) for row in rows])
    return change.revision, made.pk


def rename_map(one: Map, version: int, name: str) -> Revision | None:
    with edit(one.kit, version, f"Map {one.name} is called {name}") as change:
        change.update(one, name=name)
    return change.revision


def delete_map(one: Map, version: int) -> Revision | None:
    if one.is_default:
        raise KitError(f"{one.name} is the default map, which parts and files use. Make another the default first.")
    with edit(one.kit, version, f"Map {one.name} deleted") as change:
        change.delete_all([one])
    return change.revision


def make_default(one: Map, version: int) -> Revision | None:
    """The map that parts, packages and SFZ files use."""
    with edit(one.kit, version, f"{one.name} is the default map") as change:
        change.update_all(list(Map.objects.filter(kit=one.kit, is_default=True).exclude(pk=one.pk)), is_default=False)
        change.update(one, is_default=True)
        change.touch(*MapNote.objects.filter(map__kit=one.kit).values_list("pad", flat=True))
    return change.revision
