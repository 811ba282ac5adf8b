"""A recording on its way to a part: its tracks and roles, what was found, which pad each track is for."""

from collections.abc import Sequence
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST
from django_htmx.http import HttpResponseLocation, push_url

from dactyl.core.errors import DactylError
from dactyl.core.hits.part import kinds_of
from dactyl.core.hits.strokes import WEIGHTS
from dactyl.core.maps.notes import PadNotes
from dactyl.core.stack.hearing import FAMILY_OF
from dactyl.jobs.run import cancel as cancel_job
from dactyl.kits.fields import number
from dactyl.kits.models import Kit
from dactyl.kits.queries import pad_notes
from dactyl.kits.views.pages import kit_page
from dactyl.recordings import edits
from dactyl.recordings.models import RecordedTrack, Recording
from dactyl.request_values import number_in, plain

TOMS = ("tom 1", "tom 2", "tom 3", "tom 4")
ROLES = tuple(role for each in WEIGHTS for role in (TOMS if each == "tom" else (each,)))
PICTURE_WIDTH, TOP_DB, FLOOR_DB = 1000, 0.0, -54.0


@require_POST
def new(request: HttpRequest, kit_id: int) -> HttpResponse:
    uploads = request.FILES.getlist("tracks")
    name = plain(request.POST.get("name", ""), "A recording's name", 80) or "Recording"
    recording = edits.take_in(name, uploads)
    kit = get_object_or_404(Kit, pk=kit_id)
    url = reverse("recordings:recording", args=[kit.pk, recording.pk])
    return push_url(_page(request, kit, recording), url)


@require_GET
def page(request: HttpRequest, kit_id: int, recording_id: int) -> HttpResponse:
    return _page(request, get_object_or_404(Kit, pk=kit_id), get_object_or_404(Recording, pk=recording_id))


def _page(request: HttpRequest, kit: Kit, recording: Recording) -> HttpResponse:
    context = {"tab": "part", **_context(kit, recording)}
    return kit_page(request, kit, "recording", "recordings/_recording.html", context)


def _context(kit: Kit, recording: Recording) -> dict[str, Any]:
    tracks = list(recording.tracks.all())
    pads = [pad for pad in pad_notes(kit) if pad.notes]
    return {
        "recording": recording,
        "roles": ROLES,
        "pads": pads,
        "rows": [_row(track, pad) for track, pad in _pads(tracks, pads)],
        "is_found": bool(recording.job and recording.job.state == "done"),
    }  # fmt: skip


def _row(track: RecordedTrack, pad: int | None) -> tuple:
    """What the page shows of a track: its hits, how many are unsure, their picture, the pad that is proposed."""
    taken = track.taken()
    return track, len(taken), sum(hit[3] < 0.8 for hit in taken), _picture(track, taken), pad


def _pads(tracks: Sequence[RecordedTrack], pads: Sequence[PadNotes]) -> list[tuple[RecordedTrack, int | None]]:
    """For each track the pad that is proposed: the first of the kind that it hears, or of one of its family."""
    kinds = kinds_of([track.role for track in tracks])
    result = []
    for track in tracks:
        kind = kinds.get(track.role)
        own = next((pad.id for pad in pads if pad.kind == kind), None)
        family = FAMILY_OF.get(kind or "")
        alike = next((pad.id for pad in pads if family and FAMILY_OF.get(pad.kind) == family), None)
        result.append((track, own or alike))
    return result


def _picture(track: RecordedTrack, hits: Sequence[list]) -> tuple[str, str]:
    """Stems of the hits along time, as tall as they are loud: paths of those taken and of those left, 1000 wide, 40 high."""
    taken = {hit[0] for hit in hits}
    paths = {True: [], False: []}
    for time, level_db, *_ in track.hits:
        height = 2 + 36 * min(1.0, max(0.0, (level_db - FLOOR_DB) / (TOP_DB - FLOOR_DB)))
        paths[time in taken].append(f"M{PICTURE_WIDTH * time / track.seconds:.1f} 40v-{height:.0f}")
    return "".join(paths[True]), "".join(paths[False])


@require_GET
def listening(request: HttpRequest, kit_id: int, recording_id: int) -> HttpResponse:
    """How far listening is; the page asks again until it is over."""
    return _again(request, kit_id, recording_id)


@require_POST
def find(request: HttpRequest, kit_id: int, recording_id: int) -> HttpResponse:
    recording = get_object_or_404(Recording, pk=recording_id)
    roles = {track.pk: request.POST.get(f"role-{track.pk}", track.role) for track in recording.tracks.all()}
    if not set(roles.values()) <= set(ROLES) | {"tom"}:
        raise DactylError("Choose the roles from the list.")
    edits.begin(recording, roles)
    return _again(request, kit_id, recording_id)


def _again(request: HttpRequest, kit_id: int, recording_id: int) -> HttpResponse:
    kit, recording = get_object_or_404(Kit, pk=kit_id), get_object_or_404(Recording, pk=recording_id)
    return render(request, "recordings/_recording.html", {"kit": kit, **_context(kit, recording)})


@require_POST
def cancel(request: HttpRequest, kit_id: int, recording_id: int) -> HttpResponse:
    recording = get_object_or_404(Recording, pk=recording_id)
    if recording.job:
        cancel_job(recording.job)
    return _again(request, kit_id, recording_id)


@require_POST
def thresholds(request: HttpRequest, kit_id: int, recording_id: int, track_id: int) -> HttpResponse:
    """What is softer, or less sure, is no hit; nothing is listened to again."""
    track = get_object_or_404(RecordedTrack, pk=track_id, recording=recording_id)
    softest = request.POST.get("softest", "").strip()
    edits.set_thresholds(
        track,
        number("The softest hit", -100, 0, "dB")(softest) if softest else None,
        number("How sure a hit is", 0, 100)(request.POST.get("sure", "50")) / 100,
    )
    return _again(request, kit_id, recording_id)


@require_POST
def make(request: HttpRequest, kit_id: int, recording_id: int) -> HttpResponse:
    """The part, with the notes of the pads that were chosen; it opens in the Part view."""
    kit, recording = get_object_or_404(Kit, pk=kit_id), get_object_or_404(Recording, pk=recording_id)
    notes = {pad.id: pad.notes[0] for pad in pad_notes(kit) if pad.notes}
    chosen = {
        track.pk: notes[pad]
        for track in recording.tracks.all()
        if (pad := number_in(request.POST.get(f"pad-{track.pk}", ""), -1)) in notes
    }
    same = request.POST.get("same", "").strip()
    part = edits.make_part(recording, chosen, velocity=min(127, max(1, number_in(same, 96))) if same else None)
    return HttpResponseLocation(f"{reverse('parts:part', args=[kit.pk])}?part={part.pk}", target="#view")


@require_POST
def forget(request: HttpRequest, kit_id: int, recording_id: int) -> HttpResponse:
    edits.forget(get_object_or_404(Recording, pk=recording_id))
    return HttpResponseLocation(reverse("parts:part", args=[kit_id]), target="#view")
