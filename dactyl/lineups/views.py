"""Alongside: further kits that answer the part of a kit, each with its channels, level and delay."""

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.http.response import HttpResponseBase
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST
from django_htmx.http import HttpResponseClientRedirect

from dactyl.core.errors import KitError
from dactyl.core.fields import MEMBER, OUTPUT, OUTPUT_GROUP, STRENGTH
from dactyl.core.kit import CURVE_EXPONENTS
from dactyl.core.lineup import CHANNELS, kit_of
from dactyl.core.parts.part import DRUM_CHANNEL
from dactyl.desk.edits import next_group_name
from dactyl.desk.views import changed_group
from dactyl.history.door import Answer
from dactyl.history.edits import StaleDocument
from dactyl.kit_files.views import packed
from dactyl.kits import fields
from dactyl.kits.alongside import is_lineup
from dactyl.kits.models import Kit, Output
from dactyl.kits.queries import PadRow, sheet_rows
from dactyl.kits.staircase import axis_of
from dactyl.kits.views.answer import find, kit_edit
from dactyl.lineups import desk_edits, edits, queries
from dactyl.lineups.models import Alongside, LineupGroup, Link, SharedChoke
from dactyl.maps.models import Device
from dactyl.parts import blocks
from dactyl.parts.models import Part
from dactyl.parts.shown import lanes_of
from dactyl.parts.views import chosen_part
from dactyl.sets.models import KitSet
from dactyl.web.note_naming import middle_c_octave
from dactyl.web.request_values import number_in


@require_GET
def panel(request: HttpRequest, kit_id: int) -> HttpResponse:
    """What sounds alongside, and the kits that could."""
    kit = get_object_or_404(Kit, pk=kit_id)
    rows, is_alone = queries.rows_of(kit), not is_lineup(kit)
    pieces = {row.pk: queries.pieces_of(row.other) for row in rows}
    mine, part = queries.own_row(kit), chosen_part(request)
    counts = _channel_counts(part)
    is_open = mine is None and all(row.channels is None for row in rows)
    return render(request, "lineups/_panel.html", {
        "kit": kit,
        "is_lineup": not is_alone,
        "part": part,
        "own_channels": channels_told(mine) if mine else "",
        "part_channels": [(channel + 1, hits) for channel, hits in counts],
        "proposed": _told_proposal(kit, _members(kit), counts) if is_open else "",
        "members": [(row, list(pieces[row.pk].items()), channels_told(row), other_pieces(row, pieces[row.pk]), list(row.other.versions.all())) for row in rows],
        "others": queries.kits_with_pads().exclude(pk=kit.pk).order_by("name"),
        "curves": list(CURVE_EXPONENTS),
        "devices": Device.objects.filter(is_forgotten=False),
        "is_full": len(rows) >= queries.MOST + (not is_alone),
        **_crossing(kit),
    })  # fmt: skip


def _crossing(kit: Kit) -> dict[str, Any]:
    """Links and shared choke groups in words, and what of each kit could be linked."""
    found = queries.placed(kit)
    kits = {one.key: f"{number} {one.member.kit.name}" for number, one in enumerate(found, start=1)}
    pads = {(one.key, pad.id): pad.name for one in found for _, pad in one.member.kit.pads()}

    def of(row: int | None, what: str) -> str:
        return f"{what} of {kits.get(str(row or ''), 'a kit that is gone')}"

    def pad_of(row: int | None, pad: int) -> str:
        return of(row, pads.get((str(row or ""), pad), "a pad that is gone"))

    said = [
        (f"link-{row.pk}", f"{pad_of(row.one_id, row.pad_id)} sounds {pad_of(row.other_id, row.other_pad_id)} at {row.strength:g}")
        for row in queries.links_of(kit)
    ] + [
        (f"choke-{row.pk}", f"{of(row.one_id, f'group {row.letter}')} and {of(row.other_id, f'group {row.other_letter}')} cut each other")
        for row in queries.chokes_of(kit)
    ]  # fmt: skip
    linkable = [
        (kits[one.key], [(f"{one.key}:{pad.id}", pad.name) for _, pad in one.member.kit.pads() if pad.layers])
        for one in found
    ]
    groups = [
        (kits[one.key], [(f"{one.key}:{letter}", f"group {letter}") for letter in letters])
        for one in found
        if (letters := sorted({pad.choke.letter for _, pad in one.member.kit.pads() if pad.choke}))
    ]
    last = {"linkable_last": linkable[::-1], "groups_last": groups[::-1]}  # the other of two is proposed
    return {"links": said, "linkable": linkable, "groups": groups, **last}


