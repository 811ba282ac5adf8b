"""What middle C is called, C3, C4 or C5: programs differ, and people lose time over it. Each browser has its choice."""

from collections.abc import Callable
from contextvars import ContextVar

from django.conf import settings
from django.http import HttpRequest, HttpResponse

COOKIE = "middle-c"
OCTAVES = (3, 4, 5)
_chosen: ContextVar[int | None] = ContextVar("middle_c_octave", default=None)


def middle_c_octave() -> int:
    """The octave that the reader of this request calls that of note 60."""
    return _chosen.get() or settings.MIDDLE_C_OCTAVE


class NoteNaming:
    """Middleware: the choice of the browser that asks."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self._get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        asked = request.COOKIES.get(COOKIE, "")
        before = _chosen.set(int(asked) if asked in map(str, OCTAVES) else None)
        try:
            return self._get_response(request)
        finally:
            _chosen.reset(before)
