"""Reads of a kit: as a value for the core, and as rows for the sheet, each in a constant number of queries."""

from collections import defaultdict
from collections.abc import Collection
from dataclasses import dataclass, field

from django.db.models import QuerySet

from dactyl.core import kit as core
from dactyl.core.kinds import BY_SLUG
from dactyl.kits.models import ChokeGroup, Kit, Layer, MapNote, Mic, Output, Pad, Take, TakeSample


def kit_value(kit_id: int, pad_ids: Collection[int] | None = None) -> core.Kit:
    """The kit as the core knows it, whole or with only some of its pads. Eight queries."""
    row = Kit.objects.get(pk=kit_id)
    outputs = list(Output.objects.filter(kit=row))
    output_name = {output.pk: output.name for output in outputs}
    mics = list(Mic.objects.filter(kit=row))
    chokes = {
        choke.pk: core.ChokeGroup(letter=choke.letter, fade_ms=choke.fade_ms)
        for choke in ChokeGroup.objects.filter(kit=row)
    }
    layers = _layer_values(row, mics, pad_ids)
    notes = _notes(row)
    pads, kinds = defaultdict(list), {}
    for pad in _some(Pad.objects.filter(kit=row), "pk", pad_ids).select_related("piece"):
        kinds.setdefault(pad.piece_id, pad.kind)
        pads[pad.piece].append(core.Pad(
            id=pad.pk,
            name=pad.full_name,
            layers=layers.get(pad.pk, ()),
            notes=tuple(notes[pad.pk]),
            gain_db=pad.gain_db,
            pan=pad.pan / 100,
            muted=pad.muted,
            choke=chokes.get(pad.choke_id),
            cuts_itself=pad.cuts_itself,
            max_voices=pad.max_voices,
            rotation=pad.rotation,
            dynamics=pad.dynamics,
            curve=pad.curve,
            crossfade=pad.crossfade,
            shared_counter=pad.shared_counter,
            output=output_name.get(pad.output_id),
        ))  # fmt: skip
    return core.Kit(
        name=row.name,
        seed=row.seed,
        outputs=tuple(core.Output(name=output.name, gain_db=output.gain_db) for output in outputs),
        mics=tuple(
            core.Mic(
                name=mic.name,
                gain_db=mic.gain_db,
                follows_pan=mic.follows_pan,
                output=output_name.get(mic.output_id),
            )
            for mic in mics
        ),
        pieces=tuple(
            core.Piece(
                name=piece.name,
                kind=kinds[piece.pk],
                pads=tuple(own),
                gain_db=piece.gain_db,
                pan=piece.pan / 100,
                output=output_name.get(piece.output_id),
            )
            for piece, own in pads.items()
        ),
    )


def _layer_values(row: Kit, mics: list[Mic], pad_ids: Collection[int] | None) -> dict[int, tuple[core.Layer, ...]]:
    mic_name = {mic.pk: mic.name for mic in mics}
    samples: dict[str, core.Sample] = {}
    heard = defaultdict(list)
    rows = _some(TakeSample.objects.filter(take__layer__pad__kit=row), "take__layer__pad", pad_ids)
    for take, mic, sha256, frames, rate_hz, channels in rows.order_by("mic__position").values_list(
        "take", "mic", "sample__sha256", "sample__frames", "sample__rate_hz", "sample__channels"
    ):
        sample = samples.setdefault(sha256, core.Sample(sha256, frames, rate_hz, channels))
        heard[take].append((mic_name[mic], sample))
    takes = defaultdict(list)
    for take in _some(Take.objects.filter(layer__pad__kit=row), "layer__pad", pad_ids):
        if heard[take.pk]:
            takes[take.layer_id].append(core.Take(
                id=take.pk,
                samples=tuple(heard[take.pk]),
                start_frame=take.start_frame,
                gain_db=take.gain_db,
                pan=take.pan / 100,
                enabled=take.is_enabled,
            ))  # fmt: skip
    layers: dict[int, list[core.Layer]] = defaultdict(list)
    for layer in _some(Layer.objects.filter(pad__kit=row), "pad", pad_ids):
        own = layers[layer.pad_id]
        own.append(core.Layer(
            id=layer.pk,
            low=own[-1].high + 1 if own else 1,
            high=layer.high,
            takes=tuple(takes[layer.pk]),
            gain_db=layer.gain_db,
        ))  # fmt: skip
    return {pad: tuple(own) for pad, own in layers.items()}


def _some(rows: QuerySet, path: str, pad_ids: Collection[int] | None) -> QuerySet:
    return rows if pad_ids is None else rows.filter(**{f"{path}__in": pad_ids})


@dataclass(slots=True)
class LayerRow:
    id: int
    low: int
    high: int
    gain_db: float
    levels: list[tuple[float, bool]] = field(default_factory=list)  # of each take, with its gain; is it enabled


