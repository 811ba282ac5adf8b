"""The ways in: how each device, the pointer and a part find pads (design rule 13), and what parts may be written for."""

from collections import defaultdict
from typing import Any

from dactyl.core.errors import KitError
from dactyl.core.maps import translate
from dactyl.core.maps.notes import PadNotes
from dactyl.kits.alongside import kit_of_notes
from dactyl.kits.models import Cell, DeviceUse, Kit, MapNote, Surface, Translation
from dactyl.kits.queries import default_notes, pad_notes
from dactyl.maps.models import Device, NoteNames

STANDARD = "standard"


def ways_in(kit: Kit, source: str = "") -> dict[str, Any]:
    """What the page finds pads by. ``docs/formats.md`` describes it. Eight queries.

    source : what the part that plays was written for
    """
    translation = _translation(kit_of_notes(kit), source)
    return {
        "devices": _devices(kit, _notes_of_maps(kit)),
        "notes": default_notes(kit_of_notes(kit)),
        "written": None if translation is None else _table(translation),
        "translation": translation.pk if translation else None,
    }


def _notes_of_maps(kit: Kit) -> dict[int, dict[int, list[int]]]:
    """Map -> its pads by note."""
    found: dict[int, dict[int, list[int]]] = defaultdict(lambda: defaultdict(list))
    rows = MapNote.objects.filter(map__kit=kit, map__is_default=False).order_by("note", "pad__position")
    for key, note, pad in rows.values_list("map", "note", "pad"):
        found[key][note].append(pad)
    return found


def _devices(kit: Kit, maps: dict[int, dict[int, list[int]]]) -> list[dict[str, Any]]:
    surfaces = list(Surface.objects.filter(kit=kit))
    cells: dict[int, dict[int, int]] = defaultdict(dict)
    for surface, place, pad in Cell.objects.filter(surface__kit=kit).values_list("surface", "place", "pad"):
        cells[surface][place] = pad
    uses = {use.device_id: use for use in DeviceUse.objects.filter(kit=kit)}
    rows = []
    for device in Device.objects.filter(is_forgotten=False):
        surface, other = plays(device, uses.get(device.pk), surfaces)
        about = {name: getattr(device, name) for name in ("name", "port", "channel", "rows", "columns", "notes")}
        row = {"id": device.pk, **about}
        if surface is None:
            pads = maps.get(other, {}) if other else None  # None: whatever the default map says
            rows.append({**row, "surface": None, "pads": pads, "through": other is None, "cells": {}})
            continue
        own = cells[surface.pk]
        at = {note: place for place, note in enumerate(device.notes) if note is not None}
        rows.append({
            **row, "surface": surface.pk, "through": device.falls_through, "cells": at,
            "pads": {note: [own[place]] if place in own else [] for note, place in at.items()},
        })  # fmt: skip
    return rows


def plays(device: Device, use: DeviceUse | None, surfaces: list[Surface]) -> tuple[Surface | None, int | None]:
    """The surface that a device plays, or the key of a map, or neither: the default map."""
    if use is not None:
        return next((one for one in surfaces if one.pk == use.surface_id), None), use.map_id
    alike = (one for one in surfaces if (one.rows, one.columns) == (device.rows, device.columns))
    return next(alike, None), None


def translated_notes(kit: Kit, source: str) -> dict[int, int] | None:
    """What each note of a part written for ``source`` becomes in the default map; None where it is not translated here."""
    translation = _translation(kit_of_notes(kit), source)
    return None if translation is None else _table(translation)


def _translation(kit: Kit, source: str) -> Translation | None:
    """The kit's translation from ``source``; None for a part that was written for none."""
    return Translation.objects.filter(kit=kit, source=source).first() if source else None


def _table(translation: Translation) -> dict[int, int]:
    first: dict[int, int] = {}
    for pad, note in (
        MapNote.objects.filter(map__kit=translation.kit_id, map__is_default=True)
        .order_by("note")
        .values_list("pad", "note")
    ):
        first.setdefault(pad, note)
    return {note: first[pad] for note, pad in translation.notes.values_list("note", "pad") if pad in first}


# Sources --------------------------------------------------------------------------------------------------------------


def sources(kit: Kit) -> list[tuple[str, str]]:
    """What a part may have been written for: (key, words)."""
    others = Kit.objects.filter(is_put_away=False).exclude(pk=kit.pk).order_by("name").values_list("pk", "name")
    return [
        (STANDARD, "the standard drum notes"),
        *((f"kit:{pk}", f"the notes of {name}") for pk, name in others),
        *((f"names:{pk}", name) for pk, name in NoteNames.objects.values_list("pk", "name")),
    ]


def source_pads(key: str) -> tuple[str, list[PadNotes]]:
    """The name of a source, and what its notes mean. raises : KitError where it is gone"""
    what, _, number = key.partition(":")
    if key == STANDARD:
        return "the standard drum notes", translate.standard_source()
    if number.isascii() and number.isdecimal() and len(number) < 18:
        if what == "kit" and (kit := Kit.objects.filter(pk=number).first()):
            return kit.name, pad_notes(kit)
        if what == "names" and (row := NoteNames.objects.filter(pk=number).first()):
            return row.name, translate.named_source({int(note): name for note, name in row.names.items()})
    raise KitError("What this part was written for is gone. Choose it again, in the Map view.")
