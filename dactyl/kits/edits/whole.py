"""Write a kit value as rows, as opening a kit file does. It is the kit's beginning: no history precedes it."""

import re
from collections.abc import Mapping

from django.db import transaction

from dactyl.core import kit as core
from dactyl.kits.models import (
    DRAWN,
    ChokeGroup,
    Companion,
    Kit,
    Layer,
    Map,
    MapNote,
    Mic,
    MuteGroup,
    Output,
    Pad,
    Piece,
    PieceMic,
    Take,
    TakeSample,
)
from dactyl.shelf.models import Sample


def write_kit(value: core.Kit, samples: Mapping[str, Sample]) -> Kit:
    """samples : by hash; every one the kit uses"""
    with transaction.atomic():
        return _Writer(value, samples).write()


class _Writer:
    def __init__(self, value: core.Kit, samples: Mapping[str, Sample]) -> None:
        self._value, self._samples = value, samples

    def write(self) -> Kit:
        value = self._value
        kit = self._kit = Kit.objects.create(name=value.name[:80] or "Kit", seed=value.seed)
        self._outputs = {
            output.name: Output.objects.create(kit=kit, name=output.name[:40], position=n, gain_db=output.gain_db)
            for n, output in enumerate(value.outputs)
        }
        self._mics = {
            mic.name: Mic.objects.create(
                kit=kit, name=mic.name[:40], position=n, gain_db=mic.gain_db, follows_pan=mic.follows_pan,
                output=self._outputs.get(mic.output),
            )
            for n, mic in enumerate(value.mics)
        }  # fmt: skip
        pads = [pad for _, pad in value.pads()]
        self._chokes = {
            group.letter: ChokeGroup.objects.create(kit=kit, letter=group.letter, fade_ms=group.fade_ms)
            for group in {pad.choke.letter: pad.choke for pad in pads if pad.choke}.values()
        }
        groups = {group.number: group for pad in pads for group in (*pad.silences, *pad.silenced_by)}
        are_ours = all(1 <= number <= 99 for number in groups)  # SFZ counts its groups as it likes
        self._mutes = {
            number: MuteGroup.objects.create(kit=kit, number=number if are_ours else place, fade_ms=group.fade_ms)
            for place, (number, group) in enumerate(sorted(groups.items()), start=1)
        }
        self._map = Map.objects.create(kit=kit, name="Notes", is_default=True)
        rows: dict[int, Pad] = {}
        for piece in value.pieces:
            self._piece(piece, rows)
        Companion.objects.bulk_create([
            Companion(pad=rows[pad.id], other=rows[other], strength=strength)
            for pad in pads
            for other, strength in pad.companions
            if other in rows and other != pad.id
        ])  # fmt: skip
        return kit

    def _piece(self, piece: core.Piece, rows: dict[int, Pad]) -> None:
        row = Piece.objects.create(
            kit=self._kit,
            name=piece.name[:60],
            position=10 * len(rows),
            gain_db=piece.gain_db,
            pan=100 * piece.pan,
            output=self._outputs.get(piece.output),
        )
        PieceMic.objects.bulk_create([
            PieceMic(piece=row, mic=self._mics[mic], gain_db=gain_db) for mic, gain_db in piece.mic_gains_db if mic in self._mics
        ])  # fmt: skip
        for pad in piece.pads:
            rows[pad.id] = self._pad(pad, piece, row, position=10 * len(rows))

    def _pad(self, pad: core.Pad, piece: core.Piece, row: Piece, *, position: int) -> Pad:
        is_drawn = not isinstance(pad.curve, str)
        made = Pad.objects.create(
            kit=self._kit,
            piece=row,
            name=_own_name(pad.name, piece.name)[:60],
            kind=pad.kind,
            position=position,
            gain_db=pad.gain_db,
            pan=100 * pad.pan,
            muted=pad.muted,
            output=self._outputs.get(pad.output),
            max_voices=min(64, pad.max_voices),
            rotation=pad.rotation,
            shared_counter=pad.shared_counter,
            choke=self._chokes[pad.choke.letter] if pad.choke else None,
            cuts_itself=pad.cuts_itself,
            silences=self._mutes[pad.silences[0].number] if pad.silences else None,
            silenced_by=self._mutes[pad.silenced_by[0].number] if pad.silenced_by else None,
            dynamics=pad.dynamics,
            curve=DRAWN if is_drawn else pad.curve,
            curve_points=[list(point) for point in pad.curve] if is_drawn else None,
            crossfade=min(64, pad.crossfade),
            tune_cents=pad.tune_cents,
            cents_per_key=pad.cents_per_key,
            root=pad.root,
            is_held=pad.is_held,
            attack_ms=pad.envelope.attack_ms,
            hold_ms=pad.envelope.hold_ms,
            decay_ms=pad.envelope.decay_ms,
            sustain=pad.envelope.sustain,
            release_ms=pad.envelope.release_ms,
            filter_kind=pad.filter.kind,
            cutoff_hz=pad.filter.cutoff_hz,
            filter_q=pad.filter.q,
            filter_octaves=pad.filter.octaves,
            weight_db=pad.weight_db,
            snap_db=pad.snap_db,
            vary_tune_cents=pad.variation.tune_cents,
            vary_gain_db=pad.variation.gain_db,
            vary_pan=100 * pad.variation.pan,
            vary_delay_ms=pad.variation.delay_ms,
            dice=pad.dice if pad.dice is not None else pad.id,
        )
        MapNote.objects.bulk_create([MapNote(map=self._map, note=note, pad=made) for note in dict.fromkeys(pad.notes)])
        self._takes(made, pad)
        return made

    def _takes(self, row: Pad, pad: core.Pad) -> None:
        layers = Layer.objects.bulk_create([
            Layer(pad=row, high=layer.high, gain_db=layer.gain_db, dice=layer.dice if layer.dice is not None else layer.id)
            for layer in pad.layers
        ])  # fmt: skip
        filled = [
            (layer, number, take)
            for layer, value in zip(layers, pad.layers, strict=True)
            for number, take in enumerate(value.takes)
        ]
        takes = Take.objects.bulk_create([
            Take(
                layer=layer,
                position=number,
                is_enabled=take.enabled,
                gain_db=take.gain_db,
                pan=100 * take.pan,
                tune_cents=take.tune_cents,
                start_frame=take.start_frame,
                end_frame=take.end_frame,
                fade_in_ms=take.fade_in_ms,
                fade_out_ms=take.fade_out_ms,
                is_reversed=take.is_reversed,
                is_flipped=take.is_flipped,
            )
            for layer, number, take in filled
        ])  # fmt: skip
        TakeSample.objects.bulk_create([
            TakeSample(take=row, mic=self._mics[mic], sample=self._samples[sample.sha256])
            for row, (_, _, take) in zip(takes, filled, strict=True)
            for mic, sample in take.samples
        ])  # fmt: skip


def _own_name(full_name: str, piece_name: str) -> str:
    """A pad's articulation: its full name without the piece's. A pad without a name is called by its place."""
    if not piece_name and re.fullmatch(r"Pad \d+", full_name):
        return ""
    if full_name == piece_name:
        return ""
    return full_name.removeprefix(f"{piece_name} ")
