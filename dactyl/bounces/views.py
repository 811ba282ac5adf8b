"""The bounce view of a kit: choose, be told what is missing, watch, look, hear, download."""

import re
import shutil

from django.conf import settings
from django.http import Http404, HttpRequest, HttpResponse, QueryDict, StreamingHttpResponse
from django.http.response import HttpResponseBase
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_GET, require_POST

from dactyl.bounces import edits, store
from dactyl.bounces.models import Bounce, Stem
from dactyl.bounces.ranges import file_response, zip_blocks
from dactyl.checks.queries import found as found_in
from dactyl.core.bounce.foreseen import (
    Foreseen,
    Unanswered,
    size_on_disk,
    unanswered,
    unmet_curves,
    unused_controls,
)
from dactyl.core.bounce.grouping import arrange, bus_names
from dactyl.core.bounce.order import (
    GROUPINGS,
    LINEUP_GROUPINGS,
    RATES_HZ,
    BounceOrder,
    as_ordered,
    played_by,
)
from dactyl.core.check.finding import NOTE
from dactyl.core.desk.words import all_words, desk_words
from dactyl.core.errors import BounceError
from dactyl.core.formats.notes import note_label
from dactyl.core.kit import Kit as KitValue
from dactyl.core.parts.curves import LANE, WORDS
from dactyl.core.parts.part import Part as PartValue
from dactyl.core.wave.write import SUBTYPES
from dactyl.history.queries import reading
from dactyl.kits.alongside import is_lineup
from dactyl.kits.kept import kept_kit_value
from dactyl.kits.models import Kit
from dactyl.kits.views.pages import kit_page
from dactyl.lineups.queries import lineup_value, pieces_of, rows_of
from dactyl.parts import queries as part_queries
from dactyl.parts.models import Part
from dactyl.parts.views import chosen_part
from dactyl.recordings.models import RecordedPart
from dactyl.web.note_naming import middle_c_octave
from dactyl.web.request_values import ids_in, number_in

DEPTHS = (("24", "24 bit"), ("16", "16 bit, dithered"), ("32f", "32 bit float"))
FORMATS = (("wav", "WAV"), ("flac", "FLAC"))
AT_ONCE = 20
MOST_CONCERNS = 4  # findings of the kit check that are told beside a bounce
ORDERS = (("kit", "as in the kit"), ("desk", "kick first, as in a score"))
TAKEN = (
    ("desk", "as they leave the desk"),
    ("no_master", "without the master"),
    ("dry", "dry, before the desk"),
)
"""From where on the way the stems are taken."""


@require_GET
def bounce_page(request: HttpRequest, kit_id: int) -> HttpResponse:
    kit = get_object_or_404(Kit, pk=kit_id)
    part = chosen_part(request)
    return kit_page(request, kit, "bounce", "bounces/_bounce.html", {
        "parts": part_queries.all_parts(),
        "has_recordings": RecordedPart.objects.exists(),
        "part": part,
        "rates": RATES_HZ,
        "depths": DEPTHS,
        "formats": FORMATS,
        "groupings": (LINEUP_GROUPINGS if (beside := rows_of(kit)) else GROUPINGS).items(),
        "alongside": [row.other.name for row in beside],
        "ambience": list(kit.mics.filter(is_ambience=True).values_list("name", flat=True)),
        "orders": ORDERS,
        "taken": TAKEN,
        "pieces": _pieces(kit),
        **_listed(kit),
    })  # fmt: skip


def _pieces(kit: Kit) -> list[tuple[str, str]]:
    """The pieces that sound, of all members: (member:key, what it is called)."""
    rows = rows_of(kit)
    members = [kit, *(row.other for row in rows)] if kit.pads.exists() else [row.other for row in rows]
    numbered = len(members) > 1
    return [
        (f"{number}:{key}", f"{name} · {member.name}" if numbered else name)
        for number, member in enumerate(members)
        for key, name in pieces_of(member).items()
    ]


@require_GET
def older(request: HttpRequest, kit_id: int, before: int) -> HttpResponse:
    """Bounces of a kit that were made before another."""
    return render(request, "bounces/_list.html", _listed(get_object_or_404(Kit, pk=kit_id), before))


