"""Velocity layers of a pad: borders, splitting, joining, order, level."""

from collections.abc import Sequence

from dactyl.core.errors import KitError
from dactyl.core.kit import MAX_VELOCITY
from dactyl.core.stack.layers import split_by_level, split_evenly
from dactyl.history.edits import Change, edit
from dactyl.history.models import Revision
from dactyl.kits.edits.sentences import settings_named
from dactyl.kits.fields import LAYER_FIELDS
from dactyl.kits.models import Layer, Pad, Take


def set_border(layer: Layer, version: int, high: int) -> Revision | None:
    """Move the upper border of ``layer``: its neighbour begins right after it."""
    layers, place = _placed(layer)
    if place + 1 == len(layers):
        raise KitError("The loudest layer always ends at 127.")
    low = layers[place - 1].high + 1 if place else 1
    top = layers[place + 1].high - 1
    if not low <= high <= top:
        raise KitError(f"Layer {place + 1} can end between {low} and {top}: a layer has at least one velocity.")
    with edit(layer.pad.kit, version, f"Border {place + 1} of {layer.pad.full_name} at {high}") as change:
        change.update(layer, high=high)
        change.touch(layer.pad_id)
    return change.revision


def set_borders(pad: Pad, version: int, how: str, levels_db: Sequence[float]) -> Revision | None:
    """how : a key of stack.layers.BORDERS; levels_db : the mean level of each layer"""
    layers = list(pad.layers.order_by("high"))
    highs = split_by_level(levels_db) if how == "levels" else split_evenly(len(layers))
    words = {"even": "split evenly", "levels": "split by measured level"}[how]
    with edit(pad.kit, version, f"Layers of {pad.full_name} {words}") as change:
        place_borders(change, layers, highs)
        change.touch(pad.pk)
    return change.revision


def place_borders(change: Change, layers: Sequence[Layer], highs: Sequence[int]) -> None:
    """Set every border, in an order in which no two layers ever end at one velocity."""
    moves = list(zip(layers, highs, strict=True))
    rising = [move for move in moves if move[1] > move[0].high]
    falling = [move for move in moves if move[1] < move[0].high]
    for layer, high in rising[::-1] + falling:
        change.update(layer, high=high)


