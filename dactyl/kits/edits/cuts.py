"""Who silences whom, pair by pair: choke and mute groups are made, joined and left as a pair needs it."""

from collections.abc import Callable, Collection, Iterable, Sequence
from typing import Any

from dactyl.core.cut_groups import CutGroups
from dactyl.core.cuts import Proposed
from dactyl.core.errors import KitError
from dactyl.core.kit import FADE_MS, STRENGTHS
from dactyl.history.edits import Change, edit
from dactyl.history.models import Revision
from dactyl.kits.models import SILENCED_BY, SILENCES, ChokeGroup, Companion, Kit, MuteGroup, Pad, PadMute
from dactyl.kits.queries import pad_cuts


def toggle(kit: Kit, version: int, pad: Pad, other: Pad, *, both: bool) -> Revision | None:
    """Let ``pad`` cut ``other``, or no longer; with ``both`` they cut each other. No other pair changes.

    A pad cut by itself is a setting of its own.
    """
    if pad.pk == other.pk:
        with edit(kit, version, f"{pad.full_name} {'no longer cuts' if pad.cuts_itself else 'cuts'} itself") as change:
            change.update(pad, cuts_itself=not pad.cuts_itself)
            change.touch(pad.pk)
        return change.revision

    def press(groups: CutGroups) -> str:
        if (pad.pk, other.pk) in groups.pairs():
            groups.let_part(pad.pk, other.pk)
            return f"{pad.full_name} no longer cuts {other.full_name}"
        if both:
            groups.let_choke([pad.pk, other.pk])
            return f"{pad.full_name} and {other.full_name} cut each other"
        groups.let_cut([pad.pk], [other.pk])
        return f"{pad.full_name} cuts {other.full_name}"

    return _rearranged(kit, version, press)


def apply_usual(kit: Kit, version: int, proposed: Sequence[Proposed]) -> Revision | None:
    """The groups that hats and grabs usually stand in, as one edit."""
    if not proposed:
        raise KitError("The usual groups are there already.")

    def apply(groups: CutGroups) -> str:
        for one in proposed:
            if one.chokes:
                groups.let_choke(one.chokes)
            else:
                groups.let_cut(one.silencers, one.silenced)
        return "; ".join(one.words for one in proposed)[:180]

    return _rearranged(kit, version, apply)


def level_links(kit: Kit, version: int, rows: Sequence[Companion], by: float) -> Revision | None:
    """All that sounds along, louder or softer in proportion."""
    low, high = STRENGTHS
    with edit(kit, version, f"What sounds along at {by:.0%}") as change:
        change.update_each((row, {"strength": min(high, max(low, round(row.strength * by, 3)))}) for row in rows)
        change.touch(*{row.pad_id for row in rows})
    return change.revision


def _rearranged(kit: Kit, version: int, rearrange: Callable[[CutGroups], str]) -> Revision | None:
    """One edit of whatever ``rearrange`` changes; it returns the edit's sentence."""
    there = pad_cuts(kit, with_empty=True)
    was, groups = CutGroups(there), CutGroups(there)
    words = rearrange(groups)
    with edit(kit, version, words) as change:
        pads = {pad.pk: pad for pad in Pad.objects.filter(kit=kit)}
        made = _Groups(change, groups.fade_like)
        for key, pad in pads.items():
            letter = groups.letters.get(key)
            if letter != was.letters.get(key):
                change.update(pad, choke_id=made.choke(letter).pk if letter else None)
                change.touch(key)
        for role, before, after in (
            (SILENCES, was.silencing, groups.silencing),
            (SILENCED_BY, was.silenced, groups.silenced),
        ):
            known = {(number, key) for number, keys in before.items() for key in keys}
            wanted = {(number, key) for number, keys in after.items() for key in keys}
            gone = [
                one for one in PadMute.objects.filter(pad__kit=kit, role=role).select_related("group")
                if (one.group.number, one.pad_id) in known - wanted
            ]  # fmt: skip
            change.delete_all(gone)
            change.create_all([
                PadMute(pad=pads[key], group=made.mute(number), role=role) for number, key in sorted(wanted - known)
            ])  # fmt: skip
            change.touch(*(key for _, key in known ^ wanted))
    return change.revision


class _Groups:
    """Rows of groups by their names; one that nobody stands in is made anew, with the fade of the one it comes from."""

    def __init__(self, change: Change, fade_like: dict[str | int, str | int]) -> None:
        kit = change.document
        self._change, self._fade_like = change, fade_like
        self._chokes = {group.letter: group for group in ChokeGroup.objects.filter(kit=kit)}
        self._mutes = {group.number: group for group in MuteGroup.objects.filter(kit=kit)}
        self._used = {*Pad.objects.filter(kit=kit).values_list("choke__letter", flat=True)}
        self._used |= {*PadMute.objects.filter(pad__kit=kit).values_list("group__number", flat=True)}

    def choke(self, letter: str) -> ChokeGroup:
        return self._group(self._chokes, letter, lambda: ChokeGroup(kit=self._change.document, letter=letter))

    def mute(self, number: int) -> MuteGroup:
        return self._group(self._mutes, number, lambda: MuteGroup(kit=self._change.document, number=number))

    def _group(self, there: dict[Any, Any], name: str | int, new: Callable[[], Any]) -> Any:
        group = there.get(name) or self._change.create(new())
        if name not in self._used:
            like = self._fade_like.get(name)
            source = self._chokes.get(like) or self._mutes.get(like)
            self._change.update(group, fade_ms=source.fade_ms if source else FADE_MS)
            self._used.add(name)
        there[name] = group
        return group


def mute_groups(change: Change, numbers: Iterable[int]) -> list[MuteGroup]:
    """The kit's mute groups of these numbers, made where they are new."""
    there = {group.number: group for group in MuteGroup.objects.filter(kit=change.document)}
    return [there.get(one) or change.create(MuteGroup(kit=change.document, number=one)) for one in numbers]


def write_mutes(change: Change, pads: Sequence[Pad], role: str, groups: Sequence[MuteGroup]) -> None:
    """Let pads stand in these mute groups, and in no others, in this role."""
    keys = {group.pk for group in groups}
    there = list(PadMute.objects.filter(pad__in=pads, role=role))
    change.delete_all([one for one in there if one.group_id not in keys])
    known = {(one.pad_id, one.group_id) for one in there}
    change.create_all([
        PadMute(pad=pad, group=group, role=role) for pad in pads for group in groups if (pad.pk, group.pk) not in known
    ])  # fmt: skip


def first_free(every: Iterable[Any], used: Collection[Any]) -> Any:
    """The first name that is not used; None where all are."""
    return next((name for name in every if name not in used), None)
