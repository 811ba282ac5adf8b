"""The Check view of a kit: what was found, mended or left; and what the rest of the page asks of it."""

from collections.abc import Mapping
from copy import copy
from functools import partial
from typing import Any

import numpy as np
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_GET, require_POST

from dactyl.checks import edits, queries, tasks
from dactyl.core.check.check import RULES
from dactyl.core.check.listening import mend_all
from dactyl.core.check.measured import MeasuredKit, Stretch
from dactyl.core.check.sound import Sound
from dactyl.core.errors import AudioError, KitError
from dactyl.core.kit import Kit as KitValue
from dactyl.core.units import counted
from dactyl.history.door import Answer
from dactyl.kits.alongside import is_lineup, others_of
from dactyl.kits.models import Kit, Take, TakeSample
from dactyl.kits.queries import sheet_rows
from dactyl.kits.sounding import waveform_of
from dactyl.kits.values import kit_value
from dactyl.kits.views.answer import kit_edit
from dactyl.kits.views.pages import kit_page
from dactyl.web.page_memory import kept

COLUMNS = 480
WAVE_HEIGHT = 96
SHOWN_MS = {  # of takes beside each other, from their starts: what the rule is about
    "onsets": 60, "beginnings": 30, "noise_before": 300, "mics": 60, "polarity": 40, "offset": 0, "clipped": 60,
}  # fmt: skip
END_MS = {"ends": 60}
OF_LAYERS = {"layers_rise", "jumps", "layers_reached", "empty_layers", "hidden_layers", "rotations"}


@require_GET
@kept
def page(request: HttpRequest, kit_id: int) -> HttpResponse:
    kit = get_object_or_404(Kit, pk=kit_id)
    context = {"main_view": "kit", **queries.check_context(kit)}
    if is_lineup(kit):
        context["member_checks"] = queries.checks_of_members(kit)
        context["are_current"] = all(one.is_current for one in context["member_checks"])
    return kit_page(request, kit, "check", "checks/_check.html", context)


@require_POST
def ask(request: HttpRequest, kit_id: int) -> JsonResponse:
    """How the kit stands: looked at as it is now, or about to be; what was found, by severity and by pad."""
    kit = get_object_or_404(Kit, pk=kit_id)
    members = Kit.objects.filter(pk__in=others_of(kit)) if is_lineup(kit) else ()
    is_current = all([tasks.ask(one) for one in (kit, *members)])  # noqa: C419 - all of them are asked for
    last, rows, _ = queries.found(kit)
    pads: dict[int, list[str]] = {}
    for row in rows:
        if "pad" in row["place"]:
            pads.setdefault(row["place"]["pad"], []).append(row["message"])
    return JsonResponse({
        "isCurrent": is_current,
        "version": last.version if last else None,
        "counts": [[severity, words, count] for severity, words, count in queries.counts_of(rows)],
        "pads": pads,
    })  # fmt: skip


def _row(kit: Kit, key: str) -> dict[str, Any]:
    """raises : KitError where it is told no more"""
    _, rows, _ = queries.found(kit)
    row = next((row for row in rows if row["key"] == key), None)
    if row is None:
        raise KitError("This is no longer found; the list is shown as it is now.")
    return row


@kit_edit
def mend(request: HttpRequest, kit: Kit, version: int) -> Answer:
    """One finding by its ``key``, or all of a ``rule``, looked at again until none is left."""
    rule = request.POST.get("rule", "")
    if not rule:
        row = _row(kit, request.POST.get("key", ""))
        if not row["mend"]:
            raise KitError("There is no mend for this: it is yours to decide.")
        changes = queries.changes_of([row])
        now = queries.settings_of(changes, queries.Places.of(kit_value(kit)))
        if row.get("was", now) != now:
            raise KitError(
                "What this would mend was set otherwise since the kit was looked at; the next look tells how it stands."
            )
        return edits.mend(kit, version, changes, f"Mended: {row['message']}"[:200], {row["key"]})
    if rule not in RULES:
        raise KitError("There is no such rule.")
    _, rows, left = queries.found(kit)
    meant = [row for row in rows if row["rule"] == rule and row["mend"]]
    if not meant:
        raise KitError("There is nothing left to mend of this kind.")
    value = kit_value(kit)
    measured = queries.measured(kit, value, queries.known_sounds(value))
    changes, _ = mend_all(measured, {rule}, partial(_measured, kit), frozenset(row["key"] for row in left))
    if not changes:
        raise KitError("This is no longer found; the next look tells how the kit stands.")
    words = f"Mended {counted(len(meant), 'finding')}: {RULES[rule].words.lower()}"
    return edits.mend(kit, version, changes, words, {row["key"] for row in meant})


def _measured(kit: Kit, value: KitValue, known: Mapping[Stretch, Sound]) -> MeasuredKit:
    """A mended kit: what it plays now is heard at once."""
    for _ in tasks.hear_missing(value):
        pass
    return queries.measured(kit, value, {**known, **queries.known_sounds(value)})


