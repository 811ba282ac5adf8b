"""Every edit of a kit: one function for one sentence in its history."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from django.db import transaction
from django.utils import timezone

from dactyl.core.errors import KitError
from dactyl.core.formats.notes import note_label
from dactyl.core.kinds import BY_SLUG, free_note
from dactyl.core.kit import MAIN, ROTATIONS
from dactyl.core.stack.cluster import layers_by_level
from dactyl.core.stack.layers import layered_dynamics, split_evenly
from dactyl.kits import queries
from dactyl.kits.history import Change, edit
from dactyl.kits.models import (
    ChokeGroup,
    Kit,
    Layer,
    Map,
    MapNote,
    Mic,
    Output,
    Pad,
    Piece,
    Take,
    TakeSample,
)
from dactyl.shelf.models import Sample

FIRST_PADS = 16
MAX_PADS = 512
WAYS = {"layers": "stacked as layers", "takes": "as takes of one layer", "pads": "one to each pad"}


# A kit as a whole ---------------------------------------------------------------------------------------------------


def create_kit(name: str, pads: int = FIRST_PADS) -> Kit:
    """A new kit with empty pads, one output and one mic."""
    with transaction.atomic():
        kit = Kit.objects.create(name=name)
        Output.objects.create(kit=kit, name=MAIN, position=0)
        Mic.objects.create(kit=kit, name="close", position=0, follows_pan=True)
        Map.objects.create(kit=kit, name="Notes", is_default=True)
        pieces = Piece.objects.bulk_create([Piece(kit=kit, position=10 * n) for n in range(pads)])
        Pad.objects.bulk_create([Pad(kit=kit, piece=piece, position=piece.position) for piece in pieces])
    return kit


def rename_kit(kit_id: int, version: int, name: str) -> None:
    with edit(kit_id, version, f"Kit named {name}") as change:
        change.update(change.kit, name=name)


def put_away(kit: Kit, away: bool) -> None:
    """Take a kit from the first page, or bring it back; nothing of it is deleted."""
    Kit.objects.filter(pk=kit.pk).update(is_put_away=away, changed_at=timezone.now())


# Pads come, go and change -------------------------------------------------------------------------------------------


def add_pads(kit_id: int, version: int, count: int) -> None:
    with edit(kit_id, version, f"{count} empty pads added") as change:
        last = Pad.objects.filter(kit=kit_id).order_by("-position").values_list("position", flat=True).first() or 0
        if Pad.objects.filter(kit=kit_id).count() + count > MAX_PADS:
            raise KitError(f"A kit has at most {MAX_PADS} pads.")
        pieces = change.create_all([Piece(kit=change.kit, position=last + 10 * n) for n in range(1, count + 1)])
        pads = change.create_all([Pad(kit=change.kit, piece=piece, position=piece.position) for piece in pieces])
        change.touch(*(pad.pk for pad in pads))
        change.changes_order = True


def delete_pad(pad: Pad, version: int) -> None:
    with edit(pad.kit_id, version, f"{pad.full_name} deleted") as change:
        alone = pad.piece.pads.count() == 1
        change.delete_all([pad.piece] if alone else [pad])
        change.touch(pad.pk)
        change.changes_order = True


def clear_pad(pad: Pad, version: int) -> None:
    """Take all samples and notes off a pad; it stays where it is."""
    with edit(pad.kit_id, version, f"{pad.full_name} cleared") as change:
        change.delete_all(list(pad.layers.all()))
        change.delete_all(list(pad.notes.all()))
        if pad.piece.pads.count() == 1:
            change.update(pad.piece, name="")
        change.update(pad, name="", kind="other")
        change.touch(pad.pk)


FIELD_WORDS = {  # field of a pad -> how the history names it
    "name": "Name",
    "kind": "Kind",
    "gain_db": "Level",
    "pan": "Pan",
    "max_voices": "Voices at most",
    "dynamics": "Dynamics",
    "curve": "Velocity curve",
    "crossfade": "Crossfade",
    "shared_counter": "Counting together",
}


def set_pad(pad: Pad, version: int, field: str, value: Any) -> None:
    """Set one of FIELD_WORDS."""
    with edit(pad.kit_id, version, f"{FIELD_WORDS[field]} of {pad.full_name}") as change:
        change.update(pad, **{field: value})
        change.touch(pad.pk)


def mute_pad(pad: Pad, version: int, muted: bool) -> None:
    with edit(pad.kit_id, version, f"{pad.full_name} {'muted' if muted else 'unmuted'}") as change:
        change.update(pad, muted=muted)
        change.touch(pad.pk)


def set_rotation(pad: Pad, version: int, rotation: str) -> None:
    with edit(pad.kit_id, version, f"Takes of {pad.full_name} {ROTATIONS[rotation]}") as change:
        change.update(pad, rotation=rotation)
        change.touch(pad.pk)


def set_cuts_itself(pad: Pad, version: int, cuts: bool) -> None:
    with edit(pad.kit_id, version, f"{pad.full_name} {'cuts itself' if cuts else 'rings on'}") as change:
        change.update(pad, cuts_itself=cuts)
        change.touch(pad.pk)


def name_piece(pad: Pad, version: int, name: str) -> None:
    """Name the piece that ``pad`` belongs to."""
    with edit(pad.kit_id, version, f"{pad.full_name} named {name}") as change:
        change.update(pad.piece, name=name)
        change.touch(*pad.piece.pads.values_list("pk", flat=True))


def set_notes(pad: Pad, version: int, notes: Sequence[int]) -> None:
    """The notes that strike ``pad``; none is allowed. Another pad may have the same note."""
    shown = ", ".join(note_label(note) for note in notes) or "none"
    with edit(pad.kit_id, version, f"Note of {pad.full_name}: {shown}") as change:
        own = {row.note: row for row in pad.notes.filter(map__is_default=True)}
        change.delete_all([row for note, row in own.items() if note not in notes])
        default = Map.objects.get(kit=pad.kit_id, is_default=True)
        change.create_all(
            [MapNote(map=default, note=note, pad=pad) for note in dict.fromkeys(notes) if note not in own]
        )
        change.touch(pad.pk)


def choke_pad(pad: Pad, version: int, letter: str) -> None:
    """Put ``pad`` in the choke group ``letter``, made if it is new; no letter takes it out."""
    words = f"{pad.full_name} in choke group {letter}" if letter else f"{pad.full_name} in no choke group"
    with edit(pad.kit_id, version, words) as change:
        group = None
        if letter:
            group = ChokeGroup.objects.filter(kit=pad.kit_id, letter=letter).first()
            group = group or change.create(ChokeGroup(kit=change.kit, letter=letter))
        change.update(pad, choke_id=group.pk if group else None)
        change.touch(pad.pk)


def set_choke_fade(pad: Pad, version: int, fade_ms: float) -> None:
    """How fast the pad's choke group falls silent."""
    if pad.choke is None:
        raise KitError(f"{pad.full_name} is in no choke group. Give it a letter first.")
    with edit(pad.kit_id, version, f"Fade of choke group {pad.choke.letter}") as change:
        change.update(pad.choke, fade_ms=fade_ms)
        change.touch(*Pad.objects.filter(choke=pad.choke).values_list("pk", flat=True))


