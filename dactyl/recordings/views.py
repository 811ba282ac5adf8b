"""A recording on its way to a part: its tracks and roles, what was found and mended, which pad each track is for."""

from collections.abc import Callable
from contextlib import suppress
from functools import wraps
from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST
from django_htmx.http import HttpResponseLocation, push_url

from dactyl.core.errors import DactylError
from dactyl.core.hits.find import NEAR_SECONDS, rise_near
from dactyl.core.hits.mend import Mend
from dactyl.core.hits.playback import BLOCK_FRAMES
from dactyl.core.hits.rises import WEIGHTS
from dactyl.core.hits.tracks import MOST_TRACKS
from dactyl.history import edits as history
from dactyl.history.door import Answer, edited
from dactyl.history.models import Revision
from dactyl.history.queries import reading
from dactyl.jobs.run import cancel as cancel_job
from dactyl.kits.models import Kit
from dactyl.kits.queries import pad_notes
from dactyl.kits.views.answer import kit_edit
from dactyl.kits.views.pages import kit_page
from dactyl.parts.models import Part
from dactyl.parts.views import part_edit
from dactyl.recordings import edits, matching, page_data
from dactyl.recordings.models import RecordedPart, RecordedTrack, Recording
from dactyl.recordings.pads import proposed_pads
from dactyl.web.request_values import JsonValues, number_in, plain

TOMS = tuple(f"tom {n}" for n in range(1, MOST_TRACKS + 1))
ROLES = tuple(role for each in WEIGHTS for role in (TOMS if each == "tom" else (each,)))
MOST_MENDS = 2000  # in one request
LATEST_SECONDS = 3600.0
SOUND_SECONDS = 24 * 3600


@require_POST
def new(request: HttpRequest, kit_id: int) -> HttpResponse:
    uploads = request.FILES.getlist("tracks")
    name = plain(request.POST.get("name", ""), "A recording's name", 80) or _name_of([up.name for up in uploads])
    recording = edits.bring_in(name, uploads)
    with suppress(DactylError):  # no room to listen: it is said where that is asked for
        edits.begin(recording)
    recording.refresh_from_db()
    kit = get_object_or_404(Kit, pk=kit_id)
    url = reverse("recordings:recording", args=[kit.pk, recording.pk])
    return push_url(_page(request, kit, recording), url)


def _name_of(names: list[str]) -> str:
    """What all names begin with, else a plain word and a number."""
    if len(names) > 1:
        shortest = min(names, key=len)
        same = next((n for n in range(len(shortest)) if len({name[n] for name in names}) > 1), len(shortest))
        if words := plain(shortest[:same].strip(" _-.0123456789"), "A name", 80):
            return words
    return f"Recording {Recording.objects.count() + 1}"


@require_GET
def listed(request: HttpRequest, kit_id: int) -> HttpResponse:
    """The recordings that came in before."""
    kit = get_object_or_404(Kit, pk=kit_id)
    if not request.htmx:  # gone to by its address: where the last one is, or where the first is brought in
        last = Recording.objects.first()
        return redirect("recordings:recording", kit.pk, last.pk) if last else redirect("parts:part", kit.pk)
    return render(request, "recordings/_listed.html", {"kit": kit, "recordings": Recording.objects.all()})


@require_GET
def page(request: HttpRequest, kit_id: int, recording_id: int) -> HttpResponse:
    return _page(request, get_object_or_404(Kit, pk=kit_id), get_object_or_404(Recording, pk=recording_id))


def _page(request: HttpRequest, kit: Kit, recording: Recording) -> HttpResponse:
    context = {"main_view": "part", **_context(kit, recording)}
    return kit_page(request, kit, "recording", "recordings/_recording.html", context)


def _context(kit: Kit, recording: Recording) -> dict[str, Any]:
    tracks = list(recording.tracks.all())
    return {
        "recording": recording,
        "recordings": Recording.objects.all(),
        "tracks": tracks,
        "roles": [role for role in ROLES if role not in TOMS[4:] or role in {track.role for track in tracks}],
        "pads": [pad for pad in pad_notes(kit) if pad.notes],
        "is_found": bool(recording.job and recording.job.state == "done"),
        "is_listening": bool(recording.job and not recording.job.is_over),
    }


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
def forget(request: HttpRequest, kit_id: int, recording_id: int) -> HttpResponse:
    edits.forget(get_object_or_404(Recording, pk=recording_id))
    return HttpResponseLocation(reverse("parts:part", args=[kit_id]), target="#view")


# What the page plays and draws ----------------------------------------------------------------------------------------


@require_GET
def sound(request: HttpRequest, track_id: int, block: int) -> HttpResponse:
    """Two seconds of a track, interleaved 16 bit; fewer at its end."""
    track = get_object_or_404(RecordedTrack.objects.select_related("recording"), pk=track_id)
    size = BLOCK_FRAMES * 2 * track.channels
    return _bytes(track.sound_path, block * size, size)


