"""Samples on pads: given one by one or many at once, stacked by a proposal, or cut from a loop."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from dactyl.core.errors import KitError
from dactyl.core.kinds import BY_SLUG, free_note
from dactyl.core.stack.cluster import layers_by_level
from dactyl.core.stack.kit_from_proposal import HATS
from dactyl.core.stack.layers import layered_dynamics, split_evenly
from dactyl.core.stack.pieces import ProposedPiece, pieces_of
from dactyl.core.stack.words import PLAIN_MICS
from dactyl.core.units import counted
from dactyl.history.edits import Change, edit
from dactyl.history.models import Revision
from dactyl.kits import queries
from dactyl.kits.edits.outputs import touch_all
from dactyl.kits.edits.pads import append_pads, tie
from dactyl.kits.fields import TAKE_FIELDS
from dactyl.kits.models import ChokeGroup, Kit, Layer, Map, MapNote, Mic, Pad, Take, TakeSample
from dactyl.shelf.models import Sample

WAYS = {"layers": "stacked as layers", "takes": "as takes of one layer", "pads": "one to each pad"}


@dataclass(frozen=True, slots=True)
class NewTake:
    """A take to be written: what each mic heard, and its settings."""

    heard: dict[str, Sample]  # by the name of the mic, the first one first
    settings: dict[str, Any] = field(default_factory=dict)

    @classmethod
    def of(cls, heard: dict[str, Sample]) -> "NewTake":
        """A new one: silence before the onset is skipped."""
        return cls(heard, {"start_frame": next(iter(heard.values())).onset_frame})

    @property
    def level_db(self) -> float:
        return next(iter(self.heard.values())).level_db

    @property
    def samples(self) -> list[Sample]:
        return list(self.heard.values())


@dataclass(frozen=True, slots=True)
class NewPad:
    """A pad as a proposal lays it out."""

    name: str
    kind: str
    layers: Sequence[Sequence[NewTake]]  # softest first
    highs: Sequence[int]


def give_samples(
    pad: Pad, version: int, recordings: Sequence[NewTake], way: str, *, replace: bool, layers: int | None
) -> Revision | None:
    """Give recordings to ``pad`` in one of WAYS; what it had stays or goes.

    layers : into how many, where the way is "layers"; by default as many as the levels show
    """
    if not recordings:
        raise KitError("No samples are selected. Select some on the shelf first.")
    count = sum(len(recording.heard) for recording in recordings)
    what = recordings[0].samples[0].name if count == 1 else f"{count} samples"
    sentence = f"{what} on {pad.full_name}" + (f", {WAYS[way]}" if count > 1 else "")
    with edit(pad.kit, version, sentence) as change:
        if way == "pads":
            _one_to_each(change, pad, recordings, replace=replace)
        else:
            _on_one(change, pad, recordings, way, replace, layers)
    return change.revision


def _on_one(
    change: Change, pad: Pad, recordings: Sequence[NewTake], way: str, replace: bool, layers: int | None
) -> None:
    was_empty = not pad.layers.exists()
    if replace:
        change.delete_all(list(pad.layers.all()))
    loudest = pad.layers.order_by("high").last()
    if way == "takes" and loudest:
        _add_takes(change, [(loudest, recordings)], first=loudest.takes.count())
    elif way == "takes":
        _put_layers(change, pad, [recordings])
    else:
        pool = _take_off(change, pad) + list(recordings)
        groups = layers_by_level([recording.level_db for recording in pool], layers)
        _put_layers(change, pad, [[pool[i] for i in group] for group in groups])
    if was_empty:
        name_after(change, pad, [recording.samples[0] for recording in recordings])
    change.touch(pad.pk)


def apply_proposal(kit: Kit, version: int, new_pads: Sequence[NewPad], target: Pad | None) -> Revision | None:
    """Lay a proposal out on the next free pads, or its one pad on ``target``; hats choke each other."""
    count = sum(len(recording.heard) for new in new_pads for layer in new.layers for recording in layer)
    where = target.full_name if target else counted(len(new_pads), "pad")
    with edit(kit, version, f"{counted(count, 'sample')} stacked on {where}") as change:
        pieces = pieces_of([(new.name, new.kind) for new in new_pads])
        new_pads = [new_pads[place] for piece in pieces for place in piece.pads]
        targets = [target] if target else _free_pads(change, kit, len(new_pads))
        hats = sum(BY_SLUG[new.kind].is_hat for new in new_pads)
        taken = queries.taken_notes(kit)
        for pad, new in zip(targets, new_pads, strict=True):
            change.delete_all(list(pad.layers.all()))
            _put_layers(change, pad, new.layers, new.highs)
            if pad is not target or not pad.piece.name:
                change.update(pad.piece, name=new.name[:60])
                change.update(pad, kind=new.kind)
            if hats > 1 and BY_SLUG[new.kind].is_hat:
                change.update(pad, choke_id=_choke(change, HATS.letter).pk)
            if not pad.notes.exists():
                taken.add(_give_note(change, pad, new.kind, taken))
            change.touch(pad.pk)
        if not target:
            _tie(change, targets, pieces)
    return change.revision


def _tie(change: Change, pads: Sequence[Pad], pieces: Sequence[ProposedPiece]) -> None:
    """Pads, in the order of the pieces, become articulations of one piece where they are of one drum."""
    rest = iter(pads)
    for piece in pieces:
        first, *others = own = [next(rest) for _ in piece.pads]
        if not others or any(pad.piece.pads.count() > 1 for pad in own):
            continue
        first_name, *names = [name[:60] for name in piece.own_names]
        change.update(first.piece, name=piece.name[:60])
        change.update(first, name=first_name)
        tie(change, first.piece, others, names)


def cut_over_pads(
    pad: Pad, version: int, sample: Sample, cuts: Sequence[tuple[int, int]], fade_ms: float
) -> Revision | None:
    """Lay the pieces of a loop in order over this pad and the next free ones, each with its tail faded.

    cuts : (first frame, frame after the last) of each piece
    """
    with edit(pad.kit, version, f"{sample.name} cut over {counted(len(cuts), 'pad')}") as change:
        own = [pad] if not pad.layers.exists() else []
        targets = own + _free_pads(change, pad.kit, len(cuts) - len(own), after=pad)
        mic = _mic(change, None)
        settings = [
            {"start_frame": start, "end_frame": end if end < sample.frames else None, "fade_out_ms": fade_ms if end < sample.frames else 0.0}
            for start, end in cuts
        ]  # fmt: skip
        stem = sample.name.rsplit(".", 1)[0]
        for number, (target, own_settings) in enumerate(zip(targets, settings, strict=True), start=1):
            _put_layers(change, target, [[NewTake({mic.name: sample}, own_settings)]])
            change.update(target.piece, name=f"{number:02} {stem[:50]}")
            if not target.notes.exists():
                _give_note(change, target, "other", queries.taken_notes(change.document))
            change.touch(target.pk)
    return change.revision


# Laying down ---------------------------------------------------------------------------------------------------------


def _put_layers(
    change: Change, pad: Pad, groups: Sequence[Sequence[NewTake]], highs: Sequence[int] | None = None
) -> None:
    """Lay ``groups`` on an empty pad, a layer each, softest first."""
    layers = change.create_all([Layer(pad=pad, high=high) for high in highs or split_evenly(len(groups))])
    _add_takes(change, list(zip(layers, groups, strict=True)))
    change.update(pad, dynamics=layered_dynamics(len(groups)))


def _add_takes(change: Change, filled: Sequence[tuple[Layer, Sequence[NewTake]]], *, first: int = 0) -> None:
    """Add the recordings of each layer as its takes, the first at position ``first``."""
    recordings = [recording for _, group in filled for recording in group]
    mics = {
        name: _mic(change, name) for name in dict.fromkeys(mic for recording in recordings for mic in recording.heard)
    }
    takes = change.create_all([
        Take(layer=layer, position=first + number, **recording.settings)
        for layer, group in filled
        for number, recording in enumerate(group)
    ])  # fmt: skip
    positions = dict(Mic.objects.filter(kit=change.document).values_list("pk", "position"))
    change.create_all([
        TakeSample(take=take, mic=mics[mic], sample=sample, is_counted_in=mic == counted)
        for take, recording in zip(takes, recordings, strict=True)
        for counted in [counted_in([(mic, positions[mics[mic].pk]) for mic in recording.heard])]
        for mic, sample in recording.heard.items()
    ])  # fmt: skip


def counted_in(mics: Sequence[tuple[str, int]]) -> str | None:
    """Return the mic that a take's start and end are counted in, where it is not the one that stands first in the kit.

    mics : (name, position in the kit) of each mic of a take, the one that its frames are counted in first
    """
    first = min(mics, key=lambda mic: mic[1], default=None)
    return mics[0][0] if first and first[0] != mics[0][0] else None


def _mic(change: Change, name: str | None) -> Mic:
    """The kit's mic of this name, made if it is new; the first one where the name is None."""
    mics = list(Mic.objects.filter(kit=change.document).order_by("position"))
    found = next((mic for mic in mics if name is None or mic.name.lower() == name.lower()), None)
    if found:
        return found
    touch_all(change)
    follows = (name or "").split()[0] in PLAIN_MICS
    before = [mic for mic in mics if mic.follows_pan or not follows]  # a close mic stands before those of the room
    made = change.create(
        Mic(kit=change.document, name=name, position=len(before), follows_pan=follows, is_ambience=not follows)
    )
    change.update_each(
        (mic, {"position": number})
        for number, mic in enumerate([*before, made, *mics[len(before) :]])
        if mic is not made
    )
    return made


