"""Mend what the check found, or leave it as it is: edits of the kit, undone like any other."""

from collections import defaultdict
from collections.abc import Callable, Collection, Mapping, Sequence
from typing import Any

from dactyl.checks.models import KitCheck, LeftFinding
from dactyl.core import fields
from dactyl.core.check.finding import Change as Mend
from dactyl.core.fields import Table
from dactyl.history.edits import Change, edit
from dactyl.history.models import Revision
from dactyl.kits.edits.maps import write_notes
from dactyl.kits.models import ChokeGroup, Kit, Layer, MapNote, Pad, Take

ROWS: dict[str, tuple[Table, Callable[[Kit], Any], Callable[[Any], int]]] = {
    "take": (fields.TAKE, lambda kit: Take.objects.filter(layer__pad__kit=kit).select_related("layer"), lambda row: row.layer.pad_id),
    "layer": (fields.LAYER, lambda kit: Layer.objects.filter(pad__kit=kit), lambda row: row.pad_id),
    "pad": (fields.PAD | {"curve": fields.CURVE}, lambda kit: Pad.objects.filter(kit=kit), lambda row: row.pk),
}  # fmt: skip
"""What a mend may change: its settings, its rows, and the pad that a row belongs to."""


def mend(kit: Kit, version: int, changes: Sequence[Mend], sentence: str, keys: Collection[str]) -> Revision | None:
    """keys : of the findings that are mended by it"""
    with edit(kit, version, sentence) as change:
        for of in ROWS:
            by_row: dict[int, dict[str, Any]] = defaultdict(dict)
            for one in changes:
                if one.of == of:
                    by_row[one.id][one.setting] = one.value
            _set_rows(change, kit, of, by_row)
        _told_no_more(kit, keys)
    return change.revision


def _set_rows(change: Change, kit: Kit, of: str, by_row: Mapping[int, dict[str, Any]]) -> None:
    table, rows_of, pad_of = ROWS[of]
    names = {field.path or name: (name, field.scale) for name, field in table.items()}
    rows = {row.pk: row for row in rows_of(kit).filter(pk__in=by_row)}
    set_values = []
    for key, row in rows.items():
        values = {}
        for setting, value in by_row[key].items():
            if setting == "choke":
                values["choke_id"] = _choke(change, kit, *value)
            elif setting == "note":
                own = MapNote.objects.filter(map__kit=kit, map__is_default=True, pad=key).values_list("note", flat=True)
                write_notes(change, {key: [*own, value]})
            else:
                name, scale = names[setting]
                values[name] = value * scale if scale != 1 else value
        if values:
            set_values.append((row, values))
        change.touch(pad_of(row))
    change.update_each(set_values)


def _choke(change: Change, kit: Kit, letter: str, fade_ms: float) -> int:
    """The choke group of this letter, with this fade."""
    group = ChokeGroup.objects.filter(kit=kit, letter=letter).first()
    if group is None:
        return change.create(ChokeGroup(kit=kit, letter=letter, fade_ms=fade_ms)).pk
    change.update(group, fade_ms=fade_ms)
    return group.pk


def leave(kit: Kit, version: int, rows: Sequence[Mapping[str, Any]]) -> Revision | None:
    """Findings that are meant so."""
    known = set(LeftFinding.objects.filter(kit=kit).values_list("key", flat=True))
    with edit(kit, version, f"Left as it is: {rows[0]['message']}"[:200]) as change:
        change.create_all(
            [LeftFinding(kit=kit, key=key) for key in dict.fromkeys(r["key"] for r in rows) if key not in known]
        )
        change.touch(*{row["place"]["pad"] for row in rows if "pad" in row["place"]})
    return change.revision


def take_up(kit: Kit, version: int) -> Revision | None:
    """All that was left is told again."""
    rows = list(LeftFinding.objects.filter(kit=kit))
    with edit(kit, version, "Findings that were left are told again") as change:
        change.delete_all(rows)
    return change.revision


def record(kit_id: int, version: int, takes: int, findings: list[dict[str, Any]]) -> None:
    """What a look at this version found; an older look says nothing any more."""
    last = KitCheck.objects.filter(kit=kit_id).first()
    if last is None or last.version <= version:
        KitCheck.objects.update_or_create(
            kit_id=kit_id, defaults={"version": version, "takes": takes, "findings": findings}
        )


def _told_no_more(kit: Kit, keys: Collection[str]) -> None:
    """Until the next look, which tells what is there."""
    last = KitCheck.objects.filter(kit=kit).first()
    if last is not None:
        last.findings = [row for row in last.findings if row["key"] not in keys]
        last.save(update_fields=["findings"])
