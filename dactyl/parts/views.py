"""The part view of a kit, and what its editor asks: a part's tables, edits, choices, files."""

from collections.abc import Callable
from dataclasses import replace
from functools import partial, wraps
from io import BytesIO
from typing import BinaryIO

from django.db import transaction
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect, JsonResponse
from django.http.response import HttpResponseBase
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.utils.http import content_disposition_header
from django.utils.timezone import localtime
from django.views.decorators.http import require_GET, require_http_methods, require_POST
from django_htmx.http import push_url

from dactyl.core.bounce.order import safe_name
from dactyl.core.errors import PartError
from dactyl.core.formats.curves import write_curves
from dactyl.core.formats.midi import MAX_BYTES, MAX_NOTES, read_midi, read_tracks, write_midi
from dactyl.core.formats.musicxml.read import MAX_BYTES as MAX_SCORE_BYTES
from dactyl.core.formats.musicxml.read import is_musicxml, read_musicxml
from dactyl.core.formats.musicxml.write import MEDIA_TYPE
from dactyl.core.formats.notes import note_label, note_name
from dactyl.core.maps import translate
from dactyl.core.parts import structure
from dactyl.core.parts.controls import MOST_CONTROLS
from dactyl.core.parts.meter import GRIDS
from dactyl.core.parts.part import Event
from dactyl.core.parts.part import Part as PartValue
from dactyl.core.stack.kind import kind_from_name
from dactyl.history import edits as history
from dactyl.history.door import Answer, edited
from dactyl.history.models import Revision
from dactyl.history.queries import listed, reading
from dactyl.jobs.run import cancel
from dactyl.kits.alongside import kit_of_notes
from dactyl.kits.models import Kit
from dactyl.kits.queries import default_notes, pad_notes, sheet_rows
from dactyl.kits.views.pages import kit_page
from dactyl.maps.ways import source_pads, translated_notes
from dactyl.parts import edits, operations, passes, queries, scores, shown
from dactyl.parts.models import Part, Pass
from dactyl.web.attached import attached
from dactyl.web.headers import told
from dactyl.web.note_naming import middle_c_octave
from dactyl.web.page_memory import kept
from dactyl.web.request_values import JsonValues, number_in, plain

RATES_HZ = (8000, 192_000)
MOST_FILES = 64  # read at once
HEAD_BYTES = 256  # by which a score is known


@require_GET
@kept
def part_page(request: HttpRequest, kit_id: int) -> HttpResponse:
    return _part_view(request, get_object_or_404(Kit, pk=kit_id), chosen_part(request))


def _part_view(request: HttpRequest, kit: Kit, chosen: Part | None) -> HttpResponse:
    is_long = chosen is not None and scores.is_long(chosen)
    context = {"parts": queries.all_parts(), "part": chosen, "grids": list(GRIDS), "is_long": is_long}
    return kit_page(request, kit, "part", "parts/_part.html", context)


def chosen_part(request: HttpRequest) -> Part | None:
    """The part the address or the page names, else the first."""
    asked = request.GET.get("part") or told(request, "part")
    return Part.objects.filter(pk=number_in(asked)).first() or Part.objects.first()


# Parts as a whole -----------------------------------------------------------------------------------------------------


@require_POST
def new(request: HttpRequest, kit_id: int) -> HttpResponse:
    """An empty part; of the kit it is only shown in."""
    kit = get_object_or_404(Kit, pk=kit_id)
    asked = JsonValues({name: number_in(request.POST.get(name, ""), -1) for name in ("bars", "beats", "unit")})
    bpm = _typed_number(request.POST.get("bpm", "120"))
    name = plain(request.POST.get("name", ""), "A part's name", 80) or "New part"
    value = structure.new_part(
        name, asked.whole("bars", 1, 1000), bpm=bpm, beats=asked.whole("beats", 1, 32), unit=asked.whole("unit", 1, 32)
    )
    return _opened(request, kit, edits.add_part(value))


def _typed_number(text: str) -> float:
    try:
        return float(text.strip().replace(",", ".")[:12])
    except ValueError:
        raise PartError("The tempo is a number of beats a minute, such as 96.") from None


