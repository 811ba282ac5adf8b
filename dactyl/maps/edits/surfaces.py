"""Edits of surfaces: which pads stand in which cells."""

from collections.abc import Mapping

from dactyl.core.errors import KitError
from dactyl.core.maps import surfaces
from dactyl.core.maps.surfaces import SurfaceGrid
from dactyl.history.edits import Change, edit
from dactyl.history.models import Revision
from dactyl.kits.edits.pads import append_pads
from dactyl.kits.models import Cell, DeviceUse, Kit, Map, Pad, Surface
from dactyl.maps.models import Device

MOST = 32  # surfaces of a kit


def add_surface(
    kit: Kit, version: int, name: str, grid: SurfaceGrid, *, is_filled: bool
) -> tuple[Revision | None, int]:
    """A new surface, empty or with the filled pads in the order of the sheet. Returns its key too."""
    name = _free_name(kit, name)
    with edit(kit, version, f"Surface {name} added") as change:
        made = _create(change, name, grid, is_filled=is_filled)
    return change.revision, made.pk


def lay_out(kit: Kit, version: int, device: Device, grid: SurfaceGrid) -> Revision | None:
    """A surface with the filled pads in the order of the sheet, which ``device`` plays: one edit."""
    name = _free_name(kit, device.name)
    with edit(kit, version, f"{device.name} plays the pads in their order") as change:
        made = _create(change, name, grid, is_filled=True)
        _let_play(change, device.pk, surface=made)
    return change.revision


def _free_name(kit: Kit, name: str) -> str:
    """raises : KitError where the kit has all the surfaces that it may"""
    if kit.surfaces.count() >= MOST:
        raise KitError(f"A kit has at most {MOST} surfaces. Delete one first.")
    taken = set(kit.surfaces.values_list("name", flat=True))
    return next(each for each in (name, *(f"{name[:55]} · {n}" for n in range(2, MOST + 2))) if each not in taken)


def _create(change: Change, name: str, grid: SurfaceGrid, *, is_filled: bool) -> Surface:
    kit = change.document
    made = change.create(Surface(kit=kit, name=name, rows=grid.rows, columns=grid.columns, banks=grid.banks))
    if is_filled:
        pads = Pad.objects.filter(kit=kit, layers__isnull=False).distinct().values_list("pk", flat=True)
        _write(change, made, surfaces.filled(grid, list(pads.order_by("position"))))
    return made


def set_cells(surface: Surface, version: int, sentence: str, wanted: Mapping[int, int]) -> Revision | None:
    """Let exactly these pads stand in these places."""
    known = set(Pad.objects.filter(kit=surface.kit, pk__in=set(wanted.values())).values_list("pk", flat=True))
    if not set(wanted.values()) <= known:
        raise KitError("One of these pads is no longer in the kit. Reload the page.")
    if any(not 0 <= place < surface.grid.cells for place in wanted):
        raise KitError(f"{surface.name} has {surface.grid.cells} cells. Reload the page.")
    with edit(surface.kit, version, sentence) as change:
        _write(change, surface, wanted)
    return change.revision


def add_pad_at(surface: Surface, version: int, place: int) -> Revision | None:
    """A new, empty pad that stands in a cell."""
    with edit(surface.kit, version, f"Empty pad added at {surface.grid.name(place)} of {surface.name}") as change:
        (pad,) = append_pads(change, 1)
        _write(change, surface, {**dict(surface.cells.values_list("place", "pad")), place: pad.pk})
    return change.revision


def _write(change: Change, surface: Surface, wanted: Mapping[int, int]) -> None:
    rows = {row.place: row for row in Cell.objects.filter(surface=surface)}
    change.delete_all([row for place, row in rows.items() if place not in wanted])
    change.update_each((rows[place], {"pad_id": pad}) for place, pad in wanted.items() if place in rows)
    change.create_all(
        [Cell(surface=surface, place=place, pad_id=pad) for place, pad in sorted(wanted.items()) if place not in rows]
    )


def rename_surface(surface: Surface, version: int, name: str) -> Revision | None:
    with edit(surface.kit, version, f"Surface {surface.name} is called {name}") as change:
        change.update(surface, name=name)
    return change.revision


def resize_surface(surface: Surface, version: int, grid: SurfaceGrid) -> Revision | None:
    """Pads keep their row and column; those that lie outside then are off the surface."""
    old = surface.grid
    kept = {place: row.pad_id for row in surface.cells.all() if (place := grid.place(*old.at(row.place))) is not None}
    with edit(
        surface.kit, version, f"Surface {surface.name}: {grid.rows} × {grid.columns}, banks {grid.banks}"
    ) as change:
        change.update(surface, rows=grid.rows, columns=grid.columns, banks=grid.banks)
        _write(change, surface, kept)
    return change.revision


def delete_surface(surface: Surface, version: int) -> Revision | None:
    with edit(surface.kit, version, f"Surface {surface.name} deleted") as change:
        change.delete_all([surface])
    return change.revision


def let_device_play(
    kit: Kit, version: int, device_id: int, device: str, *, surface: Surface | None = None, map: Map | None = None
) -> Revision | None:
    """What a device plays in this kit: a surface, a map, or with neither the default map."""
    what = surface.name if surface else map.name if map else "the default map"
    with edit(kit, version, f"{device} plays {what}") as change:
        _let_play(change, device_id, surface=surface, map=map)
    return change.revision


def _let_play(change: Change, device_id: int, *, surface: Surface | None = None, map: Map | None = None) -> None:
    row = DeviceUse.objects.filter(kit=change.document, device_id=device_id).first()
    wanted = {"surface_id": surface.pk if surface else None, "map_id": map.pk if map else None}
    if row:
        change.update(row, **wanted)
    else:
        change.create(DeviceUse(kit=change.document, device_id=device_id, **wanted))
