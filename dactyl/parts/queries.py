"""Reads of parts."""

from collections.abc import Collection, Iterable

import numpy as np

from dactyl.core.parts import packed
from dactyl.core.parts.controls import Control
from dactyl.core.parts.curves import Curve
from dactyl.core.parts.part import Event, Section
from dactyl.core.parts.part import Part as PartValue
from dactyl.parts import blocks
from dactyl.parts.models import Part


def part_value(part: Part) -> PartValue:
    """The part as it is played: without the passes that are muted. Two queries."""
    muted = list(part.passes.filter(is_muted=True).values_list("pk", flat=True))
    rows = blocks.rows(part)
    return about(part, packed.events_of(rows[~np.isin(rows["pass_id"], muted)] if muted else rows))


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


def events(part: Part, ids: Collection[int] | None = None) -> list[Event]:
    """Events of a part in order, all or those of ``ids`` that are still there. One query."""
    return packed.events_of(blocks.rows(part) if ids is None else blocks.rows_of(part, ids))


def all_parts() -> list[Part]:
    return list(Part.objects.all())
