"""The Map view: which notes strike which pads, arranged for one pad or for many."""

from collections.abc import Mapping, Sequence

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_GET, require_POST

from dactyl.core.errors import KitError
from dactyl.core.formats.midi_names import MAX_BYTES, read_names, write_names
from dactyl.core.maps import notes as maps
from dactyl.core.maps import translate
from dactyl.core.units import counted
from dactyl.history.door import Answer
from dactyl.kits import edits, fields, queries
from dactyl.kits.models import Kit, Map
from dactyl.kits.templatetags.kit_filters import note as note_label
from dactyl.kits.views import card
from dactyl.kits.views.answer import kit_edit, pad_of
from dactyl.kits.views.pages import picture_page
from dactyl.kits.views.pictures import shown_in
from dactyl.maps.views.pictures import map_context
from dactyl.web.headers import told
from dactyl.web.note_naming import COOKIE, OCTAVES, middle_c_octave
from dactyl.web.page_memory import kept
from dactyl.web.request_values import ids_in, number_in, plain

MOST_LEARNED = 1024  # notes in one request


@require_GET
@kept
def map_page(request: HttpRequest, kit_id: int) -> HttpResponse:
    return picture_page(request, get_object_or_404(Kit, pk=kit_id), "map")


def chosen_map(request: HttpRequest, kit: Kit) -> Map:
    """The map that the page shows among the keys, else the default one."""
    own = {one.pk: one for one in Map.objects.filter(kit=kit)}
    asked = number_in(shown_in(request)) if told(request, "view") == "map" else 0
    return own.get(asked) or next(one for one in own.values() if one.is_default)


@kit_edit
def arrange(request: HttpRequest, kit: Kit, version: int) -> Answer:
    """Many notes at once, ``how``: those of all pads, or of the selected ones with ``which=selected``."""
    of = chosen_map(request, kit)
    every = queries.pad_notes(kit, of)
    selected = set(card.selected_pads(request))
    pads = [pad for pad in every if pad.id in selected] if request.POST.get("which") == "selected" else every
    if not pads:
        raise KitError("No pad is selected. Select some, or arrange all.")
    wanted, sentence, said = _arranged(request, kit, every, pads)
    by = _semitones(request) if request.POST.get("how") == "move" and request.POST.get("roots") else 0
    revision = edits.maps.set_all_notes(kit, version, sentence, wanted, of=of, roots_by=by)
    return revision, (f"{sentence}. {said}" if revision and said else "")


def _arranged(
    request: HttpRequest, kit: Kit, every: Sequence[maps.PadNotes], pads: Sequence[maps.PadNotes]
) -> tuple[Mapping[int, Sequence[int]], str, str]:
    """Notes, the sentence of the edit, and what is to be said beside it."""
    how, of = request.POST.get("how", ""), counted(len(pads), "pad")
    if how == "standard":
        own = {pad.id for pad in pads}
        taken = {note for pad in every if pad.id not in own for note in pad.notes}
        return maps.standard(pads, taken), f"Standard drum notes for {of}", ""
    if how == "row":
        read = fields.notes(request.POST.get("first", ""), middle_c_octave=middle_c_octave())
        if not read:
            raise KitError("Say from which note the row begins, such as C1 or 36.")
        return maps.in_a_row(pads, read[0]), f"{of} in a row from {note_label(read[0])}", ""
    if how == "move":
        by = _semitones(request)
        return (
            maps.shifted(pads, by),
            f"Notes of {of} moved {'up' if by > 0 else 'down'} by {counted(abs(by), 'semitone')}",
            "",
        )
    if how == "like":
        other = get_object_or_404(Kit, pk=number_in(request.POST.get("other", "")))
        found, unknown = maps.as_in(pads, queries.pad_notes(other))
        said = _left_over(unknown, f"Not in {other.name}")
        return found, f"The same keys as {other.name}", said and f"{said} They keep theirs."
    if how == "list":
        name, listed = _listed(request)
        found, unknown = translate.taken_over(listed, pads)
        if not found:
            raise KitError(f"No pad of this kit is named in {name}.")
        return found, f"Notes of {counted(len(found), 'pad')} from {name}", _left_over(unknown, "Without a pad here")
    if how == "clear":
        return {pad.id: () for pad in pads}, f"Notes of {of} taken away", ""
    raise KitError("Choose how to arrange the notes.")


def _left_over(names: Sequence[str], words: str, most: int = 6) -> str:
    """The names that were not met, the first few of them; nothing where all were."""
    return f"{words}: {', '.join(names[:most])}{' …' if len(names) > most else ''}." if names else ""