def _listed(kit: Kit, before: int | None = None) -> dict:
    """The latest bounces of a kit, and whether there are older ones."""
    rows = Bounce.objects.filter(kit=kit, **({} if before is None else {"pk__lt": before}))
    rows = (
        rows.select_related("job", "measuring", "kit").defer("kit_snapshot", "part_snapshot").prefetch_related("stems")
    )
    found = list(rows.order_by("-pk")[: AT_ONCE + 1])
    return {"kit": kit, "bounces": found[:AT_ONCE], "has_older": len(found) > AT_ONCE}


def _before(kit: Kit, part: Part, order: BounceOrder, rate_hz: int, *, with_alongside: bool) -> dict:
    """What the person should know before anything is rendered."""
    with reading():
        (value, silent), own = edits.as_played(kit, part), kept_kit_value(kit)
        lineup = lineup_value(kit, own) if with_alongside or is_lineup(kit) else None
    playbook = played_by(own, lineup, order, rate_hz)
    missing = [*(Unanswered(note, hits) for note, hits in silent.items()), *unanswered(playbook, value)]
    foreseen = Foreseen(playbook, value)
    frames = foreseen.frames()
    stems = arrange(playbook, foreseen.sounding, order, value)
    parallel = bus_names(playbook, order)
    size, free = size_on_disk(len(stems.names) + len(parallel), frames, order), shutil.disk_usage(settings.DATA).free
    shared = foreseen.shared_hits(stems)
    return {
        "missing": [(note_label(m.note, middle_c_octave=middle_c_octave()), m.hits) for m in missing],
        "missing_hits": sum(m.hits for m in missing),
        "part_hits": len(value.note_ons) + sum(silent.values()),
        "seconds": frames / rate_hz,
        "stem_names": [*stems.names, *parallel],
        **_at_the_desk(own, order),
        "moving": _moving(value, order),
        "unmet_curves": unmet_curves(playbook, value, is_dry=order.is_dry),
        "unused_controls": unused_controls(playbook, value),
        "shared": shared[:4],
        "shared_hits": sum(hits for _, hits in shared),
        **_found_in_kit(kit, foreseen.pad_ids if lineup is None else set()),
        "size_bytes": size,
        "free_bytes": free,
        "is_too_large": size > free,
    }


def _found_in_kit(kit: Kit, struck: set[int]) -> dict:
    """What the kit check says of pads that the part strikes, and of outputs; what is only worth knowing is left out."""
    _, rows, _ = found_in(kit)
    said = [
        row["message"]
        for row in rows
        if row["severity"] != NOTE and (row["place"].get("pad") in struck or "output" in row["place"])
    ]
    return {"kit": kit, "concerns": said[:MOST_CONCERNS], "more_concerns": max(0, len(said) - MOST_CONCERNS)}


def _moving(part: PartValue, order: BounceOrder) -> list[tuple[str, str]]:
    """What moves along the part of each output and group, in words."""
    moving: dict[str, list[str]] = {}
    for curve in part.curves:
        if curve.kind != LANE and not order.is_dry:
            moving.setdefault(curve.name, []).append(WORDS[curve.what])
    return [(name, ", ".join(words)) for name, words in moving.items()]


def _at_the_desk(kit: KitValue, order: BounceOrder) -> dict:
    """What the desk does to the stems, or what a dry bounce leaves out."""
    ambience = [mic.name for mic in kit.mics if mic.is_ambience]
    if order.is_dry:
        return {"is_dry": True, "left_out_mics": ambience, "desk_words": list(desk_words(kit))}
    return {"desk_words": [*desk_words(kit).items()], "all_words": all_words(as_ordered(kit, order))}


@require_POST
def check(request: HttpRequest, kit_id: int) -> HttpResponse:
    """What the person should know; it plays the part, so it is asked for by a form and not by an address."""
    kit = get_object_or_404(Kit, pk=kit_id)
    part = get_object_or_404(Part, pk=number_in(request.POST.get("part", "")))
    known = _before(kit, part, _order(request.POST), _rate(request.POST), with_alongside=_with_alongside(request.POST))
    return render(request, "bounces/_check.html", known)


def _with_alongside(asked: QueryDict) -> bool:
    """What sounds alongside is bounced too, unless it is said otherwise."""
    return asked.get("alone") != "1"


