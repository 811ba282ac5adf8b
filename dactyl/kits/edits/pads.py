"""Pads: they come, go, move and change; several at once are one edit."""

from collections.abc import Sequence
from typing import Any

from django.db.models import Count

from dactyl.core.errors import KitError
from dactyl.core.fields import PAD_NAME
from dactyl.core.formats.notes import note_label
from dactyl.core.kinds import IN_SCORE_ORDER
from dactyl.core.units import counted
from dactyl.history.edits import Change, edit
from dactyl.history.models import Revision
from dactyl.kits.copying import copy_pads, copy_piece
from dactyl.kits.edits.cuts import mute_groups, write_mutes
from dactyl.kits.edits.maps import write_notes
from dactyl.kits.edits.outputs import output_called
from dactyl.kits.edits.sentences import pads_named, settings_named
from dactyl.kits.fields import COPIED, PAD_FIELDS, PIECE_FIELDS
from dactyl.kits.models import (
    DRAWN,
    SILENCED_BY,
    SILENCES,
    ChokeGroup,
    Companion,
    Kit,
    Layer,
    MapNote,
    MuteGroup,
    Pad,
    PadMute,
    Piece,
)

MAX_PADS = 512


def append_pads(change: Change, count: int) -> Sequence[Pad]:
    """Empty pads at the end, each a piece of its own."""
    last = Pad.objects.filter(kit=change.document).order_by("-position").values_list("position", flat=True).first() or 0
    if Pad.objects.filter(kit=change.document).count() + count > MAX_PADS:
        raise KitError(f"A kit has at most {MAX_PADS} pads.")
    pieces = change.create_all([Piece(kit=change.document, position=last + 10 * n) for n in range(1, count + 1)])
    pads = change.create_all([Pad(kit=change.document, piece=piece, position=piece.position) for piece in pieces])
    change.touch(*(pad.pk for pad in pads))
    change.changes_order = True
    return pads


def add_pads(kit: Kit, version: int, count: int) -> Revision | None:
    with edit(kit, version, f"{counted(count, 'empty pad')} added") as change:
        append_pads(change, count)
    return change.revision


def delete_pads(pads: Sequence[Pad], version: int) -> Revision | None:
    with edit(pads[0].kit, version, f"{pads_named(pads)} deleted") as change:
        ids = {pad.pk for pad in pads}
        pieces = {pad.piece_id: pad.piece for pad in pads}
        gone = [piece for piece in pieces.values() if set(piece.pads.values_list("pk", flat=True)) <= ids]
        change.delete_all(gone)
        change.delete_all([pad for pad in pads if pad.piece_id not in {piece.pk for piece in gone}])
        change.touch(*ids)
        change.changes_order = True
    return change.revision


def clear_pads(pads: Sequence[Pad], version: int) -> Revision | None:
    """Take all samples and notes off pads; they stay where they are."""
    with edit(pads[0].kit, version, f"{pads_named(pads)} cleared") as change:
        change.delete_all(list(Layer.objects.filter(pad__in=pads)))
        change.delete_all(list(MapNote.objects.filter(pad__in=pads)))
        counts = dict(Pad.objects.filter(kit=change.document).values_list("piece").annotate(Count("pk")).order_by())
        change.update_all([pad.piece for pad in pads if counts[pad.piece_id] == 1], name="")
        change.update_all(pads, name="", kind="other")
        change.touch(*(pad.pk for pad in pads))
    return change.revision


def set_fields(pads: Sequence[Pad], version: int, values: dict[str, Any]) -> Revision | None:
    """Set some of PAD_FIELDS on every pad, in one edit."""
    with edit(pads[0].kit, version, settings_named(PAD_FIELDS, values, pads_named(pads))) as change:
        if "curve_points" in values:
            values = values | {"curve": DRAWN}
        for pad in pads:
            change.update(pad, **values)
        change.touch(*(pad.pk for pad in pads))
    return change.revision


def mute_pads(pads: Sequence[Pad], version: int, muted: bool) -> Revision | None:
    with edit(pads[0].kit, version, f"{pads_named(pads)} {'muted' if muted else 'unmuted'}") as change:
        for pad in pads:
            change.update(pad, muted=muted)
        change.touch(*(pad.pk for pad in pads))
    return change.revision


