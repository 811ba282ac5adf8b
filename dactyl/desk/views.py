"""The Desk view, and what is done in it."""

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.views.decorators.http import require_GET

from dactyl.core.errors import DactylError
from dactyl.core.fields import DESK, OUTPUT_GROUP
from dactyl.desk import edits
from dactyl.desk.edits import ROUTES
from dactyl.history.door import Answer
from dactyl.kits import edits as kit_edits
from dactyl.kits import fields
from dactyl.kits.models import Handle, Kit, Output, OutputGroup, Piece
from dactyl.kits.views.answer import find, kit_edit
from dactyl.kits.views.pages import picture_page
from dactyl.web.page_memory import kept
from dactyl.web.request_values import ids_in, number_in


@require_GET
@kept
def page(request: HttpRequest, kit_id: int) -> HttpResponse:
    return picture_page(request, get_object_or_404(Kit, pk=kit_id), "desk")


@kit_edit
def set_channel(request: HttpRequest, kit: Kit, version: int, output_id: int, name: str) -> Answer:
    """One setting of a channel, or of all in ``outputs`` if it is one of them; its name, and its group, are its own."""
    output = find(Output.objects, output_id, kit, kit=kit)
    text = request.POST.get("value", "")
    if name == "name":
        return kit_edits.outputs.rename_output(output, version, fields.read(fields.OUTPUT_FIELDS, name, text))
    if name == "group":
        wanted = find(OutputGroup.objects, number_in(text), kit, kit=kit) if text else None
        return edits.join_group(output, version, wanted)
    if name not in fields.OUTPUT_FIELDS:
        raise DactylError(f"An output has no setting named “{name[:30]}”. Reload the page.")
    asked = ids_in(request.POST.get("outputs", ""))
    rows = Output.objects.filter(kit=kit, pk__in=asked if output_id in asked else [output_id])
    return edits.set_channels(list(rows), kit, version, {name: fields.read(fields.OUTPUT_FIELDS, name, text)})


@kit_edit
def set_desk(request: HttpRequest, kit: Kit, version: int, name: str) -> Answer:
    if name not in DESK:
        raise DactylError(f"The desk has no setting named “{name[:30]}”. Reload the page.")
    return edits.set_desk(kit, version, {name: fields.read(DESK, name, request.POST.get("value", ""))})


@kit_edit
def add_group(request: HttpRequest, kit: Kit, version: int) -> Answer:
    outputs = list(Output.objects.filter(kit=kit, pk__in=ids_in(request.POST.get("outputs", ""))))
    known = set(OutputGroup.objects.filter(kit=kit).values_list("name", flat=True))
    name = request.POST.get("name", "").strip() or edits.next_group_name(known)
    return edits.group(kit, version, outputs, fields.read(OUTPUT_GROUP, "name", name))


@kit_edit
def change_group(request: HttpRequest, kit: Kit, version: int, group_id: int, what: str) -> Answer:
    """what : a setting, or delete"""
    return changed_group(request, find(OutputGroup.objects, group_id, kit, kit=kit), version, what)


def changed_group(request: HttpRequest, row: Handle, version: int, what: str) -> Answer:
    """A group of a kit, or of a lineup. what : a setting, or delete"""
    if what == "delete":
        return edits.ungroup(row, version)
    if what not in OUTPUT_GROUP:
        raise DactylError(f"A group has no setting named “{what[:30]}”. Reload the page.")
    return edits.set_group(row, version, {what: fields.read(OUTPUT_GROUP, what, request.POST.get("value", ""))})


@kit_edit
def route(request: HttpRequest, kit: Kit, version: int, how: str) -> Answer:
    if how not in ROUTES:
        raise DactylError("Choose a way from the list.")
    return edits.route(kit, version, how)


@kit_edit
def route_pieces(request: HttpRequest, kit: Kit, version: int, output_id: int) -> Answer:
    """``pieces`` are brought to the output."""
    output = find(Output.objects, output_id, kit, kit=kit)
    pieces = list(Piece.objects.filter(kit=kit, pk__in=ids_in(request.POST.get("pieces", ""))))
    if not pieces:
        raise DactylError("This piece is no longer there. Reload the page.")
    return edits.route_pieces(kit, version, pieces, output)
