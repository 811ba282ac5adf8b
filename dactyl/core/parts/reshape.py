"""What a change of a part does to its events: the one answer of every function that edits hits."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from dactyl.core.errors import PartError
from dactyl.core.parts.part import Event, Part

MAX_VELOCITY = 127


@dataclass(frozen=True, slots=True)
class Reshaped:
    """Events as they are now, events that are new (without an id), and the ids of those that go."""

    changed: tuple[Event, ...] = ()
    added: tuple[Event, ...] = ()
    removed: tuple[int, ...] = ()


def refused_behind(part: Part, reshaped: Reshaped) -> Reshaped:
    """What a hand asked for by its place. raises : PartError where a hit would stand behind the part's end"""
    end = part.loop_ticks
    if any(hit.tick >= end for hit in (*reshaped.changed, *reshaped.added) if hit.velocity):
        raise PartError("A hit would stand behind the part's end. Add bars first, or choose an earlier place.")
    return reshaped


def held_inside(
    part: Part, before: Sequence[Event], after: Sequence[Event], turn: tuple[int, int] | None
) -> list[Event]:
    """What a rule moved, kept where it is drawn and heard.

    turn : (first tick, tick after the last) of the loop that turns. A hit inside it that the rule puts at its end or behind
        it belongs to its beginning: that is where the next round strikes it. None where nothing turns: what would stand
        behind the part's end stays where it was.
    """
    was = {hit.id: hit for hit in before}
    return [_held(part, was[hit.id], hit, turn) for hit in after]


def _held(part: Part, before: Event, after: Event, turn: tuple[int, int] | None) -> Event:
    if turn and any(turn[0] <= tick < turn[1] for tick in (before.tick, before.played)) and after.tick >= turn[1]:
        return after._replace(tick=turn[0] + (after.tick - turn[1]) % (turn[1] - turn[0]))
    return after if after.tick < part.loop_ticks else after._replace(tick=before.tick)


def clip_velocity(velocity: float) -> int:
    """Rounded half up; a hit stays a hit."""
    return min(MAX_VELOCITY, max(1, int(velocity + 0.5)))


def moved(event: Event, ticks: int) -> Event:
    """An event put somewhere else by hand: what was played goes along. It stays behind the part's beginning."""
    by = max(ticks, -event.tick)
    return _at(event, event.tick + by, max(0, event.played + by))


def put(event: Event, tick: int) -> Event:
    """An event at another tick that still knows where it was played."""
    return _at(event, tick, event.played)


def _at(event: Event, tick: int, played: int) -> Event:
    """``event._replace`` of both ticks in a third of its time."""
    _, note, velocity, channel, length, _, *rest = event
    return Event(tick, note, velocity, channel, length, played, *rest)


def hits_of(events: Iterable[Event]) -> list[Event]:
    """Without the note-offs, in time order."""
    return sorted((event for event in events if event.velocity), key=lambda event: (event.tick, event.order, event.id))


def span_of(events: Sequence[Event]) -> tuple[int, int]:
    """The first tick of ``events`` and the tick after the last begins."""
    return min(event.tick for event in events), max(event.tick for event in events) + 1
