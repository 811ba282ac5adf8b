"""What the Desk view shows: channels under their groups, the parallel bus and the master; what goes in and where it leaves."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import Any

from django.urls import reverse

from dactyl.core import fields as core
from dactyl.core.kit import MAIN
from dactyl.desk.edits import ROUTES
from dactyl.kits import queries
from dactyl.kits.alongside import is_lineup
from dactyl.kits.models import Kit, Output, OutputGroup

LOW_DB, HIGH_DB = -60.0, 12.0  # of the axis that all rows share; a mark below it stands at its foot
LINES_DB = (-48, -36, -24, -12, -6, 0, 6)
LEADS = {
    "group": "Its level and mute are added to those of its outputs, which keep their own.",
    "parallel": "A compressed copy of what the outputs send, beside the dry sound.",
    "master": "Everything, as it is heard and as it leaves.",
    "alongside": "All that leaves the desk of this kit; what goes on there is set there.",
}
SET_BY = {"output": "desk:set_output", "group": "desk:change_output_group", "alongside": "lineups:change"}
"""Where the settings of a row go."""
Number = tuple[str, core.Field, float | None]  # name, field, value


class _Urls:
    def __init__(self, url: str) -> None:
        self._url = url

    def __getitem__(self, name: str) -> str:
        return self._url.replace("/_/", f"/{name}/")


@dataclass(slots=True)
class Strip:
    """One row of the desk."""

    kind: str  # "output", "group", "parallel", "master" or "alongside"
    name: str
    gain_db: float
    row: Any
    numbers: list[Number]  # what is typed beside it
    members: str = ""  # numbers of a group's outputs
    number: int = -1  # of an output, as players count them
    is_member: bool = False
    is_last: bool = False  # of its group
    pieces: list[tuple[int, str, str]] = field(default_factory=list)  # (key, name, kind) of what goes in
    mics: list[str] = field(default_factory=list)
    address: str = ""  # where its settings go, an underline for their name; empty: the usual place of its kind
    mark: str = ""  # what its button says, where that is not usual for its kind
    of_member: str = ""  # the kit of a lineup whose output it is

    @property
    def key(self) -> str:
        return f"{self.kind}-{self.row.pk}"

    @property
    def url(self) -> str:
        """Where its settings go, an underline in the place of their name."""
        if self.address:
            return self.address
        kit = self.row.pk if self.of_kit else self.row.kit_id
        if self.of_kit:
            return reverse("desk:set_desk", args=[kit, "_"])
        return reverse(SET_BY[self.kind], args=[kit, self.row.pk, "_"])

    @property
    def urls(self) -> "_Urls":
        """Where each setting goes, by its name."""
        return _Urls(self.url)

    @property
    def of_kit(self) -> bool:
        return self.kind in ("parallel", "master")

    @property
    def letter(self) -> str:
        if self.mark:
            return self.mark
        return {"output": str(self.number + 1), "group": getattr(self.row, "colour", "") or "G", "parallel": "P"}.get(
            self.kind, "Σ"
        )

    @property
    def classes(self) -> str:
        is_muted = not self.of_kit and self.row.muted
        is_off = self.kind == "parallel" and not self.row.parallel_is_on
        names = {"member": self.is_member, "last": self.is_last, "muted": is_muted, "off": is_off}
        return " ".join([self.kind, *(name for name, holds in names.items() if holds)])

    @property
    def tone(self) -> str:
        return (
            f"tone-{self.number}"
            if self.kind == "output"
            else f"colour-{self.row.colour}"
            if self.kind == "group" and self.row.colour
            else ""
        )

    @property
    def level_name(self) -> str:
        return {"parallel": "parallel_gain_db", "master": "master_db"}.get(self.kind, "gain_db")

    @property
    def lead(self) -> str:
        if self.of_member:
            return f"What leaves the desk of {self.of_member} here, behind what is set there."
        if self.kind == "output":
            return (
                "Everything without an output of its own leaves here."
                if self.row.is_main
                else f"Leaves as a stem called {self.name}."
            )
        return LEADS[self.kind]

    @property
    def at(self) -> float:
        return at_db(self.gain_db)

    @property
    def place(self) -> tuple[float, float, float]:
        """Left end, middle and right end of where it stands, percent of the way from left to right."""
        middle, half = 50 + self.row.balance / 2, self.row.width / 4
        return max(0.0, middle - half), middle, min(100.0, middle + half)


@dataclass(frozen=True, slots=True)
class Beside:
    """A kit alongside, and the outputs of its own desk."""

    strip: Strip
    outputs: list[Output]

    @property
    def places(self) -> list[tuple[Output, float]]:
        """Each output, and where its level stands on the axis."""
        return [(output, at_db(output.gain_db)) for output in self.outputs]


KITS_BESIDE: list[Callable[[Kit], list[Beside]]] = []
"""What apps above show in the desk of a kit."""
OF_SEVERAL: list[Callable[[Kit], list[Strip]]] = []
"""The rows of a lineup's desk, told by an app above."""


