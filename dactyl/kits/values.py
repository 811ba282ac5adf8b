"""A kit as a value for the core, read in a constant number of queries."""

from collections import defaultdict
from collections.abc import Collection, Iterator, Sequence
from typing import Any

from django.db.models import QuerySet

from dactyl.core import fields
from dactyl.core import kit as core
from dactyl.core.fields import values_in, values_of
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
    Mic,
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


def kit_value(kit: Kit | int, *, instead: dict[int, Sample] | None = None) -> core.Kit:
    """The kit as the core knows it. Thirteen queries, twelve where its row is here.

    kit : its row, or its key
    instead : for some takes, the sample to hear in the place of their first mic's, as if it had been chosen
    """
    return _kit_value(_row_of(kit), instead=instead)


def some_pads(kit: Kit | int, pad_ids: Collection[int], *, instead: dict[int, Sample] | None = None) -> core.SomePads:
    """Some pads of the kit; otherwise as ``kit_value``, in as many queries."""
    return core.SomePads(_kit_value(_row_of(kit), pad_ids, instead))


def _row_of(kit: Kit | int) -> Kit:
    return kit if isinstance(kit, Kit) else Kit.objects.get(pk=kit)


def gestured_pieces(kit: Kit) -> list[core.Piece]:
    """The pieces that go by pedals and hands, with their pads but without layers. One query."""
    pads = Pad.objects.filter(kit=kit).exclude(piece__shared_by="", piece__grab_from=None, piece__grab_note=None)
    own = defaultdict(list)
    for pad in pads.select_related("piece"):
        bare = core.Pad(id=pad.pk, name=pad.full_name, layers=(), open_to=pad.open_to, played_by=pad.played_by)
        own[pad.piece].append(bare)
    return [core.Piece(id=row.pk, pads=tuple(own[row]), **values_of(fields.PIECE, row)) for row in own]


def whole_kit_value(kit_id: int) -> core.Kit:
    """The kit with what only packages carry: its surfaces, and its other maps. Two queries more."""
    cells = defaultdict(list)
    for surface, place, pad in Cell.objects.filter(surface__kit=kit_id).values_list("surface", "place", "pad"):
        cells[surface].append((place, pad))
    return _kit_value(
        Kit.objects.get(pk=kit_id),
        surfaces=tuple(
            core.Surface(**values_of(fields.SURFACE, row), cells=tuple(cells[row.pk]))
            for row in Surface.objects.filter(kit=kit_id)
        ),
        maps=_map_values(Map.objects.filter(kit=kit_id)),
    )


def _map_values(maps: QuerySet[Map], pad_ids: Collection[int] | None = None) -> tuple[core.NoteMap, ...]:
    """The default one first; whole, or only what strikes some pads. One query."""
    rows = maps.order_by("-is_default", "pk", "notes__note", "notes__pk")
    found = defaultdict(list)
    for pk, name, note, pad in rows.values_list("pk", "name", "notes__note", "notes__pad"):
        found[pk, name] += [(note, pad)] if pad is not None and (pad_ids is None or pad in pad_ids) else []
    return tuple(core.NoteMap(name=name, notes=tuple(notes)) for (_, name), notes in found.items())


def _kit_value(
    row: Kit,
    pad_ids: Collection[int] | None = None,
    instead: dict[int, Sample] | None = None,
    surfaces: tuple[core.Surface, ...] = (),
    maps: tuple[core.NoteMap, ...] = (),
) -> core.Kit:
    """maps : the default one alone where none is given"""
    outputs = list(Output.objects.filter(kit=row))
    output_name = {output.pk: output.name for output in outputs}
    mics = list(Mic.objects.filter(kit=row))
    layers = _layer_values(row, mics, pad_ids, instead or {})
    pads = defaultdict(list)
    for piece, value in _pad_values(row, pad_ids, layers, output_name):
        pads[piece].append(value)
    of_mics = defaultdict(list)
    for one in PieceMic.objects.filter(piece__kit=row).select_related("mic"):
        of_mics[one.piece_id].append(one)
    return core.Kit(
        **values_of(fields.KIT, row),
        **values_of(fields.DESK, row),
        groups=tuple(
            core.OutputGroup(
                **values_of(fields.OUTPUT_GROUP, group),
                outputs=tuple(output.name for output in outputs if output.group_id == group.pk),
            )
            for group in OutputGroup.objects.filter(kit=row)
        ),
        outputs=tuple(core.Output(**values_of(fields.OUTPUT, output)) for output in outputs),
        mics=tuple(core.Mic(output=output_name.get(mic.output_id), **values_of(fields.MIC, mic)) for mic in mics),
        pieces=tuple(
            core.Piece(
                id=piece.pk,
                pads=tuple(own),
                **values_of(fields.PIECE, piece),
                output=output_name.get(piece.output_id),
                **_said_of_mics(of_mics[piece.pk]),
            )
            for piece, own in pads.items()
        ),
        surfaces=surfaces,
        maps=maps or _map_values(Map.objects.filter(kit=row, is_default=True), pad_ids),
    )


