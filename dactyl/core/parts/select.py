"""Choosing hits by what people say. Each function takes hits and returns those that are meant, in time order."""

from collections import defaultdict
from collections.abc import Collection, Sequence

from dactyl.core.parts.meter import bar_span, beat_ticks, meter_at
from dactyl.core.parts.part import Event, Part
from dactyl.core.parts.reshape import hits_of


def of_notes(hits: Sequence[Event], notes: Collection[int]) -> list[Event]:
    return [hit for hit in hits_of(hits) if hit.note in notes]


def between(hits: Sequence[Event], start_tick: int, end_tick: int) -> list[Event]:
    return [hit for hit in hits_of(hits) if start_tick <= hit.tick < end_tick]


def every(hits: Sequence[Event], nth: int, first: int = 1) -> list[Event]:
    """Every ``nth`` hit of each note, beginning with its ``first`` (from 1)."""
    by_note: dict[int, list[Event]] = defaultdict(list)
    for hit in hits_of(hits):
        by_note[hit.note].append(hit)
    return hits_of(hit for own in by_note.values() for hit in own[first - 1 :: nth])


def on_beat(part: Part, hits: Sequence[Event], *, on: bool, within_ms: float = 35.0) -> list[Event]:
    """Hits that stand on a beat, give or take some ms; or all others."""
    return [hit for hit in hits_of(hits) if (_from_beat_ms(part, hit) <= within_ms) is on]


def _from_beat_ms(part: Part, hit: Event) -> float:
    start, _ = bar_span(hit.tick, part.meters, part.ticks_per_beat)
    beat = beat_ticks(meter_at(hit.tick, part.meters), part.ticks_per_beat)
    nearest = start + (hit.tick - start + beat // 2) // beat * beat
    return abs(part.seconds_at(hit.tick) - part.seconds_at(nearest)) * 1000


def same_place(part: Part, hits: Sequence[Event], chosen: Sequence[Event], within_ms: float = 35.0) -> list[Event]:
    """In every bar the hits of the same note at the same place as the chosen ones."""
    places = {(hit.note, _in_bar(part, hit)) for hit in chosen}
    by_note: dict[int, list[int]] = defaultdict(list)
    for note, ticks in places:
        by_note[note].append(ticks)

    def is_meant(hit: Event) -> bool:
        inside = _in_bar(part, hit)
        per_tick_ms = 1000 * (part.seconds_at(hit.tick + 1) - part.seconds_at(hit.tick))
        return any(abs(inside - ticks) * per_tick_ms <= within_ms for ticks in by_note.get(hit.note, ()))

    return [hit for hit in hits_of(hits) if is_meant(hit)]


def _in_bar(part: Part, hit: Event) -> int:
    return hit.tick - bar_span(hit.tick, part.meters, part.ticks_per_beat)[0]


def by_velocity(hits: Sequence[Event], low: int = 1, high: int = 127) -> list[Event]:
    return [hit for hit in hits_of(hits) if low <= hit.velocity <= high]


def close_together(part: Part, hits: Sequence[Event], ms: float) -> list[Event]:
    """Hits that follow another hit of their note, or precede one, by less than ``ms``."""
    by_note: dict[int, list[Event]] = defaultdict(list)
    for hit in hits_of(hits):
        by_note[hit.note].append(hit)
    meant: dict[int, Event] = {}
    for own in by_note.values():
        for earlier, later in zip(own, own[1:], strict=False):
            if (part.seconds_at(later.tick) - part.seconds_at(earlier.tick)) * 1000 < ms:
                meant[earlier.id], meant[later.id] = earlier, later
    return hits_of(meant.values())