def route_pad(pad: Pad, version: int, name: str) -> None:
    """Send ``pad`` to the output of this name, made if it is new; Main where the name is empty."""
    with edit(pad.kit_id, version, f"{pad.full_name} to output {name or MAIN}") as change:
        output = Output.objects.filter(kit=pad.kit_id, name__iexact=name or MAIN).first()
        if output is None:
            last = Output.objects.filter(kit=pad.kit_id).order_by("-position").first()
            output = change.create(Output(kit=change.kit, name=name, position=last.position + 1))
            change.touch_all()  # players number outputs in their order
        change.update(pad, output_id=None if output.is_main and pad.piece.output_id is None else output.pk)
        change.touch(pad.pk)


# Outputs and mics ---------------------------------------------------------------------------------------------------


def rename_output(output: Output, version: int, name: str) -> None:
    if output.is_main or name.lower() == MAIN.lower():
        raise KitError("Main keeps its name; everything without an output of its own goes there.")
    if Output.objects.filter(kit=output.kit_id, name__iexact=name).exclude(pk=output.pk).exists():
        raise KitError(f"There is an output {name} already. Choose another name.")
    with edit(output.kit_id, version, f"Output {output.name} named {name}") as change:
        change.update(output, name=name)
        change.touch_all()


def set_output_level(output: Output, version: int, gain_db: float) -> None:
    with edit(output.kit_id, version, f"Level of output {output.name}") as change:
        change.update(output, gain_db=gain_db)


def delete_output(output: Output, version: int) -> None:
    """What went there goes to Main again."""
    if output.is_main:
        raise KitError("Main can't be deleted; a kit needs one way out.")
    with edit(output.kit_id, version, f"Output {output.name} deleted") as change:
        for model in (Pad, Piece, Mic):
            for row in model.objects.filter(output=output):
                change.update(row, output_id=None)
        change.delete_all([output])
        change.touch_all()


