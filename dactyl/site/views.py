"""Pages for what went wrong: one clear sentence, never a traceback."""

from typing import Any

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.csrf import requires_csrf_token

from dactyl.site import keys


def sentence(request: HttpRequest, text: str, status: int) -> HttpResponse:
    """``text`` as a whole page, or as a message where a part of a page was asked for."""
    is_part = getattr(request, "htmx", False) or "json" in request.headers.get("Accept", "")
    if is_part:
        response = HttpResponse(text, status=status, content_type="text/plain; charset=utf-8")
        response["HX-Reswap"] = "none"
        return response
    return render(request, "sentence.html", {"text": text, "status": status}, status=status)


def of_every_page(request: HttpRequest) -> dict[str, Any]:
    """A context processor: what the page itself refuses before it is sent, and the list of keys."""
    return {"upload_bytes": settings.MAX_UPLOAD_BYTES, "key_sections": keys.shown}


@requires_csrf_token
def csrf_failed(request: HttpRequest, reason: str = "") -> HttpResponse:
    return sentence(request, "This page is too old to be trusted: reload it, then do it again.", 403)


def not_found(request: HttpRequest, exception: Exception) -> HttpResponse:
    return sentence(request, "There is nothing at this address. It may have been deleted; go back to the kits.", 404)


def bad_request(request: HttpRequest, exception: Exception) -> HttpResponse:
    return sentence(request, "The browser sent something Dactyl does not understand. Reload the page.", 400)


def failed(request: HttpRequest) -> HttpResponse:
    return sentence(request, "Dactyl failed at this; nothing was changed. The server's log says more.", 500)
