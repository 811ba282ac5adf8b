"""Where the history of a document stands; and reads of one state of the database."""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass

from django.db import connection, transaction
from django.db.models import Count, Max, Min, QuerySet

from dactyl.history.models import Document, Revision

MOST_LISTED = 200


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
class Standing:
    """Where a document's history stands."""

    undoes: Revision | None
    redoes: Revision | None
    done: int


def standing(document: Document) -> Standing:
    """What undo would undo, what redo would do again, and how many edits are done. Two queries."""
    revisions = Revision.objects.filter(journal=document.journal_id)
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


def listed(document: Document) -> QuerySet[Revision]:
    """The latest edits, the last first, without their rows."""
    return Revision.objects.filter(journal=document.journal_id).defer("rows").order_by("-pk")[:MOST_LISTED]


def last_done(document: Document) -> Revision | None:
    return Revision.objects.filter(journal=document.journal_id, is_undone=False).order_by("-pk").first()


def first_undone(document: Document) -> Revision | None:
    return Revision.objects.filter(journal=document.journal_id, is_undone=True).order_by("pk").first()