@require_GET
def lanes(request: HttpRequest, kit_id: int) -> JsonResponse:
    """Lanes of the kits alongside, the channels that the kit itself hears, and the outputs that curves may move."""
    kit = get_object_or_404(Kit, pk=kit_id)
    mine, found = queries.own_row(kit), [one for one in queries.placed(kit) if one.row and not one.member.muted]
    over = LineupGroup.objects.filter(kit=kit).values_list("name", flat=True)
    kits = [{"name": one.row.other.name, "channels": one.row.channels, "lanes": _lanes_of(one)} for one in found]
    return JsonResponse({
        "own": mine.channels if mine and found else None,
        "kits": kits,
        "outputs": [output.name for one in found for output in one.member.kit.outputs],
        "groups": [*over, *(group.name for one in found for group in one.member.kit.groups)],
    })  # fmt: skip


def _lanes_of(one: queries.Placed) -> list[dict[str, Any]]:
    pieces = one.member.pieces
    return [lane for lane in lanes_of(one.row.other, one.becomes) if pieces is None or lane["piece"] in pieces]


@require_GET
def sheet(request: HttpRequest, kit_id: int) -> HttpResponse:
    """The sheets of the kits alongside, under each other."""
    kit = get_object_or_404(Kit, pk=kit_id)
    found = [one for one in queries.placed(kit) if one.row]
    rows = {one.key: _rows(one) for one in found}
    return render(request, "lineups/_sheet.html", {
        "kit": kit,
        "is_lineup": is_lineup(kit),
        "axis": axis_of([row for own in rows.values() for row, _ in own]),
        "members": [(one, rows[one.key], channels_told(one.row), _only(one.row)) for one in found],
        "first": 2 if kit.pads.exists() else 1,
    })  # fmt: skip


def _only(row: Alongside) -> str:
    return "" if row.pieces is None else pieces_told(row, queries.pieces_of(row.other))


def _rows(one: queries.Placed) -> list[tuple[PadRow, list[int]]]:
    """Rows of the pads that take part, and the notes of the part that strike each here."""
    struck: dict[int, list[int]] = {}
    for note, own in one.becomes.items():
        struck.setdefault(own, []).append(note)
    pieces = one.member.pieces
    return [
        (row, sorted(note for own in row.notes for note in struck.get(own, ())))
        for row in sheet_rows(one.row.other)
        if not row.is_empty and (pieces is None or row.pad.piece_id in pieces)
    ]


@require_GET
def collisions(request: HttpRequest, kit_id: int) -> HttpResponse:
    """Which notes of a part reach pads of several kits, on which channels."""
    kit = get_object_or_404(Kit, pk=kit_id)
    answers: dict[int, list[tuple[str, str, str]]] = {}
    for one in queries.placed(kit):
        names = {pad.id: pad.name for _, pad in kit_of(one.member).pads()}
        struck: dict[int, list[str]] = {}
        for note, pad in one.member.kit.maps[0].notes:
            if pad in names:
                struck.setdefault(note, []).append(names[pad])
        for note, own in one.becomes.items():
            if own in struck:
                on = "all" if one.member.channels is None else ", ".join(str(n + 1) for n in one.member.channels)
                answers.setdefault(note, []).append((one.member.kit.name, ", ".join(struck[own]), on))
    met = [(note, own) for note, own in sorted(answers.items()) if len(own) > 1]
    return render(request, "lineups/_collisions.html", {"kit": kit, "met": met, "alone": len(answers) - len(met)})


@require_POST
def keep(request: HttpRequest, kit_id: int) -> HttpResponse:
    """A kit and what sounds alongside it as a lineup of its own, which is opened."""
    made = edits.keep_as_lineup(get_object_or_404(Kit, pk=kit_id))
    return HttpResponseClientRedirect(reverse("kits:kit", args=[made.pk]))


