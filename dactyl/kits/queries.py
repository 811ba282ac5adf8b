"""Reads of a kit: as a value for the core, and as rows for the sheet, each in a constant number of queries."""

import math
import statistics
from collections import defaultdict
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass, field
from dataclasses import fields as dataclass_fields
from typing import Any

from django.db.models import OuterRef, Prefetch, QuerySet, Subquery
from django.db.models.functions import Coalesce

from dactyl.core import fields
from dactyl.core import kit as core
from dactyl.core.cuts import PadCuts
from dactyl.core.fields import values_in, values_of
from dactyl.core.kinds import BY_SLUG
from dactyl.core.maps.notes import PadNotes
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
from dactyl.shelf.models import Sample, Span
from dactyl.shelf.spans import Stretch

MUTES = Prefetch("mutes", PadMute.objects.select_related("group"))
MOST_DRAWN = 16  # drums in the picture of a kit
MOST_BROKEN = 50  # damaged samples that a sheet names
OUTLIER_DB = 2.0  # a take further than this from its layer is ringed


def kit_value(
    kit: Kit | int, pad_ids: Collection[int] | None = None, *, instead: dict[int, Sample] | None = None
) -> core.Kit:
    """The kit as the core knows it, whole or with only some of its pads. Thirteen queries, twelve where its row is here.

    kit : its row, or its key
    instead : for some takes, the sample to hear in the place of their first mic's, as if it had been chosen
    """
    return _kit_value(kit if isinstance(kit, Kit) else Kit.objects.get(pk=kit), pad_ids, instead)


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
    for pad in _some(Pad.objects.filter(kit=row), "pk", pad_ids).select_related("piece"):
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
    found = _some(Take.objects.filter(layer__pad__kit=row), "layer__pad", pad_ids)
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
    for layer in _some(Layer.objects.filter(pad__kit=row), "pad", pad_ids):
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
    """What the mics hear of each take, in the order of the kit's mics. Joining them in one query takes twice the time."""
    rows = _some(TakeSample.objects.filter(take__layer__pad__kit=row), "take__layer__pad", pad_ids)
    used = Sample.objects.filter(pk__in=rows.values("sample")).values_list(
        "pk", "sha256", "frames", "rate_hz", "channels"
    )
    samples = {pk: core.Sample(*about) for pk, *about in used}
    by_mic: dict[int, dict[int, core.Sample]] = defaultdict(dict)
    for take, mic, sample in rows.values_list("take", "mic", "sample"):
        by_mic[mic][take] = samples[sample]
    heard: dict[int, tuple[tuple[str, core.Sample], ...]] = defaultdict(tuple)
    for mic in mics:
        for take, sample in by_mic[mic.pk].items():
            heard[take] += ((mic.name, sample),)
    return heard


def _some(rows: QuerySet, path: str, pad_ids: Collection[int] | None) -> QuerySet:
    return rows if pad_ids is None else rows.filter(**{f"{path}__in": pad_ids})


@dataclass(slots=True)
class LayerRow:
    pk: int
    low: int
    high: int
    gain_db: float
    random_stream: int | None
    levels: list[tuple[float, bool]] = field(default_factory=list)  # of each take, with its gain; is it enabled

    @property
    def level_db(self) -> float:
        """Mean level of its enabled takes, or of all."""
        heard = [level for level, enabled in self.levels if enabled] or [level for level, _ in self.levels]
        return sum(heard) / len(heard) if heard else -60.0


@dataclass(slots=True)
class PadRow:
    """What one row of the sheet shows."""

    pad: Pad
    layers: list[LayerRow]
    notes: list[int]
    output: Output
    damaged: list[str] = field(default_factory=list)  # names of its samples whose files are not what they were
    is_first: bool = True  # of its piece
    is_last: bool = True

    @property
    def take_count(self) -> int:
        return max((len(layer.levels) for layer in self.layers), default=0)

    @property
    def is_empty(self) -> bool:
        return not self.layers

    @property
    def kind(self) -> str:
        return self.pad.kind

    @property
    def name(self) -> str:
        return self.pad.full_name

    @property
    def choke(self) -> ChokeGroup | None:
        return self.pad.choke

    @property
    def standard_note(self) -> int | None:
        return next(iter(BY_SLUG[self.kind].notes), None)


