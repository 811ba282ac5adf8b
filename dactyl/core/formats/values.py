"""Frozen values as JSON and back, by their own type hints; a wrong value is named with its place."""

import math
import types
import typing
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import MISSING, fields, is_dataclass
from functools import cache
from typing import Any

from dactyl.core.errors import KitError


def to_json(value: Any) -> Any:
    """Dataclasses and named tuples become objects without the fields that have their default, tuples become lists."""
    kind = type(value)
    if kind is tuple:
        return [to_json(item) for item in value]
    defaults = _defaults(kind)
    if not defaults:
        return value
    written = {}
    for name, default in defaults:
        item = getattr(value, name)
        if default is MISSING or item != default:
            written[name] = item if type(item) in _PLAIN else to_json(item)
    return written


_PLAIN = frozenset({str, int, float, bool, type(None)})


@cache
def _defaults(kind: Any) -> tuple[tuple[str, Any], ...]:
    """Fields of a dataclass or a named tuple with their defaults, or MISSING; empty for what is neither."""
    if is_dataclass(kind):
        return tuple((field.name, field.default) for field in fields(kind))
    return tuple((name, kind._field_defaults.get(name, MISSING)) for name in getattr(kind, "_fields", ()))


def from_json(kind: Any, value: Any, place: str = "") -> Any:
    """Read ``value`` as ``kind``: a dataclass, named tuple, str, int, float, bool, None, a union or tuple of these.

    raises : KitError that names the place, as in "kit.pieces[2].pads[0].pan"
    """
    origin, arguments = _shape(kind)
    if origin is Mapping:
        return _record(kind, value, place)
    if origin is tuple:
        return _tuple(arguments, value, place)
    if origin in (types.UnionType, typing.Union):
        return _union(arguments, value, place)
    if kind is type(None) and value is None:
        return None
    if kind is float and isinstance(value, int | float) and not isinstance(value, bool):
        with suppress(OverflowError):
            if math.isfinite(float(value)):
                return float(value)
    elif kind in (str, int, bool) and type(value) is kind:
        return value
    raise KitError(f"{place} holds {str(value)[:40]!r}; {_spoken(kind)} is expected.")


@cache
def _shape(kind: Any) -> tuple[Any, tuple]:
    """What a type hint is made of; Mapping for what an object is read as."""
    return (Mapping, ()) if _defaults(kind) else (typing.get_origin(kind), typing.get_args(kind))


@cache
def _required(kind: type) -> tuple[str, ...]:
    return tuple(name for name, default in _defaults(kind) if default is MISSING)


def _record(kind: type, value: Any, place: str) -> Any:
    if not isinstance(value, Mapping):
        raise KitError(f"{place} holds {str(value)[:40]!r}; an object is expected.")
    hints = _hints(kind)
    if not value.keys() <= hints.keys():
        unknown = sorted(set(value) - set(hints))
        raise KitError(f"{place} has a field {str(unknown[0])[:40]!r} that is not known here.")
    missing = [name for name in _required(kind) if name not in value]
    if missing:
        raise KitError(f"{place} has no {missing[0]!r}.")
    return kind(**{name: from_json(hints[name], item, f"{place}.{name}") for name, item in value.items()})


def _tuple(arguments: tuple, value: Any, place: str) -> tuple:
    if not isinstance(value, list):
        raise KitError(f"{place} holds {str(value)[:40]!r}; a list is expected.")
    if len(arguments) == 2 and arguments[1] is Ellipsis:
        return tuple(from_json(arguments[0], item, f"{place}[{n}]") for n, item in enumerate(value))
    if len(value) != len(arguments):
        raise KitError(f"{place} holds {len(value)} values; {len(arguments)} are expected.")
    return tuple(
        from_json(kind, item, f"{place}[{n}]") for n, (kind, item) in enumerate(zip(arguments, value, strict=True))
    )


def _union(kinds: tuple, value: Any, place: str) -> Any:
    problem: KitError | None = None
    for kind in kinds:
        try:
            return from_json(kind, value, place)
        except KitError as error:
            problem = error
    raise problem or KitError(f"{place} can't be read.")


@cache
def _hints(kind: type) -> dict[str, Any]:
    return typing.get_type_hints(kind)


def _spoken(kind: Any) -> str:
    return {str: "a text", int: "a whole number", float: "a number", bool: "true or false"}.get(kind, "nothing")
