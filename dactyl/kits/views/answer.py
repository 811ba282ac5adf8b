"""Run an edit at the version the page saw, and answer with the parts of the page that it changed."""

from collections.abc import Callable, Collection, Sequence
from functools import cache, wraps
from typing import Any

from django.db.models import QuerySet
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_POST
from django_htmx.http import trigger_client_event

from dactyl.history.door import Answer, edited
from dactyl.history.edits import StaleDocument
from dactyl.history.queries import listed, reading, undo_state
from dactyl.kits import queries, tasks
from dactyl.kits.alongside import is_lineup, others_of
from dactyl.kits.models import Kit, Layer, Pad, Take
from dactyl.kits.staircase import Axis, axis_of
from dactyl.kits.views import card
from dactyl.kits.views.pictures import PICTURES, picture_context
from dactyl.web.headers import told
from dactyl.web.request_values import ids_in

WAYS = {"note", "map", "surface", "cell", "device_use", "translation", "translation_note"}  # how pads are found
PLAYED = {"take", "take_sample"}  # tables of which hangs what takes play
MOST_ROWS = 40  # drawn one by one; more pads at once redraw the sheet


def one_state(view: Callable[..., HttpResponse]) -> Callable[..., HttpResponse]:
    """What an answer is made of is read from one state of the database."""

    @wraps(view)
    def answer(request: HttpRequest, kit: Kit, *args: Any, **named: Any) -> HttpResponse:
        with reading():
            return view(request, Kit.objects.get(pk=kit.pk), *args, **named)

    return answer


def kit_edit(view: Callable[..., Answer]) -> Callable[..., HttpResponse]:
    """Run ``view``, which edits the kit.

    The page tells its version and what is selected (``web.headers``). A stale page gets
    the kit as it is now, and a sentence; a refused value gets a sentence and the kit stays.
    """

    @require_POST
    @wraps(view)
    def answer(request: HttpRequest, kit_id: int, **found: int | str) -> HttpResponse:
        kit = get_object_or_404(Kit, pk=kit_id)
        outcome = edited(request, kit, lambda version: view(request, kit, version, **found))
        revision, said = outcome.revision, outcome.said
        if outcome.status != 200 or revision is None:
            pads = None if outcome.is_behind else ()
            return changed(request, kit, pads, message=said, is_warning=outcome.status != 200, status=outcome.status)
        if any(table in PLAYED for table, *_ in revision.rows):
            tasks.measure_takes(revision.touched)
        is_whole = revision.changes_order or len(revision.touched) > MOST_ROWS
        return changed(
            request,
            kit,
            None if is_whole else revision.touched,
            touched=revision.touched,
            message=said,
            tables={table for table, *_ in revision.rows},
        )

    return answer


@one_state
def changed(
    request: HttpRequest,
    kit: Kit,
    pads: Collection[int] | None,
    *,
    message: str,
    touched: Sequence[int] = (),
    tables: Collection[str] = (),
    is_warning: bool = False,
    status: int = 200,
) -> HttpResponse:
    """The parts of the page that an edit changed: some rows, or the whole sheet where ``pads`` is None."""
    view = told(request, "view", "kit")
    outputs = list(kit.outputs.all())
    selected = card.selected_pads(request)
    asked = None if pads is None else {*pads, *selected}
    rows = queries.sheet_rows(kit, asked, outputs=outputs)
    context = {
        "kit": kit,
        "view": view,
        "is_part": True,
        "rows": rows if pads is None else [row for row in rows if row.pad.pk in pads],
        "whole_sheet": pads is None,
        "axis": axis_of(rows) if pads is None else _axis_shown(request),
        "message": message,
        "is_warning": is_warning,
        "outputs": outputs,
        **about_kit(kit),
        **card.card_context(request, kit, rows),
    }
    played = card.played_surface(request, kit)
    if pads is None or played or "surface" in tables:
        context |= card.surface_context(kit, rows if pads is None else None, played)
    if view in PICTURES:
        context |= picture_context(request, kit, view)
    if view == "history":
        context["revisions"] = listed(kit)
    response = render(request, "kits/_changed.html", context, status=status)
    reload = None if pads is None else list(touched)
    if tables and WAYS.issuperset(tables) and not _needs_roots(touched):
        reload = []  # no pad sounds another way: only how it is found is told again
    ways = pads is None or not WAYS.isdisjoint(tables)
    news = {"version": kit.version, "pads": reload, "touched": list(touched), "refused": is_warning, "ways": ways}
    if pads is None or any(table.startswith("alongside") for table in tables):
        news["alongside"] = True
    return trigger_client_event(response, "kit-changed", news)


def _axis_shown(request: HttpRequest) -> Axis:
    """The level axis of the sheet that the page shows: its top and span, in dB."""
    try:
        top_db, span_db = (float(text) for text in told(request, "level_axis").split())
        return Axis(max(-200.0, min(100.0, top_db)), max(1.0, min(400.0, span_db)))
    except ValueError:
        return Axis()


def _needs_roots(pads: Sequence[int]) -> bool:
    """Whether one of these pads takes its root from its notes."""
    return Pad.objects.filter(pk__in=pads, root=None).exclude(cents_per_key=0).exists()


def about_kit(kit: Kit) -> dict:
    """What every view of a kit shows: what can be undone; and, looked for where a template asks, whether kits sound along
    with it, or instead of pads of its own."""
    now = undo_state(kit)
    return {
        "undoes": now.undoes, "redoes": now.redoes, "change_count": now.done,
        "has_alongside": cache(lambda: bool(others_of(kit))), "is_lineup": cache(lambda: is_lineup(kit)),
    }  # fmt: skip


def pads_of(request: HttpRequest, kit: Kit, pad_id: int) -> list[Pad]:
    """The pad, and with it all selected pads if it is one of them."""
    selected = card.selected_pads(request)
    ids = selected if pad_id in selected else [pad_id]
    rows = Pad.objects.filter(kit=kit, pk__in=ids).select_related("piece", "choke")
    return _found(list(rows), [pad_id], kit)


def pad_of(kit: Kit, pad_id: int) -> Pad:
    return find(Pad.objects.select_related("piece", "choke"), pad_id, kit, kit=kit)


def takes_of(request: HttpRequest, kit: Kit, take_id: int) -> list[Take]:
    """The take, and with it all selected takes if it is one of them, in the order of the pad."""
    selected = ids_in(told(request, "selected_takes"))
    ids = selected if take_id in selected else [take_id]
    rows = Take.objects.filter(layer__pad__kit=kit, pk__in=ids).select_related("layer__pad__piece")
    return _found(list(rows.order_by("layer__pad__position", "layer__high", "position")), [take_id], kit)


def find(rows: QuerySet, pk: int, of: Kit, **belongs: Kit) -> Any:
    """The row of the kit, or a sentence: it may be gone since the page was drawn."""
    return _found(list(rows.filter(pk=pk, **belongs)), [pk], of)[0]


def _found(rows: list, wanted: Sequence[int], kit: Kit) -> list:
    """The rows, all knowing the one kit whose version the edit will raise."""
    if not set(wanted) <= {row.pk for row in rows}:
        raise StaleDocument("This is no longer in the kit; it is shown as it is now. Undo may bring it back.")
    for row in rows:
        owner = row.layer.pad if isinstance(row, Take) else row.pad if isinstance(row, Layer) else row
        owner.kit = kit
    return rows