def set_piece(pad: Pad, version: int, field: str, value: Any) -> Revision | None:
    """A setting of the piece that ``pad`` belongs to."""
    words = (
        f"{pad.full_name} named {value}"
        if field == "name"
        else settings_named(PIECE_FIELDS, {field: value}, f"piece {pad.piece.name}")
    )
    with edit(pad.kit, version, words) as change:
        change.update(pad.piece, **{field: value})
        change.touch(*pad.piece.pads.values_list("pk", flat=True))
    return change.revision


OPENINGS = {"closed_hat": 0, "open_hat": 1}  # kinds that a pedal chooses among, from closed on
CLOSED_TO = 31  # the openness up to which hats are closed, where nothing else is set


def give_pedal(pad: Pad, version: int) -> Revision | None:
    """Let a pedal choose among the pads of the piece: closed hats up to a quarter, open ones share the rest; the pedal hat is the
    chick. raises : KitError where the piece has no two such pads"""
    piece, pads = pad.piece, list(pad.piece.pads.order_by("position"))
    shared = sorted((one for one in pads if one.kind in OPENINGS), key=lambda one: (OPENINGS[one.kind], one.position))
    if len(shared) < 2:
        raise KitError(
            f"{piece.name or pad.full_name} needs a closed and an open hat. Give its pads these kinds, or set “Open to” by hand."
        )
    step = (127 - CLOSED_TO) / (len(shared) - 1)
    with edit(pad.kit, version, f"{piece.name or pad.full_name} played by a pedal") as change:
        change.update(piece, shared_by="pedal")
        for place, one in enumerate(shared):
            change.update(one, open_to=round(CLOSED_TO + place * step))
        if chick := next((one for one in pads if one.kind == "pedal_hat"), None):
            change.update(chick, played_by="chick")
        change.touch(*(one.pk for one in pads))
    return change.revision


def place_piece(
    kit: Kit, version: int, piece: Piece, x: float | None, y: float | None, pan: float | None
) -> Revision | None:  # fmt: skip
    """Where a piece stands on the floor plan; its pan too, where that follows."""
    name = piece.name or "A piece"
    words = f"{name} placed" + (f", pan {pan:+.0f}".replace("-", "−") if pan is not None else "")
    with edit(kit, version, words) as change:
        change.update(piece, place_x=x, place_y=y, **({} if pan is None else {"pan": pan}))
        if pan is not None:
            change.touch(*piece.pads.values_list("pk", flat=True))
    return change.revision


def place_as_usual(kit: Kit, version: int) -> Revision | None:
    with edit(kit, version, "All pieces where their kinds usually stand") as change:
        change.update_all(list(Piece.objects.filter(kit=kit)), place_x=None, place_y=None)
    return change.revision


def join_piece(pad: Pad, version: int, name: str) -> Revision | None:
    """Make ``pad`` an articulation of the piece called ``name``; its pads then stand together."""
    piece = Piece.objects.filter(kit=pad.kit_id, name__iexact=name).exclude(pk=pad.piece_id).first()
    if piece is None:
        raise KitError(f"There is no other piece called “{name[:40]}”.")
    with edit(pad.kit, version, f"{pad.full_name} joined to {piece.name}") as change:
        tie(change, piece, [pad], [(pad.name or pad.piece.name).removeprefix(f"{piece.name} ")])
    return change.revision


def tie(change: Change, piece: Piece, pads: Sequence[Pad], own_names: Sequence[str]) -> None:
    """Make pads articulations of ``piece``, behind those that it has; pieces that are left without a pad go."""
    left = list({pad.piece_id: pad.piece for pad in pads}.values())
    after = piece.pads.exclude(pk__in=[pad.pk for pad in pads]).order_by("-position").first()
    for pad, name in zip(pads, own_names, strict=True):
        change.update(pad, piece_id=piece.pk, name=name)
    change.delete_all([one for one in left if not one.pads.exists()])
    _place_after(change, pads, after.position if after else None)


def part_from_piece(pad: Pad, version: int) -> Revision | None:
    """Make ``pad`` a piece of its own, behind the one that it was part of, set and routed alike."""
    left, others = pad.piece, list(pad.piece.pads.exclude(pk=pad.pk).order_by("position"))
    if not others:
        return None
    with edit(pad.kit, version, f"{pad.full_name} is a piece of its own") as change:
        own = copy_piece(change, left)
        change.update(own, name=pad.full_name[:60].strip(), place_x=None, place_y=None)
        change.update(pad, piece_id=own.pk, name="")
        _place_after(change, [pad], others[-1].position)
        change.touch(*(other.pk for other in others))
    return change.revision


