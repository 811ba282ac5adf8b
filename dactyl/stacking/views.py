"""Samples on pads: ask how, with a drawing of each way; the proposal; a loop cut over pads."""

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST
from django_htmx.http import HttpResponseLocation

from dactyl.core.errors import DactylError
from dactyl.core.hits.onsets import grid
from dactyl.core.stack.cluster import layers_by_level
from dactyl.core.stack.layers import layered_dynamics, split_evenly
from dactyl.core.stack.propose import propose
from dactyl.history.door import Answer, edited
from dactyl.jobs.run import enqueue, latest
from dactyl.kits import edits, fields, queries, sounding
from dactyl.kits.edits.samples import WAYS, NewTake
from dactyl.kits.models import Kit, Proposal
from dactyl.kits.tasks import LISTEN
from dactyl.kits.views.answer import find, kit_edit, pad_of
from dactyl.kits.views.pages import kit_page
from dactyl.shelf import queries as shelf_queries
from dactyl.shelf.models import Sample
from dactyl.stacking import proposals
from dactyl.web.request_values import ids_in, number_in

MOST_SLICES = 128  # of a loop


def recordings_of(samples: list[Sample]) -> list[NewTake]:
    """One recording for each hit: mics are put together where names and sound say that all are of one drum."""
    if len(samples) > 1:
        files = shelf_queries.as_files(samples)
        by_path = dict(zip((file.path for file in files), samples, strict=True))
        proposal = propose(files)
        if len(proposal.pads) == 1 and not proposal.left_over:
            takes = [take for layer in proposal.pads[0].layers for take in layer.takes]
            return [NewTake.of({mic: by_path[path] for mic, path in take.mics.items()}) for take in takes]
    return [NewTake.of({"close": sample}) for sample in samples]


@require_http_methods(["GET", "POST"])
def give(request: HttpRequest, kit_id: int, pad_id: int) -> HttpResponse:
    """GET asks how samples should go on a pad, with a drawing of each way; POST does it."""
    if request.method == "POST":
        return give_now(request, kit_id=kit_id, pad_id=pad_id)
    kit = get_object_or_404(Kit, pk=kit_id)
    pad = pad_of(kit, pad_id)
    samples = shelf_queries.in_order(ids_in(request.GET.get("samples", "")))
    if not samples:
        raise DactylError("None of these samples is on the shelf any more. Select others.")
    (row,) = queries.sheet_rows(kit, [pad.pk])
    held = [level for layer in row.layers for level, _ in layer.levels]
    mode = request.GET.get("mode", "add" if held else "replace")
    recordings = recordings_of(samples)
    new = [recording.level_db for recording in recordings]
    levels = (held if mode == "add" else []) + new
    asked = number_in(request.GET.get("layers", ""))
    groups = layers_by_level(levels, min(127, asked) or None)
    highs = split_evenly(len(groups))
    stacked = [
        (low, high, [levels[i] for i in group])
        for low, high, group in zip([1, *(high + 1 for high in highs)], highs, groups, strict=False)
    ]
    return render(request, "stacking/_give.html", {
        "kit": kit,
        "pad": pad,
        "samples": samples,
        "sample_ids": ",".join(str(sample.pk) for sample in samples),
        "is_filled": bool(held),
        "take_count": len(held),
        "mode": mode,
        "mics": len({mic for recording in recordings for mic in recording.heard}),
        "recordings": recordings,
        "stacked": stacked,
        "stacked_dynamics": layered_dynamics(len(groups)),
        "one_layer": [(1, 127, new)],
        "each": [[(1, 127, [level])] for level in new[:6]],
        "each_more": max(0, len(new) - 6),
    })  # fmt: skip


@kit_edit
def give_now(request: HttpRequest, kit: Kit, version: int, pad_id: int) -> Answer:
    way = fields.one_of("way to stack", WAYS)(request.POST.get("way", "takes"))
    layers = (
        fields.whole("The number of layers", 1, 127)(request.POST["layers"]) if request.POST.get("layers") else None
    )
    samples = shelf_queries.in_order(ids_in(request.POST.get("samples", "")))
    replace = request.POST.get("mode") == "replace"
    recordings = recordings_of(samples)
    return edits.samples.give_samples(pad_of(kit, pad_id), version, recordings, way, replace=replace, layers=layers)


# The proposal ----------------------------------------------------------------------------------------------------------


@require_POST
def propose_pads(request: HttpRequest, kit_id: int) -> HttpResponse:
    """Propose pads, layers, takes and mics for ``samples``; a proposal that was open is dropped."""
    kit = get_object_or_404(Kit, pk=kit_id)
    samples = shelf_queries.in_order(ids_in(request.POST.get("samples", "")))
    if not samples:
        raise DactylError("None of these samples is on the shelf any more. Select others.")
    row = proposals.begin(kit, samples, next(iter(ids_in(request.POST.get("pad", ""))), None))
    return redirect_within(request, reverse("stacking:stack", args=[kit.pk]) + f"?proposal={row.pk}")


