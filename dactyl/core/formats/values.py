"""Frozen values as JSON and back, by their own type hints; a wrong value is named with its place.

For each type a reader and a writer are made once: a kit of 128 pads has 8,000 takes, and they are read for every version.
"""

import math
import types
import typing
import zlib
from collections.abc import Callable
from dataclasses import MISSING, fields, is_dataclass
from functools import cache
from operator import attrgetter
from typing import Any

import orjson

from dactyl.core.errors import KitError


def pack(value: Any) -> bytes:
    """``value`` as JSON, compressed quickly: a snapshot that ``unpack`` reads."""
    return zlib.compress(orjson.dumps(_writer(type(value))(value)), 1)


def unpack(kind: Any, packed: bytes, place: str = "") -> Any:
    """raises : KitError, as ``from_json``"""
    return from_json(kind, orjson.loads(zlib.decompress(packed)), place)


def to_json(value: Any) -> Any:
    """Dataclasses and named tuples become objects without the fields that have their default, tuples become lists."""
    return orjson.loads(orjson.dumps(_writer(type(value))(value)))


@cache
def _writer(kind: Any) -> Callable[[Any], Any]:
    """Makes of a value of this type what orjson writes; nothing, where orjson writes the value as it is."""
    origin, arguments = typing.get_origin(kind), typing.get_args(kind)
    if _writes_itself(kind):
        return lambda value: value
    if origin is tuple and arguments[1:] == (Ellipsis,):
        write = _writer(arguments[0])
        return lambda items: [write(item) for item in items]
    if origin is tuple:
        writers = [_writer(argument) for argument in arguments]
        return lambda items: [write(item) for write, item in zip(writers, items, strict=True)]
    if origin in _UNIONS:
        return lambda value: value if type(value) in _PLAIN else _writer(type(value))(value)
    return _record_writer(kind)


def _writes_itself(kind: Any) -> bool:
    origin, arguments = typing.get_origin(kind), typing.get_args(kind)
    if origin is tuple or origin in _UNIONS:
        return all(argument is Ellipsis or _writes_itself(argument) for argument in arguments)
    if is_dataclass(kind) and all(default is MISSING for _, default in _defaults(kind)):
        return all(map(_writes_itself, typing.get_type_hints(kind).values()))
    return kind in _PLAIN


_UNIONS = (types.UnionType, typing.Union)
_PLAIN = frozenset({str, int, float, bool, type(None)})


def _record_writer(kind: Any) -> Callable[[Any], dict[str, Any]]:
    writers = {name: _writer(hint) for name, hint in typing.get_type_hints(kind).items()}
    required = [name for name, default in _defaults(kind) if default is MISSING]
    settings = [name for name, default in _defaults(kind) if default is not MISSING]
    usual = tuple(default for _, default in _defaults(kind) if default is not MISSING)
    # Two fields more, so that what is got is a tuple always.
    get_required, get_settings = (attrgetter(*names, "__class__", "__class__") for names in (required, settings))

    def write(value: Any) -> dict[str, Any]:
        written = {}
        for name, item in zip(required, get_required(value), strict=False):
            written[name] = writers[name](item)
        found = get_settings(value)[:-2]
        if found != usual:  # most records hold nothing unusual
            for name, item, default in zip(settings, found, usual, strict=True):
                if item != default:
                    written[name] = writers[name](item)
        return written

    return write


@cache
def _defaults(kind: Any) -> tuple[tuple[str, Any], ...]:
    """Fields of a dataclass or a named tuple with their defaults, or MISSING; empty for what is neither."""
    if is_dataclass(kind):
        return tuple((field.name, field.default) for field in fields(kind))
    return tuple((name, kind._field_defaults.get(name, MISSING)) for name in getattr(kind, "_fields", ()))


class _Misread(Exception):
    """What is wrong, and where: the way to it is put together from inside out."""

    def __init__(self, problem: str) -> None:
        super().__init__(problem)
        self.problem, self.place = problem, ""


def from_json(kind: Any, value: Any, place: str = "") -> Any:
    """Read ``value`` as ``kind``: a dataclass, named tuple, str, int, float, bool, None, a union or tuple of these.

    raises : KitError that names the place, as in "kit.pieces[2].pads[0].pan"
    """
    try:
        return _reader(kind)(value)
    except _Misread as wrong:
        raise KitError(f"{place}{wrong.place} {wrong.problem}") from None


@cache
def _reader(kind: Any) -> Callable[[Any], Any]:
    if _defaults(kind):
        return _record_reader(kind)
    origin, arguments = typing.get_origin(kind), typing.get_args(kind)
    if origin is tuple:
        return _tuple_reader(arguments)
    if origin in _UNIONS:
        return _union_reader(arguments)
    return _float if kind is float else _plain_reader(kind)


def _plain_reader(kind: type) -> Callable[[Any], Any]:
    def read(value: Any) -> Any:
        if type(value) is kind:
            return value
        raise _unexpected(value, _SPOKEN.get(kind, "nothing"))

    return read


def _float(value: Any) -> float:
    if type(value) is float and math.isfinite(value):
        return value
    if type(value) is int and abs(value) <= _LARGEST:
        return float(value)
    raise _unexpected(value, _SPOKEN[float])


_LARGEST = 10**300  # a whole number beyond is none that a float holds
_SPOKEN = {str: "a text", int: "a whole number", float: "a number", bool: "true or false"}


def _unexpected(value: Any, expected: str) -> _Misread:
    return _Misread(f"holds {str(value)[:40]!r}; {expected} is expected.")


def _record_reader(kind: type) -> Callable[[Any], Any]:
    readers = {name: _reader(hint) for name, hint in typing.get_type_hints(kind).items()}
    required = {name for name, default in _defaults(kind) if default is MISSING}

    def read(value: Any) -> Any:
        if type(value) is not dict:
            raise _unexpected(value, "an object")
        keys = value.keys()
        if not keys <= readers.keys():
            raise _Misread(f"has a field {min(keys - readers.keys())[:40]!r} that is not known here.")
        if not required <= keys:
            raise _Misread(f"has no {min(required - keys)!r}.")
        name, found = "", {}
        try:
            for name, item in value.items():
                found[name] = readers[name](item)
        except _Misread as wrong:
            wrong.place = f".{name}{wrong.place}"
            raise
        return kind(**found)

    return read


def _tuple_reader(arguments: tuple) -> Callable[[Any], Any]:
    is_row = len(arguments) == 2 and arguments[1] is Ellipsis
    readers = [_reader(kind) for kind in (arguments[:1] if is_row else arguments)]

    def read(value: Any) -> tuple:
        if type(value) is not list:
            raise _unexpected(value, "a list")
        if not is_row and len(value) != len(readers):
            raise _Misread(f"holds {len(value)} values; {len(readers)} are expected.")
        found = []
        try:
            for item, reader in zip(value, readers * len(value) if is_row else readers, strict=True):
                found.append(reader(item))
        except _Misread as wrong:
            wrong.place = f"[{len(found)}]{wrong.place}"
            raise
        return tuple(found)

    return read


def _union_reader(kinds: tuple) -> Callable[[Any], Any]:
    readers = [_reader(kind) for kind in sorted(kinds, key=lambda kind: kind is not type(None))]  # the last one speaks

    def read(value: Any) -> Any:
        for reader in readers[:-1]:
            try:
                return reader(value)
            except (_Misread, KitError):
                continue
        return readers[-1](value)

    return read
