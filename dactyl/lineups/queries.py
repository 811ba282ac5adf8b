"""Reads of what sounds alongside a kit: as values of the core, and as the tables that the page plays by."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from django.db.models import Exists, OuterRef, QuerySet

from dactyl.core import kit as core
from dactyl.core.errors import KitError
from dactyl.core.fields import DESK, DRAWN, OUTPUT, OUTPUT_GROUP, values_of
from dactyl.core.formats.lineup import all_samples_of, portable_lineup, write_lineup
from dactyl.core.kit import CURVE_EXPONENTS
from dactyl.core.lineup import Choke, Lineup, Listening, Member, kit_of
from dactyl.core.lineup import LineupGroup as LineupGroupValue
from dactyl.core.lineup import LineupOutput as LineupOutputValue
from dactyl.core.lineup import Link as LinkValue
from dactyl.core.maps.notes import pads_of
from dactyl.core.maps.translate import meeting
from dactyl.core.parts.part import Event
from dactyl.core.play.together import desk_of
from dactyl.kit_files.packing import listed
from dactyl.kits.alongside import is_lineup
from dactyl.kits.kept import kept_kit_value, kept_value
from dactyl.kits.models import Kit, Output, Pad, Piece
from dactyl.kits.values import kit_value, whole_kit_value
from dactyl.lineups.models import Alongside, LineupGroup, LineupOutput, Link, SharedChoke
from dactyl.maps.ways import translated_notes
from dactyl.parts.models import Part
from dactyl.playing.tables import EMPTY, Ensemble, PlayedMember
from dactyl.shelf.store import whole_path
from dactyl.versions import edits as versions

MOST = 7  # kits beside the first
OF_BEFORE = 1 << 48  # ids of pieces of versions that held none: no row has such a key


def rows_of(kit: Kit) -> list[Alongside]:
    """In their order; those whose kit is gone are left out. Two queries."""
    rows = list(Alongside.objects.filter(kit=kit).exclude(other=kit).select_related("version"))
    there = Kit.objects.in_bulk({row.other_id for row in rows})
    found = [row for row in rows if row.other_id in there]
    for row in found:
        row.other = there[row.other_id]
    return found


def own_row(kit: Kit) -> Alongside | None:
    """What the kit itself hears, where that is not all."""
    return Alongside.objects.filter(kit=kit, other=kit).first()


def kits_with_pads() -> QuerySet[Kit]:
    """Those that can sound alongside others: a lineup can't be in a lineup."""
    return Kit.objects.filter(Exists(Pad.objects.filter(kit=OuterRef("pk"))), is_put_away=False)


def pieces_of(kit: Kit) -> dict[int, str]:
    """What the pieces of a kit are called, by their keys: one without a name by its first pad."""
    called: dict[int, str] = {}
    for pad in (
        Pad.objects.filter(kit=kit, layers__isnull=False).distinct().select_related("piece").order_by("position")
    ):
        called.setdefault(pad.piece_id, pad.piece.name or pad.full_name)
    return called


def value_of(row: Alongside, *, whole: bool = False) -> core.Kit:
    """The kit that sounds, or the version of it. whole : with surfaces and further maps, as packages hold it"""
    version, other = row.version, row.other
    if version is not None:
        key, stamp = ("version", version.pk), (version.made_at,)
        return kept_value(key, stamp, lambda: _with_piece_ids(versions.value_of(version)))
    if whole:
        return whole_kit_value(other.pk)
    return kept_kit_value(other)


def _with_piece_ids(kit: core.Kit) -> core.Kit:
    """The kit, with ids for its pieces where it was kept before they had some."""
    numbered = enumerate(kit.pieces, start=OF_BEFORE)
    return replace(kit, pieces=tuple(piece if piece.id else replace(piece, id=number) for number, piece in numbered))


def listening(row: Alongside, first: core.Kit, other: core.Kit) -> Listening:
    """What of the part reaches it, and as what. first : the kit whose notes the part is taken to mean"""
    return Listening(
        channels=None if row.channels is None else tuple(row.channels),
        low=row.low,
        high=row.high,
        gain_db=row.gain_db,
        muted=row.muted,
        delay_ms=row.delay_ms,
        curve=_curve_of(row),
        pieces=_pieces_of(row, other),
        notes=_notes_of(row, first, other),
    )


