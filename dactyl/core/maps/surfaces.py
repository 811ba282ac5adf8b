"""Surfaces: grids of cells that pads stand in, to play (design rule 13).

A cell's place counts from the lower left of the first bank to the right, then up, then on to the next bank: the way
the hands find it. A pad may stand in several cells.
"""

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass

from dactyl.core.errors import KitError
from dactyl.core.kit import MAX_BANKS, MAX_SIDE
from dactyl.core.units import counted

Cells = Mapping[int, int]
"""Place -> pad."""

SHAPES = {  # what is offered: (rows, columns)
    "2 × 8": (2, 8),
    "4 × 4": (4, 4),
    "8 × 8": (8, 8),
    "a row of 16 keys": (1, 16),
    "a row of 25 keys": (1, 25),
}


@dataclass(frozen=True, slots=True)
class SurfaceGrid:
    """The cells of one surface. raises : KitError for a size that no hand plays"""

    rows: int
    columns: int
    banks: int = 1

    def __post_init__(self) -> None:
        if not (1 <= self.rows <= MAX_SIDE and 1 <= self.columns <= MAX_SIDE and 1 <= self.banks <= MAX_BANKS):
            raise KitError(f"A surface has up to {MAX_SIDE} rows and columns, and {MAX_BANKS} banks.")

    @property
    def cells(self) -> int:
        return self.rows * self.columns * self.banks

    @property
    def of_bank(self) -> int:
        return self.rows * self.columns

    def at(self, place: int) -> tuple[int, int, int]:
        """Bank, row from below and column from the left."""
        bank, within = divmod(place, self.of_bank)
        return (bank, *divmod(within, self.columns))

    def place(self, bank: int, row: int, column: int) -> int | None:
        """None where it lies outside."""
        if 0 <= bank < self.banks and 0 <= row < self.rows and 0 <= column < self.columns:
            return bank * self.of_bank + row * self.columns + column
        return None

    def name(self, place: int) -> str:
        """In words, counted as people do: from the lower left."""
        bank, row, column = self.at(place)
        where = f"row {row + 1}, column {column + 1}" if self.rows > 1 else f"key {column + 1}"
        return f"bank {bank + 1}, {where}" if self.banks > 1 else where


def filled(grid: SurfaceGrid, pads: Sequence[int]) -> dict[int, int]:
    """The pads in their order, as far as there are cells."""
    return dict(enumerate(pads[: grid.cells]))


def spread(
    grid: SurfaceGrid, cells: Cells, pads: Sequence[int], first: int, within: Collection[int] = ()
) -> dict[int, int]:
    """The pads one after another from ``first`` on; or within a block of several places, whose first it is then."""
    places = sorted(within) if len(within) > 1 else range(first, grid.cells)
    if len(pads) > len(places):
        where = f"in {counted(len(places), 'cell')}" if len(within) > 1 else f"from {grid.name(first)} on"
        raise KitError(f"{counted(len(pads), 'pad')} do not fit {where}. Begin lower, take more cells, or add a bank.")
    return {**cells, **dict(zip(places, pads, strict=False))}


def cleared(cells: Cells, places: Collection[int]) -> dict[int, int]:
    return {place: pad for place, pad in cells.items() if place not in places}


def mirrored(grid: SurfaceGrid, cells: Cells, places: Collection[int]) -> dict[int, int]:
    """The selected cells change sides, left for right, within the columns that they span; what stood there comes back."""
    columns = [grid.at(place)[2] for place in places]
    low, high = min(columns), max(columns)

    def partner(place: int) -> int:
        bank, row, column = grid.at(place)
        return grid.place(bank, row, low + high - column)

    pairs = {place: partner(place) for place in places}
    pairs |= {other: place for place, other in pairs.items()}
    return cleared(cells, pairs) | {other: cells[place] for place, other in pairs.items() if place in cells}


def mirrored_across(grid: SurfaceGrid, cells: Cells, places: Iterable[int]) -> dict[int, int]:
    """The selected cells once more on the other side of the grid's middle, so that either hand reaches them."""
    result = dict(cells)
    for place in places:
        bank, row, column = grid.at(place)
        if place in cells:
            result[grid.place(bank, row, grid.columns - 1 - column)] = cells[place]
    return result


def copied(grid: SurfaceGrid, cells: Cells, places: Collection[int], to: int, *, moves: bool = False) -> dict[int, int]:
    """The selected cells as they lie, their lower left corner at ``to``; what would lie outside is refused.

    moves : whether the places they came from are left empty
    """
    spots = [grid.at(place) for place in places]
    origin = tuple(min(axis) for axis in zip(*spots, strict=True))
    shift = [target - least for target, least in zip(grid.at(to), origin, strict=True)]
    result = cleared(cells, places) if moves else dict(cells)
    for place, spot in zip(places, spots, strict=True):
        target = grid.place(*(along + by for along, by in zip(spot, shift, strict=True)))
        if target is None:
            raise KitError(f"The selected cells do not fit at {grid.name(to)}. Choose a place further in.")
        if place in cells:
            result[target] = cells[place]
    return result


def swapped(cells: Cells, one: int, other: int) -> dict[int, int]:
    pairs = {one: cells.get(other), other: cells.get(one)}
    return cleared(cells, (one, other)) | {place: pad for place, pad in pairs.items() if pad is not None}
