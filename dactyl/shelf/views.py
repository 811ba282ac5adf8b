"""The shelf's pages and the parts htmx asks for."""

from django.conf import settings
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_GET, require_POST
from django_htmx.http import trigger_client_event

from dactyl.core.audio.prepare import Recipe
from dactyl.core.kinds import BY_SLUG, IN_SCORE_ORDER
from dactyl.core.units import counted
from dactyl.shelf import edits, queries
from dactyl.shelf.models import Import, ImportFile, Sample
from dactyl.shelf.sounds import broken_sounds, pack, ready_sounds
from dactyl.web.request_values import MOST_KEYS, keys_of, number_in

MOST_SAMPLES = 10_000_000


@require_GET
def shelf(request: HttpRequest) -> HttpResponse:
    context = {"rate_hz": settings.PLAYING_RATE_HZ, "page_sound_bytes": settings.PAGE_SOUND_BYTES}
    return render(request, "shelf/shelf.html", {"shelf": shelf_context(request), **context})


def shelf_context(request: HttpRequest, *, is_folded: bool = False) -> dict:
    """What ``shelf/_shelf.html`` shows, wherever it is included. is_folded : its samples are asked for once it is opened"""
    latest = Import.objects.select_related("job").order_by("-pk").first()
    running = latest if latest and latest.job and not latest.job.is_over else None
    used = queries.kinds_in_use()
    return {
        "count": sum(used.values()),
        "kinds": [(kind, used[kind.slug]) for kind in IN_SCORE_ORDER if kind.slug in used],
        "all_kinds": IN_SCORE_ORDER,
        "whiches": queries.WHICH.items(),
        "sorts": [(slug, label) for slug, (label, _) in queries.SORTS.items()],
        "running": queries.import_summary(running) if running else None,
        **({**_asked(request), "is_folded": True} if is_folded else _found(request)),
    }


def _found(request: HttpRequest) -> dict:
    asked = _asked(request)
    start = min(MOST_SAMPLES, number_in(request.GET.get("start", "")))
    found = queries.search(*asked.values())
    page = list(found[start : start + queries.PAGE + 1])
    shown = page[: queries.PAGE]
    twins = queries.equal_sounds(shown)
    for sample in shown:
        sample.twin = twins.get(sample.pk)
    return {
        **asked,
        "samples": shown,
        "next_start": start + queries.PAGE if len(page) > queries.PAGE else None,
        "is_start": start == 0,
    }


def _asked(request: HttpRequest) -> dict[str, str]:
    return {name: request.GET.get(name, "") for name in ("q", "kind", "sort", "which")}


@require_GET
def samples(request: HttpRequest) -> HttpResponse:
    count = Sample.objects.filter(is_away=False).count()
    return render(request, "shelf/_samples.html", {"shelf": _found(request), "count": count})


@require_GET
def found(request: HttpRequest) -> JsonResponse:
    """The keys of every sample the search finds, in its order, or that an ``import`` brought, for selecting them all."""
    if batch := number_in(request.GET.get("import", "")):
        found = Sample.objects.filter(pk__in=ImportFile.objects.filter(batch=batch).values("sample")).order_by("pk")
    else:
        found = queries.search(*_asked(request).values())
    return JsonResponse({"samples": list(found.values_list("pk", flat=True)[:MOST_KEYS])})


@require_GET
def sample(request: HttpRequest, sample_id: int) -> HttpResponse:
    chosen = get_object_or_404(Sample.objects.prefetch_related("other_names"), pk=sample_id)
    chosen.twin = queries.equal_sounds([chosen]).get(chosen.pk)
    return render(request, "shelf/_about.html", {"sample": chosen, "kinds": IN_SCORE_ORDER})


@require_GET
def sample_sound(request: HttpRequest, sample_id: int, rate_hz: int) -> HttpResponse:
    """The sample from its onset, prepared for the page; 202 while it is being made."""
    chosen = get_object_or_404(Sample.objects.defer("overview"), pk=sample_id)
    rate_hz = min(192_000, max(8000, rate_hz))
    recipe = Recipe(chosen.sha256, chosen.rate_hz, chosen.channels, chosen.onset_frame, chosen.frames, rate_hz)
    return packed_sounds([recipe], heads_only=False)


def packed_sounds(recipes: list[Recipe], *, heads_only: bool) -> HttpResponse:
    ready = ready_sounds(recipes)
    broken = broken_sounds(recipes)
    whole = len(ready) == len(recipes)
    response = HttpResponse(
        pack(ready, heads_only=heads_only, broken=broken),
        content_type="application/octet-stream",
        status=200 if whole or broken else 202,
    )
    response["Cache-Control"] = "private, max-age=31536000, immutable" if whole else "no-store"
    return response


@require_POST
def set_kind(request: HttpRequest) -> HttpResponse:
    kind = request.POST.get("kind", "")
    if kind not in BY_SLUG:
        return HttpResponse("Choose a kind from the list.", status=422, content_type="text/plain")
    picked = picked_ids(request)
    edits.set_kind(picked, kind)
    return shelf_changed(f"{counted(len(picked), 'sample')} set to {BY_SLUG[kind].label}.")


@require_POST
def put_away(request: HttpRequest) -> HttpResponse:
    """``away=1`` takes the samples off the shelf, anything else brings them back."""
    is_away = request.POST.get("away") == "1"
    count = edits.put_away(picked_ids(request), is_away)
    found = counted(count, "sample")
    return shelf_changed(f"{found} put away; “put away” above the list shows them." if is_away else f"{found} back.")


def picked_ids(request: HttpRequest) -> list[int]:
    return keys_of(request.POST.getlist("sample"))


def shelf_changed(said: str = "") -> HttpResponse:
    """Nothing to swap; the shelf draws itself anew and the page says ``said``."""
    response = HttpResponse(status=204)
    return trigger_client_event(response, "shelf-changed", {"said": said})


@require_POST
def begin_import(request: HttpRequest) -> HttpResponse:
    return JsonResponse({"import": edits.begin_import().pk})


@require_POST
def add_file(request: HttpRequest, import_id: int) -> HttpResponse:
    """Take one uploaded file: multipart field ``file``; ``path`` is its place in a dropped folder."""
    batch = get_object_or_404(Import, pk=import_id)
    upload = request.FILES.get("file")
    if upload is None:
        return HttpResponse("No file came with this.", status=422, content_type="text/plain")
    path = request.POST.get("path") or upload.name
    is_zip = path.lower().endswith(".zip")
    if not is_zip and upload.size > settings.MAX_SAMPLE_BYTES:
        edits.refuse_file(batch, path, f"It is larger than {settings.MAX_SAMPLE_BYTES >> 20} MB.")
    else:
        edits.add_file(batch, path, upload.chunks())
    return HttpResponse(status=204)


@require_GET
def import_progress(request: HttpRequest, import_id: int) -> HttpResponse:
    batch = get_object_or_404(Import.objects.select_related("job"), pk=import_id)
    uploading = number_in(request.GET.get("uploading", ""))
    context = {"import": queries.import_summary(batch, uploading), "uploading": uploading}
    return render(request, "shelf/_import.html", context)


@require_POST
def stop_import(request: HttpRequest, import_id: int) -> HttpResponse:
    batch = get_object_or_404(Import.objects.select_related("job"), pk=import_id)
    edits.stop_import(batch)
    batch.refresh_from_db()
    return render(request, "shelf/_import.html", {"import": queries.import_summary(batch)})