def set_mic(mic: Mic, version: int, field: str, value: Any) -> None:
    """Level of a mic, or whether it follows the pads' pan."""
    words = {"gain_db": f"Level of mic {mic.name}", "follows_pan": f"Pan of mic {mic.name}"}
    with edit(mic.kit_id, version, words[field]) as change:
        change.update(mic, **{field: value})
        change.touch_all()


# Samples on pads ----------------------------------------------------------------------------------------------------


def give_samples(
    pad: Pad, version: int, samples: Sequence[Sample], way: str, *, replace: bool, layers: int | None
) -> None:
    """Give ``samples`` to ``pad`` in one of WAYS; what it had stays or goes.

    layers : into how many, where the way is "layers"; by default as many as the levels show
    """
    if not samples:
        raise KitError("No samples are selected. Select some on the shelf first.")
    what = samples[0].name if len(samples) == 1 else f"{len(samples)} samples"
    with edit(
        pad.kit_id,
        version,
        f"{what} on {pad.full_name}, {WAYS[way]}" if len(samples) > 1 else f"{what} on {pad.full_name}",
    ) as change:
        if way == "pads":
            _one_to_each(change, pad, samples, replace=replace)
            return
        was_empty = not pad.layers.exists()
        if replace:
            change.delete_all(list(pad.layers.all()))
        new = _recordings(change, samples)
        loudest = pad.layers.order_by("high").last()
        if way == "takes" and loudest:
            _add_takes(change, [(loudest, new)], first=loudest.takes.count())
        elif way == "takes":
            _stack(change, pad, [new])
        else:
            pool = _lift_recordings(change, pad) + new
            groups = layers_by_level([recording.level_db for recording in pool], layers)
            _stack(change, pad, [[pool[i] for i in group] for group in groups])
        if was_empty:
            _introduce(change, pad, samples)
        change.touch(pad.pk)


@dataclass(frozen=True, slots=True)
class _Recording:
    """A take to be written: what each mic heard, and its settings."""

    heard: tuple[tuple[int, int], ...]  # (mic, sample)
    level_db: float
    settings: dict[str, Any]

    @classmethod
    def of(cls, sample: Sample, mic: Mic) -> "_Recording":
        """A new one: silence before the onset is skipped."""
        return cls(((mic.pk, sample.pk),), sample.level_db, {"start_frame": sample.onset_frame})


def _recordings(change: Change, samples: Sequence[Sample]) -> list[_Recording]:
    mic = Mic.objects.filter(kit=change.kit).order_by("position").first()
    return [_Recording.of(sample, mic) for sample in samples]


def _lift_recordings(change: Change, pad: Pad) -> list[_Recording]:
    """Take everything off ``pad`` to lay it on again in other layers."""
    heard: dict[int, list[TakeSample]] = {}
    for used in TakeSample.objects.filter(take__layer__pad=pad).select_related("sample").order_by("mic__position"):
        heard.setdefault(used.take_id, []).append(used)
    takes = Take.objects.filter(layer__pad=pad, pk__in=heard).order_by("layer__high", "position")
    lifted = [
        _Recording(
            heard=tuple((used.mic_id, used.sample_id) for used in heard[take.pk]),
            level_db=heard[take.pk][0].sample.level_db,
            settings={name: getattr(take, name) for name in ("is_enabled", "gain_db", "pan", "start_frame")},
        )
        for take in takes
    ]
    change.delete_all(list(pad.layers.all()))
    return lifted


def _stack(change: Change, pad: Pad, groups: Sequence[Sequence[_Recording]]) -> None:
    """Lay ``groups`` on an empty pad, a layer each, softest first."""
    layers = change.create_all([Layer(pad=pad, high=high) for high in split_evenly(len(groups))])
    _add_takes(change, [(layer, group) for layer, group in zip(layers, groups, strict=True)])
    change.update(pad, dynamics=layered_dynamics(len(groups)))


def _add_takes(change: Change, filled: Sequence[tuple[Layer, Sequence[_Recording]]], *, first: int = 0) -> None:
    """Add the recordings of each layer as its takes, the first at position ``first``."""
    recordings = [recording for _, group in filled for recording in group]
    takes = change.create_all([
        Take(layer=layer, position=first + number, **recording.settings)
        for layer, group in filled
        for number, recording in enumerate(group)
    ])  # fmt: skip
    change.create_all([
        TakeSample(take=take, mic_id=mic, sample_id=sample)
        for take, recording in zip(takes, recordings, strict=True)
        for mic, sample in recording.heard
    ])  # fmt: skip


