"""Small kits for tests, said in one line."""

from collections.abc import Iterable, Mapping, Sequence
from types import MappingProxyType

import numpy as np

from dactyl.core.bounce.render import Block
from dactyl.core.desk.moving import Motion
from dactyl.core.desk.stage import Stage
from dactyl.core.kit import ChokeGroup, Kit, Layer, NoteMap, Output, Pad, Piece, Sample, Take
from dactyl.core.play.playbook import Playbook

RATE = 48_000
_ids = iter(range(1, 1_000_000))
_notes: dict[int, tuple[int, ...]] = {}  # of the pads made here, by their ids


def sample(frames: int = RATE, channels: int = 1, rate_hz: int = RATE) -> Sample:
    return Sample(f"{next(_ids):064x}", frames, rate_hz, channels)


def take(frames: int = RATE, **settings) -> Take:
    return Take(id=next(_ids), samples=(("close", sample(frames)),), **settings)


def pad(
    name: str = "pad", *, note: int | tuple[int, ...] = 38, highs=(127,), takes: int = 1, frames: int = RATE, **settings
) -> Pad:
    lows = [1, *(high + 1 for high in highs)]
    layers = tuple(
        Layer(id=next(_ids), low=low, high=high, takes=tuple(take(frames) for _ in range(takes)))
        for low, high in zip(lows, highs, strict=False)
    )
    return noted(Pad(id=next(_ids), name=name, layers=layers, **settings), note)


def noted(made: Pad, note: int | tuple[int, ...]) -> Pad:
    """The pad itself; ``map_of_pads`` gives it these notes."""
    _notes[made.id] = note if isinstance(note, tuple) else (note,)
    return made


def kit(*pads: Pad, outputs=("Main",), **settings) -> Kit:
    pieces = tuple(Piece(name=each.name, pads=(each,)) for each in pads)
    outs = tuple(Output(name=name) for name in outputs)
    return Kit(name="kit", pieces=pieces, outputs=outs, maps=(map_of_pads(pads),), **settings)


def map_of_pads(pads: Iterable[Pad]) -> NoteMap:
    return map_of({each.id: _notes[each.id] for each in pads})


def map_of(notes: Mapping[int, Sequence[int]]) -> NoteMap:
    """notes : of each pad, by its id"""
    return NoteMap(notes=tuple((note, pad) for pad, own in notes.items() for note in own))


CHOKE_A = ChokeGroup(letter="A", fade_ms=8)


def leaving(
    playbook: Playbook, blocks: Iterable[Block], moving: Mapping[int, Motion] = MappingProxyType({})
) -> list[np.ndarray]:
    """What leaves the desk of the outputs: (2, frames) of each, and of the parallel bus where there is one."""
    stage, parts = Stage(playbook.desk, range(len(playbook.outputs)), moving), []
    for block in blocks:
        left, beside = stage.process(block.buses)
        parts.append([*left, *beside])
    return [np.concatenate(of_one, axis=1) for of_one in zip(*parts, strict=True)]
