"""Pages of a kit. A view finds, checks, calls an edit, and renders what the edit changed."""

from collections.abc import Callable
from functools import wraps

from django.conf import settings
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST
from django_htmx.http import trigger_client_event

from dactyl.core.audio import interpolate
from dactyl.core.errors import DactylError
from dactyl.core.kinds import IN_SCORE_ORDER
from dactyl.core.kit import CURVE_EXPONENTS, ROTATIONS
from dactyl.core.stack.cluster import layers_by_level
from dactyl.core.stack.layers import layered_dynamics
from dactyl.core.stack.layers import split_evenly as even_borders
from dactyl.kits import edits, forms, history, playing, queries
from dactyl.kits.models import Kit, Layer, Mic, Output, Pad, Revision, Take
from dactyl.shelf import queries as shelf_queries
from dactyl.shelf.views import packed_sounds, shelf_context

SURFACE_PADS = 16


# Pages ---------------------------------------------------------------------------------------------------------------


@require_GET
def home(request: HttpRequest) -> HttpResponse:
    return render(request, "kits/home.html", {
        "kits": queries.home_kits(put_away=False),
        "away": queries.home_kits(put_away=True),
    })  # fmt: skip


@require_POST
def new_kit(request: HttpRequest) -> HttpResponse:
    name = forms.words("A kit's name", 80)(request.POST.get("name", "") or "New kit")
    return HttpResponseRedirect(reverse("kits:kit", args=[edits.create_kit(name).pk]))


@require_POST
def put_away(request: HttpRequest, kit_id: int) -> HttpResponse:
    edits.put_away(get_object_or_404(Kit, pk=kit_id), request.POST.get("away") == "1")
    return HttpResponseRedirect(reverse("home"))


def kit_page(request: HttpRequest, kit: Kit, view: str, template: str, context: dict) -> HttpResponse:
    """One view of a kit: the whole page, or only the view when htmx asks for it."""
    context = {"kit": kit, "view": view, "view_template": template, "rate_hz": settings.PLAYING_RATE_HZ, **context}
    if request.htmx and not request.htmx.history_restore_request:
        return render(request, "kits/_view.html", {**context, **_history(kit), "is_part": True})
    rows = context.get("rows") or queries.sheet_rows(kit, levels_of=[])
    context |= _history(kit) | _lists(kit) | _banks(rows) | _card(request, kit, rows)
    context |= {"shelf": shelf_context(request), "page_sound_bytes": settings.PAGE_SOUND_BYTES}
    return render(request, "kits/kit.html", context)


@require_GET
def sheet(request: HttpRequest, kit_id: int) -> HttpResponse:
    kit = get_object_or_404(Kit, pk=kit_id)
    return kit_page(request, kit, "kit", "kits/_sheet.html", {"rows": queries.sheet_rows(kit)})


@require_GET
def outputs(request: HttpRequest, kit_id: int) -> HttpResponse:
    kit = get_object_or_404(Kit, pk=kit_id)
    return kit_page(request, kit, "outputs", "kits/_outputs.html", _outputs(kit))


@require_GET
def history_page(request: HttpRequest, kit_id: int) -> HttpResponse:
    kit = get_object_or_404(Kit, pk=kit_id)
    revisions = kit.revisions.defer("rows").order_by("-pk")[:200]
    return kit_page(request, kit, "history", "kits/_history_list.html", {"revisions": revisions})


@require_GET
def card(request: HttpRequest, kit_id: int) -> HttpResponse:
    kit = get_object_or_404(Kit, pk=kit_id)
    rows = queries.sheet_rows(kit, levels_of=_asked_pads(request))
    return render(request, "kits/_card.html", {"kit": kit, **_lists(kit), **_card(request, kit, rows)})


# What the page plays from --------------------------------------------------------------------------------------------


@require_GET
def playbook(request: HttpRequest, kit_id: int, rate_hz: int) -> HttpResponse:
    kit = get_object_or_404(Kit, pk=kit_id)
    asked = request.GET.get("pads")
    pads = None if asked is None else [int(text) for text in asked.split(",") if text.isdigit()]
    rate_hz = min(192_000, max(8000, rate_hz))
    response = JsonResponse(playing.playbook_for_page(kit, rate_hz, pads), json_dumps_params={"separators": (",", ":")})
    response["Cache-Control"] = "no-store"
    return response