@kit_edit
def leave(request: HttpRequest, kit: Kit, version: int) -> Answer:
    """One finding by its ``key``, or all of a ``rule``."""
    rule = request.POST.get("rule", "")
    rows = [row for row in queries.found(kit)[1] if row["rule"] == rule] if rule else []
    return edits.leave(kit, version, rows or [_row(kit, request.POST.get("key", ""))])


@kit_edit
def take_up(request: HttpRequest, kit: Kit, version: int) -> Answer:
    return edits.take_up(kit, version)


@require_GET
def picture(request: HttpRequest, kit_id: int, key: str) -> HttpResponse:
    """What shows a finding: the take over its fellow, or the steps of its pad."""
    kit = get_object_or_404(Kit, pk=kit_id)
    _, rows, left = queries.found(kit)
    row = next((row for row in (*rows, *left) if row["key"] == key), None)
    if row is None:
        return HttpResponse("")
    take = Take.objects.filter(pk=row["place"].get("take_id"), layer__pad__kit=kit).first()
    if take is None or row["rule"] in OF_LAYERS:
        pads = [one for one in sheet_rows(kit, [row["place"].get("pad", 0)]) if one.pad.pk == row["place"].get("pad")]
        shown = {"row": pads[0] if pads and not pads[0].is_empty else None, "mend_lines": queries.mend_told(row)}
        return render(request, "checks/_steps.html", shown)
    fellow = Take.objects.filter(pk=row["fellow"], layer__pad__kit=kit).first()
    try:
        drawn = _waves(take, fellow, row)
    except (AudioError, OSError):
        return HttpResponse("")
    shown = {**drawn, "row": row, "height": WAVE_HEIGHT, "columns": COLUMNS, "mend_lines": queries.mend_told(row)}
    return render(request, "checks/_waves.html", shown)


def _waves(take: Take, fellow: Take | None, row: Mapping[str, Any]) -> dict[str, Any]:
    """Both on one scale of time, and the take as it would be mended; each as high as its own peak, so that their shapes compare."""
    rule = row["rule"]
    rate_hz, frames = take.samples.select_related("sample").order_by(*TakeSample.FIRST).values_list("sample__rate_hz", "sample__frames")[0]  # fmt: skip
    end = take.end_frame or frames
    if rule in END_MS:
        begin, ms = max(take.start_frame, end - END_MS[rule] * rate_hz // 1000), END_MS[rule]
        return {"wave": _path(take, begin, end), "wave_ms": ms, "is_end": True, "mended_fade": _fade_of(row, ms)}
    ms = SHOWN_MS.get(rule, 0)
    length = ms * rate_hz // 1000 or max(one.end_frame or frames for one in (take, fellow) if one) - take.start_frame
    shown = {"wave": _path(take, take.start_frame, take.start_frame + length, end)}
    if fellow is not None:
        begin = fellow.start_frame
        shown["fellow_wave"] = _path(fellow, begin, begin + length, fellow.end_frame or begin + length)
    mended = _mended(take, row)
    stop = (mended and mended.end_frame) or frames
    if mended and mended.start_frame < stop:  # else it was set otherwise since
        shown["mended_wave"] = _path(mended, mended.start_frame, mended.start_frame + length, stop)
    return {**shown, "wave_ms": ms or round(1000 * length / rate_hz)}


OUTLINED = {"start_frame", "end_frame", "is_flipped"}
"""Settings of a take that change its outline."""


def _mended(take: Take, row: Mapping[str, Any]) -> Take | None:
    """The take as the mend would play it, where that looks otherwise. It is not to be saved."""
    values = {
        setting: value
        for of, key, setting, value in row["mend"]
        if (of, key) == ("take", take.pk) and setting in OUTLINED
    }
    if not values:
        return None
    mended = copy(take)
    for setting, value in values.items():
        setattr(mended, setting, value)
    return mended


def _fade_of(row: Mapping[str, Any], shown_ms: float) -> float | None:
    """Where the fade of a mend begins, in columns of the last ``shown_ms``."""
    fades = [value for _, _, setting, value in row["mend"] if setting == "fade_out_ms"]
    return COLUMNS * (1 - fades[0] / shown_ms) if fades else None


def _path(take: Take, start: int, stop: int, end: int | None = None) -> str:
    """The outline of a stretch of a take, as its polarity plays it, COLUMNS by WAVE_HEIGHT; shorter where it ends before."""
    have = min(stop, end or stop)
    values = np.frombuffer(waveform_of(take, start, have, COLUMNS), np.int8).reshape(-1, 2).astype(float)
    lows, highs = (-values[:, ::-1] if take.is_flipped else values).T
    width = COLUMNS * (have - start) / (stop - start) / max(1, len(values))
    middle, scale = WAVE_HEIGHT / 2, (WAVE_HEIGHT / 2 - 2) / 127
    top = [f"{n * width:.1f} {middle - high * scale:.1f}" for n, high in enumerate(highs)]
    bottom = [f"{n * width:.1f} {middle - low * scale:.1f}" for n, low in reversed(list(enumerate(lows)))]
    return f"M{'L'.join([*top, *bottom])}Z" if top else ""
