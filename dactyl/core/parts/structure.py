"""Bars, sections, and parts put together. Values in, values out: a whole part, or the events that move."""

import math
from collections.abc import Callable, Sequence
from dataclasses import replace

from dactyl.core.errors import PartError
from dactyl.core.parts import controls, curves
from dactyl.core.parts.meter import beat_ticks, meter_at, tick_of_bar
from dactyl.core.parts.part import Event, Part, Section
from dactyl.core.parts.reshape import Reshaped, hits_of, moved, span_of

TICKS_PER_BEAT = 960  # of a new part: half a millisecond at 120 bpm
MAX_BARS = 20_000
MAX_SECONDS = 4 * 3600
MOST_HITS = 200_000  # of a part
FINEST_TICKS = 96_000  # of a beat, where parts counted otherwise are put together
TEMPOS_BPM = (10.0, 1000.0)
BEATS, UNITS = range(1, 33), (1, 2, 4, 8, 16, 32)


def new_part(name: str, bars: int, *, bpm: float = 120.0, beats: int = 4, unit: int = 4) -> Part:
    meters = ((0, beats, unit),)
    return Part(
        name=name,
        ticks_per_beat=TICKS_PER_BEAT,
        tempos=((0, microseconds(bpm)),),
        events=(),
        end_tick=tick_of_bar(bars, meters, TICKS_PER_BEAT),
        meters=meters,
    )


def within_reach(part: Part, name: str) -> Part:
    """A part that was read from a file of this name. raises : PartError where it is longer than any"""
    if part.seconds_at(part.end_tick) > MAX_SECONDS:
        raise PartError(f"{name} lasts over {MAX_SECONDS // 3600} hours. Split it.")
    if part.bars > MAX_BARS:
        raise PartError(f"{name} has {part.bars:,} bars; {MAX_BARS:,} is the most. Split it.")
    return part


def ending_behind_hits(part: Part) -> Part:
    """The part, long enough for its last hit: one that stands where it ends would be bounced and never looped."""
    last = max((event.tick for event in part.events if event.velocity), default=-1)
    return part if last < part.loop_ticks else replace(part, end_tick=last + 1)


def microseconds(bpm: float) -> int:
    """Of a quarter note. raises : PartError"""
    low, high = TEMPOS_BPM
    if not low <= bpm <= high:
        raise PartError(f"A tempo lies between {low:g} and {high:g} beats a minute.")
    return round(60_000_000 / bpm)


# Hits copied -----------------------------------------------------------------------------------------------------------


def copies(hits: Sequence[Event], ticks: int) -> list[Event]:
    """New hits like these, ``ticks`` later."""
    return [moved(hit, ticks)._replace(id=0) for hit in hits]


def behind(part: Part, hits: Sequence[Event]) -> Reshaped:
    """Copies right behind: as many whole beats later as the hits span."""
    return Reshaped(added=tuple(copies(hits, _span_in_beats(part, hits)))) if hits else Reshaped()


