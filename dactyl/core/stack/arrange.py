"""Change a proposal by hand before it becomes pads: move, split, join, reverse, leave out. Nothing is an act yet."""

from collections.abc import Sequence
from typing import Any

from dactyl.core.errors import KitError
from dactyl.core.kinds import BY_SLUG
from dactyl.core.stack.cluster import layers_by_level
from dactyl.core.stack.layers import BORDERS
from dactyl.core.stack.propose import LeftOver, Proposal, ProposedLayer, ProposedPad, ProposedTake

Place = tuple[int, int, int]
"""(pad, layer, take), counted from 0."""
BY_HAND = "You left it out."


def take_at(proposal: Proposal, place: Place) -> ProposedTake:
    return layer_at(proposal, *place[:2]).takes[_index(place[2], layer_at(proposal, *place[:2]).takes)]


def layer_at(proposal: Proposal, pad: int, layer: int) -> ProposedLayer:
    layers = pad_at(proposal, pad).layers
    return layers[_index(layer, layers)]


def pad_at(proposal: Proposal, pad: int) -> ProposedPad:
    return proposal.pads[_index(pad, proposal.pads)]


def _index(number: int, rows: Sequence) -> int:
    if not 0 <= number < len(rows):
        raise KitError("The proposal has changed since it was drawn; it is shown as it is now.")
    return number


def move_takes(proposal: Proposal, places: Sequence[Place], pad: int, layer: int) -> None:
    """Put takes into a layer of any pad; ``layer`` equal to the number of layers makes a new loudest one."""
    takes = [take_at(proposal, place) for place in places]
    target = pad_at(proposal, pad)
    goal = ProposedLayer([]) if layer == len(target.layers) else target.layers[_index(layer, target.layers)]
    _take_off(proposal, takes)
    if not any(goal is own for own in target.layers):
        target.layers.append(goal)
    goal.takes += takes
    if not any(target is own for own in proposal.pads):
        proposal.pads.append(target)
    _tidy(proposal)


def leave_out(proposal: Proposal, places: Sequence[Place]) -> None:
    takes = [take_at(proposal, place) for place in places]
    _take_off(proposal, takes)
    proposal.left_over += [LeftOver(file, BY_HAND) for take in takes for file in take.mics.values()]
    _tidy(proposal)


def take_in(proposal: Proposal, file: str, level_db: float, pad: int, layer: int) -> None:
    """Bring a left-over file back, as a take of its own."""
    if file not in {left.file for left in proposal.left_over}:
        raise KitError("This file is no longer left over.")
    layer_at(proposal, pad, layer).takes.append(ProposedTake({"close": file}, level_db))
    proposal.left_over = [left for left in proposal.left_over if left.file != file]


def split_layer(proposal: Proposal, pad: int, layer: int) -> None:
    """The softer half of its takes becomes a layer of its own, below."""
    row = layer_at(proposal, pad, layer)
    if len(row.takes) < 2:
        raise KitError("A layer of one take can't be split.")
    order = sorted(row.takes, key=lambda take: take.level_db)
    softer = [take for take in row.takes if any(take is low for low in order[: len(order) // 2])]
    row.takes = [take for take in row.takes if not any(take is low for low in softer)]
    pad_at(proposal, pad).layers.insert(layer, ProposedLayer(softer, row.said))


def join_layers(proposal: Proposal, pad: int, layer: int) -> None:
    """Join a layer with the one above."""
    layers = pad_at(proposal, pad).layers
    above = layer_at(proposal, pad, layer + 1)
    above.takes = layer_at(proposal, pad, layer).takes + above.takes
    del layers[layer]


def move_layer(proposal: Proposal, pad: int, layer: int, by: int) -> None:
    layers = pad_at(proposal, pad).layers
    layer, other = _index(layer, layers), _index(layer + by, layers)
    layers[layer], layers[other] = layers[other], layers[layer]


def reverse(proposal: Proposal, pad: int) -> None:
    pad_at(proposal, pad).layers.reverse()


def by_level(proposal: Proposal, pad: int, count: int | None) -> None:
    """Lay all takes of a pad out anew by loudness, in ``count`` layers or as many as the levels show."""
    row = pad_at(proposal, pad)
    takes = [take for layer in row.layers for take in layer.takes]
    groups = layers_by_level([take.level_db for take in takes], count)
    row.layers = [ProposedLayer([takes[i] for i in group], "by level") for group in groups]
    row.doubts = []


def join_pads(proposal: Proposal, pad: int, into: int) -> None:
    """Add the layers of one pad to another, in the order of their loudness."""
    if pad == into:
        raise KitError("A pad can't be joined with itself.")
    source, target = pad_at(proposal, pad), pad_at(proposal, into)
    target.layers = sorted([*target.layers, *source.layers], key=lambda layer: layer.level_db)
    proposal.pads.remove(source)


def set_pad(proposal: Proposal, pad: int, name: str, value: str) -> None:
    """name : "name", "kind" or "borders\""""
    row = pad_at(proposal, pad)
    known = {"kind": BY_SLUG, "borders": BORDERS}
    if name in known and value not in known[name]:
        raise KitError(f"“{value[:30]}” is not on the list.")
    if name == "name" and not value.strip():
        raise KitError("A pad needs a name.")
    setattr(row, name, value.strip()[:60])


def _take_off(proposal: Proposal, takes: Sequence[ProposedTake]) -> None:
    for pad in proposal.pads:
        for layer in pad.layers:
            layer.takes = [take for take in layer.takes if not any(take is moved for moved in takes)]


def _tidy(proposal: Proposal) -> None:
    """Layers without takes go, and pads without layers."""
    for pad in proposal.pads:
        pad.layers = [layer for layer in pad.layers if layer.takes]
    proposal.pads = [pad for pad in proposal.pads if pad.layers]


# As JSON ---------------------------------------------------------------------------------------------------------------


def to_state(proposal: Proposal) -> dict[str, Any]:
    return {
        "pads": [
            {
                "name": pad.name,
                "kind": pad.kind,
                "borders": pad.borders,
                "doubts": pad.doubts,
                "layers": [
                    {"said": layer.said, "takes": [[take.mics, take.level_db, take.said] for take in layer.takes]}
                    for layer in pad.layers
                ],
            }
            for pad in proposal.pads
        ],
        "left_over": [[left.file, left.why] for left in proposal.left_over],
    }


def from_state(state: dict[str, Any]) -> Proposal:
    return Proposal(
        pads=[
            ProposedPad(
                name=pad["name"],
                kind=pad["kind"],
                borders=pad["borders"],
                doubts=pad["doubts"],
                layers=[
                    ProposedLayer([ProposedTake(*take) for take in layer["takes"]], layer["said"])
                    for layer in pad["layers"]
                ],
            )
            for pad in state["pads"]
        ],
        left_over=[LeftOver(*left) for left in state["left_over"]],
    )
