"""The mics of a kit: what each piece says of each of them."""

from dataclasses import dataclass
from typing import Any

from dactyl.kits import queries
from dactyl.kits.models import Kit, PieceMic, TakeSample


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
