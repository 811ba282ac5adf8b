"""Bars, beats and the grid: where they stand in ticks, under meters that may change at any bar line.

A meter is (tick, beats in a bar, beat unit: 4 a quarter note, 8 an eighth), the first at tick 0. A beat of a MIDI file
is a quarter note, and ``ticks_per_beat`` counts its ticks (RP-001).
"""

from bisect import bisect_left, bisect_right
from collections.abc import Sequence
from fractions import Fraction
from functools import lru_cache

Meters = Sequence[tuple[int, int, int]]

GRIDS = {  # what a person may choose -> its spacing in whole notes
    "1/1": Fraction(1), "1/2": Fraction(1, 2), "1/4": Fraction(1, 4), "1/8": Fraction(1, 8), "1/16": Fraction(1, 16),
    "1/32": Fraction(1, 32), "1/64": Fraction(1, 64),
    "1/2T": Fraction(1, 3), "1/4T": Fraction(1, 6), "1/8T": Fraction(1, 12), "1/16T": Fraction(1, 24),
    "1/32T": Fraction(1, 48), "1/4Q": Fraction(1, 5), "1/8Q": Fraction(1, 10), "1/16Q": Fraction(1, 20),
    "1/2.": Fraction(3, 4), "1/4.": Fraction(3, 8), "1/8.": Fraction(3, 16), "1/16.": Fraction(3, 32),
}  # fmt: skip
EVEN_SWING = 50  # percent of two grid places at which the second stands; 66.7 are triplets


def bar_ticks(meter: tuple[int, int, int], ticks_per_beat: int) -> int:
    _, beats, unit = meter
    return max(1, ticks_per_beat * 4 * beats // unit)


def beat_ticks(meter: tuple[int, int, int], ticks_per_beat: int) -> int:
    return max(1, ticks_per_beat * 4 // meter[2])


def meter_at(tick: int, meters: Meters) -> tuple[int, int, int]:
    return meters[max(0, bisect_right(meters, tick, key=lambda meter: meter[0]) - 1)]


def bar_at(tick: int, meters: Meters, ticks_per_beat: int) -> int:
    """The number of the bar that ``tick`` stands in, from 0."""
    bar = 0
    for number, meter in enumerate(meters):
        length = bar_ticks(meter, ticks_per_beat)
        end = meters[number + 1][0] if number + 1 < len(meters) else None
        if end is None or tick < end:
            return bar + (tick - meter[0]) // length
        bar += -(-(end - meter[0]) // length)
    return bar


def bars_up_to(tick: int, meters: Meters, ticks_per_beat: int) -> int:
    """How many whole bars hold all before ``tick``."""
    return bar_at(tick - 1, meters, ticks_per_beat) + 1 if tick > 0 else 0


def bar_span(tick: int, meters: Meters, ticks_per_beat: int) -> tuple[int, int]:
    """Where the bar that ``tick`` stands in begins, and where the next one does."""
    number = max(0, bisect_right(meters, tick, key=lambda meter: meter[0]) - 1)
    length = bar_ticks(meters[number], ticks_per_beat)
    start = tick - (tick - meters[number][0]) % length
    end = start + length
    return start, min(end, meters[number + 1][0]) if number + 1 < len(meters) else end


def tick_of_bar(bar: int, meters: Meters, ticks_per_beat: int) -> int:
    """Where bar ``bar`` begins, from 0. A meter that begins inside a bar cuts it short."""
    for number, meter in enumerate(meters):
        length = bar_ticks(meter, ticks_per_beat)
        end = meters[number + 1][0] if number + 1 < len(meters) else None
        count = None if end is None else -(-(end - meter[0]) // length)
        if count is None or bar < count:
            return meter[0] + bar * length
        bar -= count
    raise AssertionError("the last meter has no end")


def place_of(tick: int, meters: Meters, ticks_per_beat: int) -> tuple[int, int, int]:
    """(bar, beat, tick in the beat), bar and beat from 1: as musicians count."""
    bar, meter = bar_at(tick, meters, ticks_per_beat), meter_at(tick, meters)
    inside, beat = tick - tick_of_bar(bar, meters, ticks_per_beat), beat_ticks(meter, ticks_per_beat)
    return bar + 1, inside // beat + 1, inside % beat


def grid_ticks(grid: str, ticks_per_beat: int) -> Fraction:
    """The spacing of a grid; not whole where the ticks are too coarse for it."""
    return GRIDS[grid] * 4 * ticks_per_beat


def grid_tick(index: int, start_tick: int, spacing: Fraction, swing: float) -> int:
    """The place ``index`` of the grid that begins at a bar line; every second place stands late by the swing."""
    late = spacing * Fraction(swing - EVEN_SWING).limit_denominator(1000) / EVEN_SWING if index % 2 else 0
    return start_tick + int(spacing * index + late + Fraction(1, 2))


def nearest_place(tick: int, grid: str, swing: float, meters: Meters, ticks_per_beat: int) -> int:
    """The swung grid place nearest to ``tick``; of two as near, the later. The grid begins anew at each bar line."""
    start, following = bar_span(tick, meters, ticks_per_beat)
    places = _places_of_bar(following - start, grid, swing, ticks_per_beat)
    after = bisect_left(places, tick - start)
    if after == 0 or places[after] + places[after - 1] <= 2 * (tick - start):
        return start + places[after]
    return start + places[after - 1]


@lru_cache(256)
def _places_of_bar(length_ticks: int, grid: str, swing: float, ticks_per_beat: int) -> tuple[int, ...]:
    """The grid's places from a bar line to the next, both among them."""
    spacing = grid_ticks(grid, ticks_per_beat)
    places = (grid_tick(index, 0, spacing, swing) for index in range(int(length_ticks / spacing) + 1))
    return (*(place for place in places if place < length_ticks), length_ticks)