def _said_of_mics(rows: Sequence[PieceMic]) -> dict[str, Any]:
    pans = [(one.mic.name, one.way or (None if one.pan is None else one.pan / 100)) for one in rows]
    return {
        "mic_gains_db": tuple((one.mic.name, one.gain_db) for one in rows if one.gain_db),
        "mic_pans": tuple((mic, pan) for mic, pan in pans if pan is not None),
        "mic_flips": tuple(one.mic.name for one in rows if one.is_flipped),
    }


def _pad_values(
    row: Kit, pad_ids: Collection[int] | None, layers: dict[int, tuple[core.Layer, ...]], output_name: dict[int, str]
) -> Iterator[tuple[Piece, core.Pad]]:
    """(piece, value) of each pad, in order."""
    chokes = {
        group.pk: core.ChokeGroup(letter=group.letter, fade_ms=group.fade_ms)
        for group in ChokeGroup.objects.filter(kit=row)
    }
    mutes = defaultdict(list)
    for mute in PadMute.objects.filter(pad__kit=row).select_related("group").order_by("group__number"):
        group = core.MuteGroup(number=mute.group.number, fade_ms=mute.group.fade_ms)
        mutes[mute.pad_id, mute.role].append(group)
    companions = defaultdict(list)
    for companion in Companion.objects.filter(pad__kit=row).order_by("pk"):
        companions[companion.pad_id].append((companion.other_id, companion.strength))
    for pad in some_of(Pad.objects.filter(kit=row), "pk", pad_ids).select_related("piece"):
        yield pad.piece, core.Pad(
            id=pad.pk,
            random_stream=pad.random_stream,
            name=pad.full_name,
            layers=layers.get(pad.pk, ()),
            choke=chokes.get(pad.choke_id),
            silences=tuple(mutes[pad.pk, SILENCES]),
            silenced_by=tuple(mutes[pad.pk, SILENCED_BY]),
            companions=tuple(companions[pad.pk]),
            curve=curve_of(pad),
            **values_of(fields.PAD, pad),
            output=output_name.get(pad.output_id),
        )  # fmt: skip


def curve_of(pad: Pad) -> core.Curve:
    """The pad's velocity curve as the core knows it."""
    if pad.curve != DRAWN:
        return pad.curve
    return tuple((float(x), float(y)) for x, y in pad.curve_points) if pad.curve_points else "even"


def _layer_values(
    row: Kit, mics: Sequence[Mic], pad_ids: Collection[int] | None, instead: dict[int, Sample]
) -> dict[int, tuple[core.Layer, ...]]:
    heard = _heard(row, mics, pad_ids)
    takes = defaultdict(list)
    found = some_of(Take.objects.filter(layer__pad__kit=row), "layer__pad", pad_ids)
    for pk, layer, *about in found.values_list("pk", "layer", *fields.TAKE):  # rows of models take twice the time
        own, tried = heard.get(pk), instead.get(pk)
        if not own:
            continue
        values = values_in(fields.TAKE, about)
        if tried:
            sample = core.Sample(tried.sha256, tried.frames, tried.rate_hz, tried.channels)
            own = ((own[0][0], sample), *own[1:])
            values |= {"start_frame": tried.onset_frame, "end_frame": None}
        takes[layer].append(core.Take(id=pk, samples=own, **values))
    layers: dict[int, list[core.Layer]] = defaultdict(list)
    for layer in some_of(Layer.objects.filter(pad__kit=row), "pad", pad_ids):
        own = layers[layer.pad_id]
        own.append(core.Layer(
            id=layer.pk,
            random_stream=layer.random_stream,
            low=own[-1].high + 1 if own else 1,
            high=layer.high,
            takes=tuple(takes[layer.pk]),
            **values_of(fields.LAYER, layer),
        ))  # fmt: skip
    return {pad: tuple(own) for pad, own in layers.items()}


def _heard(
    row: Kit, mics: Sequence[Mic], pad_ids: Collection[int] | None
) -> dict[int, tuple[tuple[str, core.Sample], ...]]:
    """What the mics hear of each take: first the one that its start and end are counted in, then in the order of the kit's
    mics. Joining them in one query takes twice the time."""
    rows = some_of(TakeSample.objects.filter(take__layer__pad__kit=row), "take__layer__pad", pad_ids)
    used = Sample.objects.filter(pk__in=rows.values("sample")).values_list(
        "pk", "sha256", "frames", "rate_hz", "channels"
    )
    samples = {pk: core.Sample(*about) for pk, *about in used}
    by_mic: dict[int, dict[int, core.Sample]] = defaultdict(dict)
    counted: dict[int, int] = {}
    for take, mic, sample, is_counted_in in rows.values_list("take", "mic", "sample", "is_counted_in"):
        by_mic[mic][take] = samples[sample]
        if is_counted_in:
            counted[take] = mic
    heard: dict[int, tuple[tuple[str, core.Sample], ...]] = defaultdict(tuple)
    for mic in mics:
        for take, sample in by_mic[mic.pk].items():
            own = ((mic.name, sample),)
            heard[take] = (*own, *heard[take]) if counted.get(take) == mic.pk else (*heard[take], *own)
    return heard


def some_of(rows: QuerySet, path: str, pad_ids: Collection[int] | None) -> QuerySet:
    """The rows that hang on these pads by a path, or all."""
    return rows if pad_ids is None else rows.filter(**{f"{path}__in": pad_ids})
