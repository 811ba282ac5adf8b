"""The core's own errors, and a full disk, as an answer a person can read, wherever no view has caught them."""

from collections.abc import Callable

from django.db import OperationalError
from django.http import HttpRequest, HttpResponse
from django.middleware.gzip import GZipMiddleware

from dactyl.core.errors import DactylError
from dactyl.history.queries import reading
from dactyl.jobs.reserve import is_busy, is_full_disk
from dactyl.site.views import sentence

FULL = "The disk is full; nothing was changed. Make room, then do it again."
BUSY = "Something long is being written, so this was not done; nothing was changed. Do it again in a moment."
INSUFFICIENT_STORAGE = 507  # RFC 4918, section 11.5
UNAVAILABLE = 503


class PlainErrors:
    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self.get_response(request)

    def process_exception(self, request: HttpRequest, problem: Exception) -> HttpResponse | None:
        if isinstance(problem, DactylError):
            return sentence(request, str(problem), 422)
        if is_full_disk(problem):
            return sentence(request, FULL, INSUFFICIENT_STORAGE)
        if isinstance(problem, OperationalError) and "too complex" in str(problem):
            return sentence(request, "What is looked for is too long. Use fewer letters.", 422)
        return sentence(request, BUSY, UNAVAILABLE) if is_busy(problem) else None

    def process_view(self, request: HttpRequest, *args: object) -> HttpResponse | None:
        """What came has no room: told once the form is read, which happens before any view."""
        return sentence(request, FULL, INSUFFICIENT_STORAGE) if getattr(request, "has_no_room", False) else None


class Compressed(GZipMiddleware):
    """Text is compressed where the browser takes it so; sounds and zips hardly shrink, and are sent as they are."""

    def process_response(self, request: HttpRequest, response: HttpResponse) -> HttpResponse:
        kind = response.get("Content-Type", "")
        is_text = kind.startswith(("text/", "application/json", "image/svg"))
        return super().process_response(request, response) if is_text and not response.streaming else response


FOREIGN = "This came from another site, so it was refused. Open Dactyl in the browser itself."


class Headers:
    """Requests that other sites make the browser send are refused, and no page is kept by anyone but its reader.

    Sec-Fetch-Site: https://www.w3.org/TR/fetch-metadata/. The headers: OWASP ASVS 4.0.3, 14.4 and 8.2.
    """

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        is_visit = (
            request.headers.get("Sec-Fetch-Mode") == "navigate" and request.method == "GET" and request.path == "/"
        )
        if request.headers.get("Sec-Fetch-Site") in ("cross-site", "same-site") and not is_visit:
            response = HttpResponse(FOREIGN, status=403, content_type="text/plain; charset=utf-8")
        else:
            response = self.get_response(request)
        response.headers.setdefault("Cache-Control", "private, no-cache")
        response.headers.setdefault("Cross-Origin-Resource-Policy", "same-origin")
        return response


class ConsistentReads:
    """A page made of several queries shows one state, whatever is written meanwhile. What is only looked at writes nothing."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if request.method not in ("GET", "HEAD"):
            return self.get_response(request)
        with reading():
            return self.get_response(request)
