"""Reads of what sounds alongside a kit: as values of the core, and as the tables that the page plays by."""

from dataclasses import replace
from pathlib import Path
from typing import Any

from dactyl.core import kit as core
from dactyl.core.errors import KitError
from dactyl.core.formats.lineup import all_samples_of, portable_lineup, write_lineup
from dactyl.core.kit import CURVE_EXPONENTS
from dactyl.core.lineup import Lineup, Listening, Member, kit_of
from dactyl.core.maps.notes import pads_of
from dactyl.core.maps.translate import meeting
from dactyl.core.play.together import join
from dactyl.kits.files import listed
from dactyl.kits.models import Kit
from dactyl.kits.playing import as_tables, compiled
from dactyl.kits.queries import kit_value, whole_kit_value
from dactyl.lineups.models import Alongside
from dactyl.shelf.store import whole_path

MOST = 7  # kits beside the first


def rows_of(kit: Kit) -> list[Alongside]:
    """In their order; those whose kit is gone are left out. Two queries."""
    rows = list(Alongside.objects.filter(kit=kit).exclude(other=kit))
    there = Kit.objects.in_bulk({row.other_id for row in rows})
    found = [row for row in rows if row.other_id in there]
    for row in found:
        row.other = there[row.other_id]
    return found


def own_row(kit: Kit) -> Alongside | None:
    """What the kit itself hears, where that is not all."""
    return Alongside.objects.filter(kit=kit, other=kit).first()


def listening(row: Alongside, own: core.Kit, other: core.Kit) -> Listening:
    """What of the part reaches it, and as what."""
    names = {piece.name for piece in other.pieces}
    return Listening(
        channels=None if row.channels is None else tuple(row.channels),
        low=row.low,
        high=row.high,
        gain_db=row.gain_db,
        muted=row.muted,
        delay_ms=row.delay_ms,
        curve=row.curve if row.curve in CURVE_EXPONENTS else "even",
        pieces=None if row.pieces is None else tuple(name for name in row.pieces if name in names),
        notes=notes_met(own, other) if row.is_met else (),
    )


def notes_met(own: core.Kit, other: core.Kit) -> tuple[tuple[int, int], ...]:
    """The notes of one kit that mean another note in the other: by kind and name, where the same note is another drum."""
    notes_of = other.notes()
    met = meeting(pads_of(own), pads_of(other))
    by_note: dict[int, set[int]] = {}
    for note, pad in other.maps[0].notes:
        by_note.setdefault(note, set()).add(pad)
    return tuple(
        (note, min(notes_of[pads[0]]))
        for note, pads in sorted(met.items())
        if pads and set(pads) != by_note.get(note) and notes_of.get(pads[0])
    )


def heard_notes(kit: Kit) -> list[tuple[Alongside, dict[int, int]]]:
    """Of each kit alongside that hears channels of its own: the notes of the part that reach it, and which of its own they are."""
    found, own = [], None
    for row in rows_of(kit):
        if row.channels is None or row.muted:
            continue
        own = own or kit_value(kit)
        becomes = dict(listening(row, own, kit_value(row.other)).notes)
        found.append((row, {note: becomes.get(note, note) for note in range(row.low, row.high + 1)}))
    return found


def members_of(kit: Kit, own: core.Kit) -> list[Member]:
    """The kit itself and what sounds alongside it."""
    mine = own_row(kit)
    members = [Member(kit=own, channels=None if mine is None or mine.channels is None else tuple(mine.channels))]
    for row in rows_of(kit):
        other = kit_value(row.other)
        heard = listening(row, own, other)
        members.append(Member(kit=other, **{name: getattr(heard, name) for name in Listening.__dataclass_fields__}))
    return members


def lineup_value(kit: Kit, own: core.Kit) -> Lineup | None:
    """None where nothing sounds alongside."""
    members = members_of(kit, own)
    return Lineup(name=kit.name, members=tuple(members)) if len(members) > 1 else None


def pack_lineup(kit: Kit, target: Path) -> None:
    """Write the package of a kit and what sounds alongside it. Its name must not be final yet. raises : KitError for a kit alone"""
    own = whole_kit_value(kit.pk)
    lineup = lineup_value(kit, own)
    if lineup is None:
        raise KitError("Nothing sounds alongside this kit; take it away as a kit.")
    lineup = portable_lineup(lineup)
    samples = listed(all_samples_of(lineup))
    write_lineup(target, lineup, samples, {sample.sha256: whole_path(sample.sha256) for sample in samples})


def tables_of(kit: Kit, rate_hz: int) -> list[dict[str, Any]]:
    """Of each kit alongside: its playbook with the level it has here, and which hits reach it."""
    own, told = kit_value(kit), []
    for row in rows_of(kit):
        other = kit_value(row.other)
        heard = listening(row, own, other)
        alone = compiled(kit_of(Member(kit=other, pieces=heard.pieces)), rate_hz)
        book = join([alone], [replace(heard, pieces=None, notes=(), muted=False)], [other.name])
        (member,) = book.members
        by_id = {place: pad.id for place, pad in enumerate(book.pads)}
        told.append({
            "key": str(row.pk),
            "name": other.name,
            "book": {**as_tables(book, is_whole=True), "notes": {n: [by_id[i] for i in at] for n, at in alone.notes.items()}, "allNotes": True},
            "way": {
                "channels": row.channels,
                "low": heard.low,
                "high": heard.high,
                "notes": dict(heard.notes),
                "curve": member.curve,
                "delay": member.delay,
                "muted": heard.muted,
            },
        })  # fmt: skip
    return told