def repeat(part: Part, hits: Sequence[Event], most: int) -> Reshaped:
    """Copies again and again up to the part's end. raises : PartError where they would be more than ``most``"""
    if not hits:
        return Reshaped()
    span, (start, _) = _span_in_beats(part, hits), span_of(hits)
    rounds = range(1, max(1, -(-(part.loop_ticks - start) // span)))
    if len(rounds) * len(hits) > most + len(hits):  # of the last round some may stand behind the end
        raise PartError(
            f"Repeated to the end, these would be over {most:,} hits more than the part can hold. Choose fewer."
        )
    added = [hit for n in rounds for hit in copies(hits, n * span) if hit.tick < part.loop_ticks]
    return Reshaped(added=tuple(added))


def _span_in_beats(part: Part, hits: Sequence[Event]) -> int:
    start, end = span_of(hits)
    beat = beat_ticks(meter_at(start, part.meters), part.ticks_per_beat)
    first = start // beat * beat
    return max(beat, -(-(end - first) // beat) * beat)


# Bars ------------------------------------------------------------------------------------------------------------------


def bar_span(part: Part, first: int, count: int) -> tuple[int, int]:
    """Ticks of ``count`` bars from bar ``first`` (from 0). raises : PartError where the part has none there"""
    if count < 1 or not 0 <= first < part.bars:
        raise PartError(f"The part has bars 1 to {part.bars}.")
    last = min(part.bars, first + count)
    return tuple(tick_of_bar(bar, part.meters, part.ticks_per_beat) for bar in (first, last))


def insert_bars(part: Part, before: int, count: int) -> Part:
    """Empty bars before bar ``before`` (from 0; the number of bars: at the end), in the meter of the bar before."""
    if part.bars + count > MAX_BARS:
        raise PartError(f"A part has at most {MAX_BARS:,} bars.")
    at = tick_of_bar(min(before, part.bars), part.meters, part.ticks_per_beat)
    meter = meter_at(max(0, at - 1), part.meters)
    length = count * max(1, part.ticks_per_beat * 4 * meter[1] // meter[2])
    return _with_room(part, at, length)


def _with_room(part: Part, at: int, length: int) -> Part:
    """Empty ticks from a tick on; what stands there and behind it moves."""
    made = _shifted(part, lambda tick: tick + length if tick >= at else tick, at_end=part.loop_ticks + length)
    return replace(made, curves=curves.room_made(part.curves, at, length))


def delete_bars(part: Part, first: int, count: int) -> Part:
    """Bars go with their hits; what follows closes up. raises : PartError where none would be left"""
    start, end = bar_span(part, first, count)
    if end - start >= part.loop_ticks:
        raise PartError("A part keeps at least one bar. Clear it, or delete the part.")
    kept = replace(part, events=tuple(e for e in part.events if not start <= e.tick < end))
    closed = _shifted(
        kept, lambda tick: tick if tick <= start else max(start, tick - (end - start)),
        at_end=part.loop_ticks - (end - start),
    )  # fmt: skip
    return replace(
        closed,
        curves=curves.cut_out(part.curves, start, end),
        controls=controls.cut_out(part.controls, start, end),
    )


def duplicate_bars(part: Part, first: int, count: int) -> Part:
    """The same bars once more, right behind themselves, with what changes in them: tempo, meter, automation."""
    if part.bars + min(count, part.bars - first) > MAX_BARS:
        raise PartError(f"A part has at most {MAX_BARS:,} bars.")
    start, end = bar_span(part, first, count)
    held = [event for event in part.events if start <= event.tick < end]
    room = _with_room(part, end, end - start)
    return replace(
        room,
        events=in_order([*room.events, *copies(held, end - start)]),
        tempos=_copied_behind(part.tempos, start, end),
        meters=_copied_behind(part.meters, start, end),
        curves=curves.copied_behind(part.curves, start, end),
        controls=controls.copied_behind(part.controls, start, end),
    )


def _copied_behind(changes: Sequence[tuple[int, ...]], start: int, end: int) -> tuple[tuple[int, ...], ...]:
    """Tempos or meters where a stretch is there twice: the copy begins as the stretch did, and what follows goes on as before.

    changes : (tick, ...) of each, the first at tick 0
    """
    length = end - start
    begins, goes_on = (next(one for one in reversed(changes) if one[0] <= tick) for tick in (start, end))
    kept = {at if at < end else at + length: values for at, *values in changes}
    added = {end: begins[1:], end + length: goes_on[1:]} | {
        at + length: values for at, *values in changes if start < at < end
    }
    made: list[tuple[int, ...]] = []
    for at in sorted({*kept, *added}):
        values = tuple(kept.get(at) or added[at])
        if at in kept or made[-1][1:] != values:
            made.append((at, *values))
    return tuple(made)


def clear_bars(part: Part, first: int, count: int) -> Part:
    """Without their hits, and without what moves in them."""
    start, end = bar_span(part, first, count)
    events = tuple(event for event in part.events if not start <= event.tick < end)
    return replace(
        part,
        events=events,
        curves=curves.without(part.curves, start, end),
        controls=controls.without(part.controls, start, end),
    )


def _shifted(part: Part, to: Callable[[int], int], *, at_end: int) -> Part:
    """Everything of the part at other ticks; what then stands at one tick is said once, the last time.

    The first tempo and meter stay at the beginning: something must hold there.
    """

    def first_stays(tick: int) -> int:
        return to(tick) if tick else 0

    tempos = tuple({first_stays(tick): (first_stays(tick), tempo) for tick, tempo in part.tempos}.values())
    meters = tuple({first_stays(tick): (first_stays(tick), *meter) for tick, *meter in part.meters}.values())
    sections = [Section(to(s.start_tick), to(s.end_tick), s.name) for s in part.sections]
    return replace(
        part,
        events=tuple(moved(event, to(event.tick) - event.tick) for event in part.events),
        tempos=tempos,
        meters=meters,
        sections=tuple(section for section in sections if section.start_tick < section.end_tick),
        curves=curves.shifted(part.curves, to),
        controls=controls.shifted(part.controls, to),
        end_tick=at_end,
    )


def in_order(events: Sequence[Event]) -> tuple[Event, ...]:
    return tuple(sorted(events, key=lambda event: (event.tick, event.order, event.id)))


# Tempo, meter, sections ------------------------------------------------------------------------------------------------


def set_tempo(part: Part, tick: int, bpm: float | None) -> Part:
    """A tempo from ``tick`` on; None takes the change at that tick away."""
    tempos = {at: tempo for at, tempo in part.tempos if at != tick or not tick}
    if bpm is not None:
        tempos[tick] = microseconds(bpm)
    return replace(part, tempos=tuple(sorted(tempos.items())))


def set_meter(part: Part, bar: int, beats: int | None, unit: int = 4) -> Part:
    """A meter from bar ``bar`` (from 0) on; None takes the change at that bar away. No hit moves."""
    if beats is not None and (beats not in BEATS or unit not in UNITS):
        raise PartError(f"A meter has 1 to {BEATS[-1]} beats of a whole to a 32nd note, such as 4/4 or 7/8.")
    if bar >= part.bars:
        raise PartError(f"The part has bars 1 to {part.bars}.")
    tick = tick_of_bar(bar, part.meters, part.ticks_per_beat)
    meters = {at: (at, *meter) for at, *meter in part.meters if at != tick or not tick}
    if beats is not None:
        meters[tick] = (tick, beats, unit)
    new = replace(part, meters=tuple(meters[at] for at in sorted(meters)))
    return replace(
        new,
        end_tick=new.loop_ticks,
        curves=curves.ending_at(new.curves, new.loop_ticks),
        controls=controls.ending_at(new.controls, new.loop_ticks),
    )


def set_section(part: Part, start: int, end: int, name: str) -> Part:
    """Name a stretch; sections that it lies over give way, and an empty name takes them away."""
    end = min(end, part.loop_ticks)
    if start >= end:
        raise PartError("A section begins before it ends, and before the part does.")
    kept = []
    for section in part.sections:
        kept += [
            piece
            for piece in (
                replace(section, end_tick=min(section.end_tick, start)),
                replace(section, start_tick=max(section.start_tick, end)),
            )
            if piece.start_tick < piece.end_tick
        ]
    if name:
        kept.append(Section(start, end, name))
    return replace(part, sections=tuple(sorted(kept, key=lambda section: section.start_tick)))


# Parts together --------------------------------------------------------------------------------------------------------


def retimed(part: Part, ticks_per_beat: int) -> Part:
    """The same part counted in other ticks; exact where the new are a multiple of the old."""

    def to(tick: int) -> int:
        return (2 * tick * ticks_per_beat + part.ticks_per_beat) // (2 * part.ticks_per_beat)

    last = max(0, to(part.loop_ticks) - 1)  # where coarser ticks would round a hit up to the end
    events = (
        e._replace(
            tick=min(to(e.tick), last) if e.velocity else to(e.tick),
            played_tick=to(e.played),
            length_ticks=to(e.length_ticks),
        )
        for e in part.events
    )
    return replace(
        part,
        ticks_per_beat=ticks_per_beat,
        events=tuple(events),
        tempos=tuple((to(tick), tempo) for tick, tempo in part.tempos),
        meters=tuple((to(tick), beats, unit) for tick, beats, unit in part.meters),
        sections=tuple(Section(to(s.start_tick), to(s.end_tick), s.name) for s in part.sections),
        curves=curves.shifted(part.curves, to),
        controls=controls.shifted(part.controls, to),
        end_tick=to(part.end_tick),
    )


def put_behind(part: Part, other: Part, resting: curves.Resting = curves.usual) -> Part:
    """Another part from the end of this one on, with its tempo, meter and sections.

    resting : what each setting is where a part has no curve for it
    """
    other, at = retimed(other, part.ticks_per_beat), part.loop_ticks
    if part.bars + other.bars > MAX_BARS:
        raise PartError(f"A part has at most {MAX_BARS:,} bars.")
    return replace(
        part,
        events=in_order([*part.events, *_without_passes(copies(other.events, at))]),
        tempos=part.tempos + tuple((tick + at, tempo) for tick, tempo in other.tempos),
        meters=part.meters + tuple((tick + at, beats, unit) for tick, beats, unit in other.meters),
        sections=part.sections + tuple(Section(s.start_tick + at, s.end_tick + at, s.name) for s in other.sections),
        curves=curves.put_behind(part.curves, at, other.curves, resting),
        controls=controls.put_behind(part.controls, at, other.controls),
        end_tick=at + other.loop_ticks,
    )


def lay_over(part: Part, other: Part, resting: curves.Resting = curves.usual) -> Part:
    """Another part's hits from this one's beginning on, under this one's tempo and meter; this one sounds as before."""
    return laid_over(part, other, resting)[0]


def laid_over(
    part: Part, other: Part, resting: curves.Resting
) -> tuple[Part, list[curves.Curve], tuple[controls.Line, ...]]:
    """``lay_over``, and the curves and controllers of the other part that would have moved hits of this one and are left out."""
    other = retimed(other, part.ticks_per_beat)
    whole = replace(
        part,
        events=in_order([*part.events, *_without_passes(copies(other.events, 0))]),
        end_tick=max(part.end_tick, other.end_tick),
    )
    notes = tuple({event.note for event in one.events if event.velocity} for one in (part, other))
    ends = part.loop_ticks, whole.loop_ticks
    made, left = curves.laid_over(part.curves, ends, other.curves, notes, resting)
    struck = {(event.note, event.channel) for event in part.events}
    said, unsaid = controls.laid_over(part.controls, other.controls, struck)
    whole = replace(
        whole,
        curves=curves.ending_at(made, whole.loop_ticks),
        controls=controls.ending_at(said, whole.loop_ticks),
    )
    return whole, left, unsaid


def together(parts: Sequence[Part]) -> Part:
    """Several parts as one, from the first one's beginning on, under its tempo and meter, with the name of the first.

    raises : PartError where they hold too many hits
    """
    if sum(len(part.events) for part in parts) > MOST_HITS:
        raise PartError(f"Together they hold over {MOST_HITS:,} hits, which is the most.")
    finest = math.lcm(*(part.ticks_per_beat for part in parts))
    if finest > FINEST_TICKS:
        finest = max(part.ticks_per_beat for part in parts)
    whole = retimed(parts[0], finest)
    for other in parts[1:]:
        whole = lay_over(whole, other)
    return whole


def _without_passes(hits: Sequence[Event]) -> list[Event]:
    """A pass belongs to the part that it was played into."""
    return [hit._replace(pass_id=None) for hit in hits]


def split(part: Part, name_of: Callable[[Event], str]) -> list[Part]:
    """One part for each name that ``name_of`` gives the hits, in the order in which they first come."""
    groups: dict[str, list[Event]] = {}
    for event in part.events:
        groups.setdefault(name_of(event), []).append(event)
    return [
        replace(
            part,
            name=f"{part.name[:40]} · {name}"[:80],
            events=tuple(own),
            curves=curves.of_notes(part.curves, {event.note for event in own}),
            controls=controls.of_hits(part.controls, {(event.note, event.channel) for event in own}),
        )
        for name, own in groups.items()
        if hits_of(own)
    ]
