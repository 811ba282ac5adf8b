"""Wherever parts are joined, opened, closed or taken apart: one table of what must be heard as before, tried by chance."""

import random
from collections.abc import Callable
from dataclasses import dataclass, replace

from django.test import SimpleTestCase

from dactyl.core.formats.curves import read_curves, write_curves
from dactyl.core.formats.midi import read_midi, write_midi
from dactyl.core.parts import structure
from dactyl.core.parts.curves import Curve, usual, value_at
from dactyl.core.parts.part import Event, Part
from dactyl.core.parts.structure import in_order

MOVED = [("output:Main", "gain_db"), ("output:Kick", "width"), ("lane:36", "pan"), ("lane:40", "gain_db")]
NOTES = (36, 38, 40, 42)


def any_part(dice: random.Random, ticks: int) -> Part:
    """With changes of tempo and meter at bars, and automation that moves up to its edges."""
    meters, at = [(0, *dice.choice([(4, 4), (7, 8), (3, 4)]))], 0
    bars = dice.randint(2, 5)
    for _ in range(bars):
        at += ticks * 4 * meters[-1][1] // meters[-1][2]
        if dice.random() < 0.3:
            meters.append((at, *dice.choice([(4, 4), (6, 8), (2, 4)])))
    meters = [meter for meter in meters if meter[0] < at]
    grid = ticks // 8
    tempos = {0: 500_000, grid * dice.randrange(1, at // grid): dice.choice([400_000, 625_000])}
    hits = [
        Event(grid * dice.randrange(at // grid), dice.choice(NOTES), dice.randint(1, 127), length_ticks=grid)
        for _ in range(12)
    ]
    curves = []
    for of, what in MOVED:
        places = sorted(dice.sample(range(at // grid + 1), dice.randint(1, 4)))
        if dice.random() < 0.7:
            curves.append(Curve(of, what, tuple((grid * place, dice.randint(-8, 8) / 8 if what != "width" else dice.randint(0, 8) / 4) for place in places)))  # fmt: skip
    return Part(
        name="Quay", ticks_per_beat=ticks, tempos=tuple(sorted(tempos.items())), events=in_order(hits), end_tick=at,
        meters=tuple(meters), curves=tuple(curves),
    )  # fmt: skip


@dataclass(frozen=True)
class Stretch:
    """What is heard of ``part`` between two ticks is heard in what was made from tick ``at`` on."""

    part: Part
    start: int
    end: int
    at: int


def hits(part: Part, start: int, end: int) -> list[tuple[float, int, int, float]]:
    """(seconds from the start of a stretch, note, velocity, length in beats)"""
    seconds, struck = part.seconds(), [one for one in part.note_ons if start <= one.tick < end]
    return sorted(
        (round(seconds(one.tick) - seconds(start), 6), one.note, one.velocity, one.length_ticks / part.ticks_per_beat)
        for one in struck
    )


def moves(part: Part, key: tuple[str, str], ticks: list[int]) -> list[float]:
    points = next((curve.points for curve in part.curves if (curve.of, curve.what) == key), None)
    return [usual(*key) if points is None else value_at(points, tick) for tick in ticks]


def bars(part: Part, dice: random.Random) -> tuple[int, int]:
    first = dice.randrange(part.bars)
    return first, dice.randint(1, part.bars - first)


def put_behind(part: Part, other: Part, dice: random.Random) -> tuple[Part, list[Stretch]]:
    end = part.loop_ticks
    return structure.put_behind(part, other), [Stretch(part, 0, end, 0), Stretch(other, 0, other.loop_ticks, end)]


def insert(part: Part, other: Part, dice: random.Random) -> tuple[Part, list[Stretch]]:
    first, count = dice.randint(0, part.bars), dice.randint(1, 3)
    made, end = structure.insert_bars(part, first, count), part.loop_ticks
    at = structure.tick_of_bar(first, part.meters, part.ticks_per_beat)
    return made, [Stretch(part, 0, at, 0), Stretch(part, at, end, made.loop_ticks - (end - at))]


def delete(part: Part, other: Part, dice: random.Random) -> tuple[Part, list[Stretch]]:
    first, count = bars(part, dice)
    start, end = structure.bar_span(part, first, count)
    if end - start == part.loop_ticks:
        return part, []
    made = structure.delete_bars(part, first, count)
    return made, [Stretch(part, 0, start, 0), Stretch(part, end, part.loop_ticks, start)]


def duplicate(part: Part, other: Part, dice: random.Random) -> tuple[Part, list[Stretch]]:
    first, count = bars(part, dice)
    start, end = structure.bar_span(part, first, count)
    made = structure.duplicate_bars(part, first, count)
    behind = Stretch(part, end, part.loop_ticks, 2 * end - start)
    return made, [Stretch(part, 0, end, 0), Stretch(part, start, end, end), behind]


def clear(part: Part, other: Part, dice: random.Random) -> tuple[Part, list[Stretch]]:
    first, count = bars(part, dice)
    start, end = structure.bar_span(part, first, count)
    made = structure.clear_bars(part, first, count)
    return made, [Stretch(part, 0, start, 0), Stretch(part, end, part.loop_ticks, end)]


def split_and_laid_together(part: Part, other: Part, dice: random.Random) -> tuple[Part, list[Stretch]]:
    """Each lane by itself, and all of them over each other: the first keeps what moves outputs."""
    parts = structure.split(part, lambda event: str(event.note))
    return structure.together(parts), [Stretch(part, 0, part.loop_ticks, 0)]


def laid_over(part: Part, other: Part, dice: random.Random) -> tuple[Part, list[Stretch]]:
    """The part sounds as before; the other comes with notes of its own."""
    above = replace(other, events=tuple(one._replace(note=one.note + 24) for one in other.events))
    made = structure.lay_over(part, above)
    alone = replace(made, events=tuple(one for one in made.events if one.note in NOTES))
    return alone, [Stretch(part, 0, part.loop_ticks, 0)]


def written(part: Part, other: Part, dice: random.Random) -> tuple[Part, list[Stretch]]:
    """By MIDI and a file of automation."""
    read = read_midi(write_midi(part), "Quay.mid")
    return read_curves(write_curves(part), "Quay.json", read), [Stretch(part, 0, part.loop_ticks, 0)]


def counted_otherwise(part: Part, other: Part, dice: random.Random) -> tuple[Part, list[Stretch]]:
    return structure.retimed(part, part.ticks_per_beat * 3), [Stretch(part, 0, part.loop_ticks, 0)]


JOINS: dict[str, Callable[[Part, Part, random.Random], tuple[Part, list[Stretch]]]] = {
    one.__name__: one
    for one in (put_behind, insert, delete, duplicate, clear, split_and_laid_together, laid_over, written, counted_otherwise)
}  # fmt: skip


class Seams(SimpleTestCase):
    def test_what_is_joined_opened_or_closed_is_heard_as_before(self):
        for name, join in JOINS.items():
            for seed in range(60):
                dice = random.Random(f"{name} {seed}")
                part, other = any_part(dice, 480), any_part(dice, dice.choice([480, 240]))
                made, stretches = join(part, other, dice)
                for number, one in enumerate(stretches):
                    with self.subTest(name, seed=seed, stretch=number):
                        self.assert_as_before(one, made)

    def assert_as_before(self, one: Stretch, made: Part) -> None:
        if one.start == one.end:
            return
        ratio = made.ticks_per_beat / one.part.ticks_per_beat
        end = one.at + round((one.end - one.start) * ratio)
        struck = hits(one.part, one.start, one.end)
        self.assertEqual(hits(made, one.at, end), struck)
        last = one.end - 1 - one.start
        ticks = [last * n // 39 for n in range(40)]  # up to the last one
        for of, what in MOVED:
            if of.startswith("lane") and not any(note == int(of[5:]) for _, note, *_ in struck):
                continue  # a lane in that nothing is played moves nothing
            before = moves(one.part, (of, what), [one.start + tick for tick in ticks])
            after = moves(made, (of, what), [one.at + round(tick * ratio) for tick in ticks])
            for was, now in zip(before, after, strict=True):
                self.assertAlmostEqual(was, now, places=6)
