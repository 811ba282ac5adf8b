"""Write a kit value into rows, through the history as one edit: opening a kit file, and whatever else brings a whole kit."""

import re
from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any

from django.db import transaction
from django.db.models import Model

from dactyl.core import fields
from dactyl.core import kit as core
from dactyl.core.fields import row_of
from dactyl.history.edits import Change, edit
from dactyl.kits.edits.kits import bare_kit
from dactyl.kits.edits.samples import counted_in
from dactyl.kits.models import (
    DRAWN,
    SILENCED_BY,
    SILENCES,
    Cell,
    ChokeGroup,
    Companion,
    Kit,
    Layer,
    Map,
    MapNote,
    Mic,
    MuteGroup,
    Output,
    OutputGroup,
    Pad,
    PadMute,
    Piece,
    PieceMic,
    Surface,
    Take,
    TakeSample,
)
from dactyl.shelf.models import Sample

OF_ITS_KIT = {"kind", "pan", "muted", "max_voices", "cuts_itself", "cents_per_key", "root"}
"""Settings of a pad that are what it is in its kit, and not how it sounds."""


def open_kit(value: core.Kit, samples: Mapping[str, Sample], opened_from: str) -> Kit:
    """A new kit of ``value``; its first edit is that it was opened. samples : by hash; every one the kit uses"""
    with transaction.atomic():
        kit = bare_kit(value.name or "Kit", seed=value.seed)
        with edit(kit, kit.version, f"Opened from {opened_from}") as change:
            Writer(change, samples).write(value)
    return kit


