"""Devices: what notes the physical cells of a controller send. A device plays a surface cell by cell, whatever its notes.

Plain orders that pads are built in; any other is taught by pressing the cells one after another.
"""

from collections.abc import Sequence

from dactyl.core.kinds import KINDS
from dactyl.core.kit import NOTES

Notes = Sequence[int | None]
"""The note of each place, the lower left first, to the right, then up; None where it sends nothing."""

LOWEST = 36  # where rising orders begin: the standard kick's note
ORDERS = {  # name -> what is offered for how many columns
    "rising": "rows rising from a note",
    "falling": "rows falling from the top",
    "halves": "two halves, the left before the right",
    "standard": "standard drum notes",
}


def in_order(order: str, rows: int, columns: int, lowest: int = LOWEST) -> list[int | None]:
    """order : one of ORDERS; places whose note would lie beyond the keyboard send nothing"""
    if order == "standard":
        return _standard(rows * columns)
    places = [(row, column) for row in range(rows) for column in range(columns)]
    if order == "falling":
        numbers = [rows * columns - 1 - n for n in range(len(places))]
    elif order == "halves":
        half = (columns + 1) // 2
        by_half = sorted(places, key=lambda place: (place[1] >= half, place))
        numbers = [by_half.index(place) for place in places]
    else:
        numbers = list(range(len(places)))
    return [lowest + n if lowest + n < NOTES else None for n in numbers]


def _standard(count: int) -> list[int | None]:
    """The standard drum notes of one kind after another, as the kinds are listed; then the notes that are left."""
    notes = dict.fromkeys(kind.notes[0] for kind in KINDS if kind.notes)
    notes |= dict.fromkeys(note for kind in KINDS for note in kind.notes)
    notes |= dict.fromkeys(n % NOTES for n in range(LOWEST, LOWEST + NOTES))
    return [*list(notes)[:count], *[None] * max(0, count - len(notes))]
