"""Hits of a part as packed columns: what is kept of them in one row of a store.

A block is text: Base64 (RFC 4648) of zlib (RFC 1950) of the rows' bytes, the first byte of each row, then the second of each,
and so on. Numbers that are small or alike leave columns of zeros, which pack to nothing.
"""

import zlib
from base64 import b64decode, b64encode
from collections.abc import Iterable, Sequence
from itertools import repeat

import numpy as np

from dactyl.core.parts.part import Event

ROW = np.dtype([
    ("id", "<i8"), ("tick", "<i8"), ("order", "<i4"), ("note", "u1"), ("velocity", "u1"), ("channel", "u1"),
    ("length_ticks", "<i8"), ("played_tick", "<i8"), ("pass_id", "<i8"),
])  # fmt: skip
"""One hit. ``id`` is 0 while it has no key, ``pass_id`` where it came with no pass."""
EVENT = ("tick", "note", "velocity", "channel", "length_ticks", "played_tick", "order", "id")
"""Of a row, as the core's ``Event`` begins."""
LIMITS = {"id": (0, 1 << 62), "tick": (0, 1 << 62), "order": (-(1 << 31), (1 << 31) - 1), "note": (0, 127), "velocity": (0, 127), "channel": (0, 15),
    "length_ticks": (0, 1 << 62), "played_tick": (0, 1 << 62), "pass_id": (0, 1 << 62)}  # fmt: skip
COMPRESSION = 1  # of zlib: the quickest; 9 saves a tenth
NONE = np.empty(0, ROW)


def rows_of(events: Sequence[Event]) -> np.ndarray:
    """Events as rows. raises : ValueError where a number is outside ``LIMITS``"""
    rows = np.empty(len(events), ROW)
    if not events:
        return rows
    ticks, notes, velocities, channels, lengths, played, orders, ids, passes, _ = zip(*events, strict=True)
    own = {
        "id": ids, "tick": ticks, "order": orders, "note": notes, "velocity": velocities, "channel": channels,
        "length_ticks": lengths, "played_tick": [tick if one is None else one for tick, one in zip(ticks, played, strict=True)],
        "pass_id": [one or 0 for one in passes],
    }  # fmt: skip
    for name, column in own.items():
        numbers = np.array(column, np.int64)
        _check_column(name, numbers)  # before it is narrowed
        rows[name] = numbers
    return rows


def _check(rows: np.ndarray) -> None:
    for name in LIMITS:
        _check_column(name, rows[name])


def _check_column(name: str, numbers: np.ndarray) -> None:
    """raises : ValueError where a number is outside ``LIMITS``"""
    low, high = LIMITS[name]
    if len(numbers) and (numbers.min() < low or numbers.max() > high):
        raise ValueError(f"{name} of a hit is from {low} to {high}")


def events_of(rows: np.ndarray) -> list[Event]:
    """Rows as events, in their order."""
    columns = (rows[name].tolist() for name in EVENT)
    passes = [one or None for one in rows["pass_id"].tolist()]
    return list(map(Event._make, zip(*columns, passes, repeat(None), strict=False)))


def in_order(rows: np.ndarray) -> np.ndarray:
    """Rows as they are played: by tick, then as they came."""
    return rows[np.lexsort((rows["id"], rows["order"], rows["tick"]))]


def pack(rows: np.ndarray) -> str:
    """Rows as the text of a block. What was played and the key are kept as steps: they stay small."""
    steps = rows.copy()
    steps["played_tick"] -= rows["tick"]
    steps["id"] = np.diff(rows["id"], prepend=0)
    columns = np.ascontiguousarray(steps.view(np.uint8).reshape(len(rows), ROW.itemsize).T)
    return b64encode(zlib.compress(columns.tobytes(), COMPRESSION)).decode("ascii")


def unpack(text: str) -> np.ndarray:
    """The rows of a block. raises : ValueError where it is none"""
    try:
        data = zlib.decompress(b64decode(text))
    except zlib.error as broken:
        raise ValueError(str(broken)) from None
    if len(data) % ROW.itemsize:
        raise ValueError("a block ends within a hit")
    columns = np.frombuffer(data, np.uint8).reshape(ROW.itemsize, -1)
    rows = np.array(columns.T, order="C").reshape(-1).view(ROW)  # a copy, that may be written
    rows["played_tick"] += rows["tick"]
    rows["id"] = np.cumsum(rows["id"])
    _check(rows)
    return rows


def unpack_all(texts: Iterable[str]) -> np.ndarray:
    """The rows of many blocks, one behind the other."""
    return np.concatenate([NONE, *map(unpack, texts)])


def distinct(keys: np.ndarray) -> np.ndarray:
    """Each key once, in order: ``np.unique`` in a tenth of its time, since most come in order."""
    ordered = np.sort(keys)
    return ordered[np.diff(ordered, prepend=ordered[:1] - 1) != 0]


def different(before: np.ndarray, after: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """What is another or new in ``after``, and the keys that are gone. Both in the order of their keys, of which one is one hit."""
    place = np.minimum(np.searchsorted(before["id"], after["id"]), max(0, len(before) - 1))
    same = before[place] == after if len(before) else np.zeros(len(after), bool)
    gone = np.isin(before["id"], after["id"], assume_unique=True, invert=True)
    return after[~same], before["id"][gone]
