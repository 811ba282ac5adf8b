"""Writes of parts: one edit for one sentence in the history of the part."""

import json
from collections.abc import Collection, Iterable, Iterator, Mapping
from dataclasses import replace

from django.db import transaction
from django.db.models import BooleanField, Max
from django.db.models.expressions import RawSQL

from dactyl.core.errors import PartError
from dactyl.core.fields import cleaned
from dactyl.core.formats.midi import MAX_NOTES
from dactyl.core.parts import controls
from dactyl.core.parts.curves import GROUP, OUTPUT, Curve, renoted
from dactyl.core.parts.part import Event as EventValue
from dactyl.core.parts.part import Part as PartValue
from dactyl.core.parts.reshape import Reshaped
from dactyl.core.parts.structure import ending_behind_hits
from dactyl.core.units import counted
from dactyl.history.edits import Change, edit
from dactyl.history.models import Document, Revision
from dactyl.history.tables import Step
from dactyl.jobs.reserve import with_reserve
from dactyl.kits.models import Output, OutputGroup
from dactyl.parts.models import Event, Part, Pass
from dactyl.parts.queries import EACH, about, events, rows_of

EDITED = ("tick", "note", "velocity", "channel", "length_ticks", "played_tick")  # as the core's Event begins


def add_part(value: PartValue, like: Part | None = None) -> Part:
    """A new part. like : what it is a copy or a piece of: it is written for the same notes, and has passes of its own"""
    with transaction.atomic():
        part = Part.objects.create(**_about(ending_behind_hits(value)), written_for=like.written_for if like else "")
        passes = _copied_passes(like, part, {event.pass_id for event in value.events}) if like else {}
        events = (event._replace(pass_id=passes.get(event.pass_id)) for event in value.events)
        Event.objects.bulk_create([_row(part, event, event.order) for event in events], batch_size=1000)
    part.refresh_from_db()
    return part


def duplicate(part: Part) -> Part:
    """The part once more, with what is muted in it."""
    value = about(part, events(part))
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
    with edit(part, version, sentence) as change:
        write_events(change, reshaped)
    return change.revision


def rewrite(part: Part, version: int, sentence: str, before: PartValue, after: PartValue) -> Revision | None:
    """Take the part, tempo, meter and sections included, from one value to another that was made of it."""
    kept = {event.id: event for event in after.events if event.id}
    reshaped = Reshaped(
        changed=tuple(kept[event.id] for event in before.events if kept.get(event.id, event) != event),
        added=tuple(event for event in after.events if not event.id),
        removed=tuple(event.id for event in before.events if event.id not in kept),
    )
    with edit(part, version, sentence) as change:
        change.update(part, **{name: value for name, value in _about(after).items() if getattr(part, name) != value})
        write_events(change, reshaped)
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
    silent = [note for note in answered if note not in table]
    played = set(Event.objects.filter(part=part, velocity__gt=0).values_list("note", flat=True).distinct())
    count = Event.objects.filter(part=part, note__in=silent, velocity__gt=0).count()
    said = f"Written for the notes of {name}"
    if count:
        said += f"; {counted(count, 'silent hit')} left out, without a counterpart there"
    with edit(part, version, said) as change:
        change.delete_all(list(Event.objects.filter(part=part, note__in=silent)))
        rows = Event.objects.filter(part=part, note__in=table).values_list("pk", "note")
        change.update_known(Event, ((key, {"note": note}, {"note": table[note]}) for key, note in rows))
        value = about(part)

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


def write_events(change: Change, reshaped: Reshaped) -> None:
    part = change.document
    if reshaped.removed:
        change.delete_all(list(rows_of(part, reshaped.removed)))
    if reshaped.changed:
        names = (*EDITED, "pk")
        found = rows_of(part, [event.id for event in reshaped.changed]).values_list(*names)
        rows = {row[-1]: dict(zip(names, row, strict=True)) for row in found}
        change.update_known(Event, ((e.id, rows[e.id], _values(e)) for e in reshaped.changed if e.id in rows))
    if reshaped.added:
        if Event.objects.filter(part=part).count() + len(reshaped.added) > MAX_NOTES:
            raise PartError(f"A part holds at most {MAX_NOTES:,} hits. Split it, or begin another.")
        change.create_known(Event, list(_placed(part, reshaped.added)))


def _placed(part: Part, events: Iterable[EventValue]) -> Iterator[dict[str, int]]:
    """Rows for new events, each behind what stands at its tick already."""
    events = list(events)
    ticks = RawSQL(EACH, [json.dumps(sorted({event.tick for event in events}))])
    last = dict(Event.objects.filter(part=part, tick__in=ticks).values_list("tick").annotate(Max("order")).order_by())
    for event in events:
        last[event.tick] = last.get(event.tick, -1) + 1
        yield {"part_id": part.pk, "order": last[event.tick], "of_pass_id": event.pass_id, **_values(event)}


def _row(part: Part, event: EventValue, order: int) -> Event:
    return Event(part=part, order=order, of_pass_id=event.pass_id, **_values(event))


def _values(event: EventValue) -> dict[str, int]:
    return {**dict(zip(EDITED, event, strict=False)), "played_tick": event.played}


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