@require_GET
def kernel(request: HttpRequest) -> HttpResponse:
    """The core's interpolation kernel: float64, little endian."""
    response = HttpResponse(interpolate.kernel().astype("<f8").tobytes(), content_type="application/octet-stream")
    response["Cache-Control"] = "private, max-age=86400"
    return response


@require_GET
def sounds(request: HttpRequest, extent: str, keys: str) -> HttpResponse:
    """Prepared sounds, many in one answer: those that are ready (200), or the ready among them (202)."""
    asked = keys.split(".")[:64]
    recipes = playing.recipes_of(asked)
    if len(recipes) < len(set(asked)):
        return HttpResponse("These sounds are unknown here. Fetch the playbook again.", status=404)
    return packed_sounds(recipes, heads_only=extent == "head")


# Edits ---------------------------------------------------------------------------------------------------------------


def kit_edit(view: Callable[..., str | None]) -> Callable[..., HttpResponse]:
    """Run ``view``, which edits the kit at the version the page saw, and answer with what changed.

    The page sends ``X-Kit-Version`` and ``X-Selected-Pad``. A stale page gets the kit as it is now, and a
    sentence; a refused value gets a sentence and the kit stays.
    """

    @require_POST
    @wraps(view)
    def answer(request: HttpRequest, kit_id: int, **found: int | str) -> HttpResponse:
        kit = get_object_or_404(Kit, pk=kit_id)
        try:
            version = int(request.headers.get("X-Kit-Version", ""))
        except ValueError:
            version = kit.version
        before = history.last_done(kit.pk)
        try:
            message = view(request, kit, version, **found)
        except history.StaleKit as stale:
            kit.refresh_from_db()
            return _changed(request, kit, None, message=str(stale), is_warning=True, status=409)
        except DactylError as problem:
            kit.refresh_from_db()
            return _changed(request, kit, [], message=str(problem), is_warning=True, status=422)
        kit.refresh_from_db()
        made = history.last_done(kit.pk)
        if isinstance(message, Revision):
            pads, order, said = message.pads, message.changes_order, request.resolver_match.url_name.capitalize()
            return _changed(request, kit, None if order else pads, touched=pads, message=f"{said}: {message.sentence}")
        if made is None or (before and made.pk == before.pk):
            return _changed(request, kit, [], message=message or "Nothing changed.")
        pads = None if made.changes_order else made.pads
        return _changed(request, kit, pads, touched=made.pads, message=message or made.sentence)

    return answer


def _changed(
    request: HttpRequest,
    kit: Kit,
    pads: list[int] | None,
    *,
    message: str,
    touched: list[int] | None = None,
    is_warning: bool = False,
    status: int = 200,
) -> HttpResponse:
    """The parts of the page that an edit changed: some rows, or the whole sheet where ``pads`` is None."""
    rows = queries.sheet_rows(kit, levels_of=None if pads is None else [*pads, *_asked_pads(request)])
    view = request.headers.get("X-View", "kit")
    context = {
        "kit": kit,
        "view": view,
        "is_part": True,
        "rows": rows if pads is None else [row for row in rows if row.pad.pk in pads],
        "whole_sheet": pads is None,
        "message": message,
        "is_warning": is_warning,
        **_history(kit),
        **_lists(kit),
        **_banks(rows),
        **_card(request, kit, rows),
    }
    if view == "outputs":
        context |= _outputs(kit)
    response = render(request, "kits/_changed.html", context, status=status)
    changed = {"version": kit.version, "pads": None if pads is None else touched or [], "refused": is_warning}
    return trigger_client_event(response, "kit-changed", changed)


@kit_edit
def undo(request: HttpRequest, kit: Kit, version: int) -> Revision | str:
    return history.undo(kit.pk, version) or "There is nothing to undo."


@kit_edit
def redo(request: HttpRequest, kit: Kit, version: int) -> Revision | str:
    return history.redo(kit.pk, version) or "There is nothing to do again."


@kit_edit
def rename_kit(request: HttpRequest, kit: Kit, version: int) -> None:
    edits.rename_kit(kit.pk, version, forms.words("A kit's name", 80)(request.POST.get("value", "")))


@kit_edit
def add_pads(request: HttpRequest, kit: Kit, version: int) -> None:
    edits.add_pads(kit.pk, version, forms.whole("The number of pads", 1, 128)(request.POST.get("count", "8")))


