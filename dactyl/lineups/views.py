"""Alongside: further kits that answer the part of a kit, each with its channels, level and delay."""

from collections.abc import Callable, Collection, Sequence
from typing import Any

import orjson
from django.db.models import Count
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.http.response import HttpResponseBase
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_GET

from dactyl.core.errors import KitError
from dactyl.core.fields import MEMBER
from dactyl.core.kit import CURVE_EXPONENTS
from dactyl.core.lineup import CHANNELS
from dactyl.core.parts.part import DRUM_CHANNEL
from dactyl.history.door import Answer
from dactyl.history.edits import StaleDocument
from dactyl.kits import fields
from dactyl.kits.models import Kit, Piece
from dactyl.kits.views.answer import kit_edit
from dactyl.kits.views.files import packed
from dactyl.lineups import edits, queries
from dactyl.lineups.models import Alongside
from dactyl.parts.models import Event, Part
from dactyl.parts.shown import lanes_of
from dactyl.parts.views import chosen_part
from dactyl.web.note_naming import middle_c_octave
from dactyl.web.request_values import number_in


@require_GET
def panel(request: HttpRequest, kit_id: int) -> HttpResponse:
    """What sounds alongside, and the kits that could."""
    kit = get_object_or_404(Kit, pk=kit_id)
    rows = queries.rows_of(kit)
    names = {
        row.pk: list(dict.fromkeys(name for name in Piece.objects.filter(kit=row.other).order_by("pk").values_list("name", flat=True) if name))
        for row in rows
    }  # fmt: skip
    mine, counts = queries.own_row(kit), _channel_counts(chosen_part(request))
    return render(request, "lineups/_panel.html", {
        "kit": kit,
        "own_channels": channels_told(mine) if mine else "",
        "part_channels": [(channel + 1, hits) for channel, hits in counts],
        "proposed": _told_proposal(kit, rows, counts) if mine is None and all(row.channels is None for row in rows) else "",
        "members": [(row, names[row.pk], channels_told(row), other_pieces(row, names[row.pk])) for row in rows],
        "others": Kit.objects.filter(is_put_away=False).exclude(pk=kit.pk).order_by("name"),
        "curves": list(CURVE_EXPONENTS),
        "is_full": len(rows) >= queries.MOST,
    })  # fmt: skip


@require_GET
def tables(request: HttpRequest, kit_id: int, rate_hz: int) -> HttpResponse:
    kit = get_object_or_404(Kit, pk=kit_id)
    mine, others = queries.own_row(kit), queries.tables_of(kit, rate_hz)
    told = {"kits": others, "own": mine.channels if mine and others else None}
    written = orjson.dumps(told, option=orjson.OPT_NON_STR_KEYS)
    response = HttpResponse(written, content_type="application/json")
    response["Cache-Control"] = "no-store"
    return response


@require_GET
def lanes(request: HttpRequest, kit_id: int) -> JsonResponse:
    """Lanes of the kits alongside that hear channels of their own, and the channels that the kit itself hears."""
    kit = get_object_or_404(Kit, pk=kit_id)
    mine, told = queries.own_row(kit), queries.heard_notes(kit)
    kits = [
        {"name": row.other.name, "channels": row.channels, "lanes": lanes_of(row.other, table)} for row, table in told
    ]
    return JsonResponse({"own": mine.channels if mine and queries.rows_of(kit) else None, "kits": kits})


@require_GET
def package(request: HttpRequest, kit_id: int) -> HttpResponseBase:
    kit = get_object_or_404(Kit, pk=kit_id)
    return packed(lambda path: queries.pack_lineup(kit, path), f"{kit.name} lineup")


def _channel_counts(part: Part | None) -> list[tuple[int, int]]:
    """(channel, hits) of a part whose hits stand on several, the first first."""
    found = Event.objects.filter(part=part, velocity__gt=0).order_by().values_list("channel").annotate(Count("pk"))
    counts = sorted(found) if part else []
    return counts if len(counts) > 1 else []


