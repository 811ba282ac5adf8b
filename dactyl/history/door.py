"""The one door for edits of documents: what a page saw is checked, and what came of it is one of four things.

A view of a new kind of document runs its edit through ``edited`` and answers with the outcome; it can't forget to ask which
version its page shows, nor tell a page that is behind that it is up to date.
"""

from collections.abc import Callable
from dataclasses import dataclass

from django.http import HttpRequest

from dactyl.core.errors import DactylError
from dactyl.history.edits import StaleDocument
from dactyl.history.models import Document, Revision
from dactyl.web.request_values import seen_version

Answer = Revision | None | tuple[Revision | None, str]
"""The revision an edit wrote, and what to say of it where its own sentence is not enough."""
NOTHING = "Nothing changed."
STALE, REFUSED = 409, 422


@dataclass(frozen=True, slots=True)
class Outcome:
    revision: Revision | None
    said: str
    status: int = 200
    is_behind: bool = False
    """The page shows the document as it was before others changed it: it must be told all of it anew."""

    @property
    def is_stale(self) -> bool:
        return self.status == STALE

    @property
    def is_refused(self) -> bool:
        return self.status == REFUSED


def edited(request: HttpRequest, document: Document, edit: Callable[[int], Answer]) -> Outcome:
    """Run ``edit`` at the version of the document that the page shows, which it says in a header (``request_values``)."""
    is_behind = False
    try:
        seen = seen_version(request, document._meta.model_name)
        is_behind = document.version != seen
        result = edit(seen)
    except StaleDocument as stale:
        return Outcome(None, str(stale), STALE, is_behind=True)
    except DactylError as problem:
        return Outcome(None, str(problem), REFUSED, is_behind)
    revision, said = result if isinstance(result, tuple) else (result, "")
    return Outcome(revision, said or (revision.sentence if revision else NOTHING), is_behind=is_behind)
