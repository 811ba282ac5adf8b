"""What the pictures of a kit beside its sheet show: who cuts whom and what sounds along; the kit from above."""

from collections import defaultdict
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, NamedTuple

from django.db.models import Avg, QuerySet
from django.http import HttpRequest

from dactyl.core.cuts import CHOKE, ITSELF, Cut, PadCuts, cuts_of, usual
from dactyl.core.plan import Placed, placed, rings
from dactyl.kits import queries
from dactyl.kits.models import ChokeGroup, Companion, Kit, MuteGroup, PieceMic, TakeSample

CELL_PX = 26  # of the matrix
ARCS_PX = 30  # room for the arcs beside its names
SCALE = 5.0  # units of the drawing for one of the plan
WIDTH, HEIGHT, MARGIN = 1000, 560, 10  # of the drawing


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


def plan_context(kit: Kit) -> dict[str, Any]:
    """Pieces that have takes, placed; the articulations of each from its middle to its rim; what sounds along as curves."""
    rows = [row for row in queries.sheet_rows(kit, levels=False) if not row.is_empty]
    own: dict[int, list[queries.PadRow]] = defaultdict(list)
    for row in rows:
        own[row.pad.piece_id].append(row)
    pieces = {row.pad.piece_id: row.pad.piece for row in rows}
    pitches = dict(
        TakeSample.objects.filter(take__layer__pad__piece__in=pieces, sample__pitch_hz__gt=0)
        .order_by().values_list("take__layer__pad__piece").annotate(Avg("sample__pitch_hz"))
    )  # fmt: skip
    spots = placed([
        (key, own[key][0].kind, pitches.get(key) or 0.0, (piece.place_x, piece.place_y)) for key, piece in pieces.items()
    ])  # fmt: skip
    at = {spot.id: _drawn(spot) for spot in spots}
    return {
        "plan": [
            (pieces[spot.id], spot, at[spot.id], [own[spot.id][n] for n in rings([row.name for row in own[spot.id]])])
            for spot in sorted(spots, key=lambda spot: (spot.shape in ("cymbal", "hat"), -spot.radius))
        ],
        "plan_links": _links(kit, rows, at),
        "plan_size": (WIDTH, HEIGHT),
    }


def _drawn(spot: Placed) -> tuple[float, float, float]:
    """Middle and radius in the drawing."""
    return WIDTH / 2 + spot.x * (WIDTH / 2 - 60) / 100, MARGIN + 40 + spot.y * (HEIGHT - 130) / 100, spot.radius * SCALE


def _links(kit: Kit, rows: list[queries.PadRow], at: Mapping[int, tuple[float, float, float]]) -> list[tuple]:
    """Curves from the piece that is struck to the one that sounds along, with what it says."""
    by_pad = {row.pad.pk: row for row in rows}
    links = []
    for pad, other, strength in Companion.objects.filter(pad__kit=kit).values_list("pad", "other", "strength"):
        if pad in by_pad and other in by_pad:
            (x, y, _), (x2, y2, _) = (at[by_pad[key].pad.piece_id] for key in (pad, other))
            curve = f"M{x:.0f} {y:.0f}Q{(x + x2) / 2:.0f} {min(y, y2) - 60:.0f} {x2:.0f} {y2:.0f}"
            links.append(
                (
                    curve,
                    f"{by_pad[other].name} sounds along with {by_pad[pad].name} at {strength:.0%}",
                    1 + 3 * strength,
                )
            )
    return links


@dataclass(frozen=True, slots=True)
class Said:
    """What a piece says of a mic, as it is shown."""

    gain_db: float = 0.0
    is_flipped: bool = False
    place: str = ""  # empty: as the mic says


def mics_context(kit: Kit) -> dict[str, Any]:
    """Mics, and for each piece that has takes what it says of each of them, and whether it has one there."""
    rows = [row for row in queries.sheet_rows(kit, levels=False) if not row.is_empty]
    pieces = {row.pad.piece_id: (row.pad.piece, row.kind) for row in reversed(rows)}
    said = {(one.piece_id, one.mic_id): one for one in PieceMic.objects.filter(piece__kit=kit)}
    heard = set(
        TakeSample.objects.filter(take__layer__pad__kit=kit)
        .order_by()
        .values_list("take__layer__pad__piece", "mic")
        .distinct()
    )
    mics = list(kit.mics.select_related("output"))
    return {
        "mics": mics,
        "mic_rows": [
            (piece, kind, [(mic, _said(said.get((key, mic.pk))), (key, mic.pk) in heard) for mic in mics])
            for key, (piece, kind) in reversed(pieces.items())
        ],
    }


def _said(row: PieceMic | None) -> Said:
    if row is None:
        return Said()
    own = "" if row.pan is None else f"{row.pan:.0f}".replace("-", "−")
    return Said(row.gain_db, row.is_flipped, row.way or own)


class Picture(NamedTuple):
    """One of the pictures of a view, which is drawn anew where an edit changed what it shows."""

    main_view: str  # the tab that it belongs to
    template: str
    shows: Callable[[Kit, str], dict[str, Any]]  # of the kit; and the key of what is chosen in it, where something is


PICTURES = {
    "cuts": Picture("kit", "kits/_cut_matrix.html", lambda kit, _: cuts_context(kit)),
    "plan": Picture("kit", "kits/_plan.html", lambda kit, _: plan_context(kit)),
    "mics": Picture("desk", "kits/_mics_view.html", lambda kit, _: mics_context(kit)),
}
"""By the name that the page sends; apps above put theirs here."""


def picture_context(request: HttpRequest, kit: Kit, view: str) -> dict[str, Any]:
    """What a picture shows, and the template that shows it."""
    picture = PICTURES[view]
    return {"main_view": picture.main_view, "view_template": picture.template, **picture.shows(kit, shown_in(request))}


def shown_in(request: HttpRequest) -> str:
    """What is chosen in the picture: what a request just made; of a page by its address; of an edit what the page shows."""
    if made := getattr(request, "shown", None):
        return str(made)
    asked = request.GET.get("shown", "") if request.method == "GET" else request.headers.get("X-Shown", "")
    return asked[:40]