def move_pads(pads: Sequence[Pad], version: int, before: Pad | None) -> Revision | None:
    """Put pads, with the whole pieces they belong to, before the piece of another pad, or at the end."""
    with edit(pads[0].kit, version, f"{pads_named(pads)} moved") as change:
        moving = {pad.piece_id for pad in pads}
        if before is not None and before.piece_id in moving:
            raise KitError("A piece can't be moved before itself.")
        rows = list(Pad.objects.filter(kit=pads[0].kit_id).select_related("piece").order_by("position"))
        lifted = [row for row in rows if row.piece_id in moving]
        rest = [row for row in rows if row.piece_id not in moving]
        at = next(
            (n for n, row in enumerate(rest) if before is not None and row.piece_id == before.piece_id), len(rest)
        )
        _number(change, rest[:at] + lifted + rest[at:])
    return change.revision


def order_by_kind(kit: Kit, version: int) -> Revision | None:
    """Pieces in the order of a score: drums from low to high beats, then hats, cymbals, the rest; empty pads last."""
    ranks = {kind.slug: rank for rank, kind in enumerate(IN_SCORE_ORDER)}
    with edit(kit, version, "Pieces in the order of their kinds") as change:
        rows = _in_order(change)
        filled = set(Pad.objects.filter(kit=kit, layers__isnull=False).values_list("pk", flat=True))
        of_piece: dict[int, list[Pad]] = {}
        for row in rows:
            of_piece.setdefault(row.piece_id, []).append(row)

        def rank(own: list[Pad]) -> tuple[bool, int]:
            return not any(row.pk in filled for row in own), ranks.get(own[0].kind, len(ranks))

        _number(change, [row for own in sorted(of_piece.values(), key=rank) for row in own])
    return change.revision


def _place_after(change: Change, pads: Sequence[Pad], position: int | None) -> None:
    rows = [row for row in _in_order(change) if row not in pads]
    at = next((n + 1 for n, row in enumerate(rows) if row.position == position), len(rows))
    _number(change, rows[:at] + list(pads) + rows[at:])


def _in_order(change: Change) -> list[Pad]:
    return list(Pad.objects.filter(kit=change.document).select_related("piece").order_by("position"))


def _number(change: Change, rows: Sequence[Pad]) -> None:
    """Give pads, and pieces by their first pad, positions in this order, ten apart."""
    moved = [(row, {"position": 10 * number}) for number, row in enumerate(rows)]
    change.touch(*(row.pk for row, wanted in moved if row.position != wanted["position"]))
    change.update_each(moved)
    first = {}
    for number, row in enumerate(rows):
        first.setdefault(row.piece_id, number)
    pieces = Piece.objects.in_bulk(first)
    change.update_each((pieces[key], {"position": 10 * number}) for key, number in first.items())
    change.changes_order = True


def duplicate_pads(pads: Sequence[Pad], version: int) -> Revision | None:
    """Copies right behind their originals, without notes of their own."""
    with edit(pads[0].kit, version, f"{pads_named(pads)} duplicated") as change:
        if Pad.objects.filter(kit=change.document).count() + len(pads) > MAX_PADS:
            raise KitError(f"A kit has at most {MAX_PADS} pads.")
        copies = copy_pads(change, pads)
        change.update_each(
            (copy, {"name": f"{pad.name or pad.piece.name} copy"[: PAD_NAME.longest].strip()})
            for pad, copy in zip(pads, copies, strict=True)
        )
        behind = {pad.pk: copy for pad, copy in zip(pads, copies, strict=True)}
        added = set(copies)
        order = [row for row in _in_order(change) if row not in added]
        _number(change, [each for row in order for each in (row, behind.get(row.pk)) if each])
        change.touch(*(copy.pk for copy in copies))
    return change.revision


def paste_settings(source: Pad, pads: Sequence[Pad], version: int) -> Revision | None:
    """Give ``pads`` all of the source's settings but its name, kind, notes and samples."""
    fields = (*COPIED, "output_id", "choke_id")
    with edit(pads[0].kit, version, f"Settings of {source.full_name} pasted on {pads_named(pads)}") as change:
        for pad in pads:
            change.update(pad, **{name: getattr(source, name) for name in fields})
        for role in (SILENCES, SILENCED_BY):
            write_mutes(change, pads, role, getattr(source, role))
        change.touch(*(pad.pk for pad in pads))
    return change.revision


# Notes, groups and ways out -------------------------------------------------------------------------------------------


