"""What the page's player reads: the playbook, prepared sounds, the interpolation kernel."""

from collections.abc import Callable
from typing import Any

import orjson
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404
from django.views.decorators.http import require_GET

from dactyl.core.audio import interpolate
from dactyl.core.audio.loudness import filters
from dactyl.kits.models import Kit
from dactyl.playing import tables as playing
from dactyl.shelf.models import Sample
from dactyl.shelf.views import packed_sounds
from dactyl.web.request_values import ids_in

AUDITIONS: dict[str, Callable[[Kit, str], playing.Audition | None]] = {}
"""What may be heard in the kit's place, by what asks for it; apps above add theirs."""


@require_GET
def playbook(request: HttpRequest, kit_id: int, rate_hz: int) -> HttpResponse:
    """The playbook, whole or of ``pads``; ``notes=1`` tells all notes with them. ``try=take:sample,...`` hears samples in place,
    and each of AUDITIONS what it says, without changing the kit."""
    kit = get_object_or_404(Kit, pk=kit_id)
    asked = request.GET.get("pads")
    ways = (way(kit, request.GET[name]) for name, way in AUDITIONS.items() if name in request.GET)
    heard: dict[str, Any] = {"instead": _auditioned(request.GET.get("try", "")), "auditioned": next(ways, None)}
    if asked is None:
        return as_answer(playing.playbook_for_page(kit, rate_hz, **heard))
    with_notes = bool(request.GET.get("notes"))
    return as_answer(playing.pads_for_page(kit, rate_hz, ids_in(asked), with_notes=with_notes, **heard))


@require_GET
def versions(request: HttpRequest, kit_id: int) -> JsonResponse:
    """At which versions the kits are that sound in a kit's page, by their keys there: a page that was away asks."""
    kit = get_object_or_404(Kit, pk=kit_id)
    return JsonResponse({"members": playing.member_versions(kit)})


@require_GET
def flipped(request: HttpRequest, kit_id: int, other_id: int, rate_hz: int) -> HttpResponse:
    """The tables of another kit, to be heard in the page of this one."""
    kit, other = get_object_or_404(Kit, pk=kit_id), get_object_or_404(Kit, pk=other_id)
    return as_answer(playing.flipped_playbook(kit, other, rate_hz))


def as_answer(book: dict[str, Any]) -> HttpResponse:
    written = orjson.dumps(book, option=orjson.OPT_NON_STR_KEYS)  # of 128 pads in a tenth of the time that json takes
    response = HttpResponse(written, content_type="application/json")
    response["Cache-Control"] = "no-store"
    return response


def _auditioned(text: str) -> dict[int, Sample]:
    pairs = [ids_in(pair.replace(":", ",")) for pair in text.split(",") if pair]
    pairs = [pair for pair in pairs if len(pair) == 2][:64]
    samples = Sample.objects.defer("overview").in_bulk({sample for _, sample in pairs})
    return {take: samples[sample] for take, sample in pairs if sample in samples}


@require_GET
def kernel(request: HttpRequest) -> HttpResponse:
    """The core's interpolation kernel: float64, little endian."""
    response = HttpResponse(interpolate.kernel().astype("<f8").tobytes(), content_type="application/octet-stream")
    response["Cache-Control"] = "private, max-age=86400"
    return response


@require_GET
def loudness_filters(request: HttpRequest, rate_hz: int) -> HttpResponse:
    """What a meter of loudness works by at a rate."""
    low, high = playing.LOW_HZ, playing.HIGH_HZ
    response = JsonResponse(filters(min(high, max(low, rate_hz))))
    response["Cache-Control"] = "private, max-age=86400"
    return response


@require_GET
def sounds(request: HttpRequest, extent: str, keys: str) -> HttpResponse:
    """Prepared sounds, many in one answer: those that are ready (200), or the ready among them (202)."""
    asked = keys.split(".")[:64]
    recipes = playing.recipes_of(asked)
    if len(recipes) < len(set(asked)):
        return HttpResponse("These sounds are unknown here. Fetch the playbook again.", status=404)
    return packed_sounds(recipes, heads_only=extent == "head")
