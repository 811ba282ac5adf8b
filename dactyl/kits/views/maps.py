"""The Map view: which notes strike which pads, arranged for one pad or for many."""

from collections.abc import Mapping, Sequence

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_GET

from dactyl.core.errors import KitError
from dactyl.core.formats.midi_names import write_names
from dactyl.core.maps import notes as maps
from dactyl.core.units import counted
from dactyl.kits import edits, fields, queries
from dactyl.kits.models import Kit
from dactyl.kits.templatetags.kit_filters import note as note_label
from dactyl.kits.views import card
from dactyl.kits.views.answer import Answer, kit_edit
from dactyl.kits.views.keyboard import map_context
from dactyl.kits.views.pages import kit_page
from dactyl.page_memory import kept
from dactyl.request_values import ids_in, number_in

MOST_LEARNED = 1024  # notes in one request


@require_GET
@kept
def map_page(request: HttpRequest, kit_id: int) -> HttpResponse:
    kit = get_object_or_404(Kit, pk=kit_id)
    return kit_page(request, kit, "map", "kits/_map.html", map_context(kit))


@kit_edit
def arrange(request: HttpRequest, kit: Kit, version: int) -> Answer:
    """Many notes at once, ``how``: those of all pads, or of the selected ones with ``which=selected``."""
    every = queries.pad_notes(kit)
    selected = set(card.selected_pads(request))
    pads = [pad for pad in every if pad.id in selected] if request.POST.get("which") == "selected" else every
    if not pads:
        raise KitError("No pad is selected. Select some, or arrange all.")
    wanted, sentence, said = _arranged(request, kit, every, pads)
    revision = edits.maps.set_all_notes(kit, version, sentence, wanted)
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
        read = fields.notes(request.POST.get("first", ""), middle_c_octave=settings.MIDDLE_C_OCTAVE)
        if not read:
            raise KitError("Say from which note the row begins, such as C1 or 36.")
        return maps.in_a_row(pads, read[0]), f"{of} in a row from {note_label(read[0])}", ""
    if how == "move":
        by = fields.whole("Semitones", -127, 127)(request.POST.get("by", ""))
        return (
            maps.shifted(pads, by),
            f"Notes of {of} moved {'up' if by > 0 else 'down'} by {counted(abs(by), 'semitone')}",
            "",
        )
    if how == "like":
        other = get_object_or_404(Kit, pk=number_in(request.POST.get("other", "")))
        found, unknown = maps.as_in(pads, queries.pad_notes(other))
        said = (
            f"Not in {other.name}: {', '.join(unknown[:6])}{' …' if len(unknown) > 6 else ''}; they keep theirs."
            if unknown
            else ""
        )
        return found, f"The same keys as {other.name}", said
    if how == "clear":
        return {pad.id: () for pad in pads}, f"Notes of {of} taken away", ""
    raise KitError("Choose how to arrange the notes.")


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
    return edits.maps.set_all_notes(kit, version, f"Notes of {counted(len(wanted), 'pad')} learned", wanted)


@require_GET
def note_list(request: HttpRequest, kit_id: int) -> HttpResponse:
    """The notes on paper: a drawn keyboard and a table, black on white."""
    kit = get_object_or_404(Kit, pk=kit_id)
    return render(request, "kits/note_list.html", {"kit": kit, **map_context(kit), "rows": [
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
    text = maps.as_csv(queries.pad_notes(kit), middle_c_octave=settings.MIDDLE_C_OCTAVE)
    return HttpResponse(
        text.encode("utf-8-sig"),  # the mark lets spreadsheets know
        content_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": f'attachment; filename="notes-{kit.pk}.csv"'},
    )