@require_POST
def read(request: HttpRequest, kit_id: int) -> HttpResponse:
    """Read MIDI files and scores as parts: one for each, or with ``as`` tracks for each track, or together one of them all."""
    kit = get_object_or_404(Kit, pk=kit_id)
    uploads, way = request.FILES.getlist("file"), request.POST.get("as", "")
    if not uploads:
        raise PartError("No file was chosen. Choose a MIDI file or a score in MusicXML.")
    values: list[PartValue] = []
    for upload in uploads[:MOST_FILES]:
        name = upload.name[:120]
        is_score = is_musicxml(upload.read(HEAD_BYTES))
        most = MAX_SCORE_BYTES if is_score else MAX_BYTES
        if upload.size > most:
            raise PartError(f"{name} is larger than {most >> 20} MB; no drum part is.")
        upload.seek(0)
        data = upload.read()
        if is_score:
            values.append(read_musicxml(data, name, kind_from_name))
        else:
            values += read_tracks(data, name) if way == "tracks" else [read_midi(data, name)]
    if way == "together":
        values = [structure.together(values)]
    with transaction.atomic():
        return _opened(request, kit, [edits.add_part(value) for value in values][0])


@require_POST
def read_anywhere(request: HttpRequest) -> HttpResponse:
    """Read a MIDI file that came where no kit is open; it is shown with the kit that was changed last."""
    kit = Kit.objects.filter(is_put_away=False).order_by("-journal__changed_at").first()
    if kit is None:
        raise PartError("A part is shown with a kit, and there is none yet. Open a new kit, then drop it again.")
    return read(request, kit.pk)


def _opened(request: HttpRequest, kit: Kit, part: Part) -> HttpResponse:
    url = f"{reverse('parts:part', args=[kit.pk])}?part={part.pk}"
    return push_url(_part_view(request, kit, part), url) if request.htmx else HttpResponseRedirect(url)


@require_POST
def duplicate(request: HttpRequest, kit_id: int, part_id: int) -> HttpResponse:
    copy = edits.duplicate(get_object_or_404(Part, pk=part_id))
    return _opened(request, get_object_or_404(Kit, pk=kit_id), copy)


@require_POST
def delete(request: HttpRequest, kit_id: int, part_id: int) -> HttpResponse:
    """For good; bounces keep what they were made from."""
    edits.delete_part(get_object_or_404(Part, pk=part_id))
    kit = get_object_or_404(Kit, pk=kit_id)
    url = reverse("parts:part", args=[kit.pk])
    if not request.htmx:
        return HttpResponseRedirect(url)
    return push_url(_part_view(request, kit, Part.objects.first()), url)


@require_POST
def split(request: HttpRequest, kit_id: int, part_id: int) -> HttpResponse:
    """One part for each pad, piece or channel; the whole stays."""
    kit, part = get_object_or_404(Kit, pk=kit_id), get_object_or_404(Part, pk=part_id)
    made = structure.split(queries.part_value(part), _namer(kit, part, request.POST.get("by", "pad")))
    if len(made) < 2:
        raise PartError("There is nothing to split: all its hits belong together.")
    return _opened(request, kit, [edits.add_part(value, like=part) for value in made][0])


@require_http_methods(["GET", "POST"])
def midi(request: HttpRequest, kit_id: int, part_id: int) -> HttpResponse:
    """The part as a MIDI file: of type 0, or with ``by`` pad, piece or channel of type 1, a track for each.

    Posted with ``ids`` it holds these hits alone; their time stays. Many would not fit into an address. With ``for`` it is
    written for another map; ``says`` asks in a sentence what is left out of that file.
    """
    kit, part = get_object_or_404(Kit, pk=kit_id), get_object_or_404(Part, pk=part_id)
    value, by = queries.part_value(part), request.GET.get("by", "")
    tracks = _track_names(value, _namer(kit, part, by)) if by else None
    if target := request.GET.get("for", "")[:40]:
        value, left_out = _for_others(kit, part, value, target)
        if request.GET.get("says"):
            return HttpResponse(left_out, content_type="text/plain; charset=utf-8")
    if ids := {number_in(key) for key in request.POST.get("ids", "").split(",") if key}:
        value = replace(value, events=tuple(event for event in value.events if event.id in ids))
    response = HttpResponse(write_midi(value, tracks=tracks), content_type="audio/midi")
    response["Content-Disposition"] = content_disposition_header(True, f"{safe_name(part.name)}.mid")
    return response