def sheet_rows(
    kit: Kit, pad_ids: Collection[int] | None = None, *, levels: bool = True, outputs: Sequence[Output] | None = None
) -> list[PadRow]:
    """Rows of the sheet in order, from stored levels of each take's first mic. Eight queries, whatever the kit's size.

    pad_ids : the pads whose rows are wanted; by default all of them
    levels : whether the levels of takes are wanted, or only how many there are
    """
    main = (outputs or list(Output.objects.filter(kit=kit)))[0]
    pads = Pad.objects.filter(kit=kit).select_related("piece__output", "output", "choke").prefetch_related(MUTES)
    if pad_ids is not None:  # with their neighbours in the piece, so that the bracket is drawn right
        pads = pads.filter(piece__in=Pad.objects.filter(pk__in=pad_ids).values("piece"))
    layers, by_id = defaultdict(list), {}
    for pk, pad, high, gain_db, random_stream in _some(Layer.objects.filter(pad__kit=kit), "pad", pad_ids).values_list(
        "pk", "pad", "high", "gain_db", "random_stream"
    ):
        low = layers[pad][-1].high + 1 if layers[pad] else 1
        by_id[pk] = LayerRow(pk, low, high, gain_db, random_stream)
        layers[pad].append(by_id[pk])
    if levels and by_id:
        takes = _some(Take.objects.filter(layer__pad__kit=kit), "layer__pad", pad_ids).order_by("position")
        for layer, gain_db, enabled, level_db in with_levels(takes).values_list(
            "layer", "gain_db", "is_enabled", "level_db"
        ):
            if level_db is not None:
                by_id[layer].levels.append((level_db + gain_db + by_id[layer].gain_db, enabled))
    damaged = damaged_samples(kit) if levels else {}
    notes = _notes(kit)
    pads = list(pads)
    for pad in pads:
        pad.kit = kit
    rows = [
        PadRow(
            pad=pad,
            layers=layers[pad.pk],
            notes=notes[pad.pk],
            output=pad.output or pad.piece.output or main,
            damaged=damaged.get(pad.pk, []),
        )
        for pad in pads
    ]
    for upper, lower in zip(rows, rows[1:], strict=False):
        if upper.pad.piece_id == lower.pad.piece_id:
            upper.is_last = lower.is_first = False
    return rows if pad_ids is None else [row for row in rows if row.pad.pk in pad_ids]


def damaged_samples(kit: Kit) -> dict[int, list[str]]:
    """Names of damaged samples, by the pads of ``kit`` that play them."""
    names: dict[int, list[str]] = defaultdict(list)
    broken = list(Sample.objects.exclude(damage="").values_list("pk", flat=True)[:MOST_BROKEN])
    if broken:
        of = TakeSample.objects.filter(sample__in=broken, take__layer__pad__kit=kit).order_by("sample__name")
        for pad, name in of.values_list("take__layer__pad", "sample__name").distinct():
            names[pad].append(name)
    return names


def with_levels(takes: QuerySet[Take]) -> QuerySet[Take]:
    """Takes with the ``level_db`` of what they really play: of the stretch of their first sample between start and end,
    where it was measured; else of the sample from its onset."""
    first = TakeSample.objects.filter(take=OuterRef("pk")).order_by("mic__position")
    stretch = Span.objects.filter(
        sample=OuterRef("first_sample"), start_frame=OuterRef("start_frame"), is_reversed=OuterRef("is_reversed"),
        end_frame=Coalesce(OuterRef("end_frame"), OuterRef("first_frames")),
    ).values("level_db")[:1]  # fmt: skip
    known = takes.annotate(
        first_sample=Subquery(first.values("sample")[:1]), first_frames=Subquery(first.values("sample__frames")[:1])
    )
    whole = Subquery(first.values("sample__level_db")[:1])
    return known.annotate(level_db=Coalesce(Subquery(stretch), whole))