def _pieces_of(row: Alongside, other: core.Kit) -> tuple[int, ...] | None:
    """Ids of the pieces that take part, as far as they are there. Rows of before told them by name, and so do versions of
    kits that were kept before pieces had ids."""
    if row.pieces is None:
        return None
    wanted = set(row.pieces)
    if any(piece.id >= OF_BEFORE for piece in other.pieces):
        keys = [key for key in row.pieces if isinstance(key, int)]
        wanted |= set(Piece.objects.filter(pk__in=keys).exclude(name="").values_list("name", flat=True))
    return tuple(piece.id for piece in other.pieces if piece.id in wanted or (piece.name and piece.name in wanted))


def _curve_of(row: Alongside) -> core.Curve:
    if row.curve == DRAWN and row.curve_points:
        return tuple((float(x), float(y)) for x, y in row.curve_points)
    return row.curve if row.curve in CURVE_EXPONENTS else "even"


def _notes_of(row: Alongside, first: core.Kit, other: core.Kit) -> tuple[tuple[int, int], ...]:
    if row.notes is not None:
        return tuple((note, own) for note, own in row.notes)
    return notes_met(first, other) if row.is_met else ()


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


@dataclass(frozen=True, slots=True)
class Placed:
    """A member of the lineup of a kit, and its row; None: the kit itself."""

    row: Alongside | None
    member: Member

    @property
    def key(self) -> str:
        """What the page calls it: empty for the kit itself."""
        return "" if self.row is None else str(self.row.pk)

    @property
    def becomes(self) -> dict[int, int]:
        """The notes of the part that reach it, and which of its own they are."""
        own = dict(self.member.notes)
        return {note: own.get(note, note) for note in range(self.member.low, self.member.high + 1)}


def placed(kit: Kit, own: core.Kit | None = None, *, whole: bool = False) -> list[Placed]:
    """The kit itself, where it has pads, and what sounds alongside it."""
    own, rows = own or kit_value(kit), rows_of(kit)
    found, first = [], own
    if next(own.pads(), None) is not None:
        mine = own_row(kit)
        channels = None if mine is None or mine.channels is None else tuple(mine.channels)
        found.append(Placed(None, Member(kit=own, channels=channels)))
    for row in rows:
        other = value_of(row, whole=whole)
        first = first if found else other
        heard = listening(row, first, other)
        named = {name: getattr(heard, name) for name in Listening.__dataclass_fields__}
        found.append(Placed(row, Member(kit=other, **named)))
    return found


def lineup_value(kit: Kit, own: core.Kit, *, whole: bool = False) -> Lineup | None:
    """None where nothing sounds alongside. whole : with surfaces and further maps of its members"""
    found = placed(kit, own, whole=whole)
    return _together(kit, found) if any(one.row for one in found) else None


def _together(kit: Kit, found: Sequence[Placed]) -> Lineup:
    """With what crosses between them, as far as both ends are there."""
    at = {one.row.pk if one.row else None: number for number, one in enumerate(found)}
    pads = [{pad.id for _, pad in kit_of(one.member).pads()} for one in found]
    links, chokes = _crossing(kit, at)
    return Lineup(
        name=kit.name,
        members=tuple(one.member for one in found),
        **(_desk_over(kit, found) if found[0].row is not None else {}),  # else the desk is that of the kit itself
        links=tuple(link for link in links if link[1] in pads[link[0]] and link[3] in pads[link[2]]),
        chokes=chokes,
    )


def _desk_over(kit: Kit, found: Sequence[Placed]) -> dict[str, Any]:
    """The desk over the kits of a lineup; what it says of outputs that are not there is left out."""
    outputs = tuple(
        LineupOutputValue(
            member=number, **values_of(OUTPUT, row) | {"name": name}, group=row.group.name if row.group else ""
        )
        for (number, name), row in said_of_outputs(kit, found).items()
    )
    groups = tuple(LineupGroupValue(**values_of(OUTPUT_GROUP, row)) for row in LineupGroup.objects.filter(kit=kit))
    return {**values_of(DESK, kit), "outputs": outputs, "groups": groups}


