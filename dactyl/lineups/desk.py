"""The rows of the Desk view for kits that sound alongside: one handle for each, and the outputs that leave its own desk under it."""

from dactyl.core.fields import MEMBER
from dactyl.desk.picture import Beside, Strip, numbers_of
from dactyl.kits.models import Kit
from dactyl.lineups.queries import rows_of

NUMBERS = {name: MEMBER[name] for name in ("gain_db", "delay_ms", "low", "high")}


def beside(kit: Kit) -> list[Beside]:
    first = 2 if kit.pads.exists() else 1
    return [
        Beside(
            Strip(
                "alongside", row.other.name, row.gain_db, row, numbers_of(NUMBERS, row), number_of_kit=number
            ),
            list(row.other.outputs.all()),
        )
        for number, row in enumerate(rows_of(kit), start=first)
    ]  # fmt: skip
