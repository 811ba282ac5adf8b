"""Who silences whom, pair by pair: choke and mute groups are made, joined and left as a pair needs it."""

from collections.abc import Collection, Iterable, Sequence
from string import ascii_uppercase
from typing import Any

from dactyl.core.cuts import CHOKE, MUTE, Proposed, cuts_of
from dactyl.core.errors import KitError
from dactyl.core.fields import MUTE_NUMBER
from dactyl.core.kit import STRENGTHS
from dactyl.history.edits import Change, edit
from dactyl.history.models import Revision
from dactyl.kits.models import ChokeGroup, Companion, Kit, MuteGroup, Pad
from dactyl.kits.queries import pad_cuts

LETTERS = ascii_uppercase  # of choke groups
NUMBERS = range(int(MUTE_NUMBER.low), int(MUTE_NUMBER.high) + 1)  # of mute groups


def toggle(kit: Kit, version: int, pad: Pad, other: Pad, *, both: bool) -> Revision | None:
    """Let ``pad`` cut ``other``, or no longer; with ``both`` they cut each other, in one choke group.

    A pad cut by itself is a setting of its own. raises : KitError where a group would have to be in two
    """
    if pad.pk == other.pk:
        with edit(kit, version, f"{pad.full_name} {'no longer cuts' if pad.cuts_itself else 'cuts'} itself") as change:
            change.update(pad, cuts_itself=not pad.cuts_itself)
            change.touch(pad.pk)
        return change.revision
    there = next((cut for cut in cuts_of(pad_cuts(kit)) if (cut.by, cut.of) == (pad.pk, other.pk)), None)
    words = f"{pad.full_name} {'no longer cuts' if there else 'cuts'} {other.full_name}"
    with edit(kit, version, words) as change:
        if there and there.how == CHOKE:
            change.update(other, choke_id=None)
        elif there and there.how == MUTE:
            _part(change, kit, pad, other)
        elif both:
            _choke(change, kit, [pad, other])
        else:
            _silence(change, kit, [pad], [other])
        change.touch(pad.pk, other.pk)
    return change.revision


def apply_usual(kit: Kit, version: int, proposed: Sequence[Proposed]) -> Revision | None:
    """The groups that hats and grabs usually stand in, as one edit."""
    if not proposed:
        raise KitError("The usual groups are there already.")
    pads = {pad.pk: pad for pad in Pad.objects.filter(kit=kit).select_related("piece")}
    with edit(kit, version, f"{'; '.join(one.words for one in proposed)}"[:180]) as change:
        for one in proposed:
            if one.chokes:
                _choke(change, kit, [pads[key] for key in one.chokes])
            else:
                _silence(change, kit, [pads[key] for key in one.silencers], [pads[key] for key in one.silenced])
            change.touch(*one.chokes, *one.silencers, *one.silenced)
    return change.revision


def level_links(kit: Kit, version: int, rows: Sequence[Companion], by: float) -> Revision | None:
    """All that sounds along, louder or softer in proportion."""
    low, high = STRENGTHS
    with edit(kit, version, f"What sounds along at {by:.0%}") as change:
        change.update_each((row, {"strength": min(high, max(low, round(row.strength * by, 3)))}) for row in rows)
        change.touch(*{row.pad_id for row in rows})
    return change.revision


def _choke(change: Change, kit: Kit, pads: Sequence[Pad]) -> None:
    """Pads into the choke group that one of them is in, else into a new one."""
    group = next((pad.choke_id for pad in pads if pad.choke_id), None)
    if group is None:
        used = ChokeGroup.objects.filter(kit=kit).values_list("letter", flat=True)
        group = change.create(ChokeGroup(kit=kit, letter=_free(LETTERS, used, "choke groups"))).pk
    for pad in pads:
        change.update(pad, choke_id=group)


def _silence(change: Change, kit: Kit, silencers: Sequence[Pad], silenced: Sequence[Pad]) -> None:
    """One mute group for them: that of one of them where it fits, else a new one."""
    wanted = {pad.silences_id for pad in silencers if pad.silences_id} | {pad.silenced_by_id for pad in silenced if pad.silenced_by_id}  # fmt: skip
    if len(wanted) > 1:
        names = ", ".join(pad.full_name for pad in (*silencers, *silenced)[:3])
        raise KitError(f"{names} stand in different mute groups already; a pad is in one. Take a dot away first, or let them cut each other.")  # fmt: skip
    group = next(iter(wanted), None)
    if group is None:
        used = MuteGroup.objects.filter(kit=kit).values_list("number", flat=True)
        group = change.create(MuteGroup(kit=kit, number=_free(NUMBERS, used, "mute groups"))).pk
    for pad in silencers:
        change.update(pad, silences_id=group)
    for pad in silenced:
        change.update(pad, silenced_by_id=group)


def _part(change: Change, kit: Kit, pad: Pad, other: Pad) -> None:
    """End a one-way cut: the one leaves the group whose leaving ends the fewest others."""
    silencers = Pad.objects.filter(kit=kit, silences=pad.silences_id).count()
    silenced = Pad.objects.filter(kit=kit, silenced_by=other.silenced_by_id).count()
    if silenced == 1 and silencers > 1:
        change.update(pad, silences_id=None)
    else:
        change.update(other, silenced_by_id=None)


def first_free(every: Iterable[Any], used: Collection[Any]) -> Any:
    """The first name that is not used; None where all are."""
    return next((name for name in every if name not in used), None)


def _free(every: Any, used: Collection[Any], what: str) -> Any:
    free = first_free(every, set(used))
    if free is None:
        raise KitError(f"All {what} are in use. Take pads out of one first.")
    return free
