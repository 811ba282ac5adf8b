"""The floor plan: the kit from above."""

from collections import defaultdict
from collections.abc import Mapping
from typing import Any

from django.db.models import Avg

from dactyl.core.plan import Placed, placed, rings
from dactyl.kits import queries
from dactyl.kits.models import Companion, Kit, TakeSample

SCALE = 5.0  # units of the drawing for one of the plan
WIDTH, HEIGHT, MARGIN = 1000, 560, 10  # of the drawing


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
    return *drawn_at(spot.x, spot.y), spot.radius * SCALE


def drawn_at(x: float, y: float) -> tuple[float, float]:
    """A place of the plan in the drawing. The page's plan_places.js mirrors it."""
    return WIDTH / 2 + x * (WIDTH / 2 - 60) / 100, MARGIN + 40 + y * (HEIGHT - 130) / 100


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
