"""Copy rows of a kit with all that hangs on them; what chance is drawn with stays the same."""

from collections.abc import Callable, Sequence

from django.db.models import Model

from dactyl.history.edits import Change
from dactyl.kits.models import (
    Cell,
    ChokeGroup,
    Companion,
    DeviceUse,
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
    Translation,
    TranslationNote,
)

Create = Callable[[Sequence[Model]], Sequence[Model]]
Ids = dict[type[Model], dict[int, int]]
"""For each table, old primary key -> new one."""


def copy_kit(source: Kit, target: Kit) -> None:
    """Everything of ``source`` but its name and history, into the empty ``target``."""
    ids: Ids = {Kit: {source.pk: target.pk}}

    def create(rows: Sequence[Model]) -> Sequence[Model]:
        return type(rows[0]).objects.bulk_create(rows, batch_size=200)

    own = {"kit": source}
    for model in (OutputGroup, Output, Mic, ChokeGroup, MuteGroup, Map, Surface, Translation, DeviceUse, Piece, Pad):
        _copy(list(model.objects.filter(**own)), ids, create)
    _copy(list(PieceMic.objects.filter(piece__kit=source)), ids, create)
    _copy(list(MapNote.objects.filter(map__kit=source)), ids, create)
    _copy(list(Cell.objects.filter(surface__kit=source)), ids, create)
    _copy(list(TranslationNote.objects.filter(translation__kit=source)), ids, create)
    for model in (PadMute, Companion):
        _copy(list(model.objects.filter(pad__kit=source)), ids, create)
    _copy_takes(Layer.objects.filter(pad__kit=source), ids, create)


def copy_pads(change: Change, pads: Sequence[Pad]) -> list[Pad]:
    """Pads with their layers, takes and settings in the same kit; without notes."""
    ids: Ids = {}
    copies = _copy(pads, ids, change.create_all)
    for model in (PadMute, Companion):
        _copy(list(model.objects.filter(pad__in=pads)), ids, change.create_all)
    _copy_takes(Layer.objects.filter(pad__in=pads), ids, change.create_all)
    return list(copies)


def copy_piece(change: Change, piece: Piece) -> Piece:
    """The piece with its levels of mics, without its pads."""
    ids: Ids = {}
    (copied,) = _copy([piece], ids, change.create_all)
    _copy(list(piece.mic_gains.all()), ids, change.create_all)
    return copied


def _copy_takes(layers, ids: Ids, create: Create) -> None:
    kept = list(layers)
    _copy(kept, ids, create)
    takes = list(Take.objects.filter(layer__in=layers))
    _copy(takes, ids, create)
    _copy(list(TakeSample.objects.filter(take__layer__in=layers)), ids, create)


def _copy(rows: Sequence[Model], ids: Ids, create: Create) -> Sequence[Model]:
    """Insert copies; a foreign key to a copied row points to its copy, any other stays."""
    if not rows:
        return []
    model = type(rows[0])
    copies = []
    for row in rows:
        values = {}
        for field in model._meta.concrete_fields:
            value = getattr(row, field.attname)
            if field.primary_key:
                continue
            if field.is_relation:
                value = ids.get(field.related_model, {}).get(value, value)
            elif field.name == "random_stream" and value is None:
                value = row.pk
            values[field.attname] = value
        copies.append(model(**values))
    made = create(copies)
    ids.setdefault(model, {}).update({row.pk: copy.pk for row, copy in zip(rows, made, strict=True)})
    return made
