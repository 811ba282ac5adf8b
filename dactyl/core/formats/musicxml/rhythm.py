"""How hits are written: each beat of a voice is divided as it needs, each hit stands at a place of that division.

A hit that is played beside its place keeps how far, so that reading gives its very tick back; one that stands shortly before
a louder one of the same drum, and is no stroke of the grid, is a grace note of it.
"""

from bisect import bisect_left
from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from itertools import product

from dactyl.core.formats.musicxml.places import FEET, HANDS, PLACES, Place
from dactyl.core.parts.meter import bar_span, bar_ticks, meter_at
from dactyl.core.parts.part import Event, Part

GRACE_SECONDS, GRACE_SOFTER = 0.055, 0.85  # nearer than this, and softer than that, before a hit of the same note
MOST_GRACES = 3  # of one hit: a ruff's
EVEN, COMPOUND, SHORT = (1, 2, 4, 3, 8, 6, 12, 16), (1, 3, 6, 12), (1, 2, 4, 8)
COSTS = {1: 0.0, 2: 0.5, 4: 1.0, 3: 2.5, 8: 5.0, 6: 5.0, 12: 9.0, 16: 9.0}
"""What a division costs a reader, in squares of how far hands usually are off: the nearest places win where they win by more."""
HAND_SECONDS, HAND_QUARTERS = (
    0.016,
    (0.02, 0.06),
)  # how far hands usually are off; and in quarters between these, at any tempo
FURTHEST = 1 / 8  # quarters, a thirty-second: nothing is written further from where it is played
STROKES, NEAR_STROKE = (Fraction(1, 8), Fraction(1, 6), Fraction(1, 4)), Fraction(1, 5)
"""Quarters between strokes that are none of a flam; and parts of them that hands may be off."""
FINEST = 32  # parts of a quarter in which bars are cut short
TRIPLETS = {3, 6, 12}  # of a beat in two


@dataclass(slots=True)
class Head:
    """One hit as it is written."""

    event: Event
    place: Place
    graces: list[Event] = field(default_factory=list)
    beside_ticks: Fraction = Fraction(0)  # how far it is played from where it is written


@dataclass(frozen=True, slots=True)
class Written:
    """A note, a chord of notes, or a rest of one voice."""

    start: Fraction  # quarters from the bar's beginning
    length: Fraction  # quarters
    kind: Fraction  # of a whole note, as its sign says: 1/8 for an eighth, in a triplet too
    dots: int
    actual: int  # notes in the time of ``normal``: 3 for a triplet; 1 for none
    heads: tuple[Head, ...] = ()
    beat: int = 0  # which of the bar's
    group: int = 0  # of beats under one beam

    @property
    def normal(self) -> int:
        return 2 * self.actual // 3 or 1


@dataclass(frozen=True, slots=True)
class Bar:
    start_tick: int
    meter: tuple[int, int]
    ticks: int
    length: Fraction  # quarters; less than its meter says where the next meter cuts it short, as nearly as notes say
    voices: Mapping[int, Sequence[Written]]

    @property
    def is_short(self) -> bool:
        return self.length < Fraction(4 * self.meter[0], self.meter[1])


def bars_of(part: Part, kinds: Mapping[int, str]) -> Iterator[Bar]:
    """kinds : of the notes that are known; all of the part's bars, in their order"""
    heads = _with_graces(part, kinds)
    ticks, at, waiting = [head.event.tick for head in heads], 0, []
    start = 0
    while start < max(part.loop_ticks, 1):
        _, end = bar_span(start, part.meters, part.ticks_per_beat)
        last = bisect_left(ticks, end)
        own, at = waiting + heads[at:last], last
        is_last = end >= part.loop_ticks
        waiting = []
        placed: dict[int, dict[Fraction, list[Head]]] = {HANDS: defaultdict(list), FEET: defaultdict(list)}
        beats = _beats(part, start, end)
        divisions: dict[int, list[int]] = {HANDS: [], FEET: []}
        off = _usually_off(part, start)
        for (number, (first, length, choices, _)), voice in product(enumerate(beats), placed):
            tick = start + int(first * part.ticks_per_beat)
            until = end if number == len(beats) - 1 else start + int((first + length) * part.ticks_per_beat)
            inside = [
                head
                for head in own
                if head.place.voice == voice and (number == 0 or head.event.tick >= tick) and head.event.tick < until
            ]
            at_quarters = [(head.event.note, Fraction(head.event.tick - tick, part.ticks_per_beat)) for head in inside]
            division = _division(at_quarters, length, choices, off)
            divisions[voice].append(division)
            for head in inside:
                slot = max(0, round(Fraction(head.event.tick - tick, part.ticks_per_beat) / length * division))
                place = first + length * Fraction(min(slot, division), division)
                written = start + place * part.ticks_per_beat
                if slot >= division and number == len(beats) - 1:
                    if not is_last:
                        waiting.append(head)
                        continue
                    place = first + length * Fraction(division - 1, division)
                    written = start + place * part.ticks_per_beat
                head.beside_ticks = head.event.tick - written
                placed[head.place.voice][place].append(head)
        voices = {
            voice: tuple(_values(hits, beats, divisions[voice]))
            for voice, hits in placed.items()
            if hits or voice == HANDS
        }
        yield Bar(start, meter_at(start, part.meters)[1:], end - start, beats[-1][0] + beats[-1][1], voices)
        start = end