@kit_edit
def set_pad(request: HttpRequest, kit: Kit, version: int, pad_id: int, field: str) -> None:
    """One field of a pad, by name; the value comes as ``value``."""
    pad = _pad(kit, pad_id)
    text = request.POST.get("value", "")
    if field in forms.PAD_FIELDS:
        edits.set_pad(pad, version, field, forms.PAD_FIELDS[field](text))
    elif field == "piece_name":
        edits.name_piece(pad, version, forms.piece_name(text))
    elif field == "muted":
        edits.mute_pad(pad, version, forms.yes_no(text))
    elif field == "notes":
        edits.set_notes(pad, version, forms.notes(text, middle_c_octave=settings.MIDDLE_C_OCTAVE))
    elif field == "choke":
        edits.choke_pad(pad, version, forms.choke_letter(text))
    elif field == "fade_ms":
        edits.set_choke_fade(pad, version, forms.fade_ms(text))
    elif field == "cuts_itself":
        edits.set_cuts_itself(pad, version, forms.yes_no(text))
    elif field == "rotation":
        edits.set_rotation(pad, version, forms.rotation(text))
    elif field == "output":
        edits.route_pad(pad, version, forms.output_name(text))
    else:
        raise DactylError(f"A pad has no setting named “{field[:30]}”. Reload the page.")


@kit_edit
def clear_pad(request: HttpRequest, kit: Kit, version: int, pad_id: int) -> None:
    edits.clear_pad(_pad(kit, pad_id), version)


@kit_edit
def delete_pad(request: HttpRequest, kit: Kit, version: int, pad_id: int) -> None:
    edits.delete_pad(_pad(kit, pad_id), version)


@kit_edit
def split_evenly(request: HttpRequest, kit: Kit, version: int, pad_id: int) -> None:
    edits.split_borders_evenly(_pad(kit, pad_id), version)


@kit_edit
def set_border(request: HttpRequest, kit: Kit, version: int, layer_id: int) -> None:
    layer = _find(Layer.objects.select_related("pad__piece"), layer_id, pad__kit=kit)
    edits.set_border(layer, version, forms.velocity(request.POST.get("value", "")))


@kit_edit
def remove_take(request: HttpRequest, kit: Kit, version: int, take_id: int) -> None:
    edits.remove_take(_find(Take.objects.select_related("layer__pad__piece"), take_id, layer__pad__kit=kit), version)


@kit_edit
def enable_take(request: HttpRequest, kit: Kit, version: int, take_id: int) -> None:
    take = _find(Take.objects.select_related("layer__pad__piece"), take_id, layer__pad__kit=kit)
    edits.enable_take(take, version, forms.yes_no(request.POST.get("value", "")))


@kit_edit
def set_output(request: HttpRequest, kit: Kit, version: int, output_id: int, field: str) -> None:
    output, text = _find(Output.objects, output_id, kit=kit), request.POST.get("value", "")
    if field == "name":
        edits.rename_output(output, version, forms.words("An output's name", 40)(text))
    else:
        edits.set_output_level(output, version, forms.gain_db(text))


@kit_edit
def delete_output(request: HttpRequest, kit: Kit, version: int, output_id: int) -> None:
    edits.delete_output(_find(Output.objects, output_id, kit=kit), version)


@kit_edit
def set_mic(request: HttpRequest, kit: Kit, version: int, mic_id: int, field: str) -> None:
    mic, text = _find(Mic.objects, mic_id, kit=kit), request.POST.get("value", "")
    if field == "follows_pan":
        edits.set_mic(mic, version, "follows_pan", forms.yes_no(text))
    else:
        edits.set_mic(mic, version, "gain_db", forms.gain_db(text))


@require_http_methods(["GET", "POST"])
def give(request: HttpRequest, kit_id: int, pad_id: int) -> HttpResponse:
    """GET asks how samples should go on a pad, with a drawing of each way; POST does it."""
    return (
        give_now(request, kit_id=kit_id, pad_id=pad_id)
        if request.method == "POST"
        else ask_how(request, kit_id, pad_id)
    )


@kit_edit
def give_now(request: HttpRequest, kit: Kit, version: int, pad_id: int) -> None:
    way = forms.one_of("way to stack", edits.WAYS)(request.POST.get("way", "takes"))
    layers = forms.whole("The number of layers", 1, 127)(request.POST["layers"]) if request.POST.get("layers") else None
    samples = shelf_queries.in_order(_ids(request.POST.get("samples", "")))
    edits.give_samples(
        _pad(kit, pad_id), version, samples, way, replace=request.POST.get("mode") == "replace", layers=layers
    )


