"""Devices: what notes the cells of a controller send, taught by pressing them, typed, or chosen from plain orders."""

from collections.abc import Callable
from functools import wraps

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_GET, require_POST
from django_htmx.http import trigger_client_event

from dactyl.core.errors import DactylError
from dactyl.core.maps import devices as core
from dactyl.core.maps.surfaces import SHAPES, SurfaceGrid
from dactyl.history import edits as history
from dactyl.history.door import Answer, edited
from dactyl.history.models import Revision
from dactyl.kits import fields
from dactyl.kits.models import Kit
from dactyl.kits.views.pages import picture_page
from dactyl.maps import edits, ways
from dactyl.maps.models import Device
from dactyl.maps.views.pictures import devices_context, picture_links
from dactyl.web.note_naming import middle_c_octave
from dactyl.web.page_memory import kept
from dactyl.web.request_values import number_in, plain


@require_GET
@kept
def devices_page(request: HttpRequest, kit_id: int) -> HttpResponse:
    return picture_page(request, get_object_or_404(Kit, pk=kit_id), "devices")


@require_GET
def ways_in(request: HttpRequest, kit_id: int) -> JsonResponse:
    """How devices, the pointer and the part find pads; ``source`` is what the part was written for."""
    kit = get_object_or_404(Kit, pk=kit_id)
    return JsonResponse(ways.ways_in(kit, request.GET.get("source", "")[:40]))


@require_POST
def add(request: HttpRequest, kit_id: int) -> HttpResponse:
    kit = get_object_or_404(Kit, pk=kit_id)
    shape = request.POST.get("shape", "")
    if shape not in SHAPES:
        raise DactylError("Choose a shape from the list.")
    name = plain(request.POST.get("name", ""), "A device's name", 60) or "My controller"
    made = edits.devices.add_device(name, *SHAPES[shape], core.in_order("rising", *SHAPES[shape]))
    return _drawn(request, kit, made.pk, f"{made.name} added. Teach it, or choose an order.")


def device_edit(view: Callable[..., Answer]) -> Callable[..., HttpResponse]:
    """Run ``view``, which edits the device at the version that the page shows; answer with the picture."""

    @require_POST
    @wraps(view)
    def answer(request: HttpRequest, kit_id: int, device_id: int, what: str) -> HttpResponse:
        kit, device = get_object_or_404(Kit, pk=kit_id), edits.devices.device(device_id)
        outcome = edited(request, device, lambda version: view(request, device, version, what))
        return _drawn(request, kit, device_id, outcome.said, status=outcome.status)

    return answer


def _drawn(request: HttpRequest, kit: Kit, device_id: int, said: str, status: int = 200) -> HttpResponse:
    context = devices_context(kit, str(device_id))
    context |= {
        "kit": kit,
        "pictures": picture_links(kit),
        "view": "devices",
        "said": said,
        "is_warning": status != 200,
    }
    response = render(request, "maps/_devices.html", context, status=status)
    return trigger_client_event(response, "ways-changed", {})


@device_edit
def change(request: HttpRequest, device: Device, version: int, what: str) -> tuple[Revision | None, str]:
    value = request.POST.get("value", "")
    if what == "undo":
        undone = history.undo(device, version)
        return undone, f"Undone: {undone.sentence}" if undone else "There is nothing to undo."
    if what == "redo":
        redone = history.redo(device, version)
        return redone, f"Done again: {redone.sentence}" if redone else "There is nothing to do again."
    if what == "rename":
        name = plain(value, "A device's name", 60) or device.name
        return edits.devices.set_device(device, version, f"{device.name} is called {name}", name=name), ""
    if what in ("forget", "remember"):
        said = f"{device.name} {'forgotten' if what == 'forget' else 'is back'}"
        return edits.devices.set_device(device, version, said, is_forgotten=what == "forget"), ""
    if what == "channel":
        channel = min(number_in(value), 16)
        said = f"{device.name} on {f'channel {channel}' if channel else 'any channel'}"
        return edits.devices.set_device(device, version, said, channel=channel - 1 if channel else None), ""
    if what == "port":
        port = plain(value, "A port's name", 120)
        return edits.devices.set_device(device, version, f"{device.name} is {port or 'any port'}", port=port), ""
    if what == "through":
        says = "find pads by the map" if value == "1" else "do nothing"
        return edits.devices.set_device(device, version, f"Other notes of {device.name} {says}", falls_through=value == "1"), ""  # fmt: skip
    return _notes(request, device, version, what), ""


def _notes(request: HttpRequest, device: Device, version: int, what: str) -> Revision | None:
    """Edits of what the cells send."""
    value, named = request.POST.get("value", ""), f"Notes of {device.name}"
    if what == "order":
        if value not in core.ORDERS:
            raise DactylError("Choose an order from the list.")
        first = fields.notes(request.POST.get("first", "") or "36", middle_c_octave=middle_c_octave())
        notes = core.in_order(value, device.rows, device.columns, first[0] if first else core.LOWEST)
        return edits.devices.set_cells(device, version, f"{named}: {core.ORDERS[value]}", notes)
    if what == "taught":
        pairs = [pair.partition(":") for pair in value.split(",")[: len(device.notes)] if pair]
        taught = {number_in(place, -1): min(number_in(note), 127) for place, _, note in pairs}
        notes = [taught.get(place, note) for place, note in enumerate(device.notes)]
        port = plain(request.POST.get("port", ""), "A port's name", 120) or device.port
        channel = number_in(request.POST.get("channel", ""), -1)
        fixed = {"port": port} | ({"channel": channel} if 0 <= channel < 16 else {})
        return edits.devices.set_device(device, version, f"{named} taught", notes=notes, **fixed)
    if what == "cell":
        place = number_in(request.POST.get("place", ""), -1)
        if not 0 <= place < len(device.notes):
            raise DactylError("This cell is not there. Reload the page.")
        typed = fields.notes(value, middle_c_octave=middle_c_octave())
        notes = [*device.notes[:place], typed[0] if typed else None, *device.notes[place + 1 :]]
        where = SurfaceGrid(device.rows, device.columns).name(place)
        return edits.devices.set_cells(device, version, f"Note of {where} of {device.name}", notes)
    raise DactylError("Choose what to do with the device. Reload the page.")