def stretches(pad_ids: Collection[int]) -> list[Stretch]:
    """What the takes of some pads play of their first samples, where it is another than the sample from its onset."""
    rows = TakeSample.objects.filter(take__layer__pad__in=pad_ids).order_by("mic__position").values_list(
        "take", "sample", "take__start_frame", "take__end_frame", "take__is_reversed", "sample__frames", "sample__onset_frame"
    )  # fmt: skip
    first: dict[int, Stretch | None] = {}
    for take, sample, start, end, is_reversed, frames, onset in rows:
        is_plain = (start, end, is_reversed) == (onset, None, False)
        first.setdefault(take, None if is_plain else Stretch(sample, start, end or frames, is_reversed))
    return [stretch for stretch in first.values() if stretch]


def _notes(kit: Kit, of: Map | None = None) -> dict[int, list[int]]:
    """The notes of each pad in a map, the kit's default one unless another is named."""
    notes = defaultdict(list)
    rows = MapNote.objects.filter(map=of) if of else MapNote.objects.filter(map__kit=kit, map__is_default=True)
    for pad, note in rows.values_list("pad", "note"):
        notes[pad].append(note)
    return notes


def default_notes(kit: Kit) -> dict[int, list[int]]:
    """The pads that each note strikes by the default map, in the order of the kit."""
    found: dict[int, list[int]] = defaultdict(list)
    rows = MapNote.objects.filter(map__kit=kit, map__is_default=True).order_by("note", "pad__position")
    for note, pad in rows.values_list("note", "pad"):
        found[note].append(pad)
    return found


def pad_notes(kit: Kit, of: Map | None = None) -> list[PadNotes]:
    """All pads in order, with their notes in a map, the default one unless another is named. Two queries."""
    notes = _notes(kit, of)
    pads = Pad.objects.filter(kit=kit).select_related("piece").order_by("position")
    return [PadNotes(id=p.pk, name=p.full_name, kind=p.kind, notes=tuple(sorted(notes.get(p.pk, ())))) for p in pads]


def pad_cuts(kit: Kit, *, with_empty: bool = False) -> list[PadCuts]:
    """Of every pad with takes whom it cuts and who cuts it, in the order of the sheet. Two queries."""
    pads = Pad.objects.filter(kit=kit)
    if not with_empty:
        pads = pads.filter(layers__isnull=False).distinct()
    return [
        PadCuts(
            id=pad.pk, name=pad.full_name, kind=pad.kind, piece=pad.piece_id, choke=pad.choke.letter if pad.choke else "",
            silences=tuple(group.number for group in pad.silences),
            silenced_by=tuple(group.number for group in pad.silenced_by), cuts_itself=pad.cuts_itself,
        )
        for pad in pads.select_related("piece", "choke").prefetch_related(MUTES).order_by("position")
    ]  # fmt: skip


def taken_notes(kit: Kit) -> set[int]:
    """The notes that strike something in the kit's default map."""
    return set(MapNote.objects.filter(map__kit=kit, map__is_default=True).values_list("note", flat=True))


@dataclass(frozen=True, slots=True)
class MicSample:
    """What one mic heard of a take: as much of its sample as the card shows."""

    mic: str
    name: str
    folder: str
    sha256: str
    overview: bytes
    frames: int
    rate_hz: int
    seconds: float
    level_db: float
    brightness_hz: float
    onset_frame: int
    polarity: int


@dataclass(slots=True)
class TakeRow:
    """One recording on the pad card."""

    take: Take
    number: int  # among all takes of the pad, as players count them
    heard: list[MicSample]  # by mic
    level_db: float = 0.0
    deviations: dict[str, float] = field(default_factory=dict)  # from the rest of its layer, by what differs

    @property
    def sample(self) -> MicSample:
        return self.heard[0]

    @property
    def is_outlier(self) -> bool:
        return abs(self.deviations.get("level", 0.0)) > OUTLIER_DB


