"""What there is to open, by its name: kits, parts and recordings, for the window of acts and keys."""

from collections.abc import Iterator

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_GET

from dactyl.bounces.models import Bounce
from dactyl.kits.models import Kit, Proposal
from dactyl.parts.models import Part
from dactyl.recordings.models import Recording
from dactyl.site.guide import titles
from dactyl.web.request_values import number_in

MOST, LATELY = 12, 4  # of each
VIEWS = (  # (what it is called, what is done there, its address)
    ("Sheet", "pads, layers, takes, levels, velocity borders, rotation", "kits:kit"),
    ("Cuts", "who silences whom, choke and mute groups, sounding along", "kits:cuts"),
    ("Floor plan", "where pieces stand, pan", "kits:plan"),
    ("Check", "what is wrong with the kit: levels, time, phase, likeness; mend", "checks:check"),
    ("Sets", "several kits flipped through, search drums, put under each other", "kits:sets"),
    ("Map", "notes of pads, keyboard, note names, CSV", "kits:map"),
    ("Surfaces", "pads of a controller, cells, mirror", "kits:surfaces"),
    ("Devices", "MIDI controllers, learn, teach, velocity curve, hi-hat pedal", "kits:devices"),
    ("Translations", "parts written for other notes, standard map", "kits:translations"),
    ("Stack", "propose pads from recordings, import samples", "kits:stack"),
    (
        "Part",
        "beat, hits, record, quantise, tighten, swing, velocities, MIDI file, score, curves, sections",
        "parts:part",
    ),
    ("Recordings", "find hits of a recorded drummer, multitrack, tempo", "recordings:listed"),
    ("Desk", "mix, outputs, faders, width, balance, groups, parallel bus, compressor, master, side", "kits:desk"),
    ("Mics", "close, overhead and room, polarity, ambience", "kits:mics"),
    ("Bounce", "export stems, render, WAV, FLAC, mix", "bounces:bounce"),
    ("History", "versions, undo, go back, compare", "kits:history"),
)
MOST_WORDS, LONGEST = 6, 80


@require_GET
def find(request: HttpRequest) -> JsonResponse:
    """``words``: all of them stand in the name. ``kit``: with which parts and recordings are shown; else the last changed."""
    words = request.GET.get("words", "")[:LONGEST].split()[:MOST_WORDS]
    kits = Kit.objects.filter(is_put_away=False).order_by("-journal__changed_at")
    shown = kits.filter(pk=number_in(request.GET.get("kit", ""))).first() or kits.first()
    return JsonResponse({"found": list(_found(words, kits, shown))})


def _found(words: list[str], kits, shown: Kit | None) -> Iterator[dict[str, str]]:
    for kit in _named(kits, words):
        yield {"what": "kit", "name": kit.name, "url": reverse("kits:kit", args=[kit.pk])}
    for slug, (title, have) in titles().items():
        if all(word.lower() in f"{title} {have}".lower() for word in words):
            yield {"what": f"guide: {have}", "name": title, "url": reverse("guide_page", args=[slug])}
    if shown is None:
        return
    for name, done_there, address in VIEWS:
        if all(word.lower() in f"{name} {done_there}".lower() for word in words):
            yield {
                "what": f"view of {shown.name}: {done_there}",
                "name": name,
                "url": reverse(address, args=[shown.pk]),
            }
    for part in _named(Part.objects.order_by("-journal__changed_at"), words):
        yield {"what": "part", "name": part.name, "url": f"{reverse('parts:part', args=[shown.pk])}?part={part.pk}"}
    for recording in _named(Recording.objects.order_by("-journal__changed_at"), words):
        url = reverse("recordings:recording", args=[shown.pk, recording.pk])
        yield {"what": "recording", "name": recording.name, "url": url}


@require_GET
def lately(request: HttpRequest) -> HttpResponse:
    """What one was at, beside the kits: parts, recordings, bounces and proposals, the last first."""
    kit = Kit.objects.filter(is_put_away=False).order_by("-journal__changed_at").first()
    rows = []
    if kit is not None:
        for part in Part.objects.order_by("-journal__changed_at")[:LATELY]:
            url = f"{reverse('parts:part', args=[kit.pk])}?part={part.pk}"
            rows.append((part.journal.changed_at, "part", part.name, url))
        for recording in Recording.objects.order_by("-journal__changed_at")[:LATELY]:
            url = reverse("recordings:recording", args=[kit.pk, recording.pk])
            rows.append((recording.journal.changed_at, "recording", recording.name, url))
    for bounce in Bounce.objects.filter(kit__is_put_away=False).select_related("kit").order_by("-pk")[:LATELY]:
        url = reverse("bounces:bounce", args=[bounce.kit_id])
        rows.append((bounce.created_at, "bounce", f"{bounce.part_name} by {bounce.kit.name}", url))
    for proposal in Proposal.objects.filter(kit__is_put_away=False).select_related("kit").order_by("-pk")[:LATELY]:
        url = reverse("kits:stack", args=[proposal.kit_id])
        rows.append((proposal.journal.changed_at, "proposal left open", proposal.kit.name, url))
    rows.sort(key=lambda row: row[0], reverse=True)
    return render(request, "_lately.html", {"rows": rows[: 2 * LATELY]})


def _named(rows, words: list[str]):
    for word in words:
        rows = rows.filter(name__icontains=word)
    return rows[:MOST]