def _with_graces(part: Part, kinds: Mapping[int, str]) -> list[Head]:
    events = part.note_ons
    graces: dict[int, list[Event]] = defaultdict(list)  # by the number of their note
    mains = _mains(part, events)
    for event, main in zip(events, mains, strict=True):
        if main is not None:
            graces[main].append(event)
    return [
        Head(event, PLACES.get(kinds.get(event.note, "other"), PLACES["other"]), graces[number])
        for number, event in enumerate(events)
        if mains[number] is None
    ]


def _mains(part: Part, events: Sequence[Event]) -> list[int | None]:
    """For each hit the number of the louder one that it is a grace of, itself or with those between: a drag's are as soft as
    each other."""
    mains: list[int | None] = [None] * len(events)
    counts: dict[int, int] = defaultdict(int)
    following = _following(events)
    for number in range(len(events) - 1, -1, -1):
        after = following[number]
        if after is None:
            continue
        main = after if mains[after] is None else mains[after]
        is_soft = events[number].velocity <= GRACE_SOFTER * events[main].velocity
        if is_soft and counts[main] < MOST_GRACES and _is_near(part, events[number], events[after]):
            mains[number] = main
            counts[main] += 1
    return mains


def _is_near(part: Part, event: Event, following: Event) -> bool:
    is_near = part.seconds_at(following.tick) - part.seconds_at(event.tick) <= GRACE_SECONDS
    return is_near and not _are_strokes(part, event, following)


def _are_strokes(part: Part, event: Event, following: Event) -> bool:
    """Whether two hits stand on neighbouring places of a grid that hands play: thirty-seconds, sextuplets, sixteenths."""
    bar, _ = bar_span(following.tick, part.meters, part.ticks_per_beat)
    apart, at = (Fraction(ticks, part.ticks_per_beat) for ticks in (following.tick - event.tick, following.tick - bar))
    return any(
        abs(apart - step) <= NEAR_STROKE * step and abs(at / step - round(at / step)) <= NEAR_STROKE for step in STROKES
    )


def _following(events: Sequence[Event]) -> list[int | None]:
    """For each hit the number of the next one of its note at a later tick."""
    found: list[int | None] = [None] * len(events)
    known: dict[int, tuple[int, int | None]] = {}  # of a note: the hit that was met last, and the one behind its tick
    for number in range(len(events) - 1, -1, -1):
        event = events[number]
        nearest, behind = known.get(event.note, (None, None))
        found[number] = nearest if nearest is not None and events[nearest].tick > event.tick else behind
        known[event.note] = number, found[number]
    return found


def _usually_off(part: Part, start: int) -> float:
    """Quarters that hands usually are off in a bar."""
    beat = part.seconds_at(start + part.ticks_per_beat) - part.seconds_at(start)
    low, high = HAND_QUARTERS
    return min(high, max(low, HAND_SECONDS / beat))


Beat = tuple[Fraction, Fraction, Sequence[int], int]
"""Beginning and length in quarters, how it may be divided, and which of the bar's beams it is under."""