def _order(asked: QueryDict) -> BounceOrder:
    """raises : BounceError for what no bounce can be"""
    bits, by = asked.get("bits", "24"), asked.get("by", "output")
    if bits not in SUBTYPES or by not in LINEUP_GROUPINGS or asked.get("format", "wav") not in dict(FORMATS):
        raise BounceError("Choose depth, format and grouping from the lists.")
    groups = zip(asked.getlist("piece"), asked.getlist("group"), strict=False)
    pieces = [(ids_in(piece.replace(":", ",")), stem.strip()[:40]) for piece, stem in groups if stem.strip()]
    return BounceOrder(
        bits=bits,
        by=by,
        groups=tuple((key[0], key[1], stem) for key, stem in pieces if len(key) == 2),
        format=asked.get("format", "wav"),
        mono_where_mono=asked.get("mono") == "1",
        ambience_apart=asked.get("ambience") == "1",
        in_desk_order=asked.get("numbers") == "desk",
        is_dry=asked.get("taken") == "dry",
        has_master=asked.get("taken") != "no_master",
        name_template=asked.get("template", "").strip() or "{number} {name}",
    )


def _rate(asked: QueryDict) -> int:
    rate_hz = number_in(asked.get("rate", ""))
    return rate_hz if rate_hz in RATES_HZ else RATES_HZ[1]


@require_POST
def begin(request: HttpRequest, kit_id: int) -> HttpResponse:
    kit = get_object_or_404(Kit, pk=kit_id)
    part = Part.objects.filter(pk=number_in(request.POST.get("part", ""))).first()
    if part is None:
        raise BounceError("Choose a part first; the Part page reads MIDI files.")
    order, rate_hz = _order(request.POST), _rate(request.POST)
    before = _before(kit, part, order, rate_hz, with_alongside=_with_alongside(request.POST))
    if before["is_too_large"]:
        needed, free = before["size_bytes"] >> 20, before["free_bytes"] >> 20
        raise BounceError(
            f"The stems need {needed:,} MB and {free:,} MB are free. Make room, or choose 16 bit or FLAC."
        )
    with_part, with_kit = request.POST.get("with_part") == "1", request.POST.get("with_kit") == "1"
    with_recording = request.POST.get("with_recording") == "1"
    bounce = edits.begin_bounce(
        kit,
        part,
        order,
        rate_hz=rate_hz,
        with_part=with_part,
        with_kit=with_kit,
        with_recording=with_recording,
        with_blend=with_recording and request.POST.get("with_blend") == "1",
        with_alongside=_with_alongside(request.POST),
    )
    return render(request, "bounces/_one.html", {"bounce": bounce})


@require_GET
def one_bounce(request: HttpRequest, bounce_id: int) -> HttpResponse:
    return render(request, "bounces/_one.html", {"bounce": _bounce(bounce_id)})


@require_POST
def cancel(request: HttpRequest, bounce_id: int) -> HttpResponse:
    edits.cancel_bounce(_bounce(bounce_id))
    return render(request, "bounces/_one.html", {"bounce": _bounce(bounce_id)})


@require_POST
def forget(request: HttpRequest, bounce_id: int) -> HttpResponse:
    edits.forget_bounce(_bounce(bounce_id))
    return HttpResponse("")


@require_POST
def bring_back(request: HttpRequest, bounce_id: int) -> HttpResponse:
    """Open the kit as the bounce was made from it."""
    made = edits.bring_back(get_object_or_404(Bounce.objects.select_related("kit"), pk=bounce_id))
    return HttpResponse(headers={"HX-Redirect": reverse("kits:kit", args=[made.pk])})


@require_GET
def stem_file(request: HttpRequest, stem_id: int) -> HttpResponseBase:
    stem = get_object_or_404(Stem.objects.select_related("bounce"), pk=stem_id)
    path = store.folder_of(stem.bounce) / stem.file
    if not path.exists():
        raise Http404
    return file_response(request, path, name=stem.file, as_attachment="download" in request.GET)


@require_GET
def as_zip(request: HttpRequest, bounce_id: int) -> HttpResponseBase:
    bounce = _bounce(bounce_id)
    stems = list(bounce.stems.all())
    if not stems:
        raise Http404
    name = re.sub(r"[^\w \-]+", "-", f"{bounce.kit.name} - {bounce.part_name}").strip() or "stems"
    response = StreamingHttpResponse(zip_blocks(store.files_of(bounce), name), content_type="application/zip")
    response["Content-Disposition"] = content_disposition_header(True, f"{name}.zip")
    return response


def _bounce(bounce_id: int) -> Bounce:
    rows = Bounce.objects.select_related("job", "measuring", "kit").defer("kit_snapshot", "part_snapshot")
    return get_object_or_404(rows.prefetch_related("stems"), pk=bounce_id)
