"""Reads of parts."""

import json
from collections.abc import Collection, Iterable, Iterator

from django.db.models import BooleanField, QuerySet
from django.db.models.expressions import RawSQL

from dactyl.core.parts.controls import Control
from dactyl.core.parts.curves import Curve
from dactyl.core.parts.part import Event, Section
from dactyl.core.parts.part import Part as PartValue
from dactyl.parts import models
from dactyl.parts.models import Part

EACH = "SELECT value FROM json_each(%s)"  # a list of any length as one value: SQLite counts those of a statement
COLUMNS = ("tick", "note", "velocity", "channel", "length_ticks", "played_tick", "order", "pk", "of_pass")
"""Of an event's row, in the order of the core's ``Event``."""


def part_value(part: Part) -> PartValue:
    """The part as it is played: without the passes that are muted. Two queries."""
    muted = set(part.passes.filter(is_muted=True).values_list("pk", flat=True))
    return about(part, (event for event in events(part) if event.pass_id not in muted))


def about(part: Part, own: Iterable[Event] = ()) -> PartValue:
    """The part with these events only."""
    return PartValue(
        name=part.name,
        ticks_per_beat=part.ticks_per_beat,
        tempos=tuple((tick, tempo) for tick, tempo in part.tempos),
        events=tuple(own),
        end_tick=part.end_tick,
        meters=tuple((tick, beats, unit) for tick, beats, unit in part.meters),
        sections=tuple(Section(*section) for section in part.sections),
        curves=tuple(
            Curve(of, what, tuple((tick, value) for tick, value in points)) for of, what, points in part.curves
        ),
        controls=tuple(Control(*row) for row in part.controls),
    )


def events(part: Part, ids: Collection[int] | None = None) -> Iterator[Event]:
    """Events of a part in order, all or those of ``ids``."""
    if ids is None:
        return (Event(*row) for row in models.Event.objects.filter(part=part).values_list(*COLUMNS))
    found = (Event(*row) for row in rows_of(part, ids).values_list(*COLUMNS))
    return iter(sorted(found, key=lambda event: (event.tick, event.order)))


def rows_of(part: Part, ids: Collection[int]) -> QuerySet[models.Event]:
    """The rows of these events that are still the part's, however many they are, in no order.

    The plus keeps SQLite from walking the part's whole index (https://www.sqlite.org/optoverview.html, section 2).
    """
    keys = RawSQL(EACH, [json.dumps(list(ids))])
    return models.Event.objects.filter(RawSQL("+part_id = %s", [part.pk], BooleanField()), pk__in=keys).order_by()


def all_parts() -> list[Part]:
    return list(Part.objects.all())