def _proposal(rows: Sequence[Alongside], counts: Sequence[tuple[int, int]]) -> list[tuple[Alongside | None, list[int]]]:
    """What each member would hear: the kit itself channel 10, as drums usually do, or else the channel of most hits; the
    others one of the rest each, in their order, the last of them all that are left."""
    channels = [channel for channel, _ in counts]
    first = DRUM_CHANNEL if DRUM_CHANNEL in channels else max(counts, key=lambda count: count[1])[0]
    rest = [channel for channel in channels if channel != first]
    wanted: list[tuple[Alongside | None, list[int]]] = [(None, [first])]
    for number, row in enumerate(rows[: len(rest)]):
        wanted.append((row, rest[number:] if number == len(rows) - 1 else [rest[number]]))
    return wanted


def _told_proposal(kit: Kit, rows: Sequence[Alongside], counts: Sequence[tuple[int, int]]) -> str:
    if not rows or not counts:
        return ""
    told = [(row.other.name if row else kit.name, channels) for row, channels in _proposal(rows, counts)]
    return ", ".join(f"{name} {' and '.join(str(channel + 1) for channel in channels)}" for name, channels in told)


@kit_edit
def own_channels(request: HttpRequest, kit: Kit, version: int) -> Answer:
    """What the kit itself hears while others sound alongside it."""
    return edits.set_channels(kit, version, [(None, _channels(request))], f"{kit.name}: channels")


@kit_edit
def by_channel(request: HttpRequest, kit: Kit, version: int) -> Answer:
    """Each member a channel of the part that is open, as is usual."""
    rows, counts = queries.rows_of(kit), _channel_counts(chosen_part(request))
    if not rows or not counts:
        raise KitError("The hits of this part stand on one channel; there is nothing to share out.")
    return edits.set_channels(kit, version, _proposal(rows, counts), f"Channels: {_told_proposal(kit, rows, counts)}")


@kit_edit
def add(request: HttpRequest, kit: Kit, version: int) -> Answer:
    """Another kit by its key; with ``piece`` only that piece of it, at ``gain_db`` and ``delay_ms``."""
    other = Kit.objects.filter(pk=number_in(request.POST.get("other", ""))).first()
    if other is None or other.pk == kit.pk:
        raise KitError("Choose another kit from the list.")
    if not request.POST.get("piece"):
        return edits.add(kit, version, other)
    said = {name: fields.read(MEMBER, name, request.POST.get(name, "0")) for name in ("gain_db", "delay_ms")}
    return edits.add(kit, version, other, pieces=[request.POST["piece"][:60]], **said)


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
    low, high = (value if name == one else getattr(row, one) for one in ("low", "high"))
    if low > high:
        raise KitError("The lowest note lies above the highest; set the other one first.")
    return edits.set_fields(row, version, {name: value}, words)


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
        raise KitError("Channels are numbers from 1 to 16, parted by commas; nothing means all.")
    return sorted({channel - 1 for channel in found})


def channels_told(row: Alongside) -> str:
    return "" if row.channels is None else ", ".join(str(channel + 1) for channel in row.channels)


def other_pieces(row: Alongside, names: Collection[str]) -> str:
    """What takes part, where that is not one piece of the kit: several, as a package has them, or one that is there no more."""
    if row.pieces is None or (len(row.pieces) == 1 and row.pieces[0] in names):
        return ""
    told = [name if name in names else f"{name} (not in it now)" for name in row.pieces]
    return ", ".join(told) or "none"


def _pieces(request: HttpRequest) -> list[str] | None:
    """One piece by its name, or nothing for all."""
    name = request.POST.get("value", "").strip()[:60]
    return [name] if name else None


READ: dict[str, tuple[str, Callable[[HttpRequest], Any]]] = {
    "gain_db": ("level", _member("gain_db")),
    "delay_ms": ("delay", _member("delay_ms")),
    "muted": ("mute", _member("muted")),
    "low": ("lowest note", _note("low")),
    "high": ("highest note", _note("high")),
    "channels": ("channels", _channels),
    "pieces": ("pieces", _pieces),
    "curve": ("velocity curve", lambda request: fields.one_of("velocity curve", CURVE_EXPONENTS)(request.POST.get("value", ""))),
    "is_met": ("how notes are met", lambda request: fields.yes_no(request.POST.get("value", ""))),
}  # fmt: skip
"""What of a kit alongside is set by its name: the words of it in the history, and how it is read."""