@require_POST
def from_set(request: HttpRequest, set_id: int) -> HttpResponse:
    """The kits of a set, all at once."""
    kits = get_object_or_404(KitSet, pk=set_id)
    made = edits.lineup_of(kits.name, [place.kit for place in kits.places.select_related("kit")])
    return HttpResponseClientRedirect(reverse("kits:kit", args=[made.pk]))


@require_GET
def package(request: HttpRequest, kit_id: int) -> HttpResponseBase:
    kit = get_object_or_404(Kit, pk=kit_id)
    return packed(lambda path: queries.pack_lineup(kit, path), f"{kit.name} lineup")


def _channel_counts(part: Part | None) -> list[tuple[int, int]]:
    """(channel, hits) of a part whose hits stand on several, the first first."""
    counts = blocks.channel_counts(part) if part else []
    return counts if len(counts) > 1 else []


def _proposal(
    members: Sequence[Alongside | None], counts: Sequence[tuple[int, int]]
) -> list[tuple[Alongside | None, list[int]]]:
    """What each member would hear: the first channel 10, as drums usually do, or else the channel of most hits; the
    others one of the rest each, in their order, the last of them all that are left."""
    channels = [channel for channel, _ in counts]
    first = DRUM_CHANNEL if DRUM_CHANNEL in channels else max(counts, key=lambda count: count[1])[0]
    rest = [channel for channel in channels if channel != first]
    wanted = [(members[0], [first])]
    for number, row in enumerate(members[1 : 1 + len(rest)]):
        wanted.append((row, rest[number:] if number == len(members) - 2 else [rest[number]]))
    return wanted


def _members(kit: Kit) -> list[Alongside | None]:
    """The rows of what sounds, with None for the kit itself; empty where nothing sounds alongside it."""
    rows = queries.rows_of(kit)
    return [] if not rows else rows if is_lineup(kit) else [None, *rows]


def _told_proposal(kit: Kit, members: Sequence[Alongside | None], counts: Sequence[tuple[int, int]]) -> str:
    if len(members) < 2 or not counts:
        return ""
    told = [(row.other.name if row else kit.name, channels) for row, channels in _proposal(members, counts)]
    return ", ".join(f"{name} {' and '.join(str(channel + 1) for channel in channels)}" for name, channels in told)


@kit_edit
def own_channels(request: HttpRequest, kit: Kit, version: int) -> Answer:
    """What the kit itself hears while others sound alongside it."""
    return edits.set_channels(kit, version, [(None, _channels(request))], f"{kit.name}: channels")


@kit_edit
def by_channel(request: HttpRequest, kit: Kit, version: int) -> Answer:
    """Each member a channel of the part that is open, as is usual."""
    members, counts = _members(kit), _channel_counts(chosen_part(request))
    if len(members) < 2 or not counts:
        raise KitError("The hits of this part stand on one channel; there is nothing to share out.")
    return edits.set_channels(
        kit, version, _proposal(members, counts), f"Channels: {_told_proposal(kit, members, counts)}"
    )


@kit_edit
def add(request: HttpRequest, kit: Kit, version: int) -> Answer:
    """Another kit by its key; with ``piece`` only that piece of it, at ``gain_db`` and ``delay_ms``."""
    other = Kit.objects.filter(pk=number_in(request.POST.get("other", ""))).first()
    if other is None or other.pk == kit.pk:
        raise KitError("Choose another kit from the list.")
    if not other.pads.exists():
        raise KitError(f"{other.name} has no pads of its own; add the kits that sound in it.")
    if not request.POST.get("piece"):
        return edits.add(kit, version, other)
    said = {name: fields.read(MEMBER, name, request.POST.get(name, "0")) for name in ("gain_db", "delay_ms")}
    piece = number_in(request.POST["piece"])
    if piece not in queries.pieces_of(other):
        raise KitError(f"{other.name} no longer has this piece. Choose another.")
    return edits.add(kit, version, other, pieces=[piece], **said)


