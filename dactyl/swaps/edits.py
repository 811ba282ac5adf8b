"""Another drum in the place of a piece, and pieces of other kits added: each one edit."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from typing import Any

from django.db import transaction

from dactyl.core import kit as core
from dactyl.core.cut_groups import LETTERS, NUMBERS
from dactyl.core.errors import KitError
from dactyl.core.formats.package import samples_of
from dactyl.core.kinds import free_note
from dactyl.core.swap import Pairs, in_place, mics_with
from dactyl.core.thicken import NEW_IDS, Layering, second_piece
from dactyl.history.edits import edit, refuse_stale
from dactyl.history.models import Revision
from dactyl.kits.edits.cuts import first_free
from dactyl.kits.edits.from_value import Writer
from dactyl.kits.edits.pads import MAX_PADS, delete_pads
from dactyl.kits.models import SILENCED_BY, Companion, Kit, Pad, PadMute, Piece
from dactyl.kits.queries import taken_notes
from dactyl.kits.values import some_pads
from dactyl.shelf.queries import by_hash


def swap(
    kit: Kit,
    version: int,
    pads: Sequence[Pad],
    source: core.Kit,
    pairs: Pairs,
    gains_db: Mapping[int, float],
    what: str,
    only_mic: str = "",
) -> Revision | None:
    """Let ``pads`` sound like those of ``source``; what they are in the kit stays. what : what comes, in words"""
    value = in_place(some_pads(kit.pk, [pad.pk for pad in pads]).alone, source, pairs, gains_db, only_mic)
    with edit(kit, version, f"{what} in the place of {pads[0].piece.name or pads[0].full_name}") as change:
        Writer(change, by_hash(list(samples_of(value)))).refill(value, {pad.pk: pad for pad in pads if pad.pk in pairs})
    return change.revision


def thicken(
    kit: Kit, version: int, piece: Piece, source: core.Kit, pairs: Pairs, how: Layering, what: str
) -> Revision | None:
    """A second drum under a piece: a piece of its own whose pads sound along, leave and are cut with the first's."""
    firsts = {pad.pk: pad for pad in Pad.objects.filter(pk__in=pairs, kit=kit)}
    own = some_pads(kit.pk, list(firsts)).alone
    if not any(pairs.get(key) for key in firsts):
        raise KitError("No articulation sounds along. Choose one first.")
    second = second_piece(replace(own, pieces=_all_named(kit, own)), source, pairs, how)
    if kit.pads.count() + len(second.pads) > MAX_PADS:
        raise KitError(f"A kit has at most {MAX_PADS} pads.")
    pads = tuple(replace(pad, output=None, choke=None, silenced_by=()) for pad in second.pads)  # the first's, as rows
    alone = replace(second, output=None, pads=pads)
    mics = tuple(replace(mic, output=None) for mic in mics_with(own, source, [alone]))
    value = replace(
        source, pieces=(alone,), outputs=source.outputs[:1], groups=(), mics=mics, surfaces=(), maps=(core.NoteMap(),)
    )
    with edit(kit, version, f"{what} under {piece.name or 'a piece'}") as change:
        rows = Writer(change, by_hash(list(samples_of(value))), keeps=True).write(value)
        for key, row in rows.items():
            first = firsts[key - NEW_IDS]
            change.update(row, output_id=first.output_id, choke_id=first.choke_id)
            change.create_all([PadMute(pad=row, group=group, role=SILENCED_BY) for group in first.silenced_by])
            change.create(Companion(pad=first, other=row, strength=1.0))
            change.touch(first.pk)
        if piece.output_id:
            change.update(next(iter(rows.values())).piece, output_id=piece.output_id)
    return change.revision


def _all_named(kit: Kit, own: core.Kit) -> tuple[core.Piece, ...]:
    """Its pieces, and the names of all others, so that a new one is called otherwise."""
    named = {piece.name for piece in own.pieces}
    others = kit.pieces.exclude(name__in=named).values_list("name", flat=True)
    return (*own.pieces, *(core.Piece(name=name, pads=()) for name in dict.fromkeys(others)))