@require_GET
def score(request: HttpRequest, kit_id: int, part_id: int) -> HttpResponseBase:
    """The part as a drummer's score: MusicXML, its notes named by the pads that play them here. A long one is written before."""
    kit, part = get_object_or_404(Kit, pk=kit_id), get_object_or_404(Part, pk=part_id)
    if scores.is_long(part):
        path = scores.file_of(kit, part)
        if path is None:
            raise PartError("This score is not written yet, or the part has changed since. Write it first.")
        opened: BinaryIO = path.open("rb")
    else:
        opened = BytesIO(scores.short_score(kit, part))
    return attached(opened, f"{safe_name(part.name)}.musicxml", MEDIA_TYPE)


@require_http_methods(["GET", "POST"])
def long_score(request: HttpRequest, kit_id: int, part_id: int) -> HttpResponse:
    """How far the score of a long part has come. Posted, it is written; with ``cancel`` that ends."""
    kit, part = get_object_or_404(Kit, pk=kit_id), get_object_or_404(Part, pk=part_id)
    job = scores.job_of(kit, part)
    if request.method == "POST" and request.POST.get("cancel"):
        if job is not None:
            cancel(job)
    elif request.method == "POST":
        scores.asked_for(kit, part)
    path = scores.file_of(kit, part)
    shown = {
        "kit": kit,
        "part": part,
        "job": scores.job_of(kit, part),
        "size_bytes": path.stat().st_size if path else 0,
    }
    return render(request, "parts/_long_score.html", shown)


@require_GET
def curves_file(request: HttpRequest, kit_id: int, part_id: int) -> HttpResponse:
    """What moves along the part, as a file beside its MIDI file."""
    part = get_object_or_404(Part, pk=part_id)
    response = HttpResponse(write_curves(queries.about(part)), content_type="application/json")
    response["Content-Disposition"] = content_disposition_header(True, f"{safe_name(part.name)} curves.json")
    return response


def _track_names(value: PartValue, name_of: Callable[[Event], str]) -> Callable[[Event], str]:
    """Names by the notes that the hits have now, whatever they become in a file."""
    names = {event.id: name_of(event) for event in value.events}
    return lambda event: names[event.id]


def _for_others(kit: Kit, part: Part, value: PartValue, target: str) -> tuple[PartValue, str]:
    """The part as it would be written for another map, and what is left out: what is silent here, or another drum there."""
    silent = {}
    if (own := translated_notes(kit, part.written_for)) is not None:
        value, silent = translate.played(value, own), translate.unmet(value, own)
    name, theirs = source_pads(target)
    table = translate.table_of(translate.propose(pad_notes(kit_of_notes(kit)), theirs))
    answered = {note for pad in theirs for note in pad.notes}
    foreign = translate.left_out(value, table, answered)
    octave = middle_c_octave()
    said = [
        f"{why}: {', '.join(f'{note_label(note, middle_c_octave=octave)} ({count})' for note, count in notes.items())}"
        for notes, why in ((silent, "silent here"), (foreign, f"another drum in {name}"))
        if notes
    ]
    return translate.applied(
        replace(value, curves=()), table, answered
    ), f"Left out of the MIDI file: {'; '.join(said)}." if said else ""


NAMERS: dict[str, Callable[[Kit, Part], Callable[[Event], str]]] = {}
"""Further ways in which apps above file hits, by the word that asks for them."""