@require_GET
def peaks(request: HttpRequest, track_id: int) -> HttpResponse:
    """The height of a track every few milliseconds, a byte each."""
    track = get_object_or_404(RecordedTrack.objects.select_related("recording"), pk=track_id)
    return _bytes(track.peaks_path, 0, -1)


def _bytes(path, first: int, count: int) -> HttpResponse:
    try:
        with path.open("rb") as file:
            file.seek(first)
            data = file.read(count)
    except FileNotFoundError:
        raise DactylError("This track is not prepared to be heard. Press Listen again.") from None
    response = HttpResponse(data, content_type="application/octet-stream")
    response["Cache-Control"] = f"private, max-age={SOUND_SECONDS}"
    return response


@require_GET
def data(request: HttpRequest, kit_id: int, recording_id: int) -> JsonResponse:
    recording = get_object_or_404(Recording, pk=recording_id)
    return JsonResponse(page_data.whole(recording, get_object_or_404(Kit, pk=kit_id)))


@require_GET
def of_part(request: HttpRequest, kit_id: int, part_id: int) -> JsonResponse:
    """The recording that a part was made of, to be heard beside it; nothing where it was made otherwise."""
    kit, part = get_object_or_404(Kit, pk=kit_id), get_object_or_404(Part, pk=part_id)
    link = RecordedPart.objects.select_related("recording__journal").filter(part=part).first()
    if link is None:
        return JsonResponse({})
    return JsonResponse({**page_data.about(link.recording, kit), "zero": link.zero_seconds})


@part_edit
def set_zero(request: HttpRequest, part: Part, version: int, kit_id: int) -> Revision | None:
    """Where the recording begins in the part that was made of it; it may begin before it."""
    seconds = JsonValues.of(request).number("seconds", -LATEST_SECONDS, LATEST_SECONDS)
    return edits.set_zero(get_object_or_404(RecordedPart, part=part), part, version, seconds)


# Edits ----------------------------------------------------------------------------------------------------------------


def recording_edit(view: Callable[..., Answer]) -> Callable[..., JsonResponse]:
    """Run ``view``, which edits the recording at the version that the page shows; answer with how it is now."""

    @require_POST
    @wraps(view)
    def answer(request: HttpRequest, kit_id: int, recording_id: int, **found: int | str) -> JsonResponse:
        kit = get_object_or_404(Kit, pk=kit_id)
        recording = get_object_or_404(Recording, pk=recording_id)
        outcome = edited(request, recording, lambda version: view(request, recording, version, kit=kit, **found))
        if outcome.is_refused:
            return JsonResponse({"said": outcome.said}, status=outcome.status)
        fresh = get_object_or_404(Recording, pk=recording_id)
        with reading():
            body = {**page_data.about(fresh, kit), "said": outcome.said, "isStale": outcome.is_stale}
        return JsonResponse(body, status=outcome.status)

    return answer


@recording_edit
def set_track(request: HttpRequest, recording: Recording, version: int, kit: Kit, track_id: int) -> Revision | None:
    """What is softer, or less sure, is no hit; how loud a soft and a hard stroke are; the pad its hits go to."""
    track, asked = _track(recording, track_id), JsonValues.of(request)
    level = {"low": -120, "high": 20}
    if asked.has("pad"):
        pad = asked.whole("pad", 0, 1 << 53)
        name = next((one.name for one in pad_notes(kit) if one.id == pad), "no pad")
        pads = {**track.pads, str(kit.pk): pad}
        return edits.set_track(track, version, f"{track.name[:60]} goes to {name}", pads=pads)
    if asked.has("sure"):
        sure = asked.number("sure", 0, 1)
        return edits.set_track(track, version, f"{track.name[:60]}: hits sure by {sure:.0%}", least_sure=sure)
    if asked.has("soft"):
        soft, hard = asked.number("soft", **level), asked.number("hard", **level)
        if hard - soft < 1:
            raise DactylError("A hard stroke is louder than a soft one, by 1 dB at least.")
        sentence = f"{track.name[:60]}: soft at {soft:.0f} dB, hard at {hard:.0f} dB"
        return edits.set_track(track, version, sentence, soft_db=soft, hard_db=hard)
    if asked.has("velocity"):
        velocity = asked.whole("velocity", 0, 127) or None
        sentence = f"{track.name[:60]}: velocity {velocity or 'as loud as played'}"
        return edits.set_track(track, version, sentence, velocity=velocity)
    softest = asked.number("softest", **level) if asked.has("softest") else None
    words = f"hits from {softest:.1f} dB on" if softest is not None else "hits of any level"
    return edits.set_track(track, version, f"{track.name[:60]}: {words}".replace("-", "−"), softest_db=softest)


def _track(recording: Recording, track_id: int) -> RecordedTrack:
    track = get_object_or_404(RecordedTrack, pk=track_id, recording=recording)
    track.recording = recording
    return track


