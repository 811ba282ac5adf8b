"""Surfaces: grids of cells that pads stand in, arranged many cells at once."""

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_GET

from dactyl.core.errors import KitError
from dactyl.core.maps import surfaces
from dactyl.core.maps.surfaces import SurfaceGrid
from dactyl.core.units import counted
from dactyl.history.door import Answer
from dactyl.kits import fields, queries
from dactyl.kits.models import Kit, Surface
from dactyl.kits.views import card
from dactyl.kits.views.answer import find, kit_edit, pad_of
from dactyl.kits.views.pages import picture_page
from dactyl.maps import edits
from dactyl.web.page_memory import kept
from dactyl.web.request_values import ids_in, number_in

_name = fields.words("A surface's name", 60)


@require_GET
@kept
def surfaces_page(request: HttpRequest, kit_id: int) -> HttpResponse:
    return picture_page(request, get_object_or_404(Kit, pk=kit_id), "surfaces")


@require_GET
def fill_cell(request: HttpRequest, kit_id: int, surface_id: int) -> HttpResponse:
    """Ask which pad an empty cell shall hold."""
    surface = get_object_or_404(Surface.objects.select_related("kit"), pk=surface_id, kit=kit_id)
    place = min(number_in(request.GET.get("place", "")), surface.grid.cells - 1)
    rows = [row for row in queries.sheet_rows(surface.kit, levels=False) if not row.is_empty]
    context = {"kit": surface.kit, "surface": surface, "place": place, "where": surface.grid.name(place), "rows": rows}
    return render(request, "maps/_fill_cell.html", context)


@kit_edit
def add(request: HttpRequest, kit: Kit, version: int) -> Answer:
    """A new surface of one of the shapes that are offered, filled with the kit's pads or empty."""
    shape = request.POST.get("shape", "")
    if shape not in surfaces.SHAPES:
        raise KitError("Choose a shape from the list.")
    rows, columns = surfaces.SHAPES[shape]
    is_filled = request.POST.get("filled") == "1"
    count = kit.pads.filter(layers__isnull=False).distinct().count() if is_filled else 0
    banks = min(16, max(1, -(-count // (rows * columns))))
    name = _name(request.POST.get("name", "").strip() or shape)
    grid = SurfaceGrid(rows, columns, banks)
    revision, request.shown = edits.surfaces.add_surface(kit, version, name, grid, is_filled=is_filled)
    return revision


@kit_edit
def change(request: HttpRequest, kit: Kit, version: int, surface_id: int, what: str) -> Answer:
    """One edit of a surface. ``places`` are its selected cells, ``to`` the one that is meant."""
    surface = find(Surface.objects, surface_id, kit, kit=kit)
    surface.kit = kit
    if what == "rename":
        return edits.surfaces.rename_surface(surface, version, _name(request.POST.get("value", "")))
    if what == "delete":
        return edits.surfaces.delete_surface(surface, version)
    if what == "size":
        sizes = (
            fields.whole(word.capitalize(), 1, 32)(request.POST.get(word, "")) for word in ("rows", "columns", "banks")
        )
        return edits.surfaces.resize_surface(surface, version, SurfaceGrid(*sizes))
    if what == "new":
        place = min(number_in(request.POST.get("to", "")), surface.grid.cells - 1)
        return edits.surfaces.add_pad_at(surface, version, place)
    sentence, cells = _arranged(request, kit, surface, what)
    return edits.surfaces.set_cells(surface, version, f"{sentence} on {surface.name}", cells)


def _arranged(request: HttpRequest, kit: Kit, surface: Surface, what: str) -> tuple[str, dict[int, int]]:
    """What the history says, and the cells as they are then."""
    grid, cells = surface.grid, dict(surface.cells.values_list("place", "pad"))
    places = [place for place in ids_in(request.POST.get("places", "")) if place < grid.cells]
    to = min(number_in(request.POST.get("to", "")), grid.cells - 1)
    if what == "place":
        pad = pad_of(kit, number_in(request.POST.get("pad", "")))
        return f"{pad.full_name} placed", {**cells, to: pad.pk}
    if what == "spread":
        pads = ids_in(request.POST.get("pads", "")) or card.selected_pads(request)
        return f"{counted(len(pads), 'pad')} spread", surfaces.spread(grid, cells, pads, to, places)
    if not places:
        raise KitError("No cell is selected. Select some first.")
    some = counted(len(places), "cell")
    if what == "mirror":
        return f"{some} mirrored", surfaces.mirrored(grid, cells, places)
    if what == "across":
        return f"{some} mirrored to the other side", surfaces.mirrored_across(grid, cells, places)
    if what in ("copy", "move"):
        verb = {"copy": "copied", "move": "moved"}[what]
        return f"{some} {verb}", surfaces.copied(grid, cells, places, to, moves=what == "move")
    if what == "bank":
        bank = min(max(1, number_in(request.POST.get("bank", ""), 1)), grid.banks) - 1
        low = min(place % grid.of_bank for place in places)
        return f"{some} copied to bank {bank + 1}", surfaces.copied(grid, cells, places, bank * grid.of_bank + low)
    if what == "swap":
        if len(places) != 2:
            raise KitError("Two cells are swapped. Select two.")
        return "Two cells swapped", surfaces.swapped(cells, *places)
    if what == "clear":
        return f"{some} cleared", surfaces.cleared(cells, places)
    raise KitError("Choose what to do with the cells. Reload the page.")


@kit_edit
def device_surface(request: HttpRequest, kit: Kit, version: int, device_id: int) -> Answer:
    """A surface of the device's shape with the kit's pads in their order, which the device plays from now on."""
    device = edits.devices.device(device_id)
    count = kit.pads.filter(layers__isnull=False).distinct().count()
    banks = min(16, max(1, -(-count // (device.rows * device.columns))))
    return edits.surfaces.lay_out(kit, version, device, SurfaceGrid(device.rows, device.columns, banks))


@kit_edit
def device_plays(request: HttpRequest, kit: Kit, version: int, device_id: int) -> Answer:
    """What a device plays in this kit: the key of a surface, ``map:KEY``, or ``map`` for the default one."""
    what, _, key = request.POST.get("value", "").rpartition(":")
    device = edits.devices.device(device_id)
    if what == "map":
        other = next((one for one in kit.maps.all() if one.pk == number_in(key)), None)
        return edits.surfaces.let_device_play(kit, version, device.pk, device.name, map=other)
    if key == "map":
        return edits.surfaces.let_device_play(kit, version, device.pk, device.name)
    surface = find(Surface.objects, number_in(key), kit, kit=kit)
    return edits.surfaces.let_device_play(kit, version, device.pk, device.name, surface=surface)