def _beats(part: Part, start: int, end: int) -> list[Beat]:
    meter = meter_at(start, part.meters)
    _, beats, unit = meter
    quarter = Fraction(4, unit)
    if unit >= 8 and beats % 3 == 0 and beats > 3:
        length, choices = 3 * quarter, COMPOUND
    elif unit > 4:
        length, choices = quarter, SHORT
    else:
        length, choices = Fraction(1), EVEN
    whole, found, at = beats * quarter, [], Fraction(0)
    if end - start < bar_ticks(meter, part.ticks_per_beat):  # a change of meter cuts it short
        whole = Fraction(max(1, round(FINEST * (end - start) / part.ticks_per_beat)), FINEST)
    while at < whole:
        own = length
        if own > whole - at:  # what is left of a bar that is cut short: the longest sign that fits
            own = next(one for one in (Fraction(2, 2**n) for n in range(FINEST)) if one <= whole - at)
        divided = choices if own == length else tuple(n for n in SHORT if own / n >= Fraction(1, FINEST))
        found.append((at, own, divided, _beam_of(len(found), beats) if choices is SHORT else len(found)))
        at += own
    return found


def _beam_of(beat: int, beats: int) -> int:
    """Short beats are beamed by two, and the last three of an odd number together: 2 + 2 + 3 in 7/8."""
    return min(beat // 2, max(0, beats // 2 - 1))


def _division(
    hits: Sequence[tuple[int, Fraction]], length: Fraction, choices: Sequence[int], usually_off: float
) -> int:
    """The plainest one near whose places the hits stand, and where those of one drum have each a place of its own.

    hits : (note, quarters from the beat)
    """
    struck = set(hits)

    def cost(division: int) -> tuple[bool, bool, float]:
        places = [(note, at / length * division) for note, at in struck]
        off = [float(abs(place - round(place)) / division * length) for _, place in places]
        is_shared = len({(note, round(place)) for note, place in places}) < len(struck)
        return (
            is_shared,
            max(off, default=0.0) > FURTHEST,
            sum((one / usually_off) ** 2 for one in off) + COSTS[division],
        )

    return min(choices, key=cost)


def _values(
    hits: Mapping[Fraction, list[Head]],
    beats: Sequence[Beat],
    divisions: Sequence[int],
) -> Iterator[Written]:
    """Notes as long as they can be written up to the next, and rests, beat by beat."""
    for number, ((first, length, choices, group), division) in enumerate(zip(beats, divisions, strict=True)):
        places = sorted(place for place in hits if first <= place < first + length)
        if not places:
            yield from _rests(first, length, number, 1)
            continue
        is_triplet = division in TRIPLETS and choices is EVEN
        actual = division if is_triplet else 1
        yield from _rests(first, places[0] - first, number, actual)
        for place, following in zip(places, [*places[1:], first + length], strict=True):
            gap = following - place
            for triplet in (False, True) if is_triplet else (False,):
                if value := _value(gap, is_triplet=triplet):
                    break
            kind, dots, own = value or _longest(gap, is_triplet=is_triplet)
            yield Written(place, own, kind, dots, 1 if _is_plain(own) else actual, tuple(hits[place]), number, group)
            yield from _rests(place + own, gap - own, number, actual)


def _is_plain(length: Fraction) -> bool:
    return _value(length, is_triplet=False) is not None


def _rests(start: Fraction, length: Fraction, beat: int, actual: int) -> Iterator[Written]:
    while length > 0:
        kind, dots, own = _value(length, is_triplet=False) or _longest(length, is_triplet=actual > 1)
        yield Written(start, own, kind, dots, 1 if _is_plain(own) else actual, (), beat)
        start, length = start + own, length - own


def _value(length: Fraction, *, is_triplet: bool) -> tuple[Fraction, int, Fraction] | None:
    """(sign, dots, length) that says just this length, quarters; a triplet's sign is half as long again."""
    said = length / 4 * (Fraction(3, 2) if is_triplet else 1)
    for dots in (0, 1):
        kind = said / (Fraction(3, 2) if dots else 1)
        if kind.numerator == 1 and kind.denominator in (1, 2, 4, 8, 16, 32, 64, 128) and not (is_triplet and dots):
            return kind, dots, length
    return None


def _longest(length: Fraction, *, is_triplet: bool) -> tuple[Fraction, int, Fraction]:
    """The longest sign that fits."""
    share = Fraction(2, 3) if is_triplet else Fraction(1)
    kind = next(one for one in (Fraction(1, 2**n) for n in range(9)) if one * 4 * share <= length)
    return kind, 0, kind * 4 * share
