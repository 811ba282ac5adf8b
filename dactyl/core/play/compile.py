"""Compile a kit to its playbook, pad by pad: all rules that do not need the hit are worked out here."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from dactyl.core.audio.filter import filter_table
from dactyl.core.audio.prepare import Recipe
from dactyl.core.desk.tables import compile_desk
from dactyl.core.kit import (
    CURVE_EXPONENTS,
    FADE_MS,
    MAIN,
    MAX_VELOCITY,
    Curve,
    Kit,
    Layer,
    Mic,
    Pad,
    Piece,
    Sample,
    Take,
    Variation,
    pan_of,
)
from dactyl.core.play.cycles import take_cycle
from dactyl.core.play.playbook import (
    EnvelopeTable,
    Grip,
    MicSound,
    OutputTable,
    PadTable,
    Playbook,
    Region,
    Shares,
    VariationTable,
)
from dactyl.core.units import db_to_gain, ms_to_frames, pan_gains, resampled_frames

VARIATION_LENGTH = 64
VELOCITIES = range(1, MAX_VELOCITY + 1)


def compile_kit(kit: Kit, rate_hz: int) -> Playbook:
    pads, notes, notes_of = [], {}, kit.notes()
    shares, grips = gestures(kit.pieces, rate_hz)
    group_of = {name: group.name for group in kit.groups for name in group.outputs}
    for index, (place, piece, pad) in enumerate((n, one, pad) for n, one in enumerate(kit.pieces) for pad in one.pads):
        own = notes_of.get(pad.id, ())
        pads.append(_compile_pad(kit, piece, pad, own, rate_hz, piece.id or -1 - place))
        for note in own:
            notes.setdefault(note, []).append(index)
    return Playbook(
        rate_hz=rate_hz,
        pads=tuple(pads),
        notes={note: tuple(indexes) for note, indexes in sorted(notes.items())},
        outputs=tuple(OutputTable(output.name, group_of.get(output.name, "")) for output in kit.outputs),
        seed=kit.seed,
        desk=compile_desk(kit, rate_hz),
        ambience=frozenset(mic.name for mic in kit.mics if mic.is_ambience),
        name=kit.name,
        groups=tuple(group.name for group in kit.groups),
        shares=shares,
        grips=grips,
    )


# Pedals and hands (design rule 20) -------------------------------------------------------------------------------------


def gestures(pieces: Sequence[Piece], rate_hz: int) -> tuple[tuple[Shares, ...], tuple[Grip, ...]]:
    """How pieces go by pedals and hands; pads are named by their places among all pads of the pieces."""
    shares, grips, first = [], [], 0
    for piece in pieces:
        if shared := _shares(piece, first, rate_hz):
            shares.append(shared)
        if piece.grab_from is not None or piece.grab_note is not None:
            grips.append(Grip(
                pads=tuple(range(first, first + len(piece.pads))),
                limit=piece.grab_from,
                note=piece.grab_note,
                fade=ms_to_frames(piece.grab_ms, rate_hz),
                sounds=_played_by(piece, first, "grab"),
            ))  # fmt: skip
        first += len(piece.pads)
    return tuple(shares), tuple(grips)


def _shares(piece: Piece, first: int, rate_hz: int) -> Shares | None:
    """None where nothing chooses among its pads, or there are not two to choose from. Of pads that stand for the same stretch
    the first does."""
    by_high = {
        pad.open_to: first + place for place, pad in reversed([*enumerate(piece.pads)]) if pad.open_to is not None
    }
    if not piece.shared_by or len(by_high) < 2:
        return None
    highs = sorted(by_high)
    return Shares(
        number=piece.controller,
        pads=tuple(by_high[high] for high in highs),
        highs=(*highs[:-1], MAX_VELOCITY),
        is_turned=piece.is_turned,
        width=piece.blend,
        is_pedal=piece.shared_by == "pedal",
        fade=ms_to_frames(piece.closing_ms, rate_hz),
        chick=_played_by(piece, first, "chick"),
        splash=_played_by(piece, first, "splash"),
    )


def _played_by(piece: Piece, first: int, what: str) -> int | None:
    return next((first + place for place, pad in enumerate(piece.pads) if pad.played_by == what), None)


# Pads ------------------------------------------------------------------------------------------------------------------


def _compile_pad(kit: Kit, piece: Piece, pad: Pad, notes: Sequence[int], rate_hz: int, piece_id: int) -> PadTable:
    curve = curve_table(pad.curve)
    envelope = pad.envelope
    return PadTable(
        id=pad.id,
        name=pad.name,
        piece=piece.name,
        piece_id=piece_id,
        kind=pad.kind,
        muted=pad.muted,
        regions=_regions(_Around.of(kit, piece), pad, rate_hz),
        curve=curve,
        companions=pad.companions,
        emits=_emits(pad),
        listens=_listens(pad, rate_hz),
        cuts_itself=pad.cuts_itself,
        pool=f"pad {pad.id}",
        max_voices=pad.max_voices,
        limit_fade=ms_to_frames(FADE_MS, rate_hz),
        envelope=EnvelopeTable(
            attack=ms_to_frames(envelope.attack_ms, rate_hz),
            hold=ms_to_frames(envelope.hold_ms, rate_hz),
            decay=None if envelope.decay_ms is None else ms_to_frames(envelope.decay_ms, rate_hz),
            sustain=envelope.sustain if pad.is_held else 0.0,
            release=ms_to_frames(envelope.release_ms, rate_hz),
        ),
        is_held=pad.is_held,
        delay=ms_to_frames(pad.delay_ms, rate_hz),
        filter=None
        if pad.filter.kind == "off"
        else filter_table(pad.filter.kind, pad.filter.cutoff_hz, pad.filter.q, pad.filter.octaves, rate_hz),
        cents_per_key=pad.cents_per_key,
        root=pad.root if pad.root is not None else min(notes, default=60),
        variation=_variation(pad, kit.seed, rate_hz),
    )


def _emits(pad: Pad) -> tuple[str, ...]:
    choke = (f"choke {pad.choke.letter}",) if pad.choke else ()
    own = (f"pad {pad.id}",) if pad.cuts_itself and not pad.choke else ()
    return choke + own + tuple(f"mute {group.number}" for group in pad.silences)


def _listens(pad: Pad, rate_hz: int) -> tuple[tuple[str, int], ...]:
    choke = [(f"choke {pad.choke.letter}", pad.choke.fade_ms)] if pad.choke else []
    own = [(f"pad {pad.id}", FADE_MS)] if pad.cuts_itself and not pad.choke else []
    mutes = [(f"mute {group.number}", group.fade_ms) for group in pad.silenced_by]
    return tuple((signal, ms_to_frames(fade_ms, rate_hz)) for signal, fade_ms in choke + own + mutes)


# Velocity (design rule 4) --------------------------------------------------------------------------------------------


@lru_cache(maxsize=256)
def curve_table(curve: Curve) -> tuple[int, ...]:
    """What each velocity 1..127 becomes: clip(floor(127 (n/127)^e + 1/2), 1, 127), or along the lines of points."""
    if isinstance(curve, str):
        shaped = [MAX_VELOCITY * (n / MAX_VELOCITY) ** CURVE_EXPONENTS[curve] for n in VELOCITIES]
    else:
        shaped = np.interp(VELOCITIES, [x for x, _ in curve], [y for _, y in curve])
    return tuple(min(MAX_VELOCITY, max(1, math.floor(value + 0.5))) for value in shaped)


def dynamics_gain(velocity: float, dynamics: float) -> float:
    """1 + d((v/127)^2 - 1), design rule 6."""
    return 1 + dynamics * ((velocity / MAX_VELOCITY) ** 2 - 1)


def layer_gains(pad: Pad, curve: tuple[int, ...]) -> tuple[tuple[float | None, ...], ...]:
    """For each layer: dynamics times crossfade at each struck velocity, None where the layer is silent."""
    return _gain_tables(tuple(layer.high for layer in pad.layers), pad.crossfade, pad.dynamics, curve)


@lru_cache(maxsize=4096)
def _gain_tables(
    highs: tuple[int, ...], crossfade: int, dynamics: float, curve: tuple[int, ...]
) -> tuple[tuple[float | None, ...], ...]:
    return tuple(
        tuple(_gain(highs, index, velocity, crossfade, dynamics) for velocity in curve) for index in range(len(highs))
    )


def _gain(highs: tuple[int, ...], index: int, velocity: int, crossfade: int, dynamics: float) -> float | None:
    gain = 1.0
    if index:
        gain *= math.sin(_blend(velocity, highs, index - 1, crossfade) * math.pi / 2)
    if index + 1 < len(highs):
        gain *= math.cos(_blend(velocity, highs, index, crossfade) * math.pi / 2)
    return gain * dynamics_gain(velocity, dynamics) if gain > 1e-9 else None  # cos(pi/2) is not quite 0


def _blend(velocity: int, highs: tuple[int, ...], lower: int, width: int) -> float:
    """How far ``velocity`` is across the border above ``lower``, 0..1; the width stays within the narrower layer."""
    high = highs[lower]
    width = min(width, high - (highs[lower - 1] if lower else 0), highs[lower + 1] - high)
    distance = velocity - (high + 0.5)
    return min(1.0, max(0.0, distance / width + 0.5)) if width else float(distance > 0)


# Takes (design rules 5 to 7) -----------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class _Around:
    """What of its kit and its piece says how the takes of a pad sound."""

    piece: Piece  # without its pads
    mics: tuple[Mic, ...]
    outputs: tuple[str, ...]
    seed: int

    @classmethod
    def of(cls, kit: Kit, piece: Piece) -> "_Around":
        return cls(replace(piece, pads=()), kit.mics, tuple(output.name for output in kit.outputs), kit.seed)


@lru_cache(maxsize=256)  # pads of two large kits: what an edit did not change is known by what it is
def _regions(around: _Around, pad: Pad, rate_hz: int) -> tuple[Region, ...]:
    """One for each take in order; then one without sounds for each layer that has no take: its strikes count too."""
    regions, silent = [], []
    for layer, gains in zip(pad.layers, layer_gains(pad, curve_table(pad.curve)), strict=True):
        counter = pad.layers[0].id if pad.shared_counter else layer.id
        if not layer.takes:
            silent.append(Region(sounds=(), gains=gains, counter=counter, places=()))
        enabled = [number for number, take in enumerate(layer.takes) if take.enabled]
        cycle = take_cycle(enabled, pad.rotation, seed=around.seed, layer=layer.stream)
        for number, take in enumerate(layer.takes):
            regions.append(Region(
                sounds=_sounds(around, pad, layer, take, rate_hz),
                gains=gains,
                counter=counter,
                length=max(1, len(cycle)),
                places=tuple(place for place, sounding in enumerate(cycle) if number in sounding),
            ))  # fmt: skip
    return (*regions, *silent)


def _sounds(around: _Around, pad: Pad, layer: Layer, take: Take, rate_hz: int) -> tuple[MicSound, ...]:
    piece, mics = around.piece, {mic.name: mic for mic in around.mics}
    own_gains_db = dict(piece.mic_gains_db)
    level_db = take.gain_db + layer.gain_db + pad.gain_db + piece.gain_db
    sounds = []
    for name, _ in take.samples:
        recipe = recipe_of(pad, take, name, rate_hz)
        if recipe is None:
            continue
        mic = mics[name]
        gain = db_to_gain(level_db + mic.gain_db + own_gains_db.get(name, 0.0))
        gain = -gain if name in piece.mic_flips else gain
        pan, place = pan_of(piece, pad, take, mic)
        left, right = pan_gains(place)
        output = around.outputs.index(mic.output or pad.output or piece.output or MAIN)
        sounds.append(MicSound(recipe, gain, pan, gain * left, gain * right, output, name))
    return tuple(sounds)


def recipe_of(pad: Pad, take: Take, mic: str, rate_hz: int) -> Recipe | None:
    """What ``mic`` heard of ``take``, prepared; None where its sample has nothing in the take's span of time."""
    sample = dict(take.samples)[mic]
    span = span_of(take, sample)
    if span is None:
        return None
    start, end, silence = span
    return Recipe(
        sha256=sample.sha256,
        sample_rate_hz=sample.rate_hz,
        channels=sample.channels,
        start_frame=start,
        end_frame=end,
        silence_frames=silence,
        rate_hz=rate_hz,
        tune_cents=take.tune_cents + pad.tune_cents,
        is_reversed=take.is_reversed,
        is_flipped=take.is_flipped,
        weight_db=pad.weight_db,
        snap_db=pad.snap_db,
        fade_in_frames=ms_to_frames(take.fade_in_ms, rate_hz),
        fade_out_frames=ms_to_frames(take.fade_out_ms, rate_hz),
    )


