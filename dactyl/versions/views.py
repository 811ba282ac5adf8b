"""Versions: listed beside the changes, compared in sentences, gone back to, opened as kits of their own."""

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from dactyl.core import kit as core
from dactyl.core.compare import compare, restacked
from dactyl.history.door import Answer
from dactyl.history.queries import listed, reading
from dactyl.kits.edits import beside
from dactyl.kits.models import Kit, Version
from dactyl.kits.staircase import Axis, Staircase, staircase
from dactyl.kits.values import whole_kit_value
from dactyl.kits.views.answer import find, kit_edit
from dactyl.kits.views.pages import kit_page
from dactyl.playing import tables as playing
from dactyl.playing.views import as_answer
from dactyl.shelf.models import Sample
from dactyl.versions import edits
from dactyl.web.request_values import number_in, plain

MOST_DRAWN = 24  # pads whose steps are drawn over each other


def _shown(request: HttpRequest, kit: Kit) -> HttpResponse:
    return kit_page(request, kit, "history", "kits/_history_list.html", {"revisions": listed(kit)})


@require_POST
def keep(request: HttpRequest, kit_id: int) -> HttpResponse:
    kit = get_object_or_404(Kit, pk=kit_id)
    edits.keep(kit, plain(request.POST.get("name", ""), "A version's name", 80))
    return _shown(request, kit)


@require_POST
def delete(request: HttpRequest, kit_id: int, version_id: int) -> HttpResponse:
    kit = get_object_or_404(Kit, pk=kit_id)
    edits.delete(get_object_or_404(Version, pk=version_id, kit=kit))
    return _shown(request, kit)


@require_POST
def open_as_kit(request: HttpRequest, kit_id: int, version_id: int) -> HttpResponse:
    made = edits.open_as_kit(get_object_or_404(Version.objects.select_related("kit"), pk=version_id, kit=kit_id))
    return HttpResponseRedirect(reverse("kits:kit", args=[made.pk]))


@kit_edit
def go_back(request: HttpRequest, kit: Kit, version: int, version_id: int) -> Answer:
    kept = find(Version.objects, version_id, kit, kit=kit)
    kept.kit = kit
    return edits.go_back(kept, version)


@require_GET
def compared(request: HttpRequest, kit_id: int, version_id: int) -> HttpResponse:
    """What differs between a version and the kit as it is, or another version: ``with``."""
    kit = get_object_or_404(Kit, pk=kit_id)
    one = get_object_or_404(Version, pk=version_id, kit=kit)
    other = Version.objects.filter(pk=number_in(request.GET.get("with", "")), kit=kit).first()
    with reading():
        after = edits.value_of(other) if other else whole_kit_value(kit.pk)
        along = other.beside if other else beside.kept(kit)
    before = edits.value_of(one)
    pairs = restacked(before, after)[:MOST_DRAWN]
    return render(request, "versions/_compared.html", {
        "kit": kit, "version": one, "other": other, "sentences": [*compare(before, after), *beside.compare(one.beside, along)],
        "drawn": [(now or was, _drawn([was, now])) for was, now in pairs],
    })  # fmt: skip


@require_GET
def tables(request: HttpRequest, kit_id: int, version_id: int, rate_hz: int) -> HttpResponse:
    """What the page's player reads of a version, to be heard in the kit's page, beside the kit as it is."""
    kit = get_object_or_404(Kit, pk=kit_id)
    value = edits.value_of(get_object_or_404(Version, pk=version_id, kit=kit))
    return as_answer(playing.heard_as(kit, value, rate_hz))


def _drawn(pads: list[core.Pad | None]) -> list[Staircase | None]:
    """The steps of a pad as it was and as it is, on one axis, from the levels of its samples."""
    hashes = {take.samples[0][1].sha256 for pad in pads if pad for layer in pad.layers for take in layer.takes}
    levels = dict(Sample.objects.filter(sha256__in=hashes).values_list("sha256", "level_db"))
    stacks = [_layers(pad, levels) if pad else [] for pad in pads]
    every = [level for layers in stacks for _, _, own in layers for level in own] or [0.0]
    axis = Axis(max(every) + 6, max(24.0, max(every) - min(every) + 30))
    return [
        staircase(layers, gain_db=pad.gain_db, dynamics=pad.dynamics, curve=pad.curve, axis=axis) if pad and layers else None
        for pad, layers in zip(pads, stacks, strict=True)
    ]  # fmt: skip


def _layers(pad: core.Pad, levels: dict[str, float]) -> list[tuple[int, int, list[float]]]:
    return [
        (layer.low, layer.high, [
            levels.get(take.samples[0][1].sha256, -60.0) + take.gain_db + layer.gain_db for take in layer.takes if take.enabled
        ])
        for layer in pad.layers
    ]  # fmt: skip
