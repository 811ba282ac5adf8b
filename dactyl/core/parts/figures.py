"""Figures made from hits: flams, drags, ruffs, rolls, ghost notes, and what a drummer's foot does on the hats.

Grace hits stand in ms before their hit, under the part's own tempo map (design rule 14), so that a flam is as wide at
every tempo.
"""

from bisect import bisect_right
from collections.abc import Collection, Sequence

from dactyl.core.errors import PartError
from dactyl.core.parts.meter import bar_span, beat_ticks, grid_ticks, meter_at
from dactyl.core.parts.part import Event, Part
from dactyl.core.parts.reshape import Reshaped, clip_velocity, hits_of, moved
from dactyl.core.parts.timing import Grid

GRACES = {"flam": 1, "drag": 2, "ruff": 3}
"""How many grace hits stand before the main one."""
MOST_STROKES = 4000


def graces(part: Part, hits: Sequence[Event], figure: str, *, ms: float = 25.0, strength: float = 0.5) -> Reshaped:
    """A flam, drag or ruff from each hit: its graces ``ms`` apart before it, at ``strength`` times its velocity.

    A ruff's graces rise towards the hit. Graces that would stand before the part's beginning are left out.
    """
    if figure not in GRACES:
        raise PartError(f"“{figure[:20]}” is no figure. Choose flam, drag or ruff.")
    count = GRACES[figure]
    added = []
    for hit in hits_of(hits):
        for number in range(count):
            before_ms = ms * (count - number)
            if part.seconds_at(hit.tick) * 1000 < before_ms:
                continue
            rise = (number + 1) / count if figure == "ruff" else 1.0
            tick = part.ms_before(hit.tick, before_ms)
            added.append(_stroke(hit, tick, hit.velocity * strength * (0.6 + 0.4 * rise)))
    return Reshaped(added=tuple(added))


def ends_of(hits: Sequence[Event], all_hits: Sequence[Event], end: int) -> list[int]:
    """For each hit where the next one of its note stands, or ``end``."""
    ticks: dict[int, list[int]] = {}
    for hit in hits_of(all_hits):
        ticks.setdefault(hit.note, []).append(hit.tick)

    def following(hit: Event) -> int:
        own = ticks.get(hit.note, [])
        place = bisect_right(own, hit.tick)
        return own[place] if place < len(own) else end

    return [following(hit) for hit in hits_of(hits)]


def roll(
    part: Part, hits: Sequence[Event], ends: Sequence[int], grid: Grid, *, first: int, last: int, doubles: bool = False
) -> Reshaped:
    """Fill from each hit up to the tick in ``ends`` with strokes at the grid's spacing, velocities along a line.

    ends : for each hit, where the next one stands or the part ends
    first, last : velocity of the hit itself and of the last stroke
    doubles : two strokes to each place of the grid, the second softer, as sticks bounce
    """
    changed, added = [], []
    spacing = grid_ticks(grid.name, part.ticks_per_beat) / (2 if doubles else 1)
    for hit, end in zip(hits_of(hits), ends, strict=True):
        count = int((end - hit.tick) / spacing)
        if len(added) + count > MOST_STROKES:
            raise PartError(f"The rolls would hold over {MOST_STROKES:,} strokes. Choose a coarser division.")
        ticks = [hit.tick + int(spacing * number) for number in range(count + 1) if hit.tick + spacing * number < end]
        for number, tick in enumerate(ticks):
            velocity = first + (last - first) * number / max(1, len(ticks) - 1)
            if doubles and number % 2:
                velocity *= 0.82
            if number:
                added.append(_stroke(hit, tick, velocity))
            elif clip_velocity(velocity) != hit.velocity:
                changed.append(hit._replace(velocity=clip_velocity(velocity)))
    return Reshaped(tuple(changed), tuple(added))


def ghosts(
    part: Part, hits: Sequence[Event], all_hits: Sequence[Event], grid: Grid, *, places: int, strength: float,
    note: int | None = None,
) -> Reshaped:  # fmt: skip
    """Softer copies of hits, ``places`` of the grid after them (below 0: before), on the same note or another.

    Where the note is struck already, none is added.
    """
    spacing = grid_ticks(grid.name, part.ticks_per_beat)
    struck = {(hit.tick, hit.note) for hit in all_hits if hit.velocity}
    added = []
    for hit in hits_of(hits):
        tick, own = hit.tick + int(spacing * places), hit.note if note is None else note
        if 0 <= tick < part.loop_ticks and (tick, own) not in struck:
            struck.add((tick, own))
            added.append(_stroke(hit, tick, hit.velocity * strength)._replace(note=own))
    return Reshaped(added=tuple(added))


def close_hats(hits: Sequence[Event], open_notes: Collection[int], closing_notes: Collection[int]) -> Reshaped:
    """Give every open hat the length up to the next closed or pedal hit."""
    ordered, changed = hits_of(hits), []
    following: int | None = None
    for hit in reversed(ordered):
        if hit.note in closing_notes:
            following = hit.tick
        elif hit.note in open_notes and following is not None and hit.length_ticks != following - hit.tick > 0:
            changed.append(hit._replace(length_ticks=following - hit.tick))
    return Reshaped(changed=tuple(reversed(changed)))


def foot_on_beats(
    part: Part,
    all_hits: Sequence[Event],
    pedal: int,
    hat_notes: Collection[int],
    start: int,
    end: int,
    *,
    velocity: int,
) -> Reshaped:
    """A pedal hat on every beat of a stretch where no hat is struck."""
    struck = {hit.tick for hit in all_hits if hit.velocity and hit.note in {*hat_notes, pedal}}
    tick, added = start, []
    while tick < end:
        beat = beat_ticks(meter_at(tick, part.meters), part.ticks_per_beat)
        first, following = bar_span(tick, part.meters, part.ticks_per_beat)
        tick = min(first + -(-(tick - first) // beat) * beat, following)
        if tick < end and tick not in struck:
            added.append(Event(tick, pedal, velocity, length_ticks=beat // 2))
        tick += 1
    return Reshaped(added=tuple(added))


def alternate(hits: Sequence[Event], one: int, other: int) -> Reshaped:
    """Hits in time order on one note and the other in turn."""
    notes = [(one, other)[number % 2] for number in range(len(hits))]
    pairs = zip(hits_of(hits), notes, strict=True)
    return Reshaped(changed=tuple(hit._replace(note=note) for hit, note in pairs if hit.note != note))


def _stroke(hit: Event, tick: int, velocity: float) -> Event:
    """A new hit like another, somewhere else."""
    return moved(hit, tick - hit.tick)._replace(played_tick=None, velocity=clip_velocity(velocity), id=0)
