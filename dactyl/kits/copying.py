"""Copy rows of a kit with all that hangs on them; what chance is drawn with stays the same."""

from collections.abc import Callable, Sequence
from typing import Any

from django.db.models import Model, QuerySet

from dactyl.history.edits import Change, insert_known
from dactyl.history.queries import each
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

Create = Callable[[type[Model], Sequence[dict[str, Any]]], list[int]]
"""Inserts rows of a table, each said by its fields, and returns their keys."""
Ids = dict[type[Model], dict[int, int]]
"""For each table, old primary key -> new one."""


def copy_kit(source: Kit, target: Kit) -> None:
    """Everything of ``source`` but its name and history, into the empty ``target``."""
    ids: Ids = {Kit: {source.pk: target.pk}}
    for model in (OutputGroup, Output, Mic, ChokeGroup, MuteGroup, Map, Surface, Translation, DeviceUse, Piece, Pad):
        _copy(model.objects.filter(kit=source), ids, insert_known)
    _copy(PieceMic.objects.filter(piece__kit=source), ids, insert_known)
    _copy(MapNote.objects.filter(map__kit=source), ids, insert_known)
    _copy(Cell.objects.filter(surface__kit=source), ids, insert_known)
    _copy(TranslationNote.objects.filter(translation__kit=source), ids, insert_known)
    for model in (PadMute, Companion):
        _copy(model.objects.filter(pad__kit=source), ids, insert_known)
    _copy_takes(Layer.objects.filter(pad__kit=source), ids, insert_known)


def copy_pads(change: Change, pads: Sequence[Pad]) -> list[Pad]:
    """Pads with their layers, takes and settings in the same kit; without notes."""
    ids: Ids = {}
    _copy(Pad.objects.filter(pk__in=[pad.pk for pad in pads]), ids, change.create_known)
    for model in (PadMute, Companion):
        _copy(model.objects.filter(pad__in=pads), ids, change.create_known)
    _copy_takes(Layer.objects.filter(pad__in=pads), ids, change.create_known)
    copies = Pad.objects.select_related("piece").in_bulk(list(ids[Pad].values()))
    return [copies[ids[Pad][pad.pk]] for pad in pads]


def copy_piece(change: Change, piece: Piece) -> Piece:
    """The piece with its levels of mics, without its pads."""
    ids: Ids = {}
    _copy(Piece.objects.filter(pk=piece.pk), ids, change.create_known)
    _copy(piece.mic_gains.all(), ids, change.create_known)
    return Piece.objects.get(pk=ids[Piece][piece.pk])


def _copy_takes(layers: QuerySet[Layer], ids: Ids, create: Create) -> None:
    _copy(layers, ids, create)
    own = each(ids.get(Layer, ()))
    _copy(Take.objects.filter(layer__in=own), ids, create)
    _copy(TakeSample.objects.filter(take__layer__in=own), ids, create)


def _copy(found: QuerySet, ids: Ids, create: Create) -> None:
    """Insert copies; a foreign key to a copied row points to its copy, any other stays."""
    model, fields = found.model, [field for field in found.model._meta.concrete_fields if not field.primary_key]
    rows = list(found.values_list("pk", *(field.attname for field in fields)))
    if not rows:
        return
    keys, *columns = map(list, zip(*rows, strict=True))
    for field, column in zip(fields, columns, strict=True):
        if field.is_relation and (new := ids.get(field.related_model)):
            column[:] = [new.get(value, value) for value in column]
        elif field.name == "random_stream":
            column[:] = [key if value is None else value for key, value in zip(keys, column, strict=True)]
    names = [field.attname for field in fields]
    made = create(model, [dict(zip(names, values, strict=True)) for values in zip(*columns, strict=True)])
    ids.setdefault(model, {}).update(zip(keys, made, strict=True))