def _take_off(change: Change, pad: Pad) -> list[NewTake]:
    """Take everything off ``pad`` to lay it on again in other layers."""
    takes = list(Take.objects.filter(layer__pad=pad).order_by("layer__high", "position"))
    heard: dict[int, dict[str, Sample]] = {take.pk: {} for take in takes}
    for used in TakeSample.objects.filter(take__in=takes).select_related("sample", "mic").order_by(*TakeSample.FIRST):
        heard[used.take_id][used.mic.name] = used.sample
    change.delete_all(list(pad.layers.all()))
    return [
        NewTake(heard[take.pk], {name: getattr(take, name) for name in TAKE_FIELDS}) for take in takes if heard[take.pk]
    ]


def name_after(change: Change, pad: Pad, samples: Sequence[Sample]) -> None:
    """Name a pad that was empty after what it got, and give it the standard note of its kind if that is free."""
    kinds = [sample.kind for sample in samples]
    kind = max(dict.fromkeys(kinds), key=kinds.count)
    if not pad.piece.name:
        label = BY_SLUG[kind].label.capitalize() if kind != "other" else samples[0].name.rsplit(".", 1)[0][:60]
        change.update(pad.piece, name=label)
    if pad.kind == "other":
        change.update(pad, kind=kind)
    if not pad.notes.exists():
        _give_note(change, pad, kind, queries.taken_notes(change.document))