def _introduce(change: Change, pad: Pad, samples: Sequence[Sample]) -> None:
    """Name a pad that was empty after what it got, and give it the standard note of its kind if that is free."""
    kind = max({sample.kind for sample in samples}, key=[sample.kind for sample in samples].count)
    if not pad.piece.name:
        label = BY_SLUG[kind].label.capitalize() if kind != "other" else samples[0].name.rsplit(".", 1)[0][:60]
        change.update(pad.piece, name=label)
    if pad.kind == "other":
        change.update(pad, kind=kind)
    note = None if pad.notes.exists() else free_note(kind, queries.taken_notes(change.kit))
    if note is not None:
        change.create(MapNote(map=Map.objects.get(kit=change.kit, is_default=True), note=note, pad=pad))


def _one_to_each(change: Change, pad: Pad, samples: Sequence[Sample], *, replace: bool) -> None:
    """One sample to this pad, the next to the next free one; pads are added where there are too few."""
    free = list(
        Pad.objects.filter(kit=pad.kit_id, position__gt=pad.position, layers__isnull=True)
        .select_related("piece")
        .order_by("position")
    )
    is_free = not pad.layers.exists()
    if replace and not is_free:
        change.delete_all(list(pad.layers.all()))
        is_free = True
    targets = ([pad] if is_free else []) + free
    missing = len(samples) - len(targets)
    if missing > 0:
        last = Pad.objects.filter(kit=pad.kit_id).order_by("-position").first().position
        if Pad.objects.filter(kit=pad.kit_id).count() + missing > MAX_PADS:
            raise KitError(f"That would make more than {MAX_PADS} pads. Select fewer samples.")
        pieces = change.create_all([Piece(kit=change.kit, position=last + 10 * n) for n in range(1, missing + 1)])
        targets += change.create_all([Pad(kit=change.kit, piece=piece, position=piece.position) for piece in pieces])
        change.changes_order = True
    targets = targets[: len(samples)]
    layers = change.create_all([Layer(pad=target, high=127) for target in targets])
    _add_takes(change, [(layer, [new]) for layer, new in zip(layers, _recordings(change, samples), strict=True)])
    for target, sample in zip(targets, samples, strict=True):
        _introduce(change, target, [sample])
    change.touch(*(target.pk for target in targets))


def set_border(layer: Layer, version: int, high: int) -> None:
    """Move the upper border of ``layer``: its neighbour begins right after it."""
    layers = list(layer.pad.layers.order_by("high"))
    place = [row.pk for row in layers].index(layer.pk)
    if place + 1 == len(layers):
        raise KitError("The loudest layer always ends at 127.")
    low = layers[place - 1].high + 1 if place else 1
    top = layers[place + 1].high - 1
    if not low <= high <= top:
        raise KitError(f"Layer {place + 1} can end between {low} and {top}: a layer has at least one velocity.")
    with edit(layer.pad.kit_id, version, f"Border {place + 1} of {layer.pad.full_name} at {high}") as change:
        change.update(layer, high=high)
        change.touch(layer.pad_id)


def split_borders_evenly(pad: Pad, version: int) -> None:
    with edit(pad.kit_id, version, f"Layers of {pad.full_name} split evenly") as change:
        layers = list(pad.layers.order_by("high"))
        moves = list(zip(layers, split_evenly(len(layers)), strict=True))
        rising = [move for move in moves if move[1] > move[0].high]
        falling = [move for move in moves if move[1] < move[0].high]
        for layer, high in rising[::-1] + falling:  # so that no two layers ever end at one velocity
            change.update(layer, high=high)
        change.touch(pad.pk)


def remove_take(take: Take, version: int) -> None:
    """Take one recording off a pad; its layer goes with its last take, and the layer above reaches down."""
    layer, pad = take.layer, take.layer.pad
    with edit(pad.kit_id, version, f"Take {take.position + 1} off {pad.full_name}") as change:
        if layer.takes.count() > 1:
            change.delete_all([take])
        else:
            below = pad.layers.filter(high__lt=layer.high).order_by("high").last()
            change.delete_all([layer])
            if layer.high == 127 and below:
                change.update(below, high=127)
        change.touch(pad.pk)


def enable_take(take: Take, version: int, enabled: bool) -> None:
    pad = take.layer.pad
    words = f"Take {take.position + 1} of {pad.full_name} {'on' if enabled else 'off'}"
    with edit(pad.kit_id, version, words) as change:
        change.update(take, is_enabled=enabled)
        change.touch(pad.pk)
