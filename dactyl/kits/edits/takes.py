"""Takes: the recordings of a layer. Several, across layers and pads, are one edit."""

from collections import defaultdict
from collections.abc import Sequence
from contextlib import AbstractContextManager
from typing import Any

from dactyl.core.errors import KitError
from dactyl.core.kit import MAX_VELOCITY
from dactyl.core.units import counted
from dactyl.history.edits import Change, edit
from dactyl.history.models import Revision
from dactyl.kits.edits.layers import remove_layer
from dactyl.kits.edits.samples import name_after
from dactyl.kits.edits.sentences import settings_named, takes_named
from dactyl.kits.fields import TAKE_FIELDS
from dactyl.kits.models import Layer, Pad, Take, TakeSample
from dactyl.shelf.models import Sample

COPIED = (*TAKE_FIELDS,)
MOST_FRAMES = 1 << 40
MOST_TAKES = 1_000_000  # of a layer: behind the last


def set_fields(takes: Sequence[Take], version: int, values: dict[str, Any]) -> Revision | None:
    """Set some of TAKE_FIELDS on every take. Start and end stay inside the sample and in order."""
    values = {name: value for name, value in values.items() if any(getattr(take, name) != value for take in takes)}
    if not values:
        return None
    with edit(_kit(takes), version, settings_named(TAKE_FIELDS, values, takes_named(takes))) as change:
        if {"start_frame", "end_frame"} & set(values):
            frames = _frames(takes)
            change.update_each((take, _inside(take, values, frames[take.pk])) for take in takes)
        elif "is_reversed" in values:
            frames = _frames(takes)
            change.update_each((take, _turned(take, values["is_reversed"], frames[take.pk])) for take in takes)
        else:
            change.update_all(takes, **values)
        _touch(change, takes)
    return change.revision


def set_each(changes: Sequence[tuple[Take, dict[str, Any]]], version: int, words: str) -> Revision | None:
    """Give every take values of its own, as levelling and aligning do."""
    takes = [take for take, _ in changes]
    with edit(_kit(takes), version, f"{words} {takes_named(takes)}") as change:
        change.update_each(changes)
        _touch(change, takes)
    return change.revision


def _inside(take: Take, values: dict[str, Any], frames: int) -> dict[str, Any]:
    start, end = values.get("start_frame", take.start_frame), values.get("end_frame", take.end_frame)
    if end is not None:
        end = None if end >= frames else max(1, int(end))
    start = min(int(start), (frames if end is None else end) - 1)
    more = {name: value for name, value in values.items() if name not in ("start_frame", "end_frame")}
    if "end_frame" in values and end is not None and not take.fade_out_ms and "fade_out_ms" not in values:
        more["fade_out_ms"] = 5.0  # an end moved into the sound gets a short fade (design rule 8)
    return {"start_frame": max(0, start), "end_frame": end, **more}


def _turned(take: Take, is_reversed: bool, frames: int) -> dict[str, Any]:
    """The same stretch of the recording, heard backwards."""
    if take.is_reversed == is_reversed:
        return {"is_reversed": is_reversed}
    end = take.end_frame if take.end_frame is not None else frames
    return {
        "is_reversed": is_reversed,
        "start_frame": max(0, frames - end),
        "end_frame": frames - take.start_frame if take.start_frame else None,
    }


def _frames(takes: Sequence[Take]) -> dict[int, int]:
    """How long the first mic's sample of each take is. One query."""
    rows = (
        TakeSample.objects.filter(take__in=takes)
        .order_by(*TakeSample.FIRST)
        .reverse()
        .values_list("take", "sample__frames")
    )
    return defaultdict(lambda: MOST_FRAMES, rows)


def enable_takes(takes: Sequence[Take], version: int, enabled: bool) -> Revision | None:
    with edit(_kit(takes), version, f"{_upper(takes_named(takes))} {'on' if enabled else 'off'}") as change:
        change.update_all(takes, is_enabled=enabled)
        _touch(change, takes)
    return change.revision


def remove_takes(takes: Sequence[Take], version: int) -> Revision | None:
    """Take recordings off their pads; a layer goes with its last take, and the layer above reaches down."""
    with edit(_kit(takes), version, f"{_upper(takes_named(takes))} removed") as change:
        gone = {take.pk for take in takes}
        change.delete_all(takes)
        for layer in {take.layer_id: take.layer for take in takes}.values():
            left = list(layer.takes.exclude(pk__in=gone))
            if left:
                _renumber(change, left)
            else:
                remove_layer(change, layer)
        _touch(change, takes)
    return change.revision


def move_takes(
    takes: Sequence[Take], version: int, layer: Layer, position: int, *, copy: bool = False
) -> Revision | None:
    """Put takes into ``layer`` before the take at ``position``; a copy leaves the originals where they are."""
    number = layer.pad.layers.filter(high__lte=layer.high).count()
    where = f"layer {number} of {layer.pad.full_name}"
    with _moving(takes, version, layer.pad, copy, where) as change:
        _place(change, takes, layer, position, copy)
    return change.revision