def at_db(db: float) -> float:
    """Where a level stands on the axis, percent."""
    return round(100 * (min(HIGH_DB, max(LOW_DB, db)) - LOW_DB) / (HIGH_DB - LOW_DB), 2)


def desk_context(kit: Kit) -> dict[str, Any]:
    numbers = numbers_of(core.DESK, kit)
    return {
        **(_of_lineup(kit) if is_lineup(kit) else _of_kit(kit)),
        "beside": [one for found in KITS_BESIDE for one in found(kit)],
        "parallel": Strip("parallel", "Parallel", kit.parallel_gain_db, kit, [one for one in numbers if one[0].startswith("parallel")]),
        "master": Strip("master", "Master", kit.master_db, kit, [one for one in numbers if one[0] == "master_db"]),
        "routes": [(key, asked) for key, (asked, *_) in ROUTES.items()],
        "axis_lines": [(line, at_db(line)) for line in LINES_DB],
        "sides": core.SIDES,
        "colours": core.COLOURS.items(),
    }  # fmt: skip


def _of_kit(kit: Kit) -> dict[str, Any]:
    outputs = list(kit.outputs.all())
    groups = {row.pk: row for row in OutputGroup.objects.filter(kit=kit)}
    pieces, mics, names = _routed(kit, outputs)
    return {
        "strips": list(_strips(outputs, groups, pieces, mics)),
        "output_groups": list(groups.values()),
        "all_pieces": sorted(names.items(), key=lambda one: one[1]),
        "is_plain": all(output.name == MAIN for output in outputs),
        "grouping": reverse("desk:add_output_group", args=[kit.pk]),
    }


def _of_lineup(kit: Kit) -> dict[str, Any]:
    strips = [strip for rows in OF_SEVERAL for strip in rows(kit)]
    groups = [strip.row for strip in strips if strip.kind == "group"]
    return {"strips": strips, "output_groups": groups, "grouping": reverse("lineups:add_group", args=[kit.pk])}


def numbers_of(table: core.Table, row: Any) -> list[Number]:
    return [(name, one, getattr(row, name)) for name, one in table.items() if one.low is not None]


def _routed(kit: Kit, outputs: list[Output]) -> tuple[dict[int, list], dict[int, list], dict[int, str]]:
    """What goes to each output: pieces with what they are, by their pads where not all of them do; mics that leave there
    whatever their pads do; and the names of all pieces that sound."""
    rows = [row for row in queries.sheet_rows(kit, outputs=outputs, levels=False) if not row.is_empty]
    ways: dict[int, set[int]] = {}  # outputs of each piece
    names: dict[int, str] = {}
    for row in rows:
        ways.setdefault(row.pad.piece_id, set()).add(row.output.pk)
        names.setdefault(row.pad.piece_id, row.pad.piece.name or row.name)
    pieces: dict[int, dict[int, tuple[int, str, str]]] = {}
    for row in rows:
        own, piece = pieces.setdefault(row.output.pk, {}), row.pad.piece
        if len(ways[piece.pk]) == 1:
            own.setdefault(piece.pk, (piece.pk, names[piece.pk], row.kind))
        else:
            _, named, kind = own.get(piece.pk, (piece.pk, "", row.kind))
            own[piece.pk] = piece.pk, f"{named}, {row.pad.name}" if named and row.pad.name else named or row.name, kind
    mics: dict[int, list[str]] = {}
    for mic in kit.mics.exclude(output=None):
        mics.setdefault(mic.output_id, []).append(mic.name)
    return {output: list(own.values()) for output, own in pieces.items()}, mics, names


def _strips(outputs: list[Output], groups: dict[int, OutputGroup], pieces: dict, mics: dict) -> Iterator[Strip]:
    """Groups are brackets: their rows stand above their outputs, where the first of these stood."""
    told = set()
    for output in outputs:
        if output.group_id in told:
            continue
        members = [output]
        if output.group_id:
            told.add(output.group_id)
            row = groups[output.group_id]
            members = [one for one in outputs if one.group_id == row.pk]
            positions = " ".join(str(one.position) for one in members)
            yield Strip("group", row.name, row.gain_db, row, numbers_of(core.OUTPUT_GROUP, row), positions)
        for one in members:
            yield Strip(
                "output", one.name, one.gain_db, one, numbers_of(core.OUTPUT, one), "", one.position, bool(one.group_id),
                bool(one.group_id) and one is members[-1], pieces.get(one.pk, []), mics.get(one.pk, []),
            )  # fmt: skip
