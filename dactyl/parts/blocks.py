"""The hits of a part in the database: blocks of packed rows, by the keys of the hits.

A hit stays in the block of its key wherever it is moved, so an edit writes the blocks of the hits that it changes, and no
block is ever divided or joined. Keys are given once, in the order in which hits come.
"""

from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from django.db.models import Max, Sum

from dactyl.core.errors import PartError
from dactyl.core.formats.midi import MAX_NOTES
from dactyl.core.parts import packed
from dactyl.core.parts.part import Event
from dactyl.core.parts.reshape import Reshaped
from dactyl.history.edits import Change
from dactyl.history.queries import each
from dactyl.parts.models import Block, Part

KEYS = 256  # of a block: an edit of one hit writes 3 KB, one of 100,000 writes 400 rows
EDITED = ["tick", "note", "velocity", "channel", "length_ticks", "played_tick"]
"""What edits change of a hit. Its key, its pass and its place among those of a tick stay."""


@dataclass(frozen=True, slots=True)
class Edited:
    """What an edit does to hits, as rows: made before the database is locked."""

    changed: np.ndarray
    added: np.ndarray
    removed: np.ndarray  # keys

    @classmethod
    def of(cls, reshaped: Reshaped) -> "Edited":
        removed = np.array(reshaped.removed, np.int64)
        return cls(_by_key(reshaped.changed), packed.rows_of(reshaped.added), removed)

    @classmethod
    def between(cls, before: Sequence[Event], after: Sequence[Event]) -> "Edited":
        """What takes the hits of a part from one value to another that was made of it."""
        new = [event for event in after if not event.id]
        was, now = (_by_key([event for event in events if event.id]) for events in (before, after))
        changed, removed = packed.different(was, now)
        return cls(changed, packed.rows_of(new), removed)


def _by_key(events: Sequence[Event]) -> np.ndarray:
    rows = packed.rows_of(events)
    return rows[np.argsort(rows["id"], kind="stable")]


def rows(part: Part) -> np.ndarray:
    """All hits, in the order in which they are played. One query."""
    texts = Block.objects.filter(part=part).order_by("number").values_list("data", flat=True)
    return packed.in_order(_unpacked(part, texts))


def rows_of(part: Part, keys: Collection[int] | np.ndarray) -> np.ndarray:
    """The hits of these keys that are still there, in the order in which they are played."""
    wanted = np.array(list(keys) if isinstance(keys, set) else keys, np.int64)
    found = _unpacked(part, (block.data for block in _blocks_of(part, wanted)))
    return packed.in_order(found[np.isin(found["id"], wanted)])


def _unpacked(part: Part, texts: Iterable[str]) -> np.ndarray:
    """raises : PartError where a block is damaged"""
    try:
        return packed.unpack_all(texts)
    except ValueError as damage:
        raise PartError(
            f"Hits of {part.name} are damaged in the database ({damage}). Go back to a copy of it, or choose another part."
        ) from None


def count(part: Part) -> int:
    return Block.objects.filter(part=part).aggregate(sum=Sum("count"))["sum"] or 0


def channel_counts(part: Part) -> list[tuple[int, int]]:
    """(channel, hits on it) of all channels that have any."""
    own = rows(part)
    found, counts = np.unique(own["channel"][own["velocity"] > 0], return_counts=True)
    return list(zip(found.tolist(), counts.tolist(), strict=True))


def fill(part: Part, own: np.ndarray) -> None:
    """The hits of a part that was just made; their keys are given here."""
    own = own[np.lexsort((own["order"], own["tick"]))]
    own["id"] = np.arange(1, len(own) + 1)
    own["order"] = 0  # their keys tell it
    Block.objects.bulk_create([Block(part=part, number=number, **_kept(some)) for number, some in _shared_out(own)])
    Part.objects.filter(pk=part.pk).update(next_key=len(own) + 1)


def write(change: Change, made: Edited) -> None:
    """Write what an edit does. raises : PartError where the part would hold too many; ValueError for a pass of another part"""
    part: Part = change.document
    added = _with_keys(part, made.added)
    touched = np.concatenate([made.changed["id"], added["id"], made.removed])
    blocks = {block.number: block for block in _blocks_of(part, touched)}
    now = _unpacked(part, (block.data for block in blocks.values()))
    _change(now, made.changed)
    stays = ~np.isin(now["id"], made.removed)
    if len(added) and count(part) - np.count_nonzero(~stays) + len(added) > MAX_NOTES:
        raise PartError(f"A part holds at most {MAX_NOTES:,} hits. Split it, or begin another.")
    now = np.concatenate([now[stays], added])
    kept = {number: _kept(some) for number, some in _shared_out(now)}
    none = _kept(packed.NONE)
    change.update_known(
        Block,
        (
            (block.pk, {name: getattr(block, name) for name in none}, kept.get(number, none))
            for number, block in blocks.items()
        ),
    )
    new = [{"part_id": part.pk, "number": number, **kept[number]} for number in sorted(kept.keys() - blocks.keys())]
    change.create_known(Block, new)


def _change(now: np.ndarray, changed: np.ndarray) -> None:
    """Let the rows of ``now`` be as those of ``changed`` say; what is gone stays gone. Both in the order of their keys."""
    there = changed[np.isin(changed["id"], now["id"])]
    places = np.searchsorted(now["id"], there["id"])
    for name in EDITED:
        now[name][places] = there[name]


def _with_keys(part: Part, added: np.ndarray) -> np.ndarray:
    """New hits with keys that no hit ever had; each stands behind what is at its tick already."""
    if not len(added):
        return added
    passes = set(np.unique(added["pass_id"]).tolist()) - {0}
    if passes - set(part.passes.filter(pk__in=passes).values_list("pk", flat=True)):
        raise ValueError("a hit names a pass of another part")
    first = Part.objects.values_list("next_key", flat=True).get(pk=part.pk)
    Part.objects.filter(pk=part.pk).update(next_key=first + len(added))
    added = added.copy()
    added["id"] = np.arange(first, first + len(added))
    added["order"] = Block.objects.filter(part=part).aggregate(most=Max("most_order"))["most"] or 0
    return added


def _blocks_of(part: Part, keys: np.ndarray) -> list[Block]:
    """The blocks that hold these keys, in their order."""
    numbers = packed.distinct(keys // KEYS).tolist()
    return list(Block.objects.filter(part=part, number__in=each(numbers)).order_by("number"))


def _shared_out(own: np.ndarray) -> list[tuple[int, np.ndarray]]:
    """Rows in the order of their keys, block by block."""
    numbers = own["id"] // KEYS
    starts = np.flatnonzero(np.diff(numbers, prepend=-1))
    return list(zip(numbers[starts].tolist(), np.split(own, starts)[1:], strict=True))


def _kept(own: np.ndarray) -> dict[str, str | int]:
    """The columns of a block of these rows."""
    return {"data": packed.pack(own), "count": len(own), "most_order": int(own["order"].max(initial=0))}
