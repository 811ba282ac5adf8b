"""What the pad card, the surface and the outputs view show."""

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_GET

from dactyl.core.fields import COLOURS
from dactyl.core.kinds import IN_SCORE_ORDER
from dactyl.core.kit import CURVE_EXPONENTS, FILTERS, PLAYED_BY, ROTATIONS, SHARED_BY
from dactyl.kits import queries, sounding
from dactyl.kits.alongside import is_lineup, kit_of_notes
from dactyl.kits.models import DRAWN, Kit, Pad, PieceMic, Surface, Take
from dactyl.web.headers import told
from dactyl.web.request_values import ids_in, number_in

SURFACE_PADS = 16
TABS = {"layers": "Layers", "sound": "Sound", "mics": "Mics", "cuts": "Cuts", "notes": "Notes"}


@require_GET
def card(request: HttpRequest, kit_id: int) -> HttpResponse:
    kit = get_object_or_404(Kit, pk=kit_id)
    outputs = list(kit.outputs.all())
    rows = queries.sheet_rows(kit, selected_pads(request)[:1], outputs=outputs)
    context = {"kit": kit, "outputs": outputs, "is_alone": True, **card_context(request, kit, rows)}
    return render(request, "kits/_card.html", context)


@require_GET
def response(request: HttpRequest, kit_id: int, pad_id: int) -> HttpResponse:
    """The measured response of a pad for velocities 1 to 127, and how alike its repeated hits are."""
    pad = get_object_or_404(Pad.objects.select_related("kit"), pk=pad_id, kit=kit_id)
    return render(request, "kits/_response.html", {"kit": pad.kit, "pad": pad, "response": sounding.response_of(pad)})


@require_GET
def waveform(request: HttpRequest, kit_id: int, take_id: int) -> HttpResponse:
    """Extremes of a take's sample for the canvas: int8 pairs, from frame ``from`` to ``to`` in ``columns``."""
    take = get_object_or_404(Take, pk=take_id, layer__pad__kit=kit_id)
    asked = [request.GET.get(name, "") for name in ("from", "to", "columns")]
    start, stop, columns = map(number_in, asked)
    body = sounding.waveform_of(take, start, stop, min(4096, max(16, columns)))
    answer = HttpResponse(body, content_type="application/octet-stream")
    answer["Cache-Control"] = "private, max-age=3600"
    return answer


def selected_pads(request: HttpRequest) -> list[int]:
    """The pads that the page says are selected, the one on the card first."""
    return ids_in(told(request, "selected_pads") or request.GET.get("pad", ""))


def card_context(request: HttpRequest, kit: Kit, rows: list[queries.PadRow]) -> dict:
    """The pad card for the selected pad, else for the first of ``rows``."""
    asked = selected_pads(request)
    row = next((row for row in rows if asked and row.pad.pk == asked[0]), rows[0] if rows else None)
    tab = told(request, "card_tab", "layers")
    tab = tab if tab in TABS else "layers"
    if row is None:
        return {"selected": None, "tab": tab, "is_lineup": is_lineup(kit)}
    context = {
        "selected": row,
        "selected_count": max(1, len(asked)),
        "tab": tab,
        "tabs": TABS.items(),
        "kinds": IN_SCORE_ORDER,
        "choices": {
            "rotation": ROTATIONS.items(),
            "curve": [*((name, name) for name in CURVE_EXPONENTS), (DRAWN, "drawn")],
            "filter_kind": FILTERS.items(),
            "shared_by": SHARED_BY.items(),
            "played_by": PLAYED_BY.items(),
            "kind": [(kind.slug, kind.label) for kind in IN_SCORE_ORDER],
        },
    }
    if tab == "layers":
        layers = queries.card_layers(row)
        context |= {"layers": layers, "take": _selected_take(request, layers)}
    elif tab == "mics":
        own = dict(PieceMic.objects.filter(piece=row.pad.piece).values_list("mic", "gain_db"))
        context["mic_gains"] = [(mic, own.get(mic.pk, 0.0)) for mic in kit.mics.select_related("output")]
    elif tab == "cuts":
        context["is_tied"] = row.pad.piece.pads.count() > 1
        context["companions"] = list(row.pad.companions.select_related("other__piece"))
        context["other_pads"] = list(kit.pads.select_related("piece").exclude(pk=row.pad.pk))
    elif tab == "notes":
        taken = queries.taken_notes(kit)
        standard = row.standard_note
        context["offered_note"] = standard if standard is not None and standard not in taken else None
        context["colours"] = COLOURS.items()
        context["is_tied"] = row.pad.piece.pads.count() > 1
        context["piece_names"] = list(
            kit.pieces.exclude(name="").exclude(pk=row.pad.piece_id).values_list("name", flat=True).distinct()
        )
    return context


def _selected_take(request: HttpRequest, layers: list[queries.CardLayer]) -> queries.TakeRow | None:
    """The take whose waveform is open: the selected one, else the loudest layer's first."""
    asked = ids_in(told(request, "selected_takes"))
    rows = [row for layer in layers for row in layer.takes]
    loudest = next((layer.takes[0] for layer in reversed(layers) if layer.takes), None)
    chosen = next((row for row in rows if asked and row.take.pk == asked[0]), loudest)
    for layer in layers:
        layer.is_open = any(row is chosen for row in layer.takes)
    return chosen


def played_surface(request: HttpRequest, kit: Kit) -> Surface | None:
    """The surface that the page shows to play on; None: the pads in the order of the sheet."""
    asked = told(request, "played_surface") or request.GET.get("played", "")
    return kit_of_notes(kit).surfaces.filter(pk=number_in(asked)).first() if asked else None


def banks_of(surface: Surface, rows: list[queries.PadRow]) -> list[list[tuple[int, queries.PadRow | None, str]]]:
    """The cells of each bank as they are drawn, the top row first: place, what stands there, where it is in words."""
    grid, by_pad = surface.grid, {row.pad.pk: row for row in rows}
    at = {place: by_pad.get(pad) for place, pad in surface.cells.values_list("place", "pad")}
    drawn = [
        [grid.place(bank, row, column) for row in reversed(range(grid.rows)) for column in range(grid.columns)]
        for bank in range(grid.banks)
    ]
    return [[(place, at.get(place), grid.name(place)) for place in places] for places in drawn]


def surface_context(kit: Kit, rows: list[queries.PadRow] | None = None, played: Surface | None = None) -> dict:
    """rows : of all pads, where they are known. In a lineup the pads of its first kit are played, as their notes."""
    kit = kit_of_notes(kit)
    rows = rows or queries.sheet_rows(kit, levels=False)
    context = {"played": played, "played_surfaces": list(kit.surfaces.all())}
    if played:
        return {**context, "banks": banks_of(played, rows)}
    cells = [(None, row, "") for row in rows]
    return {**context, "banks": [cells[start : start + SURFACE_PADS] for start in range(0, len(cells), SURFACE_PADS)]}


@require_GET
def surface(request: HttpRequest, kit_id: int) -> HttpResponse:
    """The pads to play, on the surface that is asked for."""
    kit = get_object_or_404(Kit, pk=kit_id)
    context = {"kit": kit, **surface_context(kit, played=played_surface(request, kit))}
    return render(request, "kits/_surface.html", context)