@recording_edit
def mend(request: HttpRequest, recording: Recording, version: int, kit: Kit) -> Revision | None:
    """``mends``: objects with track, mend or place, isHit, time, level, velocity; ``sentence`` says what was done."""
    asked = JsonValues.of(request)
    tracks = {track.pk: track for track in recording.tracks.all()}
    wanted = []
    for one in asked.objects("mends", MOST_MENDS):
        track = tracks.get(one.whole("track", 1, 1 << 53))
        if track is None:
            raise DactylError("This track is no longer there. Reload the page.")
        place = one.whole("place", 0, max(0, len(track.hits) - 1)) if one.has("place") else None
        key = one.whole("mend", 1, 1 << 53) if one.has("mend") else None
        time = one.number("time", 0, LATEST_SECONDS) if one.has("time") else None
        if place is None and key is None and time is None:
            raise DactylError("A hit that is put in needs its time.")
        level_db = one.number("level", -200, 60) if one.has("level") else None
        velocity = one.whole("velocity", 1, 127) if one.has("velocity") else None
        wanted.append((track, key, Mend(one.yes("isHit"), place, time, level_db, velocity)))
    return edits.mend(recording, version, asked.text("sentence", 120) or "Hits mended", wanted)


@require_POST
def rise(request: HttpRequest, kit_id: int, recording_id: int, track_id: int) -> JsonResponse:
    """Where the track rises next to a time, to the frame; nothing is changed."""
    track = _track(get_object_or_404(Recording, pk=recording_id), track_id)
    asked = JsonValues.of(request)
    wanted = asked.number("time", 0, LATEST_SECONDS)
    with edits.opened_tracks([track]) as (one,):
        time, level_db, is_rise = rise_near(one, wanted, asked.number("within", 0.001, 2.0, NEAR_SECONDS))
    return JsonResponse({"time": time, "level": round(level_db, 2), "isRise": is_rise})


@require_POST
def match(request: HttpRequest, kit_id: int, recording_id: int, track_id: int) -> JsonResponse:
    """The pad of a track measured against it; nothing is changed."""
    recording, kit = get_object_or_404(Recording, pk=recording_id), get_object_or_404(Kit, pk=kit_id)
    pad, found = matching.measured(recording, _track(recording, track_id), kit)
    side, _ = matching.side(recording)
    seen = f", the kit seen from the {side}’s side" if side else ""
    return JsonResponse({"pad": f"{pad.full_name}{seen}", "rows": matching.told(pad, found)})


@kit_edit
def give(request: HttpRequest, kit: Kit, version: int, recording_id: int, track_id: int, what: str) -> Answer:
    """Bring the pad of a track nearer to it in one respect; it is measured anew."""
    recording = get_object_or_404(Recording, pk=recording_id)
    pad, found = matching.measured(recording, _track(recording, track_id), kit)
    pad.kit = kit
    return matching.give(pad, found, what, version)


@recording_edit
def set_bars(request: HttpRequest, recording: Recording, version: int, kit: Kit) -> Revision | None:
    """``bars``: objects with the number of a bar and the seconds of its first beat; none takes the bar lines away."""
    asked = JsonValues.of(request)
    anchors = {
        one.whole("bar", -10_000, 10_000): one.number("seconds", -60, LATEST_SECONDS) for one in asked.objects("bars", 4000)
    }  # fmt: skip
    return edits.set_bars(recording, version, anchors, asked.whole("beats", 1, 32, 4))


@require_GET
def offered_bars(request: HttpRequest, kit_id: int, recording_id: int) -> JsonResponse:
    """Bars by the strokes, with how sure that is; null where they don't tell."""
    found = edits.offered_bars(get_object_or_404(Recording, pk=recording_id))
    if found is None:
        return JsonResponse({"offered": None})
    return JsonResponse({
        "offered": {
            "bars": found.bars, "beats": found.beats, "bpm": round(found.beats_a_minute, 1), "words": found.words,
            "lines": [time for _, time in found.bars],
        }
    })  # fmt: skip


@recording_edit
def undo(request: HttpRequest, recording: Recording, version: int, kit: Kit) -> Revision | None:
    return history.undo(recording, version)


@recording_edit
def redo(request: HttpRequest, recording: Recording, version: int, kit: Kit) -> Revision | None:
    return history.redo(recording, version)


@require_POST
def make(request: HttpRequest, kit_id: int, recording_id: int) -> HttpResponse:
    """The part, or with ``each=1`` one for each track, with the notes of the pads; it opens in the Part view."""
    kit, recording = get_object_or_404(Kit, pk=kit_id), get_object_or_404(Recording, pk=recording_id)
    notes = {pad.id: pad.notes[0] for pad in pad_notes(kit) if pad.notes}
    pads = proposed_pads(kit, list(recording.tracks.all()))
    chosen = {track: notes[pad] for track, pad in pads.items() if pad in notes}
    part, *_ = edits.make_parts(recording, chosen, one_each=number_in(request.POST.get("each", "")) == 1)
    return HttpResponseLocation(f"{reverse('parts:part', args=[kit.pk])}?part={part.pk}", target="#view")
