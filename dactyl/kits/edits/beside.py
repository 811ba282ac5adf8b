"""What apps above keep of a kit beside its rows: in its versions, and in copies of it."""

from collections.abc import Callable, Mapping
from typing import Any, NamedTuple

from dactyl.history.edits import Change
from dactyl.kits.models import Kit


class Beside(NamedTuple):
    """How an app keeps what is its own, as a value that JSON can hold."""

    keep: Callable[[Kit], Any]
    put_back: Callable[[Change, Any], None]
    copy: Callable[[Any, Kit, Mapping[int, int]], None]  # to another kit, whose pads are named by those of the first
    compare: Callable[[Any, Any], list[str]]


BESIDE: dict[str, Beside] = {}
"""By the name under which a version holds it."""


def kept(kit: Kit) -> dict[str, Any]:
    return {name: one.keep(kit) for name, one in BESIDE.items()}


def put_back(change: Change, values: Mapping[str, Any]) -> None:
    for name, own in values.items():
        BESIDE[name].put_back(change, own)


def copy(values: Mapping[str, Any], made: Kit, pads: Mapping[int, int]) -> None:
    for name, own in values.items():
        BESIDE[name].copy(own, made, pads)


def compare(before: Mapping[str, Any], after: Mapping[str, Any]) -> list[str]:
    """In sentences; nothing where a version is older than what is kept beside it."""
    return [said for name in before.keys() & after.keys() for said in BESIDE[name].compare(before[name], after[name])]
