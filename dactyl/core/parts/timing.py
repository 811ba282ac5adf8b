"""Where hits stand: tightened to the grid and back, moved, loosened, or given the feel of another part (design rule 14)."""

import statistics
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

import numpy as np

from dactyl.core.parts.meter import bar_span, grid_tick, grid_ticks, nearest_place
from dactyl.core.parts.part import Event, Part
from dactyl.core.parts.reshape import clip_velocity, hits_of, moved, put


@dataclass(frozen=True, slots=True, kw_only=True)
class Grid:
    name: str  # a key of meter.GRIDS
    swing: float = 50.0  # percent

    def place(self, tick: int, part: Part) -> int:
        return nearest_place(tick, self.name, self.swing, part.meters, part.ticks_per_beat)


def tighten(
    part: Part, hits: Sequence[Event], grid: Grid, strength: float, *, closer_ms: float = 0.0, further_ms: float = 0.0
) -> list[Event]:
    """Move hits from where they were played towards the grid: tick = played + strength x (place - played), half up.

    strength : 0..1; 0 gives back what was played
    closer_ms : what is closer to its place than this is left where it was played
    further_ms : only what is further from its place than this is moved
    """
    share, whole = Fraction(strength).limit_denominator(10_000).as_integer_ratio()
    has_limits = closer_ms > 0 or further_ms > 0
    result = []
    for hit in hits:
        played = hit.played
        place = grid.place(played, part)
        tick = (2 * (whole * played + share * (place - played)) + whole) // (2 * whole)
        if has_limits:
            away_ms = abs(part.seconds_at(place) - part.seconds_at(played)) * 1000
            if away_ms < closer_ms or (further_ms > 0 and away_ms <= further_ms):
                tick = played
        if tick != hit.tick:
            result.append(put(hit, tick))
    return result


def as_played(hits: Sequence[Event]) -> list[Event]:
    """Every hit where it was played."""
    return [put(hit, hit.played) for hit in hits if hit.tick != hit.played]


def nudge(hits: Sequence[Event], ticks: int) -> list[Event]:
    """All by as many ticks; none before the part's beginning, and their distances stay."""
    if not hits:
        return []
    by = max(ticks, -min(hit.tick for hit in hits))
    return [moved(hit, by) for hit in hits] if by else []


def pull(part: Part, hits: Sequence[Event], ms: float) -> list[Event]:
    """Every hit later by ``ms`` (below 0: earlier), under the tempo at its own place."""
    result = [moved(hit, part.ms_before(hit.tick, -ms) - hit.tick) for hit in hits]
    return [new for new, hit in zip(result, hits, strict=True) if new.tick != hit.tick]


def loosen(part: Part, hits: Sequence[Event], ms: float, rng: np.random.Generator) -> list[Event]:
    """Each by a normal deviate of ``ms``, at most twice that, and never over the middle to its neighbour of the same note.

    What was played stays known, so that tightening by 0 % takes this back.
    """
    by_note: dict[tuple[int, int], list[Event]] = defaultdict(list)
    for hit in hits_of(hits):
        by_note[hit.channel, hit.note].append(hit)
    result = []
    for ordered in by_note.values():
        off_ms = np.clip(rng.normal(0.0, ms, len(ordered)), -2 * ms, 2 * ms)
        ticks = [hit.tick for hit in ordered]
        for place, (hit, off) in enumerate(zip(ordered, off_ms, strict=True)):
            low = (ticks[place - 1] + hit.tick) // 2 + 1 if place else 0
            high = (hit.tick + ticks[place + 1]) // 2 if place + 1 < len(ticks) else hit.tick + part.ticks_per_beat
            wanted = part.ms_before(hit.tick, -float(off))
            tick = min(max(wanted, min(low, hit.tick)), max(high, hit.tick))
            if tick != hit.tick:
                result.append(put(hit, tick))
    return result


# Feel ------------------------------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Feel:
    """How a part deviates from its grid, by place in the bar: in beats late, and in velocity against its mean."""

    grid: Grid
    late: dict[int, float]
    louder: dict[int, float]


def feel_of(part: Part, grid: Grid) -> Feel:
    """The mean deviation at each place of a bar that ``part`` strikes."""
    hits = [event for event in part.events if event.velocity]
    middle = statistics.fmean(hit.velocity for hit in hits) if hits else 1.0
    late, louder = defaultdict(list), defaultdict(list)
    for hit in hits:
        place = grid.place(hit.tick, part)
        index = _index(place, part, grid)
        late[index].append((hit.tick - place) / part.ticks_per_beat)
        louder[index].append(hit.velocity / middle)
    return Feel(
        grid,
        {index: statistics.fmean(values) for index, values in late.items()},
        {index: statistics.fmean(values) for index, values in louder.items()},
    )


def give_feel(part: Part, hits: Sequence[Event], feel: Feel, time: float, velocity: float) -> list[Event]:
    """Give hits the deviations of another part. time, velocity : 0..1, how much of each; places it lacks stay."""
    struck = [hit for hit in hits if hit.velocity]
    middle = statistics.fmean(hit.velocity for hit in struck) if struck else 1.0
    result = []
    for hit in struck:
        place = feel.grid.place(hit.tick, part)
        index = _index(place, part, feel.grid)
        if index not in feel.late:
            continue
        wanted = place + feel.late[index] * part.ticks_per_beat
        tick = max(0, int(hit.tick + time * (wanted - hit.tick) + 0.5))
        loud = clip_velocity(hit.velocity + velocity * (feel.louder[index] * middle - hit.velocity))
        if (tick, loud) != (hit.tick, hit.velocity):
            result.append(put(hit, tick)._replace(velocity=loud))
    return result


def _index(place: int, part: Part, grid: Grid) -> int:
    """Which place of its bar's grid ``place`` is, from 0."""
    start, _ = bar_span(place, part.meters, part.ticks_per_beat)
    spacing = grid_ticks(grid.name, part.ticks_per_beat)
    guess = int((place - start) / spacing)
    return min((guess, guess + 1), key=lambda index: abs(grid_tick(index, start, spacing, grid.swing) - place))