def set_notes(pad: Pad, version: int, notes: Sequence[int]) -> Revision | None:
    """The notes that strike ``pad``; none is allowed. Another pad may have the same note."""
    shown = ", ".join(note_label(note) for note in notes[:4]) + (" …" if len(notes) > 4 else "") or "none"
    with edit(pad.kit, version, f"Note of {pad.full_name}: {shown}") as change:
        write_notes(change, {pad.pk: notes})
        change.touch(pad.pk)
    return change.revision


def choke_pads(pads: Sequence[Pad], version: int, letter: str) -> Revision | None:
    """Put pads in the choke group ``letter``, made if it is new; no letter takes them out."""
    words = f"{pads_named(pads)} in choke group {letter}" if letter else f"{pads_named(pads)} in no choke group"
    with edit(pads[0].kit, version, words) as change:
        group = None
        if letter:
            group = ChokeGroup.objects.filter(kit=change.document, letter=letter).first()
            group = group or change.create(ChokeGroup(kit=change.document, letter=letter))
        for pad in pads:
            change.update(pad, choke_id=group.pk if group else None)
        change.touch(*(pad.pk for pad in pads))
    return change.revision


def set_choke_fade(pad: Pad, version: int, fade_ms: float) -> Revision | None:
    """How fast the pad's choke group falls silent."""
    if pad.choke is None:
        raise KitError(f"{pad.full_name} is in no choke group. Give it a letter first.")
    with edit(pad.kit, version, f"Fade of choke group {pad.choke.letter}") as change:
        change.update(pad.choke, fade_ms=fade_ms)
        change.touch(*Pad.objects.filter(choke=pad.choke).values_list("pk", flat=True))
    return change.revision


def set_mute_groups(pads: Sequence[Pad], version: int, role: str, numbers: Sequence[int]) -> Revision | None:
    """role : SILENCES or SILENCED_BY; groups are made where they are new, no number takes pads out of all"""
    says = {SILENCES: "silences mute group", SILENCED_BY: "is silenced by mute group"}[role]
    listed = ", ".join(map(str, numbers)) or "none"
    with edit(pads[0].kit, version, f"{pads_named(pads)} {says} {listed}") as change:
        other = SILENCED_BY if role == SILENCES else SILENCES
        both = PadMute.objects.filter(pad__in=pads, role=other, group__number__in=numbers).order_by("group__number")
        if (first := both.select_related("pad__piece", "group").first()) is not None:
            raise KitError(f"{first.pad.full_name} can't both silence mute group {first.group} and be silenced by it.")
        write_mutes(change, pads, role, mute_groups(change, numbers))
        change.touch(*(pad.pk for pad in pads))
    return change.revision


def set_mute_fade(kit: Kit, version: int, number: int, fade_ms: float) -> Revision | None:
    """How fast the members of a mute group fall silent."""
    group = MuteGroup.objects.filter(kit=kit, number=number).first()
    if group is None:
        raise KitError(f"Mute group {number} is no longer there. Reload the page.")
    with edit(kit, version, f"Fade of mute group {number}") as change:
        change.update(group, fade_ms=fade_ms)
        members = PadMute.objects.filter(group=group, role=SILENCED_BY)
        change.touch(*members.values_list("pad", flat=True))
    return change.revision


def set_companion(pad: Pad, version: int, other: Pad, strength: float | None) -> Revision | None:
    """Let ``other`` sound along at ``strength`` (1: as hard); None lets it go."""
    if other.pk == pad.pk:
        raise KitError("A pad can't sound along with itself.")
    words = (
        f"{other.full_name} sounds along with {pad.full_name}"
        if strength
        else f"{other.full_name} no longer sounds along"
    )
    with edit(pad.kit, version, words) as change:
        row = Companion.objects.filter(pad=pad, other=other).first()
        if row and strength is None:
            change.delete_all([row])
        elif row:
            change.update(row, strength=strength)
        elif strength is not None:
            change.create(Companion(pad=pad, other=other, strength=strength))
        change.touch(pad.pk)
    return change.revision


def route_pads(pads: Sequence[Pad], version: int, name: str) -> Revision | None:
    """Send pads to the output of this name, made if it is new; Main where the name is empty."""
    with edit(pads[0].kit, version, f"{pads_named(pads)} to output {name or 'Main'}") as change:
        output = output_called(change, name)
        for pad in pads:
            change.update(pad, output_id=None if output.is_main and pad.piece.output_id is None else output.pk)
        change.touch(*(pad.pk for pad in pads))
    return change.revision