class Writer:
    """Puts a kit value into the rows of the kit that ``change`` edits: what it names is used where it is there.

    keeps : whether outputs, mics and the map that are there stay as they are, and are not set to what the value says
    keeps_keys : whether pads, layers and takes are to have the keys of the value, which was this kit's own
    """

    def __init__(
        self, change: Change, samples: Mapping[str, Sample], *, keeps: bool = False, keeps_keys: bool = False
    ) -> None:
        self._change, self._kit, self._samples, self._keeps = change, change.document, samples, keeps
        self._keeps_keys = keeps_keys

    def write(self, value: core.Kit) -> dict[int, Pad]:
        """Returns the rows of the pads, by their ids in ``value``. About twenty statements, whatever the kit's size."""
        pads = [pad for _, pad in value.pads()]
        self._desk(value)
        self._outputs = self._known(
            Output, value.outputs,
            lambda output, n: {**row_of(fields.OUTPUT, output), "position": n, "group_id": self._group_of.get(output.name)},
        )  # fmt: skip
        self._mics = self._known(
            Mic, value.mics,
            lambda mic, n: {**row_of(fields.MIC, mic), "position": n, "output_id": self._output(mic.output)},
        )  # fmt: skip
        self._chokes = self._groups(ChokeGroup, "letter", (pad.choke for pad in pads if pad.choke))
        self._mutes = self._groups(MuteGroup, "number", (g for pad in pads for g in (*pad.silences, *pad.silenced_by)))
        rows = self._pads(value)
        self._companions(pads, rows)
        self._mutes_of(pads, rows)
        self._takes(pads, rows)
        self._surfaces(value, rows)
        self._maps(value, rows)
        self._change.touch(*(row.pk for row in rows.values()))
        self._change.changes_order = True
        return rows

    def refill(self, value: core.Kit, rows: Mapping[int, Pad]) -> None:
        """Give pads that are there the sound of those in ``value``, and its level: layers, takes, and how they play.

        rows : by their ids in ``value``
        """
        self._keeps = True
        self._outputs = {}
        self._mics = self._known(Mic, value.mics, lambda mic, n: row_of(fields.MIC, mic))
        pads = [pad for _, pad in value.pads() if pad.id in rows]
        self._change.delete_all(list(Layer.objects.filter(pad__in=rows.values())))
        self._change.update_each((rows[pad.id], _sound_columns(pad)) for pad in pads)
        self._takes(pads, rows)
        self._change.touch(*(row.pk for row in rows.values()))

    def _desk(self, value: core.Kit) -> None:
        """Groups of outputs, the parallel bus and the master: of a kit that comes whole."""
        self._group_of: dict[str, int] = {}
        if self._keeps:
            return
        self._change.update(self._kit, **row_of(fields.DESK, value))
        grouped = Output.objects.filter(kit=self._kit).exclude(group=None)
        self._change.update_all(list(grouped), group_id=None)
        self._change.delete_all(list(OutputGroup.objects.filter(kit=self._kit)))
        made = self._change.create_all([
            OutputGroup(kit=self._kit, position=number, **row_of(fields.OUTPUT_GROUP, group))
            for number, group in enumerate(value.groups)
        ])  # fmt: skip
        for row, group in zip(made, value.groups, strict=True):
            self._group_of |= dict.fromkeys(group.outputs, row.pk)

    def _known(self, model: type[Model], values: Sequence, columns: Callable[[Any, int], dict]) -> dict[str, int]:
        """Keys of outputs or mics by name: those the kit has are set, the others made."""
        there = {row.name: row for row in model.objects.filter(kit=self._kit)}
        missing = []
        for number, value in enumerate(values):
            of_row = columns(value, number)
            if value.name in there and self._keeps:
                continue
            if value.name in there:
                self._change.update(there[value.name], **{name: of_row[name] for name in of_row if name != "position"})
            else:
                missing.append(model(kit=self._kit, **(of_row | {"position": len(there) + len(missing)})))
        return {row.name: row.pk for row in (*there.values(), *self._change.create_all(missing))}

    def _groups(self, model: type[Model], name: str, groups: Iterable) -> dict[Any, int]:
        """Keys of choke or mute groups, by letter or number."""
        there = {getattr(row, name): row for row in model.objects.filter(kit=self._kit)}
        wanted = {getattr(group, name): group for group in groups}
        new = [
            model(kit=self._kit, **{name: called}, **row_of(fields.GROUP, group))
            for called, group in wanted.items()
            if called not in there
        ]
        return {getattr(row, name): row.pk for row in (*there.values(), *self._change.create_all(new))}

    def _key(self, value: core.Piece | core.Pad | core.Layer | core.Take) -> int | None:
        return (value.id or None) if self._keeps_keys else None

    def _stream(self, value: core.Pad | core.Layer) -> int | None:
        return value.random_stream if self._keeps_keys else value.stream

    def _output(self, name: str | None) -> int | None:
        return self._outputs[name] if name is not None else None

    def _pads(self, value: core.Kit) -> dict[int, Pad]:
        last = Pad.objects.filter(kit=self._kit).order_by("-position").values_list("position", flat=True).first()
        positions = _positions(value, last)
        pieces = self._change.create_all([
            Piece(pk=self._key(piece), kit=self._kit, position=positions[piece.pads[0].id], output_id=self._output(piece.output),
                  **row_of(fields.PIECE, piece))
            for piece in value.pieces
        ])  # fmt: skip
        self._change.create_all([
            PieceMic(piece_id=row.pk, mic_id=self._mics[mic], **said)
            for row, piece in zip(pieces, value.pieces, strict=True)
            for mic, said in _said_of_mics(piece).items()
        ])  # fmt: skip
        wanted = [
            (pad, self._pad(pad, piece, row, positions[pad.id]))
            for row, piece in zip(pieces, value.pieces, strict=True)
            for pad in piece.pads
        ]
        made = self._change.create_all([row for _, row in wanted])
        return {pad.id: row for (pad, _), row in zip(wanted, made, strict=True)}

    def _pad(self, pad: core.Pad, piece: core.Piece, row: Piece, position: int) -> Pad:
        return Pad(
            pk=self._key(pad),
            kit=self._kit,
            piece_id=row.pk,
            name=_own_name(pad.name, piece.name)[: fields.PAD_NAME.longest],
            position=position,
            output_id=self._output(pad.output),
            choke_id=self._chokes[pad.choke.letter] if pad.choke else None,
            **_curve_columns(pad),
            random_stream=self._stream(pad),
            **row_of(fields.PAD, pad),
        )

    def _companions(self, pads: Sequence[core.Pad], rows: Mapping[int, Pad]) -> None:
        self._change.create_all([
            Companion(pad_id=rows[pad.id].pk, other_id=rows[other].pk, strength=strength)
            for pad in pads
            for other, strength in dict(pad.companions).items()
        ])  # fmt: skip

    def _mutes_of(self, pads: Sequence[core.Pad], rows: Mapping[int, Pad]) -> None:
        self._change.create_all([
            PadMute(pad_id=rows[pad.id].pk, group_id=self._mutes[number], role=role)
            for pad in pads
            for role in (SILENCES, SILENCED_BY)
            for number in dict.fromkeys(group.number for group in getattr(pad, role))
        ])  # fmt: skip

    def _surfaces(self, value: core.Kit, rows: Mapping[int, Pad]) -> None:
        surfaces = self._change.create_all(
            [Surface(kit=self._kit, **row_of(fields.SURFACE, surface)) for surface in value.surfaces]
        )
        self._change.create_all([
            Cell(surface_id=row.pk, place=place, pad_id=rows[pad].pk)
            for row, surface in zip(surfaces, value.surfaces, strict=True)
            for place, pad in dict(surface.cells).items()
        ])  # fmt: skip

    def _maps(self, value: core.Kit, rows: Mapping[int, Pad]) -> None:
        default = Map.objects.get(kit=self._kit, is_default=True)
        if not self._keeps:
            self._change.update(default, **row_of(fields.MAP, value.maps[0]))
        others = self._change.create_all([Map(kit=self._kit, **row_of(fields.MAP, other)) for other in value.maps[1:]])
        self._change.create_all([
            MapNote(map_id=row.pk, note=note, pad_id=rows[pad].pk)
            for row, other in zip((default, *others), value.maps, strict=True)
            for note, pad in dict.fromkeys(other.notes)
        ])  # fmt: skip

    def _takes(self, pads: Sequence[core.Pad], rows: Mapping[int, Pad]) -> None:
        layers = self._change.create_all([
            Layer(
                pk=self._key(layer), pad_id=rows[pad.id].pk, high=layer.high, random_stream=self._stream(layer),
                **row_of(fields.LAYER, layer),
            )
            for pad in pads
            for layer in pad.layers
        ])  # fmt: skip
        filled = [
            (row, number, take)
            for row, layer in zip(layers, (layer for pad in pads for layer in pad.layers), strict=True)
            for number, take in enumerate(layer.takes)
        ]
        takes = self._change.create_all([
            Take(pk=self._key(take), layer_id=row.pk, position=number, **row_of(fields.TAKE, take))
            for row, number, take in filled
        ])  # fmt: skip
        positions = dict(Mic.objects.filter(kit=self._kit).values_list("name", "position"))
        self._change.create_all([
            TakeSample(
                take_id=row.pk, mic_id=self._mics[mic], sample_id=self._samples[sample.sha256].pk,
                is_counted_in=mic == counted,
            )
            for row, (_, _, take) in zip(takes, filled, strict=True)
            for counted in [counted_in([(mic, positions[mic]) for mic, _ in take.samples])]
            for mic, sample in take.samples
        ])  # fmt: skip