@dataclass(slots=True)
class CardLayer:
    """A layer on the pad card."""

    row: LayerRow
    number: int
    takes: list[TakeRow] = field(default_factory=list)
    is_open: bool = False  # whether its takes are listed

    @property
    def low(self) -> int:
        return self.row.low

    @property
    def high(self) -> int:
        return self.row.high


def card_layers(row: PadRow) -> list[CardLayer]:
    """Layers of a pad, softest first, with every take's samples by mic. Two queries."""
    used = TakeSample.objects.filter(take__layer__pad=row.pad).order_by("mic__position")
    heard: dict[int, list[MicSample]] = defaultdict(list)
    columns = [f"sample__{column.name}" for column in dataclass_fields(MicSample) if column.name != "mic"]
    for take_id, *values in used.values_list("take", "mic__name", *columns):
        heard[take_id].append(MicSample(*values))
    takes: dict[int, list[Take]] = defaultdict(list)
    for take in with_levels(Take.objects.filter(layer__pad=row.pad)).order_by("position", "pk"):
        if take.pk in heard:
            takes[take.layer_id].append(take)
    result, place = [], 0
    for number, layer in enumerate(row.layers, start=1):
        own = CardLayer(layer, number)
        for take in takes[layer.pk]:
            own.takes.append(TakeRow(take, place, heard[take.pk], take.level_db + take.gain_db + layer.gain_db))
            place += 1
        _compare(own.takes)
        result.append(own)
    return result


def _compare(rows: list[TakeRow]) -> None:
    """How each take differs from the median of its layer."""
    if len(rows) < 2:
        return
    qualities = {
        "level": [row.level_db for row in rows],
        "length": [row.sample.seconds for row in rows],
        "brightness": [math.log2(max(row.sample.brightness_hz, 20.0)) for row in rows],
        "onset": [1000 * (row.take.start_frame - row.sample.onset_frame) / row.sample.rate_hz for row in rows],
    }
    for name, values in qualities.items():
        middle = statistics.median(values)
        for row, value in zip(rows, values, strict=True):
            row.deviations[name] = value - middle
    signs = [row.sample.polarity * (-1 if row.take.is_flipped else 1) for row in rows]
    most = 1 if sum(signs) >= 0 else -1
    for row, sign in zip(rows, signs, strict=True):
        row.deviations["polarity"] = float(sign not in (0, most))


def home_kits(*, put_away: bool) -> list[Kit]:
    """The last changed first, each with its picture; of a lineup what sounds in it."""
    kits = list(Kit.objects.filter(is_put_away=put_away).order_by("-journal__changed_at", "-pk"))
    rows = (
        Layer.objects.filter(pad__kit__in=kits)
        .order_by("pad__position", "high")
        .values_list(
            "pad__kit", "pad", "pad__kind", "high", "takes__samples__sample__level_db", "takes__samples__sample"
        )
    )
    pictures = defaultdict(dict)
    loudest: dict[int, tuple[float, int]] = {}
    for kit, pad, kind, high, level, sample in rows:
        if level is not None:
            layers = pictures[kit].setdefault(pad, (kind, {}))[1]
            layers[high] = max(level, layers.get(high, -120.0))
            loudest[pad] = max(loudest.get(pad, (-200.0, 0)), (level, sample))
    pad_counts = defaultdict(int)
    for kit_id in Pad.objects.filter(kit__in=kits).values_list("kit", flat=True):
        pad_counts[kit_id] += 1
    for kit in kits:
        kit.picture = [
            (kind, sorted(layers.items()), loudest[pad][1]) for pad, (kind, layers) in pictures[kit.pk].items()
        ]  # each pad with a sample that lets it be heard
        kit.pad_count = pad_counts[kit.pk]
    by_key = {kit.pk: kit for kit in kits}
    for kit in kits:
        others = () if kit.pad_count else kit.alongside.exclude(other=kit).values_list("other", flat=True)
        kit.sounding = [by_key[other] for other in others if other in by_key]
        kit.picture += [drum for other in kit.sounding for drum in other.picture[: MOST_DRAWN // len(kit.sounding)]]
    return kits
