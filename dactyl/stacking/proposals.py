"""Proposals in the application: sample keys in the place of files, and what the page shows of them."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from dactyl.core.errors import KitError
from dactyl.core.stack import arrange
from dactyl.core.stack.layers import layered_dynamics
from dactyl.core.stack.pieces import pieces_of
from dactyl.core.stack.propose import Proposal as ProposalValue
from dactyl.core.stack.propose import propose
from dactyl.history.edits import edit
from dactyl.history.models import Revision
from dactyl.kits.edits.samples import NewPad, NewTake, apply_proposal
from dactyl.kits.models import Kit, Proposal
from dactyl.shelf import queries as shelf_queries
from dactyl.shelf.models import Sample
from dactyl.web.request_values import number_in


def begin(kit: Kit, samples: Sequence[Sample], pad_id: int | None) -> Proposal:
    """Read names and sounds; older proposals of the kit go."""
    files = shelf_queries.as_files(samples)
    keys = {file.path: str(sample.pk) for file, sample in zip(files, samples, strict=True)}
    state = arrange.to_state(propose(files))
    for pad in state["pads"]:
        for layer in pad["layers"]:
            for take in layer["takes"]:
                take[0] = {mic: keys[path] for mic, path in take[0].items()}
    state["left_over"] = [[keys[path], why] for path, why in state["left_over"]]
    kit.proposals.all().delete()
    return Proposal.objects.create(kit=kit, pad_id=pad_id if len(state["pads"]) == 1 else None, state=state)


@dataclass(frozen=True, slots=True)
class Shown:
    """What the page draws."""

    row: Proposal
    value: ProposalValue
    samples: dict[str, Sample]
    pads: list[dict[str, Any]]
    left_over: list[tuple[Sample, str]]

    @property
    def file_count(self) -> int:
        return sum(len(pad.files) for pad in self.value.pads)

    @property
    def doubt_count(self) -> int:
        return sum(len(pad.doubts) for pad in self.value.pads)

    @property
    def tied(self) -> str:
        """The pieces of several pads that applying it makes: "Snare (centre, side stick), Hat (closed, open)"."""
        pieces = [] if self.row.pad_id else pieces_of([(pad.name, pad.kind) for pad in self.value.pads])
        return ", ".join(
            f"{piece.name} ({', '.join(name or 'plain' for name in piece.own_names)})"
            for piece in pieces
            if len(piece.pads) > 1
        )


def shown(row: Proposal) -> Shown:
    value = arrange.from_state(row.state)
    keys = [file for pad in value.pads for file in pad.files] + [left.file for left in value.left_over]
    samples = {str(pk): sample for pk, sample in Sample.objects.in_bulk({int(key) for key in keys}).items()}
    pads = []
    for pad in value.pads:
        lows = [1, *(high + 1 for high in pad.highs)]
        layers = [
            {
                "low": low,
                "high": high,
                "row": layer,
                "takes": [(take, [(mic, samples.get(key)) for mic, key in take.mics.items()]) for take in layer.takes],
            }
            for low, high, layer in zip(lows, pad.highs, pad.layers, strict=False)
        ]
        drawn = [(part["low"], part["high"], [take.level_db for take in part["row"].takes]) for part in layers]
        mics = list(dict.fromkeys(mic for layer in pad.layers for take in layer.takes for mic in take.mics))
        pads.append(
            {"row": pad, "layers": layers, "drawn": drawn, "dynamics": layered_dynamics(len(layers)), "mics": mics}
        )
    left = [(samples[entry.file], entry.why) for entry in value.left_over if entry.file in samples]
    return Shown(row, value, samples, pads, left)


def change(row: Proposal, version: int, what: str, asked: Mapping[str, str]) -> None:
    """Change the proposal by one of the ways of core.stack.arrange; ``asked`` holds its numbers as texts.

    raises : StaleDocument if it is not the one the page saw
    """
    value = arrange.from_state(row.state)
    pad, layer = _number(asked, "pad"), _number(asked, "layer")
    ways = {
        "move": lambda: arrange.move_takes(value, _places(asked), pad, layer),
        "leave-out": lambda: arrange.leave_out(value, _places(asked)),
        "take-in": lambda: arrange.take_in(value, asked.get("file", ""), _level(asked.get("file", "")), pad, layer),
        "split": lambda: arrange.split_layer(value, pad, layer),
        "join": lambda: arrange.join_layers(value, pad, layer),
        "louder": lambda: arrange.move_layer(value, pad, layer, 1),
        "softer": lambda: arrange.move_layer(value, pad, layer, -1),
        "reverse": lambda: arrange.reverse(value, pad),
        "by-level": lambda: arrange.by_level(value, pad, _number(asked, "count") or None),
        "join-pads": lambda: arrange.join_pads(value, pad, _number(asked, "into")),
        "name": lambda: arrange.set_pad(value, pad, "name", asked.get("value", "")),
        "kind": lambda: arrange.set_pad(value, pad, "kind", asked.get("value", "")),
        "borders": lambda: arrange.set_pad(value, pad, "borders", asked.get("value", "")),
    }
    if what not in ways:
        raise KitError(f"A proposal can't be changed by “{what[:30]}”. Reload the page.")
    ways[what]()
    with edit(row, version, f"Proposal: {what.replace('-', ' ')}") as change_:
        change_.update(row, state=arrange.to_state(value))


def _number(asked: Mapping[str, str], name: str) -> int:
    return number_in(asked.get(name, "0") or "0", -1)


def _places(asked: Mapping[str, str]) -> list[arrange.Place]:
    """``"0.1.2,0.1.3"``: pad, layer and take of each."""
    places = [
        tuple(number_in(part) for part in place.split(".")[:4] if part.isdecimal())
        for place in asked.get("takes", "").split(",")
    ]
    if any(len(place) != 3 for place in places):
        raise KitError("Select the takes to move first.")
    return places


def _level(key: str) -> float:
    found = Sample.objects.filter(pk=number_in(key)).values_list("level_db", flat=True).first()
    return found if found is not None else 0.0


def as_new_pads(row: Proposal) -> list[NewPad]:
    view = shown(row)
    if not view.pads:
        raise KitError("The proposal has no pad left. Take files in again, or drop it.")
    return [
        NewPad(
            name=pad.name,
            kind=pad.kind,
            highs=pad.highs,
            layers=[
                [NewTake.of({mic: view.samples[key] for mic, key in take.mics.items()}) for take in layer.takes]
                for layer in pad.layers
            ],
        )
        for pad in view.value.pads
    ]


def apply(kit: Kit, version: int, row: Proposal) -> Revision | None:
    """What is proposed becomes pads of the kit, and the proposal is over."""
    revision = apply_proposal(kit, version, as_new_pads(row), row.pad)
    row.delete()
    return revision


def drop(kit_id: int, proposal_id: int) -> None:
    Proposal.objects.filter(pk=proposal_id, kit=kit_id).delete()