def _positions(value: core.Kit, last: int | None) -> dict[int, int]:
    """Where each pad stands, behind the ``last`` that is there. In an empty kit, one that is called by its place has it."""
    at, positions = -10 if last is None else last, {}
    for piece, pad in value.pads():
        place = _place_of(pad.name, piece.name) if last is None else 0
        at = max(at + 10, 10 * (place - 1))
        positions[pad.id] = at
    return positions


def _place_of(full_name: str, piece_name: str) -> int:
    """The number of a pad without a name; 0 for one that has a name."""
    numbered = None if piece_name else re.fullmatch(r"Pad (\d{1,5})", full_name)
    return int(numbered[1]) if numbered else 0


def _curve_columns(pad: core.Pad) -> dict[str, Any]:
    is_drawn = not isinstance(pad.curve, str)
    return {
        "curve": DRAWN if is_drawn else pad.curve,
        "curve_points": [list(p) for p in pad.curve] if is_drawn else None,
    }


def _sound_columns(pad: core.Pad) -> dict[str, Any]:
    """What of a row is how the pad sounds, and its level."""
    columns = row_of(fields.PAD, pad)
    return {name: value for name, value in columns.items() if name not in OF_ITS_KIT} | _curve_columns(pad)


def _own_name(full_name: str, piece_name: str) -> str:
    """A pad's articulation: its full name without the piece's. A pad without a name is called by its place."""
    if _place_of(full_name, piece_name) or full_name == piece_name:
        return ""
    return full_name.removeprefix(f"{piece_name} ")


def _said_of_mics(piece: core.Piece) -> dict[str, dict[str, Any]]:
    """The columns of the rows that say something of a mic, by its name."""
    said: dict[str, dict[str, Any]] = defaultdict(dict)
    for mic, gain_db in piece.mic_gains_db:
        said[mic]["gain_db"] = gain_db
    for mic, pan in piece.mic_pans:
        said[mic] |= {"way": pan} if isinstance(pan, str) else {"pan": pan * 100}
    for mic in piece.mic_flips:
        said[mic]["is_flipped"] = True
    return {mic: columns for mic, columns in said.items() if any(columns.values()) or "pan" in columns}
