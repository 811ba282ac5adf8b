"""The bounce view of a kit: choose, be told what is missing, watch, look, hear, download."""

import re

from django.conf import settings
from django.http import Http404, HttpRequest, HttpResponse, StreamingHttpResponse
from django.http.response import HttpResponseBase
from django.shortcuts import get_object_or_404, render
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_GET, require_POST

from dactyl.bounces import edits, store
from dactyl.bounces.models import Bounce, Stem
from dactyl.bounces.ranges import file_response, zip_blocks
from dactyl.core.bounce.stems import RATES_HZ, unanswered
from dactyl.core.errors import BounceError
from dactyl.core.formats.notes import note_label
from dactyl.kits.models import Kit
from dactyl.kits.playing import playbook_of
from dactyl.kits.views.pages import kit_page
from dactyl.parts import queries as part_queries
from dactyl.parts.models import Part
from dactyl.parts.views import chosen_part

DEPTHS = (("24", "24 bit"), ("16", "16 bit, dithered"), ("32f", "32 bit float"))


@require_GET
def bounce_page(request: HttpRequest, kit_id: int) -> HttpResponse:
    kit = get_object_or_404(Kit, pk=kit_id)
    part = chosen_part(request)
    bounces = Bounce.objects.filter(kit=kit).select_related("job", "part", "kit").defer("kit_snapshot", "part__notes")
    return kit_page(request, kit, "bounce", "bounces/_bounce.html", {
        "parts": part_queries.all_parts(),
        "part": part,
        "rates": RATES_HZ,
        "depths": DEPTHS,
        "bounces": bounces.prefetch_related("stems").order_by("-pk")[:20],
        **(_missing(kit, part) if part else {}),
    })  # fmt: skip


def _missing(kit: Kit, part: Part) -> dict:
    """What the person should know before anything is rendered."""
    value = part_queries.part_value(part)
    missing = unanswered(playbook_of(kit, settings.PLAYING_RATE_HZ), value)
    return {
        "missing": [(note_label(m.note, middle_c_octave=settings.MIDDLE_C_OCTAVE), m.hits) for m in missing],
        "missing_hits": sum(m.hits for m in missing),
        "part_hits": len(value.notes),
        "seconds": value.seconds_at(value.end_tick),
    }


@require_GET
def check(request: HttpRequest, kit_id: int) -> HttpResponse:
    kit = get_object_or_404(Kit, pk=kit_id)
    part = get_object_or_404(Part, pk=_number(request.GET.get("part", "")))
    return render(request, "bounces/_check.html", _missing(kit, part))


@require_POST
def begin(request: HttpRequest, kit_id: int) -> HttpResponse:
    kit = get_object_or_404(Kit, pk=kit_id)
    part = Part.objects.filter(pk=_number(request.POST.get("part", ""))).first()
    if part is None:
        raise BounceError("Choose a part first; the Part page reads MIDI files.")
    bounce = edits.begin_bounce(
        kit, part, rate_hz=_number(request.POST.get("rate", "")), bits=request.POST.get("bits", "")
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
    name = re.sub(r"[^\w \-]+", "-", f"{bounce.kit.name} - {bounce.part.name}").strip() or "stems"
    files = [store.folder_of(bounce) / stem.file for stem in stems]
    response = StreamingHttpResponse(zip_blocks(files, name), content_type="application/zip")
    response["Content-Disposition"] = content_disposition_header(True, f"{name}.zip")
    return response


def _bounce(bounce_id: int) -> Bounce:
    rows = Bounce.objects.select_related("job", "part", "kit").defer("kit_snapshot", "part__notes")
    return get_object_or_404(rows.prefetch_related("stems"), pk=bounce_id)


def _number(text: str) -> int:
    return int(text) if text.isdigit() else 0
