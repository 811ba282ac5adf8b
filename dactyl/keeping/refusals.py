"""What the web server refuses by itself, in our words: a body over the limit, and one that the disk has no room for."""

from contextlib import suppress
from typing import Any

from waitress.channel import HTTPChannel
from waitress.parser import HTTPRequestParser
from waitress.utilities import Error, RequestEntityTooLarge


class TooLarge(RequestEntityTooLarge):
    def to_response(self, ident: Any = None) -> tuple[str, list[tuple[str, str]], bytes]:
        return _plain(self, f"What was sent is larger than {self.body / 1e9:.3g} GB. Bring it in in several parts.")


class NoRoom(Error):
    code, reason = 507, "Insufficient Storage"

    def to_response(self, ident: Any = None) -> tuple[str, list[tuple[str, str]], bytes]:
        return _plain(self, "The disk is full: nothing was brought in. Delete something and bring it in again.")


def _plain(error: Error, sentence: str) -> tuple[str, list[tuple[str, str]], bytes]:
    headers = [("Content-Type", "text/plain; charset=utf-8"), ("Cache-Control", "no-store")]
    return f"{error.code} {error.reason}", headers, sentence.encode()


class Parser(HTTPRequestParser):
    """Reads a request; its body waits on the disk until it is whole. One that has no room there is read to its end all the
    same, and forgotten: who still sends hears no answer."""

    _left: int | None = None  # bytes to be forgotten

    def received(self, data: bytes) -> int:
        if self._left is None:
            try:
                consumed = super().received(data)
            except OSError:
                self._left = getattr(self.body_rcv, "remain", 0)
        if self._left is not None:
            consumed = min(len(data), self._left) if self._left else len(data)
            self._left = max(0, self._left - consumed)
            if not self._left:
                self.error, self.completed = NoRoom(""), True
            return consumed
        if isinstance(self.error, RequestEntityTooLarge):
            self.error = TooLarge(self.adj.max_request_body_size)
        return consumed

    def close(self) -> None:
        with suppress(OSError):  # what is still to be written into a body that has no room
            super().close()


def refuse_in_our_words() -> None:
    HTTPChannel.parser_class = Parser