def _listed(request: HttpRequest) -> tuple[str, list[maps.PadNotes]]:
    """The name of a note list that was sent, and what it says: a MIDI name document, or CSV as it is written here."""
    upload = request.FILES.get("file")
    if upload is None:
        raise KitError("Choose a note list: a MIDI name document or a CSV file.")
    name = plain(upload.name, "A file's name", 120)
    if upload.size > MAX_BYTES:
        raise KitError(f"{name} is larger than {MAX_BYTES >> 20} MB; no note list is.")
    data = upload.read()
    if name.lower().endswith(".csv"):
        return name, maps.read_csv(data, name)
    return name, translate.named_source(read_names(data, name))


def _semitones(request: HttpRequest) -> int:
    return fields.whole("Semitones", -127, 127)(request.POST.get("by", ""))


@kit_edit
def set_notes(request: HttpRequest, kit: Kit, version: int, pad_id: int) -> Answer:
    """The notes of a pad in the map that the page shows."""
    pad, of = pad_of(kit, pad_id), chosen_map(request, kit)
    notes = fields.notes(request.POST.get("value", ""), middle_c_octave=middle_c_octave())
    if of.is_default:
        return edits.pads.set_notes(pad, version, notes)
    sentence = f"Notes of {pad.full_name} in {of.name}"
    return edits.maps.set_all_notes(kit, version, sentence, {pad.pk: notes}, of=of)


@kit_edit
def change_map(request: HttpRequest, kit: Kit, version: int, what: str) -> Answer:
    """what : add, rename, delete or default; of the map that the page shows"""
    name = fields.words("A map's name", 60)
    if what == "add":
        asked = name(request.POST.get("value", "") or "Another map")
        revision, request.shown = edits.maps.add_map(kit, version, asked)
        return revision
    one = chosen_map(request, kit)
    one.kit = kit
    if what == "rename":
        return edits.maps.rename_map(one, version, name(request.POST.get("value", "")))
    if what == "delete":
        return edits.maps.delete_map(one, version)
    if what == "default":
        return edits.maps.make_default(one, version)
    raise KitError("Choose what to do with the map. Reload the page.")


@require_POST
def name_octaves(request: HttpRequest) -> HttpResponse:
    """What middle C is called in this browser; the page is drawn anew."""
    asked = number_in(request.POST.get("value", ""))
    if asked not in OCTAVES:
        raise KitError("Middle C is C3, C4 or C5.")
    response = HttpResponse(headers={"HX-Refresh": "true"})
    response.set_cookie(COOKIE, str(asked), max_age=10 * 365 * 24 * 3600, samesite="Lax")
    return response


@kit_edit
def learned(request: HttpRequest, kit: Kit, version: int) -> Answer:
    """Notes that were struck: ``notes=pad:note,pad:note``, all in one edit."""
    pairs = [ids_in(pair.replace(":", ",")) for pair in request.POST.get("notes", "").split(",")[:MOST_LEARNED] if pair]
    wanted: dict[int, list[int]] = {}
    for pair in pairs:
        if len(pair) != 2:
            raise KitError("What was learned could not be read. Learn it again.")
        wanted.setdefault(pair[0], []).append(pair[1])
    if not wanted:
        return None, "Nothing was learned."
    sentence = f"Notes of {counted(len(wanted), 'pad')} learned"
    return edits.maps.set_all_notes(kit, version, sentence, wanted, of=chosen_map(request, kit))


@require_GET
def note_list(request: HttpRequest, kit_id: int) -> HttpResponse:
    """The notes on paper: a drawn keyboard and a table, black on white."""
    kit = get_object_or_404(Kit, pk=kit_id)
    return render(request, "maps/note_list.html", {"kit": kit, **map_context(kit), "rows": [
        (note_label(note), maps.STANDARD.get(note, ""), pad)
        for note, pad in sorted((note, pad.name) for pad in queries.pad_notes(kit) for note in pad.notes)
    ]})  # fmt: skip


@require_GET
def note_names(request: HttpRequest, kit_id: int) -> HttpResponse:
    """The names of the notes for other programs: a MIDI name document."""
    kit = get_object_or_404(Kit, pk=kit_id)
    return HttpResponse(
        write_names(kit.name, maps.names_of(queries.pad_notes(kit))),
        content_type="application/xml",
        headers={"Content-Disposition": f'attachment; filename="notes-{kit.pk}.midnam"'},
    )


@require_GET
def note_csv(request: HttpRequest, kit_id: int) -> HttpResponse:
    kit = get_object_or_404(Kit, pk=kit_id)
    text = maps.as_csv(queries.pad_notes(kit), middle_c_octave=middle_c_octave())
    return HttpResponse(
        text.encode("utf-8-sig"),  # the mark lets spreadsheets know
        content_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": f'attachment; filename="notes-{kit.pk}.csv"'},
    )