def span_of(take: Take, sample: Sample) -> tuple[int, int, int] | None:
    """(start, end, frames of silence before it) in ``sample``, as it is heard: all mics share one span of time.

    Start and end count in the first sample as it is heard, so backwards where it is reversed: a start of 0 is its end then.
    Backwards, a shorter mic begins later by what it is shorter, and what a longer one has behind the first is not heard.
    """
    first = take.samples[0][1]

    def to(frames: int) -> int:
        return resampled_frames(frames, first.rate_hz, sample.rate_hz)

    if not take.is_reversed:
        start, end = to(take.start_frame), sample.frames
        if take.end_frame is not None:
            end = min(end, max(start + 1, to(take.end_frame)))
        return (start, end, 0) if start < end else None
    latest = to(first.frames - take.start_frame)  # where the span ends in the recording as it was made
    earliest = 0 if take.end_frame is None else to(max(0, first.frames - take.end_frame))
    last = min(latest, sample.frames)
    if earliest >= last:
        return None
    return sample.frames - last, sample.frames - earliest, latest - last


def _variation(pad: Pad, seed: int, rate_hz: int) -> VariationTable | None:
    """Four cycles of uniform values, drawn with default_rng([seed, pad]) in the order tune, level, pan, delay."""
    asked: Variation = pad.variation
    if asked.is_off:
        return None
    rng = np.random.default_rng([seed, pad.stream])
    tune, level, pan = rng.uniform(-1, 1, (3, VARIATION_LENGTH))
    delay = rng.uniform(0, 1, VARIATION_LENGTH)
    return VariationTable(
        ratios=tuple(float(2 ** (asked.tune_cents * value / 1200)) for value in tune),
        gains=tuple(db_to_gain(asked.gain_db * float(value)) for value in level),
        pans=tuple(asked.pan * float(value) for value in pan),
        delays=tuple(ms_to_frames(asked.delay_ms * float(value), rate_hz) for value in delay),
    )
