"""Kits as JSON that earlier versions wrote, brought up to what is read now."""

from collections.abc import Iterator
from typing import Any


def brought_up(kit: Any, version: int) -> Any:
    """The same kit as of the newest version; what is no kit comes back as it is, for its reader to refuse.

    1 called a random stream dice. 1 and 2 held the notes of the default map on the pads, and only the other maps as maps.
    3 had no desk: outputs had levels only. 4 held nothing of what a piece says of a mic but its level.
    5 had no ids of pieces. 6 knew no pedals and hands.
    """
    if version > 2 or not isinstance(kit, dict):
        return kit
    pads = [pad for piece in _rows(kit, "pieces") for pad in _rows(piece, "pads")]
    for row in (row for pad in pads for row in (pad, *_rows(pad, "layers"))):
        if "dice" in row:
            row["random_stream"] = row.pop("dice")
    notes = []
    for pad in pads:
        own = pad.pop("notes", [])
        notes += [[note, pad.get("id")] for note in own] if isinstance(own, list) else [own]
    others = kit.get("maps", [])
    return {**kit, "maps": [{"notes": notes}, *others] if isinstance(others, list) else others}


def lineup_brought_up(lineup: dict[str, Any], version: int) -> dict[str, Any]:
    """The same for a lineup. Version 1 told pieces by name: they get ids by their places, and members tell them by these, each
    name all that are called so."""
    return told_by_ids(lineup) if version == 1 else lineup


def told_by_ids(lineup: dict[str, Any]) -> dict[str, Any]:
    """A lineup that told pieces by name, in place."""
    for member in _rows(lineup, "members"):
        kit = member.get("kit")
        pieces = list(_rows(kit, "pieces")) if isinstance(kit, dict) else []
        for place, piece in enumerate(pieces, start=1):
            piece["id"] = place
        if isinstance(member.get("pieces"), list):
            ids: dict[Any, list[int]] = {}
            for piece in pieces:
                ids.setdefault(str(piece.get("name")), []).append(piece["id"])
            told = (ids.get(name, [name]) if isinstance(name, str) else [name] for name in member["pieces"])
            member["pieces"] = [key for keys in told for key in keys]
    return lineup


def _rows(of: dict, name: str) -> Iterator[dict]:
    rows = of.get(name)
    yield from (row for row in rows if isinstance(row, dict)) if isinstance(rows, list) else ()
