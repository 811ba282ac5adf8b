"""How hits are written: each beat is divided as it needs, each hit stands at a place of that division.

A hit that is played beside its place keeps how far, so that reading gives its very tick back; one that stands shortly before
a louder one of the same drum is a grace note of it.
"""

from bisect import bisect_left
from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from fractions import Fraction

from dactyl.core.formats.musicxml.places import FEET, HANDS, PLACES, Place
from dactyl.core.parts.meter import bar_span, bar_ticks, meter_at
from dactyl.core.parts.part import Event, Part

GRACE_SECONDS, GRACE_SOFTER = 0.055, 0.85  # nearer than this, and softer than that, before a hit of the same note
MOST_GRACES = 3  # of one hit: a ruff's
EVEN, COMPOUND, SHORT = (1, 2, 4, 3, 8, 6, 12, 16), (1, 3, 6, 12), (1, 2, 4, 8)
COSTS = {3: 0.008, 6: 0.012, 8: 0.012, 12: 0.03, 16: 0.04}  # of a division, in quarters that hits may stand off instead
FINEST = 32  # parts of a quarter in which bars are cut short
EMPTY = 0.05  # of one that has more than twice as many places as there are hits
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
    is_triplet: bool
    heads: tuple[Head, ...] = ()
    beat: int = 0  # which of the bar's


@dataclass(frozen=True, slots=True)
class Bar:
    start_tick: int
    meter: tuple[int, int]
    length: Fraction  # quarters; less than its meter says where the next meter cuts it short
    voices: Mapping[int, Sequence[Written]]


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
        divisions = []
        for number, (first, length, choices) in enumerate(beats):
            tick = start + int(first * part.ticks_per_beat)
            until = end if number == len(beats) - 1 else start + int((first + length) * part.ticks_per_beat)
            inside = [head for head in own if (number == 0 or head.event.tick >= tick) and head.event.tick < until]
            division = _division([head.event.tick - tick for head in inside], length, choices, part.ticks_per_beat)
            divisions.append(division)
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
            voice: tuple(_values(hits, beats, divisions)) for voice, hits in placed.items() if hits or voice == HANDS
        }
        yield Bar(start, meter_at(start, part.meters)[1:], beats[-1][0] + beats[-1][1], voices)
        start = end


def _with_graces(part: Part, kinds: Mapping[int, str]) -> list[Head]:
    heads: list[Head] = []
    before: dict[int, list[Event]] = defaultdict(list)
    for event, following in zip(part.note_ons, _following(part.note_ons), strict=True):
        own = before.pop(event.note, [])
        if following and len(own) < MOST_GRACES and _is_grace(part, event, following):
            before[event.note] = [*own, event]
        else:
            heads.append(Head(event, PLACES.get(kinds.get(event.note, "other"), PLACES["other"]), own))
    return heads


def _is_grace(part: Part, event: Event, following: Event) -> bool:
    is_near = part.seconds_at(following.tick) - part.seconds_at(event.tick) <= GRACE_SECONDS
    return is_near and event.velocity <= GRACE_SOFTER * following.velocity


def _following(events: Sequence[Event]) -> list[Event | None]:
    """For each hit the next one of its note at a later tick."""
    found: list[Event | None] = []
    known: dict[
        int, tuple[Event, Event | None]
    ] = {}  # of a note: the hit that was met last, and the one behind its tick
    for event in reversed(events):
        nearest, behind = known.get(event.note, (None, None))
        following = nearest if nearest and nearest.tick > event.tick else behind
        known[event.note] = event, following
        found.append(following)
    return found[::-1]


def _beats(part: Part, start: int, end: int) -> list[tuple[Fraction, Fraction, Sequence[int]]]:
    """(beginning, length, how it may be divided) of each beat of a bar, in quarters."""
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
        found.append((at, own, choices if own == length else tuple(n for n in SHORT if own / n >= Fraction(1, FINEST))))
        at += own
    return found


def _division(ticks: Sequence[int], length: Fraction, choices: Sequence[int], ticks_per_beat: int) -> int:
    """The one on whose places the hits stand nearest, the plainer before the finer, where each has a place of its own."""
    at = [tick / (length * ticks_per_beat) for tick in sorted(set(ticks))]

    def cost(division: int) -> tuple[bool, float]:
        places = [place * division for place in at]
        off = max((abs(place - round(place)) / division * length for place in places), default=0.0)
        is_shared = len({round(place) for place in places}) < len(at)
        return is_shared, float(off) + COSTS.get(division, 0.0) + (EMPTY if 2 * len(at) < division else 0.0)

    return min(choices, key=cost)


def _values(
    hits: Mapping[Fraction, list[Head]],
    beats: Sequence[tuple[Fraction, Fraction, Sequence[int]]],
    divisions: Sequence[int],
) -> Iterator[Written]:
    """Notes as long as they can be written up to the next, and rests, beat by beat."""
    for number, ((first, length, choices), division) in enumerate(zip(beats, divisions, strict=True)):
        places = sorted(place for place in hits if first <= place < first + length)
        if not places:
            yield from _rests(first, length, number, is_triplet=False)
            continue
        is_triplet = division in TRIPLETS and choices is EVEN
        yield from _rests(first, places[0] - first, number, is_triplet=is_triplet)
        for place, following in zip(places, [*places[1:], first + length], strict=True):
            gap = following - place
            for triplet in (False, True) if is_triplet else (False,):
                if value := _value(gap, is_triplet=triplet):
                    break
            kind, dots, own = value or _longest(gap, is_triplet=is_triplet)
            yield Written(place, own, kind, dots, is_triplet and not _is_plain(own), tuple(hits[place]), number)
            yield from _rests(place + own, gap - own, number, is_triplet=is_triplet)


def _is_plain(length: Fraction) -> bool:
    return _value(length, is_triplet=False) is not None


def _rests(start: Fraction, length: Fraction, beat: int, *, is_triplet: bool) -> Iterator[Written]:
    while length > 0:
        kind, dots, own = _value(length, is_triplet=False) or _longest(length, is_triplet=is_triplet)
        yield Written(start, own, kind, dots, is_triplet and not _is_plain(own), (), beat)
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