def copy_to(kit: Kit, version: int, pads: Sequence[Pad], other: Kit, *, is_move: bool) -> Revision | None:
    """Pads and their pieces at the end of another kit; moved, they leave this one. Returns what changed here.

    raises : StaleDocument before anything is written, where the page showed this kit as it no longer is
    """
    keys = [pad.pk for pad in pads]
    with transaction.atomic():
        refuse_stale(kit, version, f"{pads[0].full_name} {'moved' if is_move else 'copied'} to {other.name}")
        other.journal.refresh_from_db()
        add_pieces(other, other.version, some_pads(kit.pk, keys).alone, keys)
        return delete_pads(pads, version) if is_move else None


def add_pieces(kit: Kit, version: int, source: core.Kit, pad_ids: Sequence[int]) -> Revision | None:
    """Pads of another kit, with the pieces they belong to, at the end; each gets the free standard note of its kind.

    Their choke and mute groups come along under names that are free; companions only among them.
    """
    wanted, taken, notes = set(pad_ids), taken_notes(kit), []
    coming = [pad for _, pad in source.pads() if pad.id in wanted]
    letters = _free_names(
        kit.choke_groups.values_list("letter", flat=True),
        (pad.choke.letter for pad in coming if pad.choke),
        LETTERS,
    )
    numbers = _free_names(
        kit.mute_groups.values_list("number", flat=True),
        (group.number for pad in coming for group in (*pad.silences, *pad.silenced_by)), NUMBERS,
    )  # fmt: skip

    def mutes(groups: Sequence[core.MuteGroup]) -> tuple[core.MuteGroup, ...]:
        return tuple(replace(group, number=numbers[group.number]) for group in groups if numbers[group.number])

    pieces = []
    for piece in source.pieces:
        own = [pad for pad in piece.pads if pad.id in wanted]
        if not own:
            continue
        made = []
        for pad in own:
            note = free_note(pad.kind, taken)
            if note is not None:
                taken.add(note)
                notes.append((note, pad.id))
            among = tuple((other, strength) for other, strength in pad.companions if other in wanted)
            letter = letters.get(pad.choke.letter) if pad.choke else None
            choke = replace(pad.choke, letter=letter) if letter else None
            made.append(replace(
                pad, companions=among, output=None, choke=choke,
                silences=mutes(pad.silences), silenced_by=mutes(pad.silenced_by),
            ))  # fmt: skip
        pieces.append(replace(piece, pads=tuple(made), output=None))
    if not pieces:
        raise KitError("These pads are no longer there. Choose others.")
    count = sum(len(piece.pads) for piece in pieces)
    if kit.pads.count() + count > MAX_PADS:
        raise KitError(f"A kit has at most {MAX_PADS} pads.")
    mics = tuple(replace(mic, output=None) for mic in source.mics)
    maps = (core.NoteMap(notes=tuple(notes)),)
    value = replace(
        source, pieces=tuple(pieces), outputs=source.outputs[:1], groups=(), mics=mics, surfaces=(), maps=maps
    )
    names = ", ".join(piece.name or piece.pads[0].name for piece in pieces[:3]) + (" …" if len(pieces) > 3 else "")
    with edit(kit, version, f"{names} of {source.name} added") as change:
        Writer(change, by_hash(list(samples_of(value))), keeps=True).write(value)
    return change.revision


def begin_from(kit: Kit, version: int, source: core.Kit) -> Revision | None:
    """All of another kit in the place of this one's empty pads: its notes, outputs, groups and surfaces come along."""
    if kit.pads.filter(layers__isnull=False).exists():
        raise KitError(f"{kit.name} has sounds already. Add pieces of other kits to it instead.")
    with edit(kit, version, f"Begun from {source.name}") as change:
        change.delete_all(list(Piece.objects.filter(kit=kit)))
        Writer(change, by_hash(list(samples_of(source)))).write(source)
    return change.revision


def _free_names(used: Iterable[Any], wanted: Iterable[Any], every: Iterable[Any]) -> dict[Any, Any]:
    """Names that groups get in a kit that has some already: their own where it is free, else the next."""
    taken, given = set(used), {}
    for name in dict.fromkeys(wanted):
        given[name] = name if name not in taken else first_free(every, taken)
        taken.add(given[name])
    return given
