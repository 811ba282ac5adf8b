"""Which pads of a proposal are articulations of one drum: the snare and its side stick, the hats, a ride and its bell."""

from collections.abc import Sequence
from dataclasses import dataclass

from dactyl.core.kinds import BY_SLUG
from dactyl.core.stack.words import ARTICULATIONS

OF_PIECE = {"side_stick": "snare", "ride_bell": "ride"}  # kinds that are ways to strike another
HOW = frozenset(word for name in ARTICULATIONS for word in name.split())
HAT = "hat"


@dataclass(frozen=True, slots=True)
class ProposedPiece:
    name: str
    pads: tuple[int, ...]  # places in the proposal
    own_names: tuple[str, ...]  # what each pad is called within the piece


def pieces_of(pads: Sequence[tuple[str, str]]) -> list[ProposedPiece]:
    """Pads are of one piece where their names differ by articulations alone; in the order of each piece's first pad.

    A pad whose name says only how it is struck is of the drum of its kind, where there is but one.

    pads : (name, kind) of each
    """
    drums = [_drum(name, kind) for name, kind in pads]
    groups: dict[tuple[str, ...], list[int]] = {}
    for place, drum in enumerate(drums):
        known = {other for other in drums if other[0] == drum[0] and len(other) > 1}
        if len(drum) == 1 and drum != (HAT,):
            drum = known.pop() if len(known) == 1 else ("", str(place))
        groups.setdefault(drum, []).append(place)
    return [piece for places in groups.values() for piece in _pieces([pads[place][0] for place in places], places)]


def _drum(name: str, kind: str) -> tuple[str, ...]:
    """The kind of drum, and what its name says of it besides how it is struck."""
    words = [word for word in name.lower().replace("?", "").split() if word not in HOW]
    if BY_SLUG[kind].is_hat:
        return (HAT, *(word for word in words if word != HAT))
    return (OF_PIECE.get(kind, kind), *words)


def _pieces(names: Sequence[str], places: Sequence[int]) -> list[ProposedPiece]:
    """One piece of all these pads; one of each, where their articulations do not tell them apart."""
    own = [" ".join(word for word in name.lower().split() if word in HOW) for name in names]
    if len(set(own)) < len(own) or len(own) == 1:
        return [ProposedPiece(name, (place,), ("",)) for name, place in zip(names, places, strict=True)]
    shared = ([word for word in name.split() if word.lower() not in HOW] for name in names)
    name = " ".join(next(filter(None, shared), [HAT]))
    return [ProposedPiece(name[:1].upper() + name[1:], tuple(places), tuple(own))]