def _namer(kit: Kit, part: Part, by: str) -> Callable[[Event], str]:
    """What a hit is filed under: by the pad that plays it in this kit."""
    if by in NAMERS:
        return NAMERS[by](kit, part)
    if by == "channel":
        return lambda event: f"Channel {event.channel + 1}"
    if by not in ("pad", "piece"):
        raise PartError("Choose pad, piece or channel.")
    names: dict[int, str] = {}
    for row in sheet_rows(kit_of_notes(kit), levels=False):
        for note in row.notes:
            names.setdefault(note, row.pad.piece.name or row.name if by == "piece" else row.name)
    table = translated_notes(kit, part.written_for)
    plain_name = partial(note_name, middle_c_octave=middle_c_octave())
    return lambda event: names.get(event.note if table is None else table.get(event.note)) or plain_name(event.note)


# The editor -----------------------------------------------------------------------------------------------------------


def _rate(request: HttpRequest) -> int:
    low, high = RATES_HZ
    return min(high, max(low, number_in(told(request, "rate"), 48_000)))


@require_GET
def data(request: HttpRequest, part_id: int) -> JsonResponse:
    return JsonResponse(shown.whole(get_object_or_404(Part, pk=part_id), _rate(request)))


@require_GET
def lanes(request: HttpRequest, kit_id: int) -> JsonResponse:
    """The lanes of a kit; those of a part that was written for other notes answer these."""
    kit, part = get_object_or_404(Kit, pk=kit_id), chosen_part(request)
    table = translated_notes(kit, part.written_for) if part else None
    return JsonResponse(shown.lanes(kit, middle_c_octave(), table))


def part_edit(view: Callable[..., Answer]) -> Callable[..., JsonResponse]:
    """Run ``view``, which edits the part at the version that the page shows; answer with what changed.

    A stale page gets the whole part, and a sentence; a refused value gets a sentence and the part stays.
    """

    @require_POST
    @wraps(view)
    def answer(request: HttpRequest, part_id: int, **found: int | str) -> JsonResponse:
        part = get_object_or_404(Part, pk=part_id)
        outcome = edited(request, part, lambda version: view(request, part, version, **found))
        if outcome.is_refused:
            return JsonResponse({"said": outcome.said}, status=outcome.status)
        with reading():
            if outcome.is_behind:
                fresh = get_object_or_404(Part, pk=part_id)
                body = {**shown.whole(fresh, _rate(request)), "isWhole": True, "isStale": outcome.is_stale}
            else:
                body = shown.changed(part, outcome.revision, _rate(request))
        return JsonResponse({**body, "said": outcome.said}, status=outcome.status)

    return answer


@part_edit
def edit(request: HttpRequest, part: Part, version: int, what: str) -> Revision | None:
    """One of ``operations.OPERATIONS``, or a change of bars, tempo, meter, sections or name."""
    asking = operations.Asking(part, JsonValues.of(request))
    if what in operations.OPERATIONS:
        return edits.reshape(part, version, *operations.apply(asking, what))
    if what == "curves":
        return edits.rewrite(part, version, *operations.draw_curves(asking))
    return edits.rewrite(part, version, *operations.restructure(asking, what))


@part_edit
def undo(request: HttpRequest, part: Part, version: int):
    undone = history.undo(part, version)
    return undone, f"Undone: {undone.sentence}" if undone else "There is nothing to undo."


@part_edit
def redo(request: HttpRequest, part: Part, version: int):
    redone = history.redo(part, version)
    return redone, f"Done again: {redone.sentence}" if redone else "There is nothing to do again."


@part_edit
def go_to(request: HttpRequest, part: Part, version: int, revision_id: int):
    gone = history.go_to(part, version, revision_id)
    return gone or (None, "This change is no longer listed.")


@require_GET
def changes(request: HttpRequest, part_id: int) -> JsonResponse:
    """The latest edits, the last first."""
    rows = listed(get_object_or_404(Part, pk=part_id))
    return JsonResponse({
        "changes": [[row.pk, row.sentence, row.is_undone, localtime(row.made_at).strftime("%H:%M:%S")] for row in rows]
    })  # fmt: skip


