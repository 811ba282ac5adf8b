"""The matrix of cuts: who silences whom, and what sounds along."""

from collections.abc import Mapping

from django.db.models import QuerySet

from dactyl.core.cuts import CHOKE, ITSELF, Cut, PadCuts, cuts_of, usual
from dactyl.kits import queries
from dactyl.kits.models import ChokeGroup, Companion, Kit, MuteGroup

CELL_PX = 26  # of the matrix
ARCS_PX = 30  # room for the arcs beside its names


def cuts_context(kit: Kit) -> dict:
    """Pads in their order; the pairs that are cut and those that sound along, by row and column."""
    pads = queries.pad_cuts(kit)
    at = {pad.id: place for place, pad in enumerate(pads)}
    links = [
        (at[pad], at[other], strength)
        for pad, other, strength in Companion.objects.filter(pad__in=at, other__in=at).values_list(
            "pad", "other", "strength"
        )
    ]
    return {
        "cut_pads": pads,
        "cuts": [(at[cut.by], at[cut.of], cut.how, cut.group, _words(cut, pads, at)) for cut in cuts_of(pads)],
        "links": [(row, column, strength, 0.12 + 0.3 * min(1.0, strength)) for row, column, strength in links],
        "link_arcs": [(_arc(row, column), 1 + 2 * min(1.0, strength)) for row, column, strength in links],
        "arcs_px": ARCS_PX,
        "usual": usual(pads),
        "matrix_px": CELL_PX * len(pads),
        "choke_groups": _with_pads(ChokeGroup.objects.filter(kit=kit), pads),
        "mute_groups": MuteGroup.objects.filter(kit=kit, number__in={one for pad in pads for one in pad.silenced_by}),
    }


def _arc(row: int, column: int) -> str:
    """From the name of the pad that is struck to the one that sounds along, where an arrow ends it."""
    y, y2 = (CELL_PX * (place + 0.5) for place in (row, column))
    bend = ARCS_PX - min(ARCS_PX - 4, 8 + abs(y2 - y) / 12)
    return f"M{ARCS_PX} {y:.0f}C{bend:.0f} {y:.0f} {bend:.0f} {y2:.0f} {ARCS_PX} {y2:.0f}m-5 -3l5 3l-5 3"


def _words(cut: Cut, pads: list[PadCuts], at: Mapping[int, int]) -> str:
    by, of = pads[at[cut.by]].name, pads[at[cut.of]].name
    if cut.how == ITSELF:
        return f"{by} cuts itself"
    return f"{by} cuts {of}: {'choke' if cut.how == CHOKE else 'mute'} group {cut.group}"


def _with_pads(groups: QuerySet, pads: list[PadCuts]) -> list[tuple]:
    """Choke groups that somebody stands in, with a pad through which their fade is set."""
    by_letter = {pad.choke: pad for pad in reversed(pads)}
    return [(group, by_letter[group.letter]) for group in groups if group.letter in by_letter]
