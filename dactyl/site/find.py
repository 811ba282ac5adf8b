"""What there is to open, by its name: kits, parts and recordings, for the window of acts and keys."""

from collections.abc import Iterator
from datetime import datetime

from django.db.models import Q, QuerySet
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
    ("Cuts", "who silences whom, choke and mute groups, sounding along", "pictures:cuts"),
    ("Floor plan", "where pieces stand, pan", "pictures:plan"),
    ("Check", "what is wrong with the kit: levels, time, phase, likeness; mend", "checks:check"),
    ("Sets", "several kits flipped through, search drums, put under each other", "sets:sets"),
    ("Map", "notes of pads, keyboard, note names, CSV", "maps:map"),
    ("Surfaces", "pads of a controller, cells, mirror", "maps:surfaces"),
    ("Devices", "MIDI controllers, learn, teach, velocity curve, hi-hat pedal", "maps:devices"),
    ("Translations", "parts written for other notes, standard map", "maps:translations"),
    ("Stack", "propose pads from recordings, import samples", "stacking:stack"),
    (
        "Part",
        "beat, hits, record, quantise, tighten, swing, velocities, MIDI file, score, curves, sections",
        "parts:part",
    ),
    ("Recordings", "find hits of a recorded drummer, multitrack, tempo", "recordings:listed"),
    ("Desk", "mix, outputs, faders, width, balance, groups, parallel bus, compressor, master, side", "desk:desk"),
    ("Mics", "close, overhead and room, polarity, ambience", "desk:mics"),
    ("Bounce", "export stems, render, WAV, FLAC, mix", "bounces:bounce"),
    ("History", "versions, undo, go back, compare", "kits:history"),
)
MOST_WORDS, LONGEST = 6, 80


@require_GET
def find(request: HttpRequest) -> JsonResponse:
    """What is called so, and the views, whose pages say what can be done in each.

    ``words`` : all of them stand in the name
    ``kit`` : with which parts, recordings and views are shown; else the last changed
    """
    words = request.GET.get("words", "")[:LONGEST].split()[:MOST_WORDS]
    shown = _kits().filter(pk=number_in(request.GET.get("kit", ""))).first() or _kits().first()
    views = [{"name": name, "url": reverse(address, args=[shown.pk])} for name, _, address in VIEWS] if shown else []
    return JsonResponse({"found": list(_found(words, shown)), "views": views})


def _found(words: list[str], shown: Kit | None) -> Iterator[dict[str, str]]:
    for kit in _named(_kits(), words):
        yield {"what": "kit", "name": kit.name, "url": reverse("kits:kit", args=[kit.pk])}
    for slug, (title, have) in titles().items():
        if _meets(f"{title} {have}", words):
            yield {"what": f"guide: {have}", "name": title, "url": reverse("guide_page", args=[slug])}
    if shown is None:
        return
    for name, done_there, address in VIEWS:
        if _meets(f"{name} {done_there}", words):
            what = f"view of {shown.name}: {done_there}"
            yield {"what": what, "name": name, "url": reverse(address, args=[shown.pk])}
    for _, what, name, url in _parts_and_recordings(shown, words, MOST):
        yield {"what": what, "name": name, "url": url}


@require_GET
def lately(request: HttpRequest) -> HttpResponse:
    """What one was at, beside the kits: parts, recordings, bounces and proposals, the last first.

    ``words`` : all that is called so, of every kit
    """
    words = request.GET.get("words", "")[:LONGEST].split()[:MOST_WORDS]
    most = MOST if words else LATELY
    shown = _kits().first()
    rows = list(_parts_and_recordings(shown, words, most)) if shown else []
    open_kits = {"kit__is_put_away": False}
    bounces = (
        Bounce.objects.filter(**open_kits).order_by("-pk").values_list("created_at", "part_name", "kit__name", "kit")
    )
    for word in words:
        bounces = bounces.filter(Q(part_name__icontains=word) | Q(kit__name__icontains=word))
    for when, part, name, kit in bounces[:most]:
        rows.append((when, "bounce", f"{part} by {name}", reverse("bounces:bounce", args=[kit])))
    left = Proposal.objects.filter(**open_kits).order_by("-pk").values_list("journal__changed_at", "kit__name", "kit")
    for when, name, kit in _named(left, words, most, "kit__name"):
        rows.append((when, "proposal left open", name, reverse("stacking:stack", args=[kit])))
    rows.sort(key=lambda row: row[0], reverse=True)
    return render(request, "_lately.html", {"rows": rows[: 2 * most], "words": words})


def _kits() -> QuerySet:
    """Those that lie open, the last changed first."""
    return Kit.objects.filter(is_put_away=False).order_by("-journal__changed_at")


def _parts_and_recordings(shown: Kit, words: list[str], most: int) -> Iterator[tuple[datetime, str, str, str]]:
    """(when it changed, what it is, its name, its address with this kit), of each kind the last changed first."""
    ways = (
        (Part, "part", lambda key: f"{reverse('parts:part', args=[shown.pk])}?part={key}"),
        (Recording, "recording", lambda key: reverse("recordings:recording", args=[shown.pk, key])),
    )
    for model, what, url in ways:
        rows = _named(model.objects.order_by("-journal__changed_at"), words, most)
        for key, name, when in rows.values_list("pk", "name", "journal__changed_at"):
            yield when, what, name, url(key)


def _named(rows: QuerySet, words: list[str], most: int = MOST, column: str = "name") -> QuerySet:
    for word in words:
        rows = rows.filter(**{f"{column}__icontains": word})
    return rows[:most]


def _meets(text: str, words: list[str]) -> bool:
    return all(word.lower() in text.lower() for word in words)
