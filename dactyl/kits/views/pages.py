"""Whole pages, and the views of a kit that htmx swaps into them."""

import json

from django.conf import settings
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from dactyl.core.parts.meter import GRIDS
from dactyl.history.queries import listed
from dactyl.jobs.models import Job
from dactyl.kits import edits, fields, queries
from dactyl.kits.alongside import is_lineup
from dactyl.kits.models import Kit, KitFile
from dactyl.kits.staircase import axis_of
from dactyl.kits.views import card
from dactyl.kits.views.answer import about_kit
from dactyl.kits.views.pictures import picture_context
from dactyl.shelf.views import shelf_context
from dactyl.web.page_memory import kept

WORDS_OF_WORK = {
    "import_files": "Reading files", "make_bounce": "Bouncing", "measure_loudness": "Measuring a bounce", "find_hits": "Listening to a recording", "hear_roles_and_find_hits": "Listening to a recording",
    "measure_kit": "Measuring takes",
    "open_kit_file": "Opening a kit file", "write_font": "Writing a SoundFont", "hear_again": "Hearing the shelf again", "listen_for_transients": "Finding transients",
}  # fmt: skip
"""What the first page says of a job, by the name of its work."""
NOT_TOLD = {"check_kit"}
"""Works that nobody waits for."""


@require_GET
def home(request: HttpRequest) -> HttpResponse:
    return render(request, "kits/home.html", {
        "kits": queries.home_kits(put_away=False),
        "away": queries.home_kits(put_away=True),
        "jobs": under_way_jobs(),
        "rate_hz": settings.PLAYING_RATE_HZ,
        "kit_files": KitFile.objects.filter(kit=None).exclude(stored_as="").select_related("job"),
    })  # fmt: skip


@require_GET
def under_way(request: HttpRequest) -> HttpResponse:
    """What works in the background; the page asks again while there is something."""
    return render(request, "kits/_under_way.html", {"jobs": under_way_jobs()})


def under_way_jobs() -> list[tuple[str, Job]]:
    jobs = [(job.work.rsplit(".", 1)[-1], job) for job in Job.objects.exclude(state__in=Job.ENDED).order_by("pk")]
    return [(WORDS_OF_WORK[name], job) for name, job in jobs if name not in NOT_TOLD][:12]


@require_POST
def new_kit(request: HttpRequest) -> HttpResponse:
    name = fields.kit_name(request.POST.get("name", "") or "New kit")
    return HttpResponseRedirect(reverse("kits:kit", args=[edits.kits.create_kit(name).pk]))


@require_POST
def put_away(request: HttpRequest, kit_id: int) -> HttpResponse:
    edits.kits.put_away(get_object_or_404(Kit, pk=kit_id), request.POST.get("away") == "1")
    return HttpResponseRedirect(reverse("home"))


@require_http_methods(["GET", "POST"])
def delete_kit(request: HttpRequest, kit_id: int) -> HttpResponse:
    """GET says what goes with it, POST deletes it for good."""
    kit = get_object_or_404(Kit, pk=kit_id)
    if request.method == "GET":
        return render(request, "kits/_delete_kit.html", {"kit": kit, "hangs": edits.kits.dependents(kit)})
    edits.kits.delete_kit(kit)
    return HttpResponseRedirect(reverse("home"))


@require_POST
def duplicate_kit(request: HttpRequest, kit_id: int) -> HttpResponse:
    edits.kits.duplicate_kit(get_object_or_404(Kit, pk=kit_id))
    return HttpResponseRedirect(reverse("home"))


def kit_page(request: HttpRequest, kit: Kit, view: str, template: str, context: dict) -> HttpResponse:
    """One view of a kit: the whole page, or only the view when htmx asks for it."""
    context = {"kit": kit, "view": view, "view_template": template, "rate_hz": settings.PLAYING_RATE_HZ, **context}
    if request.htmx and not request.htmx.history_restore_request:
        return render(request, "kits/_view.html", {**context, **about_kit(kit), "is_part": True})
    outputs = context.setdefault("outputs", list(kit.outputs.all()))
    rows = context.get("rows") or queries.sheet_rows(kit, outputs=outputs, levels=False)
    context |= about_kit(kit) | card.surface_context(kit, rows)
    if view != "kit" and rows:  # the card wants the levels of its pad
        rows = queries.sheet_rows(kit, (card.selected_pads(request) or [rows[0].pad.pk])[:1], outputs=outputs)
    context |= card.card_context(request, kit, rows)
    context["grid_spacings"] = json.dumps({name: spacing.as_integer_ratio() for name, spacing in GRIDS.items()})
    context |= {"shelf": shelf_context(request, is_folded=True), "page_sound_bytes": settings.PAGE_SOUND_BYTES}
    return render(request, "kits/kit.html", context)


@require_GET
@kept
def sheet(request: HttpRequest, kit_id: int) -> HttpResponse:
    kit = get_object_or_404(Kit, pk=kit_id)
    outputs = list(kit.outputs.all())
    rows = queries.sheet_rows(kit, outputs=outputs)
    return kit_page(
        request,
        kit,
        "kit",
        "kits/_sheet.html",
        {"rows": rows, "outputs": outputs, "axis": axis_of(rows), **begun(kit, rows)},
    )


def begun(kit: Kit, rows: list[queries.PadRow]) -> dict:
    """Of a kit without any sound: that it is new, and the kits it may begin from."""
    if any(not row.is_empty for row in rows) or is_lineup(kit):
        return {}
    return {"is_new": True, "begin_kits": Kit.objects.filter(is_put_away=False).exclude(pk=kit.pk).order_by("name")}


@require_GET
@kept
def picture(request: HttpRequest, kit_id: int, view: str) -> HttpResponse:
    """One of the pictures beside the sheet, or beside the channels of the desk."""
    return picture_page(request, get_object_or_404(Kit, pk=kit_id), view)


def picture_page(request: HttpRequest, kit: Kit, view: str) -> HttpResponse:
    context = picture_context(request, kit, view)
    return kit_page(request, kit, view, context.pop("view_template"), context)


@require_GET
def history_page(request: HttpRequest, kit_id: int) -> HttpResponse:
    kit = get_object_or_404(Kit, pk=kit_id)
    return kit_page(request, kit, "history", "kits/_history_list.html", {"revisions": listed(kit)})
