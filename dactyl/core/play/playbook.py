"""Compile a kit to the flat tables that every player reads: the bounce in Python, the page in JavaScript.

A player matches, counts and looks up; everything that can be known before the hit is computed here.
"""

import math
from dataclasses import dataclass

from dactyl.core.audio.prepare import Recipe
from dactyl.core.kit import CURVE_EXPONENTS, MAIN, MAX_VELOCITY, Kit, Layer, Pad, Piece, Take
from dactyl.core.play.cycles import take_cycle
from dactyl.core.units import db_to_gain, ms_to_frames, pan_gains, resampled_frames


@dataclass(frozen=True, slots=True)
class Region:
    """One sound of a take: what one mic heard, and how loud it goes where."""

    recipe: Recipe
    left: float  # linear gain; mono goes to both sides, stereo keeps its sides
    right: float
    output: int  # index into Playbook.outputs


@dataclass(frozen=True, slots=True)
class LayerTable:
    id: int
    counter: int  # layers with the same counter count together
    cycle: tuple[tuple[int, ...], ...]  # indexes into PadTable.takes, one entry for each strike
    takes: tuple[int, ...]  # every take of the layer, the disabled ones too


@dataclass(frozen=True, slots=True)
class PadTable:
    id: int
    name: str
    muted: bool
    steps: tuple[tuple[tuple[int, float], ...], ...]  # [velocity - 1] -> (layer index, gain), none, one or two
    layers: tuple[LayerTable, ...]
    takes: tuple[tuple[Region, ...], ...]
    emits: tuple[str, ...]  # signals that a strike of this pad sends ...
    listens: tuple[str, ...]  # ... and those that cut its voices
    cuts_itself: bool
    fade_frames: int
    max_voices: int


@dataclass(frozen=True, slots=True)
class OutputTable:
    name: str
    gain: float


@dataclass(frozen=True, slots=True)
class Playbook:
    rate_hz: int
    pads: tuple[PadTable, ...]
    notes: dict[int, tuple[int, ...]]  # note -> indexes into pads
    outputs: tuple[OutputTable, ...]


def compile_kit(kit: Kit, rate_hz: int) -> Playbook:
    pads, notes = [], {}
    for index, (piece, pad) in enumerate(kit.pads()):
        pads.append(compile_pad(kit, piece, pad, rate_hz))
        for note in pad.notes:
            notes.setdefault(note, []).append(index)
    return Playbook(
        rate_hz=rate_hz,
        pads=tuple(pads),
        notes={note: tuple(indexes) for note, indexes in sorted(notes.items())},
        outputs=tuple(OutputTable(output.name, db_to_gain(output.gain_db)) for output in kit.outputs),
    )


def compile_pad(kit: Kit, piece: Piece, pad: Pad, rate_hz: int) -> PadTable:
    layers, takes = [], []
    for layer in pad.layers:
        first = len(takes)
        takes += [_regions(kit, piece, pad, layer, take, rate_hz) for take in layer.takes]
        enabled = tuple(first + i for i, take in enumerate(layer.takes) if take.enabled)
        layers.append(LayerTable(
            id=layer.id,
            counter=pad.layers[0].id if pad.shared_counter else layer.id,
            cycle=take_cycle(enabled, pad.rotation, seed=kit.seed, layer=layer.id),
            takes=tuple(range(first, len(takes))),
        ))  # fmt: skip
    signals = (f"choke {pad.choke.letter}",) if pad.choke else ()
    own = (f"pad {pad.id}",) if pad.cuts_itself and not pad.choke else ()
    return PadTable(
        id=pad.id,
        name=pad.name,
        muted=pad.muted,
        steps=tuple(_step(pad, struck) for struck in range(1, MAX_VELOCITY + 1)),
        layers=tuple(layers),
        takes=tuple(takes),
        emits=signals + own,
        listens=signals + own,
        cuts_itself=pad.cuts_itself,
        fade_frames=ms_to_frames(pad.choke.fade_ms if pad.choke else 8.0, rate_hz),
        max_voices=pad.max_voices,
    )


def curved(velocity: int, curve: str) -> int:
    """Pass a velocity through a pad's curve (design rule 4): clip(floor(127 (n/127)^e + 1/2), 1, 127)."""
    shaped = math.floor(MAX_VELOCITY * (velocity / MAX_VELOCITY) ** CURVE_EXPONENTS[curve] + 0.5)
    return min(MAX_VELOCITY, max(1, shaped))


def dynamics_gain(velocity: int, dynamics: float) -> float:
    """1 + d((v/127)^2 - 1), design rule 6."""
    return 1 + dynamics * ((velocity / MAX_VELOCITY) ** 2 - 1)


def _step(pad: Pad, struck: int) -> tuple[tuple[int, float], ...]:
    """The layers that sound at a velocity, each with dynamics times crossfade."""
    velocity = curved(struck, pad.curve)
    loudness = dynamics_gain(velocity, pad.dynamics)
    sounding = []
    for index, layer in enumerate(pad.layers):
        gain = loudness
        if index:
            gain *= math.sin(_blend(velocity, pad.layers[index - 1], layer, pad.crossfade) * math.pi / 2)
        if index + 1 < len(pad.layers):
            gain *= math.cos(_blend(velocity, layer, pad.layers[index + 1], pad.crossfade) * math.pi / 2)
        if gain > 1e-9:  # cos(pi/2) is not quite 0
            sounding.append((index, gain))
    return tuple(sounding)


def _blend(velocity: int, lower: Layer, upper: Layer, width: int) -> float:
    """How far ``velocity`` is across the border, 0..1; the width stays within the narrower layer."""
    width = min(width, lower.high - lower.low + 1, upper.high - upper.low + 1)
    distance = velocity - (lower.high + 0.5)
    return min(1.0, max(0.0, distance / width + 0.5)) if width else float(distance > 0)


def _regions(kit: Kit, piece: Piece, pad: Pad, layer: Layer, take: Take, rate_hz: int) -> tuple[Region, ...]:
    mics = {mic.name: mic for mic in kit.mics}
    numbers = {output.name: number for number, output in enumerate(kit.outputs)}
    level_db = take.gain_db + layer.gain_db + pad.gain_db + piece.gain_db
    left, right = pan_gains(take.pan + pad.pan + piece.pan)
    regions = []
    for name, sample in take.samples:
        mic = mics[name]
        start = min(resampled_frames(take.start_frame, take.samples[0][1].rate_hz, sample.rate_hz), sample.frames - 1)
        gain = db_to_gain(level_db + mic.gain_db)
        regions.append(Region(
            recipe=Recipe(sample.sha256, sample.rate_hz, sample.channels, start, sample.frames, rate_hz),
            left=gain * (left if mic.follows_pan else 1.0),
            right=gain * (right if mic.follows_pan else 1.0),
            output=numbers[mic.output or pad.output or piece.output or MAIN],
        ))  # fmt: skip
    return tuple(regions)
