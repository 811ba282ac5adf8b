"""What a change of a part does to its events: the one answer of every function that edits hits."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from dactyl.core.parts.part import Event

MAX_VELOCITY = 127


@dataclass(frozen=True, slots=True)
class Reshaped:
    """Events as they are now, events that are new (without an id), and the ids of those that go."""

    changed: tuple[Event, ...] = ()
    added: tuple[Event, ...] = ()
    removed: tuple[int, ...] = ()


def clip_velocity(velocity: float) -> int:
    """Rounded half up; a hit stays a hit."""
    return min(MAX_VELOCITY, max(1, int(velocity + 0.5)))


def moved(event: Event, ticks: int) -> Event:
    """An event put somewhere else by hand: what was played goes along. It stays behind the part's beginning."""
    by = max(ticks, -event.tick)
    return event._replace(tick=event.tick + by, played_tick=max(0, event.played + by))


def put(event: Event, tick: int) -> Event:
    """An event at another tick that still knows where it was played."""
    return event._replace(tick=tick, played_tick=event.played)


def hits_of(events: Iterable[Event]) -> list[Event]:
    """Without the note-offs, in time order."""
    return sorted((event for event in events if event.velocity), key=lambda event: (event.tick, event.order, event.id))


def span_of(events: Sequence[Event]) -> tuple[int, int]:
    """The first tick of ``events`` and the tick after the last begins."""
    return min(event.tick for event in events), max(event.tick for event in events) + 1
