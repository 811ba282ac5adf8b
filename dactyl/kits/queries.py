"""Reads of a kit for its pages: rows of the sheet, the card and home, notes and cuts, each in a constant number of queries."""

import math
import statistics
from collections import defaultdict
from collections.abc import Collection, Sequence
from dataclasses import dataclass, field
from dataclasses import fields as dataclass_fields

from django.db.models import OuterRef, Prefetch, QuerySet, Subquery
from django.db.models.functions import Coalesce

from dactyl.core.cuts import PadCuts
from dactyl.core.kinds import BY_SLUG
from dactyl.core.maps.notes import PadNotes
from dactyl.kits.models import (
    ChokeGroup,
    Kit,
    Layer,
    Map,
    MapNote,
    Output,
    Pad,
    PadMute,
    Piece,
    Take,
    TakeSample,
)
from dactyl.kits.values import some_of
from dactyl.shelf.models import Sample, Span
from dactyl.shelf.spans import Stretch

MUTES = Prefetch("mutes", PadMute.objects.select_related("group"))
MOST_DRAWN = 16  # drums in the picture of a kit
MOST_BROKEN = 50  # damaged samples that a sheet names
OUTLIER_DB = 2.0  # a take further than this from its layer is ringed


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
    for pk, pad, high, gain_db, random_stream in some_of(
        Layer.objects.filter(pad__kit=kit), "pad", pad_ids
    ).values_list("pk", "pad", "high", "gain_db", "random_stream"):
        low = layers[pad][-1].high + 1 if layers[pad] else 1
        by_id[pk] = LayerRow(pk, low, high, gain_db, random_stream)
        layers[pad].append(by_id[pk])
    if levels and by_id:
        takes = some_of(Take.objects.filter(layer__pad__kit=kit), "layer__pad", pad_ids).order_by("position")
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
    first = TakeSample.objects.filter(take=OuterRef("pk")).order_by(*TakeSample.FIRST)
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
    rows = TakeSample.objects.filter(take__layer__pad__in=pad_ids).order_by(*TakeSample.FIRST).values_list(
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
    used = TakeSample.objects.filter(take__layer__pad=row.pad).order_by(*TakeSample.FIRST)
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
    words = defaultdict(list)  # what each is found by, besides its name
    for model in (Piece, Pad):
        for kit_id, name in model.objects.filter(kit__in=kits).exclude(name="").values_list("kit", "name"):
            words[kit_id].append(name)
    by_key = {kit.pk: kit for kit in kits}
    for kit in kits:
        kit.words = " ".join(words[kit.pk])
        others = () if kit.pad_count else kit.alongside.exclude(other=kit).values_list("other", flat=True)
        kit.sounding = [by_key[other] for other in others if other in by_key]
        kit.picture += [drum for other in kit.sounding for drum in other.picture[: MOST_DRAWN // len(kit.sounding)]]
    return kits