def split_layer(layer: Layer, version: int, at: int | None = None) -> Revision | None:
    """Two layers where one was: the softer half of its takes goes below ``at``, by default the middle."""
    layers, place = _placed(layer)
    low = layers[place - 1].high + 1 if place else 1
    if low == layer.high:
        raise KitError("A layer of one velocity can't be split.")
    at = (low + layer.high) // 2 if at is None else at
    if not low <= at < layer.high:
        raise KitError(f"Layer {place + 1} can be split between {low} and {layer.high - 1}.")
    takes = sorted(layer.takes.prefetch_related("samples__sample"), key=_level_db)
    with edit(layer.pad.kit, version, f"Layer {place + 1} of {layer.pad.full_name} split at {at}") as change:
        below = change.create(Layer(pad=layer.pad, high=at, gain_db=layer.gain_db))
        for position, take in enumerate(takes[: max(1, len(takes) // 2)] if len(takes) > 1 else []):
            change.update(take, layer_id=below.pk, position=position)
        _renumber(change, takes[len(takes) // 2 :] if len(takes) > 1 else takes)
        change.touch(layer.pad_id)
    return change.revision


def insert_layer(pad: Pad, version: int) -> Revision | None:
    """An empty layer above the loudest; the borders make room."""
    layers = list(pad.layers.order_by("high"))
    if len(layers) >= MAX_VELOCITY:
        raise KitError(f"{pad.full_name} has a layer for every velocity; there is room for no other.")
    with edit(pad.kit, version, f"Layer added to {pad.full_name}") as change:
        if layers:
            room = split_evenly(len(layers) + 1)
            place_borders(change, layers, room[:-1])
        change.create(Layer(pad=pad, high=127))
        change.touch(pad.pk)
    return change.revision


def join_layer(layer: Layer, version: int) -> Revision | None:
    """Join a layer with the one above it: takes of both, one after the other."""
    layers, place = _placed(layer)
    if place + 1 == len(layers):
        raise KitError("There is no layer above the loudest to join it with.")
    above = layers[place + 1]
    with edit(layer.pad.kit, version, f"Layers {place + 1} and {place + 2} of {layer.pad.full_name} joined") as change:
        _move_takes(change, layer, above, first=True)
        change.delete_all([layer])
        change.touch(layer.pad_id)
    return change.revision


def delete_layer(layer: Layer, version: int) -> Revision | None:
    """Delete a layer with its takes; its neighbour takes over its velocities."""
    _, place = _placed(layer)
    with edit(layer.pad.kit, version, f"Layer {place + 1} of {layer.pad.full_name} deleted") as change:
        remove_layer(change, layer)
        change.touch(layer.pad_id)
    return change.revision


def remove_layer(change: Change, layer: Layer) -> None:
    below = layer.pad.layers.filter(high__lt=layer.high).order_by("high").last()
    change.delete_all([layer])
    if layer.high == 127 and below:
        change.update(below, high=127)


def move_layer(layer: Layer, version: int, by: int) -> Revision | None:
    """Change places with the neighbour below (-1) or above (1); the borders stay where they are."""
    layers, place = _placed(layer)
    if not 0 <= place + by < len(layers):
        raise KitError("The layer is at that end already.")
    other = layers[place + by]
    direction = "louder" if by > 0 else "softer"
    with edit(layer.pad.kit, version, f"Layer {place + 1} of {layer.pad.full_name} made {direction}") as change:
        _swap(change, layer, other)
        change.touch(layer.pad_id)
    return change.revision


def reverse_layers(pad: Pad, version: int) -> Revision | None:
    layers = list(pad.layers.order_by("high"))
    with edit(pad.kit, version, f"Layers of {pad.full_name} reversed") as change:
        for low, high in zip(layers[: len(layers) // 2], layers[::-1], strict=False):
            _swap(change, low, high)
        change.touch(pad.pk)
    return change.revision


def set_level(layers: Sequence[Layer], version: int, gain_db: float) -> Revision | None:
    pad = layers[0].pad
    _, place = _placed(layers[0])
    words = f"layer {place + 1} of {pad.full_name}" if len(layers) == 1 else f"{len(layers)} layers of {pad.full_name}"
    with edit(pad.kit, version, settings_named(LAYER_FIELDS, {"gain_db": gain_db}, words)) as change:
        change.update_all(layers, gain_db=gain_db)
        change.touch(pad.pk)
    return change.revision


def even_out(pad: Pad, version: int, gains_db: Sequence[float]) -> Revision | None:
    """Give each layer the gain that the measured response proposes."""
    layers = list(pad.layers.order_by("high"))
    with edit(pad.kit, version, f"Response of {pad.full_name} evened out") as change:
        change.update_each((layer, {"gain_db": round(gain, 2)}) for layer, gain in zip(layers, gains_db, strict=True))
        change.touch(pad.pk)
    return change.revision


def _placed(layer: Layer) -> tuple[list[Layer], int]:
    """The layers of the same pad, softest first, and the place of this one among them."""
    layers = list(layer.pad.layers.order_by("high"))
    return layers, [row.pk for row in layers].index(layer.pk)


def _swap(change: Change, one: Layer, other: Layer) -> None:
    takes, others = list(one.takes.all()), list(other.takes.all())
    change.update_all(takes, layer_id=other.pk)
    change.update_all(others, layer_id=one.pk)
    gains = one.gain_db, other.gain_db
    change.update(one, gain_db=gains[1])
    change.update(other, gain_db=gains[0])


def _move_takes(change: Change, source: Layer, target: Layer, *, first: bool) -> None:
    moved, there = list(source.takes.all()), list(target.takes.all())
    change.update_all(moved, layer_id=target.pk)
    _renumber(change, moved + there if first else there + moved)


def _renumber(change: Change, takes: Sequence[Take]) -> None:
    change.update_each((take, {"position": number}) for number, take in enumerate(takes))


def _level_db(take: Take) -> float:
    return next((used.sample.level_db for used in take.samples.all()), 0.0) + take.gain_db