@dataclass(slots=True)
class PadRow:
    """What one row of the sheet shows."""

    pad: Pad
    layers: list[LayerRow]
    notes: list[int]
    output: Output
    choke: ChokeGroup | None
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
    def standard_note(self) -> int | None:
        return next(iter(BY_SLUG[self.kind].notes), None)


def sheet_rows(kit: Kit, levels_of: Collection[int] | None = None) -> list[PadRow]:
    """Rows of the sheet in order, from stored levels of each take's first mic. Seven queries.

    levels_of : the pads whose levels are wanted; by default all of them
    """
    outputs = {output.pk: output for output in Output.objects.filter(kit=kit)}
    main = next(output for output in outputs.values() if output.is_main)
    chokes = {choke.pk: choke for choke in ChokeGroup.objects.filter(kit=kit)}
    layers, by_id = defaultdict(list), {}
    for pk, pad, high, gain_db in Layer.objects.filter(pad__kit=kit).values_list("pk", "pad", "high", "gain_db"):
        low = layers[pad][-1].high + 1 if layers[pad] else 1
        by_id[pk] = LayerRow(pk, low, high, gain_db)
        layers[pad].append(by_id[pk])
    first_mic = Mic.objects.filter(kit=kit).order_by("position").values_list("pk", flat=True).first()
    heard = _some(TakeSample.objects.filter(take__layer__pad__kit=kit, mic=first_mic), "take__layer__pad", levels_of)
    for layer, gain_db, enabled, level_db in heard.order_by("take__position").values_list(
        "take__layer", "take__gain_db", "take__is_enabled", "sample__level_db"
    ):
        by_id[layer].levels.append((level_db + gain_db + by_id[layer].gain_db, enabled))
    notes = _notes(kit)
    rows = [
        PadRow(
            pad=pad,
            layers=layers[pad.pk],
            notes=notes[pad.pk],
            output=outputs.get(pad.output_id) or outputs.get(pad.piece.output_id) or main,
            choke=chokes.get(pad.choke_id),
        )
        for pad in Pad.objects.filter(kit=kit).select_related("piece")
    ]
    for upper, lower in zip(rows, rows[1:], strict=False):
        if upper.pad.piece_id == lower.pad.piece_id:
            upper.is_last = lower.is_first = False
    return rows


def _notes(kit: Kit) -> dict[int, list[int]]:
    """The notes of each pad in the kit's default map."""
    notes = defaultdict(list)
    for pad, note in MapNote.objects.filter(map__kit=kit, map__is_default=True).values_list("pad", "note"):
        notes[pad].append(note)
    return notes


def taken_notes(kit: Kit) -> set[int]:
    """The notes that strike something in the kit's default map."""
    return set(MapNote.objects.filter(map__kit=kit, map__is_default=True).values_list("note", flat=True))


def takes_of(pad: Pad) -> list[dict]:
    """Layers of a pad, softest first, with every take's samples by mic, for the pad card. Three queries."""
    heard = defaultdict(list)
    for used in (
        TakeSample.objects.filter(take__layer__pad=pad).select_related("sample", "mic").order_by("mic__position")
    ):
        heard[used.take_id].append(used)
    takes = defaultdict(list)
    for take in Take.objects.filter(layer__pad=pad).order_by("position"):
        take.heard = heard[take.pk]
        takes[take.layer_id].append(take)
    result, low, place = [], 1, 0
    for number, layer in enumerate(Layer.objects.filter(pad=pad), start=1):
        levels = [take.heard[0].sample.level_db + take.gain_db for take in takes[layer.pk] if take.heard]
        mean = sum(levels) / len(levels) if levels else 0.0
        for take in takes[layer.pk]:
            take.number, place = place, place + 1  # among all takes of the pad, as players count them
            take.deviation_db = take.heard[0].sample.level_db + take.gain_db - mean if take.heard else 0.0
        result.append({"number": number, "row": layer, "low": low, "high": layer.high, "takes": takes[layer.pk]})
        low = layer.high + 1
    return result


def home_kits(*, put_away: bool) -> list[Kit]:
    kits = list(Kit.objects.filter(is_put_away=put_away).order_by("-changed_at", "-pk"))
    rows = (
        Layer.objects.filter(pad__kit__in=kits)
        .order_by("pad__position", "high")
        .values_list("pad__kit", "pad", "pad__kind", "high", "takes__samples__sample__level_db")
    )
    pictures = defaultdict(dict)
    for kit, pad, kind, high, level in rows:
        if level is not None:
            layers = pictures[kit].setdefault(pad, (kind, {}))[1]
            layers[high] = max(level, layers.get(high, -120.0))
    pad_counts = defaultdict(int)
    for kit_id in Pad.objects.filter(kit__in=kits).values_list("kit", flat=True):
        pad_counts[kit_id] += 1
    for kit in kits:
        kit.picture = [(kind, sorted(layers.items())) for kind, layers in pictures[kit.pk].values()]
        kit.pad_count = pad_counts[kit.pk]
    return kits
