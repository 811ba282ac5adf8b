"""What the four pictures of the Map view show: keys, surfaces, devices, translations."""

from collections import Counter
from collections.abc import Callable
from typing import Any

from django.urls import reverse

from dactyl.core.formats.notes import note_name
from dactyl.core.maps import devices, surfaces, translate
from dactyl.core.maps import notes as maps
from dactyl.history.queries import undo_state
from dactyl.kits import queries
from dactyl.kits.alongside import kit_of_notes
from dactyl.kits.models import DeviceUse, Kit, Map, Surface, Translation
from dactyl.kits.templatetags.kit_filters import note as note_label
from dactyl.kits.views.card import banks_of
from dactyl.kits.views.pictures import Picture
from dactyl.maps import ways
from dactyl.maps.models import Device
from dactyl.web.note_naming import OCTAVES, middle_c_octave
from dactyl.web.request_values import number_in


def map_context(kit: Kit, shown: str = "") -> dict[str, Any]:
    """128 keys, and which pads they strike by one map: the one of key ``shown``, else the default one."""
    every = list(Map.objects.filter(kit=kit).order_by("-is_default", "pk"))
    chosen = next((one for one in every if one.pk == number_in(shown)), every[0])
    pads = queries.pad_notes(kit, chosen)
    doubled = maps.doubled(pads)
    used = {note for pad in pads for note in pad.notes}
    roots = dict(kit.pads.exclude(cents_per_key=0).values_list("pk", "root"))
    return {
        "maps": every,
        "map": chosen,
        "map_pads": [
            (
                pad,
                [(note, note in doubled) for note in pad.notes],
                _root(pad, roots),
                _bars(pad.notes),
                _thread(row, pad),
            )
            for row, pad in enumerate(pads)
        ],
        "doubled": [(note_label(note), names) for note, names in doubled.items()],
        "keys": [
            (note, maps.is_black(note), note in used, note in doubled, note_label(note), maps.STANDARD.get(note, ""))
            for note in range(maps.NOTES)
        ],
        "octaves": [note_name(note, middle_c_octave=middle_c_octave()) for note in range(0, maps.NOTES, 12)],
        "free": maps.NOTES - len(used),
        "other_kits": list(Kit.objects.filter(is_put_away=False).exclude(pk=kit.pk).order_by("name")),
        "middle_c_octave": middle_c_octave(),
        "middle_c_octaves": OCTAVES,
    }


def _root(pad: maps.PadNotes, roots: dict[int, int | None]) -> int | None:
    """The key at which a pad that follows the keys keeps its pitch; None where it keeps it everywhere."""
    if pad.id not in roots or not pad.notes:
        return None
    return roots[pad.id] if roots[pad.id] is not None else min(pad.notes)


def _thread(row: int, pad: maps.PadNotes) -> str:
    """The lines from a pad to its keys: along its row of height 1, then up to the keyboard above the first row."""
    return "".join(f"M0 {row + 0.5}H{note + 0.5}V0" for note in pad.notes)


def _bars(notes: tuple[int, ...]) -> list[tuple[int, int]]:
    """Runs of neighbouring notes, (first, how many), of those that are ranges."""
    runs: list[list[int]] = []
    for note in notes:
        if runs and runs[-1][-1] == note - 1:
            runs[-1].append(note)
        else:
            runs.append([note])
    return [(run[0], len(run)) for run in runs if len(run) > 1]


def surfaces_context(kit: Kit, shown: str = "") -> dict[str, Any]:
    every = list(Surface.objects.filter(kit=kit))
    chosen = next((one for one in every if one.pk == number_in(shown)), every[0] if every else None)
    rows = queries.sheet_rows(kit, levels=False)
    placed = Counter(chosen.cells.values_list("pad", flat=True)) if chosen else Counter()
    return {
        "surfaces": every,
        "surface": chosen,
        "surface_banks": banks_of(chosen, rows) if chosen else [],
        "surface_pads": [(row, placed[row.pad.pk]) for row in rows if not row.is_empty or placed[row.pad.pk]],
        "shapes": list(surfaces.SHAPES),
        "other_banks": range(2, chosen.banks + 1) if chosen else [],
    }


