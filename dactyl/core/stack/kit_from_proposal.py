"""A proposal as a kit: standard notes, hats that choke each other, silence before the onset skipped."""

from collections.abc import Mapping
from itertools import count

from dactyl.core.kinds import BY_SLUG, free_note
from dactyl.core.kit import ChokeGroup, Kit, Layer, Mic, NoteMap, Pad, Piece, Sample, Take
from dactyl.core.stack.layers import layered_dynamics
from dactyl.core.stack.pieces import pieces_of
from dactyl.core.stack.propose import Proposal, ProposedPad, ProposedTake
from dactyl.core.stack.words import PLAIN_MICS

HATS = ChokeGroup(letter="A")
"""Mics that follow a pad's pan; the others keep their image."""


def kit_of(proposal: Proposal, name: str, samples: Mapping[str, Sample], onsets: Mapping[str, int]) -> Kit:
    """samples, onsets : by the paths that the proposal names; onset frames in each file"""
    ids, notes, pieces = count(1), {}, []
    mics = list(
        dict.fromkeys(mic for pad in proposal.pads for layer in pad.layers for take in layer.takes for mic in take.mics)
    )
    for piece in pieces_of([(pad.name, pad.kind) for pad in proposal.pads]):
        pads = []
        for place, own_name in zip(piece.pads, piece.own_names, strict=True):
            proposed = proposal.pads[place]
            number, note = next(ids), free_note(proposed.kind, notes)
            if note is not None:
                notes[note] = number
            pads.append(Pad(
                id=number,
                name=f"{piece.name} {own_name}".strip(),
                kind=proposed.kind,
                layers=_layers(proposed, mics, samples, onsets, ids),
                choke=HATS if BY_SLUG[proposed.kind].is_hat else None,
                dynamics=layered_dynamics(len(proposed.layers)),
            ))  # fmt: skip
        pieces.append(Piece(name=piece.name, pads=tuple(pads)))
    return Kit(
        name=name,
        pieces=tuple(pieces),
        mics=tuple(Mic(name=mic, follows_pan=mic in PLAIN_MICS, is_ambience=mic not in PLAIN_MICS) for mic in mics)
        or (Mic(name="close"),),
        maps=(NoteMap(notes=tuple(notes.items())),),
    )


def _layers(
    proposed: ProposedPad, mics: list[str], samples: Mapping[str, Sample], onsets: Mapping[str, int], ids: count
) -> tuple[Layer, ...]:
    layers, low = [], 1
    for high, layer in zip(proposed.highs, proposed.layers, strict=True):
        takes = tuple(_take(take, mics, samples, onsets, next(ids)) for take in layer.takes)
        layers.append(Layer(id=next(ids), low=low, high=high, takes=takes))
        low = high + 1
    return tuple(layers)


def _take(
    take: ProposedTake, mics: list[str], samples: Mapping[str, Sample], onsets: Mapping[str, int], number: int
) -> Take:
    heard = tuple((mic, samples[take.mics[mic]]) for mic in mics if mic in take.mics)
    return Take(id=number, samples=heard, start_frame=onsets[take.mics[heard[0][0]]])