@kit_edit
def link(request: HttpRequest, kit: Kit, version: int) -> Answer:
    """A pad that sounds along with one of another kit (``pad``, ``other``: member and pad), or two choke groups that cut each other."""
    ends = [_end(kit, request.POST.get(name, "")) for name in ("one", "other")]
    (one, first), (other, second) = ends
    if _whose(kit, one) == _whose(kit, other):
        raise KitError("Both are of one kit; choose one of another kit.")
    if request.POST.get("what") == "choke":
        letters = {
            (found.row.pk if found.row else None, pad.choke.letter)
            for found in queries.placed(kit)
            for _, pad in found.member.kit.pads()
            if pad.choke
        }
        if not {(one, first), (other, second)} <= letters:
            raise KitError("Choose both from the lists: one of the groups is gone.")
        row = SharedChoke(kit=kit, one_id=one, letter=first[:1], other_id=other, other_letter=second[:1])
        return edits.link(kit, version, row, f"Groups {row.letter} and {row.other_letter} of two kits cut each other")
    strength = fields.read({"strength": STRENGTH}, "strength", request.POST.get("strength", "1"))
    pads = number_in(first), number_in(second)
    there = {
        (one.row.pk if one.row else None, pad.id) for one in queries.placed(kit) for _, pad in one.member.kit.pads()
    }
    if not {(one, pads[0]), (other, pads[1])} <= there:
        raise KitError("Choose both from the lists.")
    row = Link(kit=kit, one_id=one, pad_id=pads[0], other_id=other, other_pad_id=pads[1], strength=strength)
    return edits.link(kit, version, row, "A pad sounds along with one of another kit")


def _whose(kit: Kit, row: int | None) -> int | None:
    """None for the kit itself, also where a row says what that one hears."""
    mine = queries.own_row(kit)
    return None if mine is not None and row == mine.pk else row


def _end(kit: Kit, text: str) -> tuple[int | None, str]:
    """``row:pad`` or ``row:letter``; no row: the kit itself."""
    key, _, what = text.partition(":")
    row = _whose(kit, number_in(key)) if key else None
    if not what or (row is not None and not Alongside.objects.filter(kit=kit, pk=row).exists()):
        raise KitError("Choose both from the lists.")
    return row, what


@kit_edit
def unlink(request: HttpRequest, kit: Kit, version: int, key: str) -> Answer:
    what, _, number = key.partition("-")
    model = {"link": Link, "choke": SharedChoke}.get(what)
    row = model.objects.filter(kit=kit, pk=number_in(number)).first() if model else None
    if row is None:
        raise StaleDocument("This link is gone; what there is now is shown.")
    return edits.remove_link(kit, version, row)


@kit_edit
def change(request: HttpRequest, kit: Kit, version: int, row_id: int, name: str) -> Answer:
    row = next((row for row in queries.rows_of(kit) if row.pk == row_id), None)
    if row is None:
        raise StaleDocument("This kit no longer sounds alongside; what does is shown as it is now.")
    row.kit = kit
    if name == "remove":
        return edits.remove(row, version)
    if name not in READ:
        raise KitError("There is no such setting of a kit alongside.")
    words, read = READ[name]
    value = read(request)
    if name == "device_id" and not Device.objects.filter(pk=value).exists():
        value = None
    if name == "version_id" and not row.other.versions.filter(pk=value).exists():
        value = None
    low, high = (value if name == one else getattr(row, one) for one in ("low", "high"))
    if low > high:
        raise KitError("The lowest note lies above the highest; set the other one first.")
    more = {"notes": None} if name == "is_met" else {"curve_points": None} if name == "curve" else {}
    return edits.set_fields(row, version, {name: value, **more}, words)


# The desk over the kits ------------------------------------------------------------------------------------------------


@kit_edit
def set_output(request: HttpRequest, kit: Kit, version: int, place: str, name: str) -> Answer:
    """One setting of an output of a member (``member:output``), or of all in ``outputs`` if it is one of them."""
    asked = request.POST.get("outputs", "").split(",")
    places, text = _places(kit, asked if place in asked else [place]), request.POST.get("value", "")
    if name == "group":
        wanted = find(LineupGroup.objects, number_in(text), kit, kit=kit) if text else None
        return desk_edits.join_group(places, kit, version, wanted)
    if name == "name" or name not in OUTPUT:
        raise KitError(f"An output of a lineup has no setting named “{name[:30]}”. Reload the page.")
    return desk_edits.set_outputs(places, kit, version, {name: fields.read(OUTPUT, name, text)})