def devices_context(kit: Kit, shown: str = "") -> dict[str, Any]:
    every = list(Device.objects.filter(is_forgotten=False))
    chosen = next((one for one in every if one.pk == number_in(shown)), every[0] if every else None)
    own = list(Surface.objects.filter(kit=kit))
    uses = {use.device_id: use for use in DeviceUse.objects.filter(kit=kit)}
    context = {
        "devices": every,
        "device": chosen,
        "forgotten": list(Device.objects.filter(is_forgotten=True)),
        "orders": devices.ORDERS.items(),
        "shapes": list(surfaces.SHAPES),
        "channels": range(1, 17),
    }
    if chosen is None:
        return context
    surface, other = ways.plays(chosen, uses.get(chosen.pk), own)
    grid = surfaces.SurfaceGrid(chosen.rows, chosen.columns)
    rows = {row.pad.pk: row for row in queries.sheet_rows(kit, levels=False)}
    at = dict(surface.cells.values_list("place", "pad")) if surface else {}
    now = undo_state(chosen)
    return context | {
        "device_undoes": now.undoes,
        "device_cells": [
            (place, chosen.notes[place], rows.get(at.get(place)), grid.name(place))
            for row in reversed(range(grid.rows))
            for place in range(row * grid.columns, (row + 1) * grid.columns)
        ],
        "device_plays": surface.pk if surface else f"map:{other}" if other else "map",
        "surfaces": own,
        "maps": list(Map.objects.filter(kit=kit, is_default=False)),
        "device_channel": None if chosen.channel is None else chosen.channel + 1,
        "doubled_cells": [note for note, count in Counter(filter(None, chosen.notes)).items() if count > 1],
    }


def translations_context(kit: Kit, shown: str = "") -> dict[str, Any]:
    """One translation of the kit with its lines; its part's counts are laid over them by the page."""
    every = list(Translation.objects.filter(kit=kit))
    chosen = next((one for one in every if one.source == shown), None)
    if chosen is None and not shown and every:
        chosen = every[0]
    pads = queries.pad_notes(kit)
    context = {
        "translations": every,
        "translation": chosen,
        "sources": ways.sources(kit),
        "map_pads": pads,
        "source_key": chosen.source if chosen else shown,
    }
    if chosen is None:
        struck: dict[int, list[maps.PadNotes]] = {}
        for pad in pads or queries.pad_notes(kit_of_notes(kit)):
            for note in pad.notes:
                struck.setdefault(note, []).append(pad)
        return {**context, "own_notes": sorted(struck.items())}
    _, source = ways.source_pads(chosen.source)
    known = {note: pad.name for pad in source for note in pad.notes}
    lines = {row.note: row for row in chosen.notes.select_related("pad__piece")}
    near = {line.note: line.near for line in translate.propose(source, pads)}
    return context | {
        "lines": [
            (note, known.get(note, ""), lines.get(note), near.get(note, ())) for note in sorted({*known, *lines})
        ],
    }


def picture_links(kit: Kit) -> list[tuple[str, str, str]]:
    words = {"map": "Keys", "surfaces": "Surfaces", "devices": "Devices", "translations": "Translations"}
    return [(name, label, reverse(f"maps:{name}", args=[kit.pk])) for name, label in words.items()]


def _picture(template: str, shows: Callable[[Kit, str], dict[str, Any]]) -> Picture:
    return Picture("map", template, lambda kit, shown: {"pictures": picture_links(kit), **shows(kit, shown)})


PICTURES = {
    "map": _picture("maps/_map.html", map_context),
    "surfaces": _picture("maps/_surfaces.html", surfaces_context),
    "devices": _picture("maps/_devices.html", devices_context),
    "translations": _picture("maps/_translations.html", translations_context),
}