def _give_note(change: Change, pad: Pad, kind: str, taken: set[int]) -> int | None:
    note = free_note(kind, taken)
    if note is not None:
        change.create(MapNote(map=Map.objects.get(kit=change.document, is_default=True), note=note, pad=pad))
    return note


def _choke(change: Change, letter: str) -> ChokeGroup:
    group = ChokeGroup.objects.filter(kit=change.document, letter=letter).first()
    return group or change.create(ChokeGroup(kit=change.document, letter=letter))


def _free_pads(change: Change, kit: Kit, count: int, after: Pad | None = None) -> list[Pad]:
    """The next pads without samples, ``count`` of them; pads are added where there are too few."""
    free = Pad.objects.filter(kit=kit, layers__isnull=True).select_related("piece").order_by("position")
    if after is not None:
        free = free.filter(position__gt=after.position)
    found = list(free[: max(0, count)])
    return found + (list(append_pads(change, count - len(found))) if count > len(found) else [])


def _one_to_each(change: Change, pad: Pad, recordings: Sequence[NewTake], *, replace: bool) -> None:
    """One recording to this pad, the next to the next free one; pads are added where there are too few."""
    is_free = not pad.layers.exists()
    if replace and not is_free:
        change.delete_all(list(pad.layers.all()))
        is_free = True
    own = [pad] if is_free else []
    targets = (own + _free_pads(change, pad.kit, len(recordings) - len(own), after=pad))[: len(recordings)]
    for target, recording in zip(targets, recordings, strict=True):
        _put_layers(change, target, [[recording]])
        name_after(change, target, [recording.samples[0]])
    change.touch(*(target.pk for target in targets))
