"""Where the history of a document stands; and reads of one state of the database."""

import json
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass

from django.db import connection, transaction
from django.db.models import Count, Q, QuerySet, Subquery
from django.db.models.expressions import RawSQL

from dactyl.history.models import Document, Revision

MOST_LISTED = 200
EACH = "SELECT value FROM json_each(%s)"  # https://www.sqlite.org/json1.html, section 4.18


def each(numbers: Iterable[int]) -> RawSQL:
    """For ``name__in``: a list of any length as one value, since SQLite counts those of a statement."""
    return RawSQL(EACH, [json.dumps(list(numbers))])


@contextmanager
def reading() -> Iterator[None]:
    """All queries inside see one state of the database, while others write. Nothing may be written inside."""
    if connection.in_atomic_block:
        yield
        return
    connection.ensure_connection()  # a thread's first request: only then is the mode known
    mode, connection.transaction_mode = connection.transaction_mode, "DEFERRED"
    try:
        with transaction.atomic():
            yield
    finally:
        connection.transaction_mode = mode


@dataclass(frozen=True, slots=True)
class UndoState:
    """Where a document's history stands."""

    undoes: Revision | None
    redoes: Revision | None
    done: int


def undo_state(document: Document) -> UndoState:
    """What undo would undo, what redo would do again, and how many edits are done. One query."""
    revisions = Revision.objects.filter(journal=document.journal_id)
    done, undone = revisions.filter(is_undone=False), revisions.filter(is_undone=True)
    ends = (done.order_by("-pk").values("pk")[:1], undone.order_by("pk").values("pk")[:1])
    count = done.order_by().values("journal").annotate(count=Count("pk")).values("count")
    found = revisions.filter(Q(pk=Subquery(ends[0])) | Q(pk=Subquery(ends[1])))
    rows = {row.is_undone: row for row in found.defer("rows").annotate(done=Subquery(count))}
    return UndoState(
        undoes=rows.get(False), redoes=rows.get(True), done=next((row.done or 0 for row in rows.values()), 0)
    )


def listed(document: Document) -> QuerySet[Revision]:
    """The latest edits, the last first, without their rows."""
    return Revision.objects.filter(journal=document.journal_id).defer("rows").order_by("-pk")[:MOST_LISTED]


def last_done(document: Document) -> Revision | None:
    return Revision.objects.filter(journal=document.journal_id, is_undone=False).order_by("-pk").first()


def first_undone(document: Document) -> Revision | None:
    return Revision.objects.filter(journal=document.journal_id, is_undone=True).order_by("pk").first()