def move_to_pad(takes: Sequence[Take], version: int, pad: Pad, *, copy: bool = False) -> Revision | None:
    """Put takes into the loudest layer of ``pad``; an empty pad gets a layer, and is named after them."""
    with _moving(takes, version, pad, copy, pad.full_name) as change:
        layer = pad.layers.order_by("-high").first()
        if layer is None:
            layer = change.create(Layer(pad=pad, high=MAX_VELOCITY))
            name_after(change, pad, list(Sample.objects.filter(uses__take__in=takes)))
        _place(change, takes, layer, MOST_TAKES, copy)
    return change.revision


def _moving(takes: Sequence[Take], version: int, pad: Pad, copy: bool, where: str) -> AbstractContextManager[Change]:
    return edit(pad.kit, version, f"{_upper(takes_named(takes))} {'copied' if copy else 'moved'} to {where}")


def _place(change: Change, takes: Sequence[Take], layer: Layer, position: int, copy: bool) -> None:
    _touch(change, takes)  # the pads they leave: once they are moved they name where they went
    arriving = _copies(change, takes, layer) if copy else list(takes)
    moving = {take.pk for take in arriving}
    left = {take.layer_id: take.layer for take in takes if not copy and take.layer_id != layer.pk}
    there = list(layer.takes.order_by("position"))
    at = sum(take.pk not in moving for take in there[:position])
    rest = [take for take in there if take.pk not in moving]
    if not copy:
        change.update_all(arriving, layer_id=layer.pk)
    _renumber(change, rest[:at] + arriving + rest[at:])
    for source in left.values():
        remaining = list(source.takes.order_by("position"))
        if remaining:
            _renumber(change, remaining)
        else:
            remove_layer(change, source)
    change.touch(layer.pad_id)


def _copies(change: Change, takes: Sequence[Take], layer: Layer) -> list[Take]:
    copies = change.create_all([
        Take(layer=layer, position=1000 + number, **{name: getattr(take, name) for name in COPIED})
        for number, take in enumerate(takes)
    ])  # fmt: skip
    used = TakeSample.objects.filter(take__in=takes)
    by_take = {take.pk: copy for take, copy in zip(takes, copies, strict=True)}
    change.create_all(
        [
            TakeSample(
                take=by_take[row.take_id], mic_id=row.mic_id, sample_id=row.sample_id, is_counted_in=row.is_counted_in
            )
            for row in used
        ]
    )
    return list(copies)


def replace_sample(take: Take, version: int, sample: Sample, mic_id: int) -> Revision | None:
    """Another recording in the place of a take's, for one mic; its settings stay, its start is the new onset."""
    with edit(_kit([take]), version, f"{sample.name} in {takes_named([take])}") as change:
        row = TakeSample.objects.filter(take=take, mic=mic_id).first()
        if row:
            change.update(row, sample_id=sample.pk)
        else:
            change.create(TakeSample(take=take, mic_id=mic_id, sample=sample))
        first = take.samples.order_by(*TakeSample.FIRST).values_list("mic", flat=True).first()
        if first == mic_id:
            change.update(take, start_frame=sample.onset_frame, end_frame=None)
        _touch(change, [take])
    return change.revision


def replace_samples(pad: Pad, version: int, samples: Sequence[Sample]) -> Revision | None:
    """New recordings in the places of a pad's takes, in order, softest first; every setting stays."""
    takes = list(
        Take.objects.filter(layer__pad=pad).select_related("layer__pad__piece").order_by("layer__high", "position")
    )
    if len(samples) != len(takes):
        raise KitError(
            f"{pad.full_name} has {counted(len(takes), 'take')}, and {counted(len(samples), 'sample')} selected; choose as many."
        )
    used = {row.take_id: row for row in TakeSample.objects.filter(take__in=takes).order_by(*TakeSample.FIRST).reverse()}
    with edit(pad.kit, version, f"Samples of {pad.full_name} replaced") as change:
        change.update_each(
            (used[take.pk], {"sample_id": sample.pk}) for take, sample in zip(takes, samples, strict=True)
        )
        change.update_each(
            (take, {"start_frame": sample.onset_frame, "end_frame": None})
            for take, sample in zip(takes, samples, strict=True)
        )
        change.touch(pad.pk)
    return change.revision


def _renumber(change: Change, takes: Sequence[Take]) -> None:
    change.update_each((take, {"position": number}) for number, take in enumerate(takes))


def _kit(takes: Sequence[Take]):
    return takes[0].layer.pad.kit


def _touch(change: Change, takes: Sequence[Take]) -> None:
    change.touch(*(take.layer.pad_id for take in takes))


def _upper(text: str) -> str:
    return text[:1].upper() + text[1:]