@kit_edit
def add_group(request: HttpRequest, kit: Kit, version: int) -> Answer:
    places = _places(kit, [place for place in request.POST.get("outputs", "").split(",") if place])
    known = set(LineupGroup.objects.filter(kit=kit).values_list("name", flat=True))
    name = request.POST.get("name", "").strip() or next_group_name(known)
    return desk_edits.group(kit, version, places, fields.read(OUTPUT_GROUP, "name", name))


@kit_edit
def change_group(request: HttpRequest, kit: Kit, version: int, group_id: int, what: str) -> Answer:
    """what : a setting, or delete"""
    return changed_group(request, find(LineupGroup.objects, group_id, kit, kit=kit), version, what)


def _places(kit: Kit, keys: Sequence[str]) -> list[desk_edits.Place]:
    """Outputs of members by ``member:output``."""
    if not is_lineup(kit):
        raise KitError("This kit has a desk of its own; only a lineup has one over several kits.")
    members = {str(row.pk): row for row in queries.rows_of(kit)}
    wanted = dict.fromkeys((member, number_in(output)) for member, _, output in (key.partition(":") for key in keys))
    there = Output.objects.in_bulk([output for _, output in wanted])
    found = [(members.get(member), there.get(output)) for member, output in wanted]
    if not all(row and output and output.kit_id == row.other_id for row, output in found):
        raise StaleDocument("An output is no longer there; what there is now is shown.")
    return found


def _member(name: str) -> Callable[[HttpRequest], Any]:
    return lambda request: fields.read(MEMBER, name, request.POST.get("value", ""))


def _note(name: str) -> Callable[[HttpRequest], int]:
    """A note as it is called here, or its number."""

    def read(request: HttpRequest) -> int:
        found = fields.notes(request.POST.get("value", ""), middle_c_octave=middle_c_octave())
        if len(found) != 1:
            raise KitError(f"{MEMBER[name].words} is one note, such as D1 or 38.")
        return found[0]

    return read


def _channels(request: HttpRequest) -> list[int] | None:
    """``10``, ``10, 11`` or nothing for all: as people count them, from 1."""
    text = request.POST.get("value", "").strip()
    if not text or text.lower() == "all":
        return None
    found = [number_in(part.strip(), -1) for part in text[:100].split(",")]
    if not all(1 <= channel <= CHANNELS for channel in found):
        raise KitError("Channels are numbers from 1 to 16, separated by commas; nothing means all.")
    return sorted({channel - 1 for channel in found})


def channels_told(row: Alongside) -> str:
    return "" if row.channels is None else ", ".join(str(channel + 1) for channel in row.channels)


def pieces_told(row: Alongside, called: Mapping[int, str]) -> str:
    """The pieces that take part, in words. called : all of the kit's, by their keys"""
    names = set(called.values())
    told = [
        called.get(key)
        or (key if key in names else f"{key} (not in it now)" if isinstance(key, str) else "one that is gone")
        for key in row.pieces
    ]
    return ", ".join(told) or "none"


def other_pieces(row: Alongside, called: Mapping[int, str]) -> str:
    """What takes part, where that is not one piece of the kit: several, as a package has them, or one that is there no more."""
    if row.pieces is None or (len(row.pieces) == 1 and row.pieces[0] in called):
        return ""
    return pieces_told(row, called)


def _pieces(request: HttpRequest) -> list[int] | None:
    """One piece by its key, or nothing for all."""
    key = number_in(request.POST.get("value", "")) or None
    return None if key is None else [key]


READ: dict[str, tuple[str, Callable[[HttpRequest], Any]]] = {
    "gain_db": ("level", _member("gain_db")),
    "delay_ms": ("delay", _member("delay_ms")),
    "muted": ("mute", _member("muted")),
    "low": ("lowest note", _note("low")),
    "high": ("highest note", _note("high")),
    "channels": ("channels", _channels),
    "pieces": ("pieces", _pieces),
    "curve": ("velocity curve", lambda request: fields.one_of("velocity curve", CURVE_EXPONENTS)(request.POST.get("value", ""))),
    "device_id": ("device", lambda request: number_in(request.POST.get("value", "")) or None),
    "version_id": ("which version of it", lambda request: number_in(request.POST.get("value", "")) or None),
    "is_met": ("how notes are met", lambda request: fields.yes_no(request.POST.get("value", ""))),
}  # fmt: skip
"""What of a kit alongside is set by its name: the words of it in the history, and how it is read."""
