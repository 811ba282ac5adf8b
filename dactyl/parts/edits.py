"""Writes of parts: one edit for one sentence in the history of the part."""

import json
from collections.abc import Collection, Iterable, Mapping
from dataclasses import replace

import numpy as np
from django.db import transaction
from django.db.models import BooleanField
from django.db.models.expressions import RawSQL

from dactyl.core.fields import cleaned
from dactyl.core.parts import controls, packed
from dactyl.core.parts.curves import GROUP, OUTPUT, Curve, renoted
from dactyl.core.parts.part import Part as PartValue
from dactyl.core.parts.reshape import Reshaped
from dactyl.core.parts.structure import ending_behind_hits
from dactyl.core.units import counted
from dactyl.history.edits import edit
from dactyl.history.models import Document, Revision
from dactyl.history.tables import Step
from dactyl.jobs.reserve import with_reserve
from dactyl.kits.models import Output, OutputGroup
from dactyl.parts import blocks, queries
from dactyl.parts.models import Part, Pass


def add_part(value: PartValue, like: Part | None = None) -> Part:
    """A new part. like : what it is a copy or a piece of: it is written for the same notes, and has passes of its own"""
    rows, about_ = packed.rows_of(value.events), _about(ending_behind_hits(value))
    with transaction.atomic():
        part = Part.objects.create(**about_, written_for=like.written_for if like else "")
        passes = _copied_passes(like, part, set(np.unique(rows["pass_id"]).tolist())) if like else {}
        rows["pass_id"] = [passes.get(key, 0) for key in rows["pass_id"].tolist()]
        blocks.fill(part, rows)
    part.refresh_from_db()
    return part


def duplicate(part: Part) -> Part:
    """The part once more, with what is muted in it."""
    value = queries.about(part, queries.events(part))
    return add_part(replace(value, name=f"{value.name[:74]} copy"), like=part)


def _copied_passes(of: Part, part: Part, used: Collection[int | None]) -> dict[int, int]:
    """The passes of a part that are used, for another; by the key that they have there."""
    own = [one for one in of.passes.all() if one.pk in used]
    made = [Pass(part=part, number=o.number, is_muted=o.is_muted, recorded_as=o.recorded_as) for o in own]
    return {old.pk: new.pk for old, new in zip(own, Pass.objects.bulk_create(made), strict=True)}


def delete_part(part: Part) -> None:
    """For good, with its history; bounces keep what they were made from."""
    with with_reserve():
        part.delete()


def reshape(part: Part, version: int, sentence: str, reshaped: Reshaped) -> Revision | None:
    """Write what a function of the core made of the part's events."""
    made = blocks.Edited.of(reshaped)
    with edit(part, version, sentence) as change:
        blocks.write(change, made)
    return change.revision


def rewrite(part: Part, version: int, sentence: str, before: PartValue, after: PartValue) -> Revision | None:
    """Take the part, tempo, meter and sections included, from one value to another that was made of it."""
    made, about_ = blocks.Edited.between(before.events, after.events), _about(after)
    with edit(part, version, sentence) as change:
        change.update(part, **{name: value for name, value in about_.items() if getattr(part, name) != value})
        blocks.write(change, made)
    return change.revision


def set_written_for(part: Part, version: int, sentence: str, source: str) -> Revision | None:
    with edit(part, version, sentence) as change:
        change.update(part, written_for=source)
    return change.revision


def write_translation(
    part: Part, version: int, name: str, table: Mapping[int, int], answered: Collection[int]
) -> tuple[Revision | None, str]:
    """Give the hits the notes that ``table`` says; they are the kit's own then. Returns the edit, and what to say.

    name : of the kit. answered : the notes that it answers. What had no counterpart was silent and stays so: where its
        note would sound now, it is left out.
    """
    silent = {note for note in answered if note not in table}
    own = queries.events(part)
    played = {event.note for event in own if event.velocity}
    count = sum(event.note in silent and event.velocity > 0 for event in own)
    said = f"Written for the notes of {name}"
    if count:
        said += f"; {counted(count, 'silent hit')} left out, without a counterpart there"
    made = blocks.Edited.of(
        Reshaped(
            changed=tuple(event._replace(note=table[event.note]) for event in own if event.note in table),
            removed=tuple(event.id for event in own if event.note in silent),
        )
    )
    with edit(part, version, said) as change:
        blocks.write(change, made)
        value = queries.about(part)

        def becomes(note: int) -> int | None:
            return table.get(note, None if note in silent else note)

        change.update(
            part, written_for="", curves=curve_rows(renoted(value.curves, becomes, played)),
            controls=[list(one) for one in controls.renoted(value.controls, becomes)],
        )  # fmt: skip
    return change.revision, said


FOLLOWED = {"output": (OUTPUT, Output), "output_group": (GROUP, OutputGroup)}
"""Tables whose rows automation names: how it names them, and their rows."""


def follow_renamed(document: Document, steps: Iterable[Step]) -> None:
    """An output or a group of a kit is called otherwise: automation of it follows, in the parts that are the kit's.

    These are the parts written for its notes, and those written for no kit where no other kit has the old name.
    """
    renamed: dict[Part, dict[str, str]] = {}  # of one edit all at once: two may exchange their names
    for table, _, before, after in steps:
        if table not in FOLLOWED or not (before and after and "name" in before and "name" in after):
            continue
        kind, rows = FOLLOWED[table]
        old, new = before["name"], after["name"]
        held = RawSQL("instr(curves, %s) > 0", [json.dumps(f"{kind}:{old}")], BooleanField())
        elsewhere = rows.objects.filter(name=old, kit__is_put_away=False).exclude(kit=document.pk)
        whose = [f"kit:{document.pk}", *([] if elsewhere.exists() else [""])]
        for part in Part.objects.filter(held, written_for__in=whose):
            renamed.setdefault(part, {})[f"{kind}:{old}"] = f"{kind}:{new}"
    for part, names in renamed.items():
        _rename_curves(part, names)


def _rename_curves(part: Part, names: Mapping[str, str]) -> None:
    taken = {(of, what) for of, what, _ in part.curves if of not in names}
    curves = [
        [of if (names.get(of, of), what) in taken else names.get(of, of), what, points]
        for of, what, points in part.curves
    ]
    said = ", ".join(f"{old.partition(':')[2]} is called {new.partition(':')[2]} now" for old, new in names.items())
    with edit(part, part.version, said[:200]) as change:
        change.update(part, curves=curves)


def curve_rows(curves: Iterable[Curve]) -> list[list]:
    return [[curve.of, curve.what, [list(point) for point in curve.points]] for curve in curves]


def _about(value: PartValue) -> dict:
    """Lists, as they come back from the database, so that equal ones are known as such. The one gate for names, whatever the
    way in."""
    return {
        "name": cleaned(value.name)[:80].strip() or "Part",
        "ticks_per_beat": value.ticks_per_beat,
        "tempos": [list(change) for change in value.tempos],
        "meters": [list(change) for change in value.meters],
        "sections": [
            [section.start_tick, section.end_tick, cleaned(section.name)[:60].strip() or "Section"]
            for section in value.sections
        ],
        "curves": curve_rows(value.curves),
        "controls": [list(one) for one in value.controls],
        "end_tick": value.end_tick,
    }
