"""Pages are kept until the database changes: many readers of one page cost one drawing of it.

Each kept page knows the state of the database it was drawn from, told by SQLite's ``data_version``, which changes with
every commit of another connection (https://www.sqlite.org/pragma.html#pragma_data_version). A page is drawn by one
request at a time; who waits for it takes it, if the drawing began after they asked. Browsers that hold it are answered
304. Nothing is kept unless ``begin`` was called: in a test's transaction no commit would ever be seen.
"""

import hashlib
import secrets
import sqlite3
import threading
import time
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import wraps
from pathlib import Path
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.middleware.csrf import get_token
from django.utils.cache import get_conditional_response, patch_vary_headers

from dactyl.web.headers import HEADERS
from dactyl.web.note_naming import middle_c_octave

PAGES = 64
READ_HEADERS = (
    "HX-Request",
    "HX-History-Restore-Request",
    "HX-Target",
    HEADERS["selected_pads"],
    HEADERS["selected_takes"],
    HEADERS["part"],
    "Accept",
)


@dataclass(frozen=True, slots=True)
class _Drawn:
    state: int  # of the database, before it was drawn
    begun_at: float  # monotonic
    response: HttpResponse
    parts: list[bytes]  # of its content: between them stands the token of each reader
    digest: str


@dataclass(slots=True)
class _Page:
    lock: threading.Lock = field(default_factory=threading.Lock)
    drawn: _Drawn | None = None


class _Memory:
    """The pages that are kept, and the connection that sees changes because it makes none."""

    def __init__(self, database: Path) -> None:
        self._base = sqlite3.connect(database, check_same_thread=False, isolation_level=None)
        self._lock = threading.Lock()
        self._pages: OrderedDict[tuple, _Page] = OrderedDict()

    def state(self) -> int:
        with self._lock:
            return self._base.execute("PRAGMA data_version").fetchone()[0]

    def page(self, key: tuple) -> _Page:
        with self._lock:
            page = self._pages.setdefault(key, _Page())
            self._pages.move_to_end(key)
            while len(self._pages) > PAGES:
                self._pages.popitem(last=False)
        return page


_memory: _Memory | None = None


def begin(database: Path) -> None:
    global _memory
    _memory = _Memory(database)


def page_token(request: HttpRequest) -> dict[str, str]:
    """A context processor: the token against forged requests, or its place in a page for many readers."""
    return {"page_token": getattr(request, "token_mark", None) or get_token(request)}


def kept(view: Callable[..., HttpResponse]) -> Callable[..., HttpResponse]:
    """For a view whose page is made of the database, its address, ``READ_HEADERS`` and how notes are named alone."""

    @wraps(view)
    def answer(request: HttpRequest, *args: Any, **named: Any) -> HttpResponse:
        if _memory is None:
            return view(request, *args, **named)
        asked_at = time.monotonic()
        key = (request.get_full_path(), middle_c_octave(), *(request.headers.get(name, "") for name in READ_HEADERS))
        page = _memory.page(key)
        if page.drawn is None or page.drawn.state != _memory.state():
            with page.lock:
                if page.drawn is None or page.drawn.begun_at < asked_at:
                    begun_at, state = time.monotonic(), _memory.state()
                    request.token_mark = secrets.token_hex(24)  # nothing in the database can hold it: it is made now
                    response = view(request, *args, **named)
                    if response.status_code != 200:
                        return response
                    parts = response.content.split(request.token_mark.encode())
                    page.drawn = _Drawn(state, begun_at, response, parts, hashlib.sha256(b"".join(parts)).hexdigest())
        return _for_reader(request, page.drawn)

    return answer


def _for_reader(request: HttpRequest, drawn: _Drawn) -> HttpResponse:
    token = get_token(request)
    secret = request.META["CSRF_COOKIE"]  # a page with the token of another would be refused
    etag = f'"{hashlib.sha256((drawn.digest + secret).encode()).hexdigest()[:32]}"'
    content = token.encode().join(drawn.parts)
    response = HttpResponse(content, headers={**drawn.response.headers, "ETag": etag})
    patch_vary_headers(response, READ_HEADERS)
    return get_conditional_response(request, etag, None, response)
