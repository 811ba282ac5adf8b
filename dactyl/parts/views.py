"""The part view of a kit: choose a part, see its hits by pad, bring in a MIDI file."""

from django.conf import settings
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404
from django.views.decorators.http import require_GET, require_POST
from django_htmx.http import HttpResponseClientRedirect, push_url

from dactyl.core.errors import PartError
from dactyl.core.formats.midi import MAX_BYTES
from dactyl.kits import queries as kit_queries
from dactyl.kits.models import Kit
from dactyl.kits.views.pages import kit_page
from dactyl.parts import edits, queries
from dactyl.parts.models import Part
from dactyl.shelf.asked import number_in


@require_GET
def part_page(request: HttpRequest, kit_id: int) -> HttpResponse:
    kit = get_object_or_404(Kit, pk=kit_id)
    return _part_view(request, kit, chosen_part(request))


def _part_view(request: HttpRequest, kit: Kit, chosen: Part | None) -> HttpResponse:
    context: dict = {"parts": queries.all_parts(), "part": chosen}
    if chosen:
        value = queries.part_value(chosen)
        rows = kit_queries.sheet_rows(kit, levels=False)
        lanes = queries.lanes(value, rows, middle_c_octave=settings.MIDDLE_C_OCTAVE)
        context |= {
            "value": value,
            "seconds": value.seconds_at(value.end_tick),
            "lanes": lanes,
            "pads": [row for row in rows if not row.is_empty],
            "unanswered": [lane for lane in lanes if not lane.is_answered],
            "bar_lines": "".join(f"M{1000 * bar / value.bars:.2f} 0V20" for bar in range(1, value.bars)),
            "bar_numbers": range(1, value.bars + 1, max(1, value.bars // 16)),
        }
    return kit_page(request, kit, "part", "parts/_part.html", context)


def chosen_part(request: HttpRequest) -> Part | None:
    """The part the address or the page names, else the first."""
    asked = request.GET.get("part") or request.headers.get("X-Part", "")
    return Part.objects.filter(pk=number_in(asked)).first() or Part.objects.first()


@require_POST
def read_midi(request: HttpRequest, kit_id: int) -> HttpResponse:
    kit = get_object_or_404(Kit, pk=kit_id)
    upload = request.FILES.get("file")
    if upload is None:
        raise PartError("No file was chosen. Choose a .mid file.")
    if upload.size > MAX_BYTES:
        raise PartError(f"{upload.name} is larger than {MAX_BYTES >> 20} MB; no drum part is.")
    part = edits.add_midi(upload.read(), upload.name)
    request.GET = request.GET.copy()
    request.GET["part"] = str(part.pk)
    if not request.htmx:
        return HttpResponseClientRedirect(f"/parts/of/{kit.pk}/?part={part.pk}")
    return push_url(_part_view(request, kit, part), f"/parts/of/{kit.pk}/?part={part.pk}")


@require_GET
def hits(request: HttpRequest, part_id: int, rate_hz: int) -> HttpResponse:
    """The part in frames, for the page's player: [frame, note, velocity, channel] in order, and the loop's length."""
    value = queries.part_value(get_object_or_404(Part, pk=part_id))
    rate_hz = min(192_000, max(8000, rate_hz))
    return JsonResponse({
        "name": value.name,
        "bars": value.bars,
        "bpm": round(value.bpm, 2),
        "loopFrames": value.loop_frames(rate_hz),
        "hits": [[hit.frame, hit.note, hit.velocity, hit.channel] for hit in value.hits(rate_hz)],
    })  # fmt: skip