def ask_how(request: HttpRequest, kit_id: int, pad_id: int) -> HttpResponse:
    kit = get_object_or_404(Kit, pk=kit_id)
    pad = get_object_or_404(Pad.objects.select_related("piece"), pk=pad_id, kit=kit)
    samples = shelf_queries.in_order(_ids(request.GET.get("samples", "")))
    if not samples:
        raise DactylError("None of these samples is on the shelf any more. Select others.")
    row = next(row for row in queries.sheet_rows(kit, levels_of=[pad.pk]) if row.pad == pad)
    held = [level for layer in row.layers for level, _ in layer.levels]
    mode = request.GET.get("mode", "add" if held else "replace")
    levels = (held if mode == "add" else []) + [sample.level_db for sample in samples]
    asked = request.GET.get("layers", "")
    groups = layers_by_level(levels, int(asked) if asked.isdigit() and int(asked) else None)
    lows = [1, *(high + 1 for high in even_borders(len(groups)))]
    stacked = [
        (low, high, [levels[i] for i in group])
        for low, high, group in zip(lows, even_borders(len(groups)), groups, strict=False)
    ]
    return render(request, "kits/_give.html", {
        "kit": kit,
        "pad": pad,
        "samples": samples,
        "sample_ids": ",".join(str(sample.pk) for sample in samples),
        "is_filled": bool(held),
        "mode": mode,
        "stacked": stacked,
        "stacked_dynamics": layered_dynamics(len(groups)),
        "one_layer": [(1, 127, [sample.level_db for sample in samples])],
        "each": [[(1, 127, [sample.level_db])] for sample in samples[:6]],
        "each_more": max(0, len(samples) - 6),
    })  # fmt: skip


# What templates need -------------------------------------------------------------------------------------------------


def _history(kit: Kit) -> dict:
    return {
        "undoes": history.last_done(kit.pk),
        "redoes": history.first_undone(kit.pk),
        "change_count": kit.revisions.filter(is_undone=False).count(),
    }


def _lists(kit: Kit) -> dict:
    return {
        "outputs": list(kit.outputs.all()),
        "kinds": IN_SCORE_ORDER,
        "rotations": ROTATIONS.items(),
        "curves": CURVE_EXPONENTS,
    }


def _outputs(kit: Kit) -> dict:
    rows = queries.sheet_rows(kit, levels_of=[])
    routed: dict[int, list[queries.PadRow]] = {}
    for row in rows:
        if not row.is_empty:
            routed.setdefault(row.output.pk, []).append(row)
    outputs = list(kit.outputs.all())
    return {"output_rows": [(output, routed.get(output.pk, [])) for output in outputs], "mics": list(kit.mics.all())}


def _banks(rows: list[queries.PadRow]) -> dict:
    return {"banks": [rows[start : start + SURFACE_PADS] for start in range(0, len(rows), SURFACE_PADS)]}


def _asked_pads(request: HttpRequest) -> list[int]:
    """The pad that the page says is selected, if it says so."""
    return _ids(request.headers.get("X-Selected-Pad") or request.GET.get("pad", ""))


def _card(request: HttpRequest, kit: Kit, rows: list[queries.PadRow]) -> dict:
    """The pad card for the selected pad, else for the first."""
    asked = _asked_pads(request)
    row = next((row for row in rows if row.pad.pk in asked), rows[0] if rows else None)
    if row is None:
        return {"selected": None}
    taken = {note for other in rows for note in other.notes}
    standard = row.standard_note
    return {
        "selected": row,
        "selected_layers": queries.takes_of(row.pad),
        "offered_note": standard if standard is not None and standard not in taken else None,
    }


def _pad(kit: Kit, pad_id: int) -> Pad:
    return _find(Pad.objects.select_related("piece", "choke"), pad_id, kit=kit)


def _find(rows, pk: int, **belongs):
    """The row, or a sentence: it may be gone since the page was drawn."""
    found = rows.filter(pk=pk, **belongs).first()
    if found is None:
        raise history.StaleKit("This is no longer in the kit; it is shown as it is now. Undo may bring it back.")
    return found


def _ids(text: str) -> list[int]:
    return [int(part) for part in text.split(",") if part.isdigit()]