@require_GET
def stack(request: HttpRequest, kit_id: int) -> HttpResponse:
    """Show the proposal that is open."""
    kit = get_object_or_404(Kit, pk=kit_id)
    row = _open_proposal(kit, request.GET.get("proposal", ""))
    context = {"proposal": proposals.shown(row) if row else None}
    return kit_page(request, kit, "stack", "stacking/_stack.html", context)


def redirect_within(request: HttpRequest, url: str, target: str = "#view") -> HttpResponse:
    """A redirect that htmx follows inside its target."""
    if request.htmx:
        return HttpResponseLocation(url, target=target)
    return HttpResponseRedirect(url)


def _open_proposal(kit: Kit, asked: str) -> Proposal | None:
    rows = Proposal.objects.filter(kit=kit).order_by("-pk")
    key = number_in(asked)
    return rows.filter(pk=key).first() if key else rows.first()


@require_POST
def change_proposal(request: HttpRequest, kit_id: int, proposal_id: int, what: str) -> HttpResponse:
    row = get_object_or_404(Proposal.objects.select_related("kit"), pk=proposal_id, kit=kit_id)
    outcome = edited(request, row, lambda version: proposals.change(row, version, what, request.POST))
    if outcome.is_stale:
        row = get_object_or_404(Proposal, pk=proposal_id)
    message = outcome.said if outcome.status != 200 else ""
    context = {"kit": row.kit, "proposal": proposals.shown(row), "message": message}
    return render(request, "stacking/_proposal.html", context, status=outcome.status)


@kit_edit
def apply_proposal(request: HttpRequest, kit: Kit, version: int, proposal_id: int) -> Answer:
    row = find(Proposal.objects, proposal_id, kit, kit=kit)
    return proposals.apply(kit, version, row)


@require_POST
def drop_proposal(request: HttpRequest, kit_id: int, proposal_id: int) -> HttpResponse:
    """Nothing was done yet, so nothing is lost: the samples stay on the shelf."""
    proposals.drop(kit_id, proposal_id)
    return redirect_within(request, reverse("kits:kit", args=[kit_id]))


# A loop cut over pads --------------------------------------------------------------------------------------------------


@require_GET
def cut(request: HttpRequest, kit_id: int, pad_id: int) -> HttpResponse:
    """Ask where to cut a loop: by its transients or by a grid; every boundary can be moved before it is done."""
    kit = get_object_or_404(Kit, pk=kit_id)
    sample = next(iter(shelf_queries.in_order(ids_in(request.GET.get("sample", "")))), None)
    if sample is None:
        raise DactylError("This sample is no longer on the shelf. Choose another.")
    way = "grid" if request.GET.get("way") == "grid" else "transients"
    sensitivity = fields.number("Sensitivity", 0, 100)(request.GET.get("sensitivity") or "50")
    count = fields.whole("The number of slices", 1, 128)(request.GET.get("count") or "8")
    if way == "grid":
        found = grid(sample.frames, count)
    else:
        found = sounding.transients_of(sample, sensitivity / 100, MOST_SLICES)
    job = latest(LISTEN, sample.pk) if found is None else None
    context = {
        "kit": kit, "pad": pad_of(kit, pad_id), "sample": sample, "way": way, "sensitivity": sensitivity, "count": count,
        "cuts": found or [0], "is_unheard": found is None, "job": job, "is_listening": job and not job.is_over,
    }  # fmt: skip
    return render(request, "stacking/_cut.html", context)


@require_POST
def listen_for_cut(request: HttpRequest, kit_id: int, pad_id: int) -> HttpResponse:
    """Listen to a long loop in the background; the answer asks again until it is heard."""
    sample = get_object_or_404(Sample, pk=number_in(request.POST.get("sample", "")))
    job = latest(LISTEN, sample.pk)
    if job is None or job.is_over:
        enqueue(LISTEN, sample.pk, queue="imports")
    return redirect_within(
        request, reverse("stacking:cut", args=[kit_id, pad_id]) + f"?sample={sample.pk}", target="#ask"
    )


@require_GET
def cut_waveform(request: HttpRequest, sample_id: int) -> HttpResponse:
    sample = get_object_or_404(Sample.objects.defer("overview"), pk=sample_id)
    return HttpResponse(sounding.sample_waveform(sample, 1600), content_type="application/octet-stream")


@kit_edit
def cut_now(request: HttpRequest, kit: Kit, version: int, pad_id: int) -> Answer:
    """``cuts``: frames at which slices begin, separated by commas."""
    sample = next(iter(shelf_queries.in_order(ids_in(request.POST.get("sample", "")))), None)
    starts = sorted({start for start in ids_in(request.POST.get("cuts", "")) if sample and start < sample.frames})
    if sample is None or not starts:
        raise DactylError("There is nothing to cut: choose a loop and at least one boundary.")
    fade_ms = fields.number("The fade", 0, 2000, "ms")(request.POST.get("fade_ms") or "5")
    slices = list(zip(starts, [*starts[1:], sample.frames], strict=True))
    return edits.samples.cut_over_pads(pad_of(kit, pad_id), version, sample, slices, fade_ms)
