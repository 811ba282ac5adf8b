"""Write edits so that they can be undone: every changed row, before and after, under one sentence."""

from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from itertools import groupby
from typing import Any

from django.db import transaction
from django.db.models import Count, F, Max, Min, Model, QuerySet
from django.utils import timezone

from dactyl.core.errors import DactylError
from dactyl.core.units import counted
from dactyl.kits.models import (
    ChokeGroup,
    Companion,
    Kit,
    Layer,
    MapNote,
    Mic,
    MuteGroup,
    Output,
    Pad,
    Piece,
    PieceMic,
    Revision,
    Take,
    TakeSample,
)

TABLES: dict[str, type[Model]] = {
    "kit": Kit,
    "output": Output,
    "mic": Mic,
    "choke": ChokeGroup,
    "mute": MuteGroup,
    "piece": Piece,
    "piece_mic": PieceMic,
    "pad": Pad,
    "companion": Companion,
    "note": MapNote,
    "layer": Layer,
    "take": Take,
    "take_sample": TakeSample,
}
NAMES = {model: name for name, model in TABLES.items()}
CHILDREN = {  # deleted with their parent, and recorded as deleted
    Piece: [(PieceMic, "piece_id"), (Pad, "piece_id")],
    Pad: [(MapNote, "pad_id"), (Companion, "pad_id"), (Companion, "other_id"), (Layer, "pad_id")],
    Mic: [(PieceMic, "mic_id"), (TakeSample, "mic_id")],
    Layer: [(Take, "layer_id")],
    Take: [(TakeSample, "take_id")],
}
MOST_LISTED = 200
NEVER_RECORDED = {"version", "changed_at"}


class StaleKit(DactylError):
    """The page was older than the kit."""


class Change:
    """Collects what one edit does. Every write of an edit goes through here."""

    def __init__(self, kit: Kit) -> None:
        self.kit = kit
        self.revision: Revision | None = None  # once the edit is written; None where it changed nothing
        self.rows: list[list] = []
        self.pads: set[int] = set()
        self.changes_order = False

    def update(self, row: Model, **fields: Any) -> bool:
        """Set fields of ``row``; False where all had these values already."""
        return bool(self.update_all([row], **fields))

    def update_all(self, rows: Sequence[Model], **fields: Any) -> int:
        """Set the same fields of rows of one table, with one statement; returns how many rows changed."""
        changed = [row for row in rows if any(getattr(row, name) != value for name, value in fields.items())]
        for row in changed:
            before = {name: getattr(row, name) for name in fields}
            after = {name: value for name, value in fields.items() if before[name] != value}
            self.rows.append([NAMES[type(row)], row.pk, {name: before[name] for name in after}, after])
            for name, value in fields.items():
                setattr(row, name, value)
        if len(changed) == 1:
            changed[0].save(update_fields=[name.removesuffix("_id") for name in fields])
        elif changed:
            type(changed[0]).objects.filter(pk__in=[row.pk for row in changed]).update(**fields)
        return len(changed)

    def update_each(self, changes: Iterable[tuple[Model, dict[str, Any]]]) -> int:
        """Set fields of many rows, each its own; rows that share their values go with one statement."""
        groups: dict[str, tuple[dict[str, Any], list[Model]]] = {}
        for row, fields in changes:
            groups.setdefault(repr((type(row).__name__, fields)), (fields, []))[1].append(row)
        return sum(self.update_all(rows, **fields) for fields, rows in groups.values())

    def create(self, row: Model) -> Any:
        return self.create_all([row])[0]

    def create_all(self, rows: Sequence[Model]) -> Sequence[Any]:
        """Insert rows of one table with one statement for each few hundred."""
        if rows:
            rows = type(rows[0]).objects.bulk_create(rows, batch_size=200)
            self.rows += [[NAMES[type(row)], row.pk, None, _values(row)] for row in rows]
        return rows

    def delete_all(self, rows: Sequence[Model]) -> None:
        """Delete rows of one table and all that hangs on them, children first."""
        if not rows:
            return
        model, ids = type(rows[0]), [row.pk for row in rows]
        for child, key in CHILDREN.get(model, ()):
            self.delete_all(list(child.objects.filter(**{f"{key}__in": ids})))
        self.rows += [[NAMES[model], row.pk, _values(row), None] for row in rows]
        _delete(model, ids)

    def touch(self, *pads: int) -> None:
        self.pads.update(pads)

    def touch_all(self) -> None:
        self.pads.update(Pad.objects.filter(kit=self.kit).values_list("pk", flat=True))


@contextmanager
def edit(kit: Kit, seen_version: int, sentence: str) -> Iterator[Change]:
    """One edit in one transaction. raises : StaleKit if the kit is not the one the page saw"""
    with transaction.atomic():
        _claim(kit, seen_version, sentence)
        change = Change(kit)
        yield change
        if change.rows:
            Revision.objects.filter(kit=kit, is_undone=True).delete()
            change.revision = Revision.objects.create(
                kit=kit,
                sentence=sentence[:200],
                rows=change.rows,
                pads=sorted(change.pads),
                changes_order=change.changes_order,
            )
        else:
            Kit.objects.filter(pk=kit.pk).update(version=F("version") - 1)
            kit.version -= 1


