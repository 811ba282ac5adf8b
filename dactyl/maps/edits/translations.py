"""Edits of translations: what the notes of parts that were written elsewhere strike in this kit."""

from collections.abc import Iterable, Mapping, Sequence

from dactyl.core.errors import KitError
from dactyl.core.kinds import free_note
from dactyl.core.maps.notes import PadNotes
from dactyl.core.maps.translate import Line
from dactyl.history.edits import Change, edit
from dactyl.history.models import Revision
from dactyl.kits.edits.maps import write_notes
from dactyl.kits.models import Kit, Map, MapNote, Pad, Translation, TranslationNote
from dactyl.maps.models import NoteNames

BY_HAND = "chosen by hand"


def add_names(name: str, names: Mapping[int, str]) -> NoteNames:
    """Another source of parts: what its notes are called, as far as that is known."""
    return NoteNames.objects.create(name=name, names={str(note): named for note, named in names.items()})


def propose(
    kit: Kit, version: int, source: str, name: str, lines: Iterable[Line], pads: Sequence[PadNotes]
) -> Revision | None:
    """Begin the translation from ``source``, with what was proposed; one that is there already is proposed anew."""
    by_note = {note: pad.id for pad in reversed(pads) for note in pad.notes}
    with edit(kit, version, f"Translation from {name} proposed") as change:
        made = Translation.objects.filter(kit=kit, source=source).first()
        made = made or change.create(Translation(kit=change.document, source=source, name=name))
        change.delete_all(list(made.notes.all()))
        change.create_all([
            TranslationNote(
                translation=made, note=line.note, pad_id=by_note[line.to], why=line.why[:60], is_sure=line.is_sure
            )
            for line in _one_for_each_note(lines)
        ])  # fmt: skip
    return change.revision


def _one_for_each_note(lines: Iterable[Line]) -> list[Line]:
    """Of several lines of one note, as where it strikes several pads of the source, the surest; the first of equal ones."""
    best: dict[int, Line] = {}
    for line in lines:
        if line.to is not None and (line.note not in best or (line.is_sure and not best[line.note].is_sure)):
            best[line.note] = line
    return list(best.values())


def set_pads(translation: Translation, version: int, wanted: Mapping[int, Pad | None]) -> Revision | None:
    """What some notes strike, by hand; None: nothing. A pad that has no note yet is given a free one."""
    names = {pad.full_name if pad else "nothing" for pad in wanted.values()}
    notes = ", ".join(map(str, sorted(wanted)[:4]))
    with edit(
        translation.kit, version, f"Note {notes} of {translation.name} strikes {' and '.join(sorted(names))}"
    ) as change:
        rows = {row.note: row for row in translation.notes.filter(note__in=wanted)}
        for note, pad in wanted.items():
            row = rows.get(note)
            if pad is None:
                change.delete_all([row] if row else [])
            elif row:
                change.update(row, pad_id=pad.pk, why=BY_HAND, is_sure=True)
            else:
                change.create(TranslationNote(translation=translation, note=note, pad=pad, why=BY_HAND, is_sure=True))
            if pad is not None:
                _give_note(change, pad)
    return change.revision


def _give_note(change: Change, pad: Pad) -> None:
    """The way from the translation to the pad is a note of the default map (design rule 13)."""
    default = Map.objects.get(kit=change.document, is_default=True)
    rows = MapNote.objects.filter(map=default)
    if rows.filter(pad=pad).exists():
        return
    note = free_note(pad.kind, set(rows.values_list("note", flat=True)))
    if note is None:
        raise KitError(f"No note is free for {pad.full_name}. Take one from another pad, in the Map view.")
    write_notes(change, {pad.pk: [note]})


def rename(translation: Translation, version: int, name: str) -> Revision | None:
    with edit(translation.kit, version, f"Translation {translation.name} is called {name}") as change:
        change.update(translation, name=name)
    return change.revision


def delete(translation: Translation, version: int) -> Revision | None:
    with edit(translation.kit, version, f"Translation {translation.name} deleted") as change:
        change.delete_all([translation])
    return change.revision
