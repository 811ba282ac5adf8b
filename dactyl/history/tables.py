"""The tables that edits may write. Apps register theirs when they are ready, with what hangs on what."""

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from django.db.models import Model
from django.db.models.signals import post_delete

from dactyl.history.models import Document, Journal

Children = Sequence[tuple[type[Model], str]]
"""Tables whose rows go with a row of another, and the column that names it."""

Step = tuple[str, int, dict[str, Any] | None, dict[str, Any] | None]
"""What an edit, an undo or a redo did to a row: table, key, its columns before and after (None: it was not there)."""
FOLLOWERS: list[Callable[[Document, Sequence[Step]], None]] = []
"""What apps above do where rows of a document change, in the same transaction: a rename is followed."""

_models: dict[str, type[Model]] = {}
_names: dict[type[Model], str] = {}
_children: dict[type[Model], Children] = {}


def register(tables: Mapping[str, type[Model]], children: Mapping[type[Model], Children] | None = None) -> None:
    """tables : by the name that revisions keep, so a name never changes; children : deleted with their parent"""
    for name, model in tables.items():
        _models[name], _names[model] = model, name
        if issubclass(model, Document):
            post_delete.connect(_forget_journal, sender=model)
    _children.update(children or {})


def model_of(name: str) -> type[Model]:
    return _models[name]


def name_of(model: type[Model]) -> str:
    return _names[model]


def children_of(model: type[Model]) -> Children:
    return _children.get(model, ())


def _forget_journal(sender: type[Model], instance: Document, **kwargs: object) -> None:
    Journal.objects.filter(pk=instance.journal_id).delete()