def said_of_outputs(kit: Kit, found: Sequence[Placed]) -> dict[tuple[int, str], LineupOutput]:
    """What the desk over the kits says, by the number of the member and the name that the output has in it. Two queries.

    Outputs are found by their keys. A version of a kit has none: there the name counts that it had when this was set, or has now.
    """
    numbers = {one.row.pk: number for number, one in enumerate(found)}
    rows = [row for row in LineupOutput.objects.filter(kit=kit).select_related("group") if row.one_id in numbers]
    names = dict(Output.objects.filter(pk__in=[row.output_id for row in rows]).values_list("pk", "name"))
    said: dict[tuple[int, str], LineupOutput] = {}
    for row in rows:
        number, now = numbers[row.one_id], names.get(row.output_id)
        member = found[number]
        there = {output.name for output in member.member.kit.outputs}
        called = (now,) if member.row.version is None else (row.name, now)
        name = next((name for name in called if name in there), None)
        if name is not None:
            said.setdefault((number, name), row)
    return said


def _crossing(kit: Kit, at: Mapping[int | None, int]) -> tuple[tuple[LinkValue, ...], tuple[Choke, ...]]:
    """Links and joined choke groups whose ends are both there. at : numbers of the members by their rows, None: the kit"""
    links = tuple(
        (at[link.one_id], link.pad_id, at[link.other_id], link.other_pad_id, link.strength)
        for link in links_of(kit)
        if {link.one_id, link.other_id} <= at.keys()
    )
    chokes = tuple(
        (at[one.one_id], one.letter, at[one.other_id], one.other_letter)
        for one in chokes_of(kit)
        if {one.one_id, one.other_id} <= at.keys()
    )
    return links, chokes


def links_of(kit: Kit) -> list[Link]:
    return list(Link.objects.filter(kit=kit))


def chokes_of(kit: Kit) -> list[SharedChoke]:
    return list(SharedChoke.objects.filter(kit=kit))


def whose(kit: Kit, part: Part) -> Callable[[Event], str]:
    """The kit that answers a hit of a part, the first of several; for what none answers a name that says so."""
    table = translated_notes(kit, part.written_for)
    answers = []
    for number, one in enumerate(placed(kit), start=1):
        there = {pad.id for _, pad in kit_of(one.member).pads()}
        notes = {note for note, pad in one.member.kit.maps[0].notes if pad in there}
        struck = {note for note, own in one.becomes.items() if own in notes}
        answers.append((f"{number} {one.member.kit.name}", one.member.channels, struck))

    def name_of(event: Event) -> str:
        note = event.note if table is None else table.get(event.note)
        found = (
            name
            for name, channels, struck in answers
            if note in struck and (channels is None or event.channel in channels)
        )
        return next(found, "No kit answers")

    return name_of


def pack_lineup(kit: Kit, target: Path) -> None:
    """Write the package of a kit and what sounds alongside it. Its name must not be final yet. raises : KitError for a kit alone"""
    own = whole_kit_value(kit.pk)
    lineup = lineup_value(kit, own, whole=True)
    if lineup is None:
        raise KitError("Nothing sounds alongside this kit; take it away as a kit.")
    write_packed(lineup, target)


def write_packed(lineup: Lineup, target: Path) -> None:
    """Write a package of a lineup. Its name must not be final yet."""
    lineup = portable_lineup(lineup)
    samples = listed(all_samples_of(lineup))
    write_lineup(target, lineup, samples, {sample.sha256: whole_path(sample.sha256) for sample in samples})


def ensemble_of(kit: Kit, own: core.Kit) -> Ensemble | None:
    """All that sounds in the page of a kit; None for a kit by itself."""
    found = placed(kit, own)
    if not any(one.row for one in found):
        return None
    lineup = _together(kit, found)
    return Ensemble(
        tuple(_played(kit, one.row, one.member) for one in found), lineup.links, lineup.chokes, desk_of(lineup)
    )


def crossing_of(kit: Kit) -> Ensemble | None:
    """The members of a kit's page by their keys, and what crosses between them: no other kit is read."""
    rows = rows_of(kit)
    if not rows:
        return None
    nothing = Member(kit=EMPTY)
    own = [] if is_lineup(kit) else [None]
    members = tuple(_played(kit, row, nothing) for row in (*own, *rows))
    at = {row and row.pk: number for number, row in enumerate((*own, *rows))}
    return Ensemble(members, *_crossing(kit, at))


def _played(kit: Kit, row: Alongside | None, member: Member) -> PlayedMember:
    of = kit if row is None else row.other
    return PlayedMember("" if row is None else str(row.pk), of.pk, of.version, member, row and row.device_id)
