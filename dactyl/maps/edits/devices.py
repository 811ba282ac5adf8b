"""Edits of devices, which are kept for all kits: each has a history of its own."""

from collections.abc import Sequence
from typing import Any

from django.db import transaction

from dactyl.core.errors import DactylError
from dactyl.core.maps.devices import Notes
from dactyl.core.maps.surfaces import SurfaceGrid
from dactyl.history.edits import edit
from dactyl.history.models import Revision
from dactyl.maps.models import Device

MOST = 64


def add_device(name: str, rows: int, columns: int, notes: Notes) -> Device:
    SurfaceGrid(rows, columns)
    with transaction.atomic():
        if Device.objects.filter(is_forgotten=False).count() >= MOST:
            raise DactylError(f"{MOST} devices are the most. Forget one that is not used.")
        return Device.objects.create(name=name, rows=rows, columns=columns, notes=list(notes))


def set_device(device: Device, version: int, sentence: str, **fields: Any) -> Revision | None:
    with edit(device, version, sentence) as change:
        change.update(device, **fields)
    return change.revision


def set_cells(device: Device, version: int, sentence: str, notes: Sequence[int | None]) -> Revision | None:
    """The notes of all cells."""
    if len(notes) != device.rows * device.columns:
        raise DactylError(f"{device.name} has {device.rows * device.columns} cells; {len(notes)} notes came. Reload the page.")  # fmt: skip
    return set_device(device, version, sentence, notes=list(notes))


def device(key: int) -> Device:
    """raises : DactylError where it is gone"""
    row = Device.objects.filter(pk=key).first()
    if row is None:
        raise DactylError("This device is no longer known. Reload the page.")
    return row
