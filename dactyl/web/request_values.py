"""What addresses, forms, headers and bodies of requests ask for: a person or another program may have written it.

Every value from outside comes in by one of these doors, each with its limits.
"""

import json
from collections.abc import Collection, Mapping
from typing import Any

from django.http import HttpRequest

from dactyl.core.errors import DactylError
from dactyl.core.fields import cleaned
from dactyl.web.headers import told

LONGEST = 18  # digits; a longer one is no row's key and no count
MOST_KEYS = 5000  # in one request


def number_in(text: str, default: int = 0) -> int:
    """The whole number that ``text`` is, from 0 up; ``default`` where it is none."""
    text = text.strip()
    return int(text) if text.isascii() and text.isdecimal() and len(text) < LONGEST else default


def ids_in(text: str) -> list[int]:
    """``"3, 5,x"`` -> 3, 5"""
    return keys_of(text.split(","))


def keys_of(texts: list[str]) -> list[int]:
    numbers = (number_in(text, -1) for text in texts)
    return [number for number in numbers if number >= 0][:MOST_KEYS]


class NoVersion(DactylError):
    """A request that writes did not say what its page saw."""


def seen_version(request: HttpRequest, what: str) -> int:
    """The version of a document that the page shows.

    what : a kind of document, whose version stands in a header of its own. raises : NoVersion, KeyError for no such kind
    """
    version = number_in(told(request, f"{what}_version"), -1)
    if version < 0:
        raise NoVersion(f"Nothing was changed: the page did not say which version of the {what} it shows. Reload it.")
    return version


class JsonValues:
    """The JSON object that a request brought; each value is checked as it is read. raises : DactylError"""

    def __init__(self, values: Mapping[str, Any]) -> None:
        self._values = values

    @classmethod
    def of(cls, request: HttpRequest) -> "JsonValues":
        try:
            values = json.loads(request.body or b"{}")
        except (ValueError, RecursionError):
            values = None
        if not isinstance(values, dict):
            raise DactylError("The browser sent something Dactyl does not understand. Reload the page.")
        return cls(values)

    def whole(self, name: str, low: int, high: int, default: int | None = None) -> int:
        value = self.number(name, low, high, default)
        if value != int(value):
            raise DactylError(f"{_spoken(name)} is a whole number from {low:,} to {high:,}.")
        return int(value)

    def number(self, name: str, low: float, high: float, default: float | None = None) -> float:
        value = self._values.get(name, default)
        is_number = isinstance(value, int | float) and not isinstance(value, bool)
        if (
            not is_number or not low <= value <= high
        ):  # of no number (NaN) neither is true, of any whole number they are
            raise DactylError(f"{_spoken(name)} is a number from {low:,g} to {high:,g}.".replace("-", "−"))
        return value

    def text(self, name: str, longest: int, default: str = "") -> str:
        value = self._values.get(name, default)
        if not isinstance(value, str):
            raise DactylError(f"{_spoken(name)} did not arrive whole; do it again.")
        return plain(value, _spoken(name), longest)

    def one_of(self, name: str, choices: Collection[str], default: str = "") -> str:
        value = self._values.get(name, default)
        if not isinstance(value, str) or value not in choices:
            raise DactylError(f"“{str(value)[:30]}” is not a choice here. Choose one from the list.")
        return value

    def yes(self, name: str) -> bool:
        return self._values.get(name) is True

    def has(self, name: str) -> bool:
        return self._values.get(name) is not None

    def objects(self, name: str, most: int) -> list["JsonValues"]:
        """A list of objects."""
        values = self._list(name, most)
        if not all(isinstance(value, dict) for value in values):
            raise DactylError(f"{_spoken(name)} did not arrive whole; do it again.")
        return [JsonValues(value) for value in values]

    def wholes(self, name: str, low: int, high: int, most: int) -> list[int]:
        """A list of whole numbers."""
        values = self._list(name, most)
        for value in values:
            if type(value) is not int or not low <= value <= high:
                raise _outside(name, value, low, high)
        return values

    def rows(self, name: str, limits: list[tuple[int, int]], most: int) -> list[list[int]]:
        """A list of rows of whole numbers, each column within its limits."""
        rows = self._list(name, most)
        for row in rows:
            if not isinstance(row, list) or len(row) != len(limits):
                raise DactylError(f"{_spoken(name)} did not arrive whole; do it again.")
            for value, (low, high) in zip(row, limits, strict=True):
                if type(value) is not int or not low <= value <= high:
                    raise _outside(name, value, low, high)
        return rows

    def points(self, name: str, most: int) -> list[tuple[int, float]]:
        """A list of places in ticks with a value at each; their limits are the business of what they are points of."""
        values = self._list(name, most)
        if not all(map(_is_point, values)):
            raise DactylError(f"{_spoken(name)} did not arrive whole; do it again.")
        return [(tick, float(value)) for tick, value in values]

    def _list(self, name: str, most: int) -> list:
        values = self._values.get(name, [])
        if not isinstance(values, list):
            raise DactylError(f"{_spoken(name)} did not arrive whole; do it again.")
        if len(values) > most:
            raise DactylError(f"{len(values):,} at once are too many; {most:,} is the most.")
        return values


def _outside(name: str, value: Any, low: int, high: int) -> DactylError:
    return DactylError(f"{_spoken(name)} holds {str(value)[:20]}; {low:,} to {high:,} can be.")


def _is_point(value: Any) -> bool:
    if not isinstance(value, list) or len(value) != 2:
        return False
    tick, height = value
    is_number = isinstance(height, int | float) and not isinstance(height, bool)
    return type(tick) is int and is_number and -_LARGEST <= height <= _LARGEST


_LARGEST = 1e9


def _spoken(name: str) -> str:
    return name.replace("_", " ").capitalize()


def plain(text: str, what: str, longest: int) -> str:
    """Text as it can be kept: no control characters, no halves of characters, spaces as one. raises : DactylError"""
    kept = cleaned(text)
    if len(kept) > longest:
        raise DactylError(f"{what} has {len(kept):,} characters; {longest:,} is the most.")
    return kept