def undo(kit: Kit, seen_version: int) -> Revision | None:
    """Put back what the last edit changed; None where there is nothing to undo."""
    with transaction.atomic():
        revision = last_done(kit.pk)
        if revision is None:
            return None
        _claim(kit, seen_version, f"Undo of “{revision.sentence}”")
        _apply([(table, pk, after, before) for table, pk, before, after in reversed(revision.rows)])
        revision.is_undone = True
        revision.save(update_fields=["is_undone"])
        return revision


def redo(kit: Kit, seen_version: int) -> Revision | None:
    """Do again what was undone last."""
    with transaction.atomic():
        revision = first_undone(kit.pk)
        if revision is None:
            return None
        _claim(kit, seen_version, f"Redo of “{revision.sentence}”")
        _apply([tuple(row) for row in revision.rows])
        revision.is_undone = False
        revision.save(update_fields=["is_undone"])
        return revision


def go_to(kit: Kit, seen_version: int, revision_id: int) -> Revision | None:
    """Undo every edit from this one on; or, where it is undone, do again every edit up to it.

    Returns what was touched in all, as a revision that is not saved; None where the revision is gone.
    """
    with transaction.atomic():
        asked = Revision.objects.filter(kit=kit, pk=revision_id).defer("rows").first()
        if asked is None:
            return None
        kit.version = seen_version
        left = Revision.objects.filter(kit=kit, is_undone=asked.is_undone)
        if asked.is_undone:
            step, count = redo, left.filter(pk__lte=asked.pk).count()
        else:
            step, count = undo, left.filter(pk__gte=asked.pk).count()
        steps = [step(kit, kit.version) for _ in range(count)]
        return Revision(
            kit=kit,
            sentence=f"{counted(len(steps), 'change')} {'done again' if asked.is_undone else 'undone'}",
            pads=sorted({pad for revision in steps for pad in revision.pads}),
            changes_order=any(revision.changes_order for revision in steps),
        )


def listed(kit_id: int) -> QuerySet[Revision]:
    """The latest edits, the last first, without their rows."""
    return Revision.objects.filter(kit_id=kit_id).defer("rows").order_by("-pk")[:MOST_LISTED]


@dataclass(frozen=True, slots=True)
class Standing:
    """Where a kit's history stands."""

    undoes: Revision | None
    redoes: Revision | None
    done: int


def standing(kit_id: int) -> Standing:
    """What undo would undo, what redo would do again, and how many edits are done. Two queries."""
    revisions = Revision.objects.filter(kit_id=kit_id)
    groups = {
        is_undone: (first, last, count)
        for is_undone, first, last, count in revisions.values_list("is_undone")
        .annotate(Min("pk"), Max("pk"), Count("pk"))
        .order_by()
    }
    done, undone = groups.get(False), groups.get(True)
    rows = revisions.defer("rows").in_bulk([key for key in (done and done[1], undone and undone[0]) if key])
    return Standing(
        undoes=rows.get(done[1]) if done else None,
        redoes=rows.get(undone[0]) if undone else None,
        done=done[2] if done else 0,
    )


def last_done(kit_id: int) -> Revision | None:
    return Revision.objects.filter(kit_id=kit_id, is_undone=False).order_by("-pk").first()


def first_undone(kit_id: int) -> Revision | None:
    return Revision.objects.filter(kit_id=kit_id, is_undone=True).order_by("pk").first()


def _claim(kit: Kit, seen_version: int, sentence: str) -> None:
    """Raise the kit's version if it still is ``seen_version``."""
    claimed = Kit.objects.filter(pk=kit.pk, version=seen_version).update(
        version=F("version") + 1, changed_at=timezone.now()
    )
    if not claimed:
        raise StaleKit(
            f"“{sentence}” was not done: this kit was changed in another tab. It is shown as it is now; do it again."
        )
    kit.version = seen_version + 1


def _apply(steps: Iterable[tuple[str, int, dict | None, dict | None]]) -> None:
    """Take each row from one state to another, neighbouring rows of a kind together."""
    for (table, is_new, is_gone), group in groupby(steps, key=lambda step: (step[0], step[2] is None, step[3] is None)):
        model, rows = TABLES[table], list(group)
        if is_new:
            model.objects.bulk_create([model(**after) for _, _, _, after in rows], batch_size=200)
        elif is_gone:
            _delete(model, [pk for _, pk, _, _ in rows])
        else:
            for _, pk, _, after in rows:
                model.objects.filter(pk=pk).update(**after)


def _delete(model: type[Model], ids: list[int]) -> None:
    """Delete without Django's own cascade: the children have rows of their own in the revision."""
    for start in range(0, len(ids), 500):
        model.objects.filter(pk__in=ids[start : start + 500])._raw_delete("default")


def _values(row: Model) -> dict[str, Any]:
    return {
        field.attname: getattr(row, field.attname)
        for field in row._meta.concrete_fields
        if field.attname not in NEVER_RECORDED
    }
