"""Translations: what the notes of parts that were written elsewhere strike in this kit."""

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.views.decorators.http import require_GET, require_POST

from dactyl.core.errors import KitError
from dactyl.core.formats.midi_names import MAX_BYTES, read_names
from dactyl.core.kinds import free_note
from dactyl.core.maps import translate
from dactyl.history.door import Answer
from dactyl.kits import fields, queries
from dactyl.kits.models import Kit, Translation
from dactyl.kits.views.answer import find, kit_edit, pad_of
from dactyl.kits.views.pages import picture_page
from dactyl.maps import edits, ways
from dactyl.web.page_memory import kept
from dactyl.web.request_values import ids_in, number_in, plain

_name = fields.words("A translation's name", 80)


@require_GET
@kept
def translations_page(request: HttpRequest, kit_id: int) -> HttpResponse:
    return picture_page(request, get_object_or_404(Kit, pk=kit_id), "translations")


@require_POST
def add_names(request: HttpRequest, kit_id: int) -> HttpResponse:
    """Another source of parts: a MIDI name document, or a name alone, whose notes are then given by hand."""
    kit = get_object_or_404(Kit, pk=kit_id)
    upload = request.FILES.get("file")
    name = plain(request.POST.get("name", ""), "A name", 80)
    names: dict[int, str] = {}
    if upload is not None:
        if upload.size > MAX_BYTES:
            raise KitError(f"{upload.name[:80]} is larger than {MAX_BYTES >> 20} MB; no list of note names is.")
        names = read_names(upload.read(), upload.name[:120])
        name = name or plain(upload.name.rsplit(".", 1)[0][:80], "A name", 80)
    if not name:
        raise KitError("Give it a name, or choose a MIDI name document.")
    row = edits.translations.add_names(name, names)
    request.shown = f"names:{row.pk}"
    return picture_page(request, kit, "translations")


@kit_edit
def propose(request: HttpRequest, kit: Kit, version: int) -> Answer:
    """Begin the translation from ``source``, or begin it anew."""
    source = request.POST.get("source", "")[:40]
    name, notes = ways.source_pads(source)
    pads = queries.pad_notes(kit)
    lines = translate.propose(notes, pads)
    revision = edits.translations.propose(kit, version, source, name, lines, pads)
    doubts = sum(1 for line in lines if line.to is not None and not line.is_sure)
    return revision, f"Translation from {name} proposed. {doubts} of its notes are in doubt." if doubts else ""


@kit_edit
def change(request: HttpRequest, kit: Kit, version: int, translation_id: int, what: str) -> Answer:
    """what : pad (of ``notes``, in ``value``), sure, rename, delete, or free (a note for the pad of ``value``)"""
    translation = find(Translation.objects, translation_id, kit, kit=kit)
    translation.kit = kit
    value = request.POST.get("value", "")
    if what == "rename":
        return edits.translations.rename(translation, version, _name(value))
    if what == "delete":
        return edits.translations.delete(translation, version)
    notes = [note for note in ids_in(request.POST.get("notes", "")) if note < 128]
    if what == "free":
        pad = pad_of(kit, number_in(value))
        _, source = ways.source_pads(translation.source)
        taken = {*translation.notes.values_list("note", flat=True), *(n for one in source for n in one.notes), *notes}
        note = free_note(pad.kind, taken)
        if note is None:
            raise KitError(f"No note is free for {pad.full_name}. Take one from another pad, in the translation.")
        return edits.translations.set_pads(translation, version, {note: pad})
    if not notes:
        raise KitError("Say which note is meant. Reload the page.")
    if what == "sure":
        rows = translation.notes.filter(note__in=notes).select_related("pad__piece")
        return edits.translations.set_pads(translation, version, {row.note: row.pad for row in rows})
    if what == "pad":
        pad = pad_of(kit, number_in(value)) if value else None
        return edits.translations.set_pads(translation, version, dict.fromkeys(notes, pad))
    raise KitError("Choose what to do with the translation. Reload the page.")