@require_POST
def preview(request: HttpRequest, part_id: int, what: str) -> JsonResponse:
    """What an operation would make; nothing is changed."""
    part = get_object_or_404(Part, pk=part_id)
    if what not in operations.OPERATIONS:
        raise PartError(f"“{what[:30]}” can't be previewed. Reload the page.")
    said, made = operations.apply(operations.Asking(part, JsonValues.of(request)), what)
    body = shown.preview(part, made.changed, made.added, made.removed, _rate(request))
    return JsonResponse({**body, "said": said})


@require_POST
def choose(request: HttpRequest, part_id: int) -> JsonResponse:
    """The ids of the hits that a rule means; nothing is changed."""
    part = get_object_or_404(Part, pk=part_id)
    return JsonResponse({"ids": [hit.id for hit in operations.choose(operations.Asking(part, JsonValues.of(request)))]})


@part_edit
def written_for(request: HttpRequest, part: Part, version: int) -> Revision | None:
    """What the part's notes mean: the key of a source, or nothing, where they mean what the kit's own do."""
    source = JsonValues.of(request).text("source", 40)
    name = source_pads(source)[0] if source else "the kit that plays it"
    return edits.set_written_for(part, version, f"Written for {name}", source)


@part_edit
def write_translation(request: HttpRequest, part: Part, version: int, kit_id: int) -> tuple[Revision | None, str]:
    """Write the kit's translation into the part, which then holds the kit's own notes."""
    kit = get_object_or_404(Kit, pk=kit_id)
    table = translated_notes(kit, part.written_for)
    if table is None:
        raise PartError(f"{kit.name} has no translation for this part. Choose what it was written for first.")
    return edits.write_translation(part, version, kit.name, table, default_notes(kit).keys())


# Playing in -----------------------------------------------------------------------------------------------------------


@part_edit
def record(request: HttpRequest, part: Part, version: int) -> tuple[Revision | None, str]:
    """``hits``: rows of frame in the part, note, velocity, channel and frames held, at ``rate``; ``said``: rows of frame, kind, number,
    value and channel of controllers; ``span``: the first frame that was played over, and the one after the last."""
    asked = JsonValues.of(request)
    frames, rate_hz = (0, 1 << 40), asked.whole("rate", *RATES_HZ)
    limits = [frames, operations.NOTES, operations.VELOCITIES, operations.CHANNELS, frames]
    about, rows = queries.about(part), asked.rows("hits", limits, MAX_NOTES)
    hits = operations.recorded(about, rows, rate_hz)
    said_limits = [frames, (0, len(shown.SAID) - 1), operations.NOTES, operations.NOTES, operations.CHANNELS]
    said = asked.rows("said", said_limits, MOST_CONTROLS) if asked.has("said") else []
    asking = operations.Asking(part, asked)
    strength = asked.number("strength", 0, 100, 0) / 100
    taken = passes.Taken(
        name=asked.text("name", 40), hits=hits, replaces=_span(asked, rows, about, rate_hz) if asked.yes("replace") else None,
        said=operations.recorded_controls(about, said, rate_hz), said_in=_span(asked, said, about, rate_hz),
        grid=asking.grid() if strength else None, strength=strength, turn=asking.turn(),
    )  # fmt: skip
    return passes.record_pass(part, version, taken)


def _span(asked: JsonValues, rows: list[list[int]], about: PartValue, rate_hz: int) -> range:
    """The ticks that a pass was played over: as the page says, else from its first hit to its last."""
    frames = [frame for frame, *_ in rows] or [0]
    told = asked.wholes("span", 0, 1 << 40, 2) if asked.has("span") else [min(frames), max(frames) + 1]
    if len(told) != 2:
        raise PartError("The stretch of this pass did not arrive whole; it is sent again.")
    first, end = told
    ticks = (about.tick_at(frame / rate_hz) for frame in (first, end))
    return range(*ticks)


@part_edit
def set_pass(request: HttpRequest, part: Part, version: int, pass_id: int, what: str) -> Revision | None:
    """what : mute, hear, or only"""
    row = Pass.objects.filter(part=part, pk=pass_id).first()
    if row is None:
        raise PartError("This pass is gone. Undo may bring it back.")
    if what == "only":
        return passes.choose_pass(part, version, row)
    return passes.mute_pass(part, version, row, what == "mute")
