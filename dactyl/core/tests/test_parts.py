"""Parts shaped: bars and grids, choosing, velocities, timing, figures, structure. Values in, values out."""

from dataclasses import replace
from fractions import Fraction

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from dactyl.core.errors import PartError
from dactyl.core.formats.midi import numbered, read_midi, read_tracks, write_midi
from dactyl.core.parts import figures, packed, select, structure, timing, velocity
from dactyl.core.parts.meter import GRIDS, bar_at, grid_tick, nearest_place, place_of, tick_of_bar
from dactyl.core.parts.part import Event, Part, Section
from dactyl.core.parts.timing import Grid
from dactyl.core.tests.cases import cases

PPQ = 480
KICK, SNARE, CLOSED, OPEN, PEDAL = 36, 38, 42, 46, 44
SIXTEENTHS = Grid(name="1/16")


def a_part(*events: Event, **settings) -> Part:
    ordered = numbered(sorted(events, key=lambda event: event.tick))
    known = tuple(event._replace(id=n) for n, event in enumerate(ordered, start=1))
    fields = {"name": "Quay", "ticks_per_beat": PPQ, "tempos": ((0, 500_000),), "end_tick": 2 * 4 * PPQ}
    return Part(events=known, **fields | settings)


def beat(*hits: tuple[float, int, int]) -> Part:
    """Hits as (beat, note, velocity)."""
    return a_part(*(Event(round(at * PPQ), note, loud) for at, note, loud in hits))


class Packed(SimpleTestCase):
    numbers = st.integers(0, 1 << 40)

    @given(
        st.lists(
            st.tuples(numbers, numbers, st.integers(0, 127), numbers, st.integers(0, 15), st.integers(0, 9)),
            max_size=40,
        )
    )
    def test_hits_are_unpacked_as_they_were_packed(self, rows):
        events = [
            Event(tick, note, note, channel, length, played, place, id=n, pass_id=place or None)
            for n, (tick, played, note, length, channel, place) in enumerate(rows, start=1)
        ]
        self.assertEqual(packed.events_of(packed.unpack(packed.pack(packed.rows_of(events)))), events)

    def test_a_number_that_no_hit_has_is_refused_on_both_ways(self):
        rows = packed.rows_of([Event(5, 38, 90, id=1)])
        for name, value in (("note", 200), ("velocity", 128), ("channel", 16), ("tick", -1)):
            with self.subTest(name):
                wrong = rows.copy()
                wrong[name] = value
                self.assertRaises(ValueError, packed.unpack, packed.pack(wrong))
                self.assertRaises(ValueError, packed.rows_of, [Event(5, 38, 90)._replace(**{name: value})])

    @given(
        st.lists(st.tuples(numbers, st.integers(1, 16_777_215)), max_size=4, unique_by=lambda tempo: tempo[0]),
        st.lists(numbers, max_size=20), st.sampled_from([1, 480, 96_000, 2_000_000_000]), st.sampled_from([8000, 48_000, 192_000]),
    )  # fmt: skip
    def test_frames_of_many_ticks_are_those_of_each(self, tempos, ticks, ticks_per_beat, rate_hz):
        changes = tuple(sorted((tick + 1, tempo) for tick, tempo in tempos))
        part = replace(a_part(), ticks_per_beat=ticks_per_beat, tempos=((0, 500_000), *changes))
        found = part.frames_of(np.array(ticks, np.int64), rate_hz).tolist()
        self.assertEqual(found, [part.frame_at(tick, rate_hz) for tick in ticks])


class Bars(SimpleTestCase):
    METERS = ((0, 4, 4), (2 * 1920, 3, 4), (2 * 1920 + 2 * 1440, 7, 8))

    def test_bars_frames_and_places_of_the_grid_are_those_of_the_cases_which_the_page_reads_too(self):
        told = cases("time")
        meters, beat_ticks = tuple(map(tuple, told["meters"])), told["ticks_per_beat"]
        part = Part(
            name="t", ticks_per_beat=beat_ticks, tempos=tuple(map(tuple, told["tempos"])), events=(), end_tick=10_080
        )
        for tick, bar, start in told["bars"]:
            self.assertEqual((bar_at(tick, meters, beat_ticks), tick_of_bar(bar, meters, beat_ticks)), (bar, start))
        self.assertEqual([[tick, part.frame_at(tick, told["rate"])] for tick, _ in told["frames"]], told["frames"])
        for tick, grid, swing, place in told["nearest"]:
            with self.subTest(tick=tick, grid=grid):
                self.assertEqual(nearest_place(tick, grid, swing, meters, beat_ticks), place)

    def test_places_are_counted_as_musicians_do_over_changes_of_meter(self):
        table = [(0, (1, 1, 0)), (1919, (1, 4, 479)), (3840, (3, 1, 0)), (3840 + 1440 + 485, (4, 2, 5)),
                 (6720, (5, 1, 0)), (6720 + 240 * 6, (5, 7, 0)), (6720 + 1680, (6, 1, 0))]  # fmt: skip
        for tick, place in table:
            with self.subTest(tick=tick):
                self.assertEqual(place_of(tick, self.METERS, PPQ), place)

    @given(st.integers(1, 200))
    def test_a_bar_begins_where_its_first_tick_says(self, bar):
        tick = tick_of_bar(bar, self.METERS, PPQ)
        self.assertEqual(bar_at(tick, self.METERS, PPQ), bar)
        self.assertEqual(bar_at(tick - 1, self.METERS, PPQ), bar - 1)

    def test_swing_moves_every_second_place(self):
        self.assertEqual([grid_tick(n, 0, Fraction(240), 50) for n in range(4)], [0, 240, 480, 720])
        self.assertEqual([grid_tick(n, 0, Fraction(240), 75) for n in range(4)], [0, 360, 480, 840])
        self.assertEqual(nearest_place(330, "1/8", 66.7, self.METERS, PPQ), 320)

    @given(st.integers(0, 9000), st.sampled_from(sorted(GRIDS)))
    def test_no_place_is_nearer_than_the_nearest(self, tick, grid):
        found = nearest_place(tick, grid, 50, self.METERS, PPQ)
        bar = bar_at(tick, self.METERS, PPQ)
        start, end = (tick_of_bar(b, self.METERS, PPQ) for b in (bar, bar + 1))
        spacing = GRIDS[grid] * 4 * PPQ
        places = [*(grid_tick(n, start, spacing, 50) for n in range(int((end - start) / spacing) + 1)), end]
        self.assertEqual(abs(found - tick), min(abs(place - tick) for place in places if place <= end))


class Choosing(SimpleTestCase):
    PART = beat(*((n / 2, CLOSED, 60 + n) for n in range(16)), (0, KICK, 100), (4, KICK, 90), (1.02, SNARE, 110))

    def ticks(self, hits):
        return [hit.tick for hit in hits]

    def test_what_people_say_is_what_they_get(self):
        hats = select.of_notes(self.PART.events, {CLOSED})
        self.assertEqual(self.ticks(select.every(hats, 2, 2)), [240 * n for n in range(1, 16, 2)])
        self.assertEqual(len(select.on_beat(self.PART, hats, on=True)), 8)
        self.assertEqual(len(select.on_beat(self.PART, self.PART.events, on=False)), 8)
        self.assertEqual(self.ticks(select.same_place(self.PART, self.PART.events, hats[3:4])), [720, 720 + 1920])
        self.assertEqual([hit.velocity for hit in select.by_velocity(hats, high=62)], [60, 61, 62])
        self.assertEqual(self.ticks(select.between(hats, 240, 720)), [240, 480])

    def test_hits_that_follow_too_close_are_found(self):
        part = beat((0, SNARE, 90), (0.05, SNARE, 50), (1, SNARE, 90), (1.01, KICK, 90))
        self.assertEqual(self.ticks(select.close_together(part, part.events, 40)), [0, 24])


class Velocities(SimpleTestCase):
    HITS = beat(*((n, SNARE, loud) for n, loud in enumerate((20, 60, 100)))).events

    def of(self, changed):
        by_id = {hit.id: hit.velocity for hit in changed}
        return [by_id.get(hit.id, hit.velocity) for hit in self.HITS]

    def test_many_at_once(self):
        table = [
            (velocity.set_to(self.HITS, 64), [64, 64, 64]),
            (velocity.add(self.HITS, -30), [1, 30, 70]),
            (velocity.scale(self.HITS, 2), [40, 120, 127]),
            (velocity.spread(self.HITS, 0.5), [40, 60, 80]),
            (velocity.spread(self.HITS, 0), [60, 60, 60]),
            (velocity.ramp(self.HITS, 10, 110), [10, 60, 110]),
            (velocity.ramp(self.HITS, 0, 100, curve=0.5), [1, 25, 100]),
            (velocity.accent(self.HITS, "X."), [100, 30, 100]),
        ]
        for number, (changed, wanted) in enumerate(table):
            with self.subTest(number):
                self.assertEqual(self.of(changed), wanted)

    def test_chance_falls_the_same_way_twice(self):
        one, two = (velocity.randomize(self.HITS, 20, np.random.default_rng(3)) for _ in range(2))
        self.assertEqual(one, two)
        self.assertNotEqual(self.of(one), [20, 60, 100])

    def test_a_pattern_of_other_letters_is_refused(self):
        with self.assertRaisesRegex(PartError, "no accent pattern"):
            velocity.accent(self.HITS, "Xz")


class Timing(SimpleTestCase):
    PART = beat((0.04, SNARE, 90), (0.98, SNARE, 90), (2.1, SNARE, 90), (3.0, SNARE, 90))

    def after(self, changed, part=None):
        by_id = {hit.id: hit for hit in changed}
        return [by_id.get(hit.id, hit) for hit in (part or self.PART).events]

    def test_tightening_goes_by_its_strength_and_is_taken_back_at_any_time(self):
        played = [hit.tick for hit in self.PART.events]
        once = self.after(timing.tighten(self.PART, self.PART.events, SIXTEENTHS, 0.7))
        self.assertEqual([hit.tick for hit in once], [int(p + 0.7 * (g - p) + 0.5) for p, g in zip(played, (0, 480, 960, 1440), strict=True)])  # fmt: skip
        again = {hit.id: hit for hit in timing.tighten(self.PART, once, SIXTEENTHS, 1.0)}
        self.assertEqual([again.get(hit.id, hit).tick for hit in once], [0, 480, 960, 1440])
        back = {hit.id: hit for hit in timing.tighten(self.PART, once, SIXTEENTHS, 0)}
        self.assertEqual([back.get(hit.id, hit).tick for hit in once], played)
        self.assertEqual([hit.tick for hit in timing.as_played(once)], played[:3])

    @given(st.integers(0, 3839), st.integers(0, 100))
    def test_strength_never_leads_past_the_grid(self, tick, percent):
        part = a_part(Event(tick, SNARE, 90))
        (hit,) = self.after(timing.tighten(part, part.events, SIXTEENTHS, percent / 100), part)
        place = SIXTEENTHS.place(tick, part)
        self.assertTrue(min(tick, place) <= hit.tick <= max(tick, place))
        self.assertEqual(hit.played, tick)

    def test_windows_leave_hits_alone(self):
        tight = timing.tighten(self.PART, self.PART.events, SIXTEENTHS, 1, closer_ms=15)
        self.assertEqual([hit.played for hit in tight], [19, 1008])
        far = timing.tighten(self.PART, self.PART.events, SIXTEENTHS, 1, further_ms=30)
        self.assertEqual([hit.played for hit in far], [1008])

    def test_moving_by_hand_takes_what_was_played_along(self):
        moved = self.after(timing.nudge(self.PART.events, -100))
        self.assertEqual([hit.tick for hit in moved], [0, 451, 989, 1421])
        self.assertEqual([hit.played for hit in moved], [0, 451, 989, 1421])
        slow = replace(self.PART, tempos=((0, 500_000), (960, 1_000_000)))
        later = self.after(timing.pull(slow, self.PART.events, 10), slow)
        self.assertEqual([b.tick - a.tick for a, b in zip(self.PART.events, later, strict=True)], [10, 10, 5, 5])

    @given(st.integers(0, 50), st.floats(1, 60))
    def test_loosening_never_crosses_a_neighbour(self, seed, ms):
        part = beat(*((n / 8, SNARE, 90) for n in range(32)))
        loose = self.after(timing.loosen(part, part.events, ms, np.random.default_rng(seed)), part)
        ticks = [hit.tick for hit in loose]
        self.assertEqual(ticks, sorted(ticks))
        self.assertEqual([hit.played for hit in loose], [hit.tick for hit in part.events])

    def test_the_feel_of_one_part_is_given_to_another(self):
        late = beat(*((n / 4 + (0.06 if n % 4 == 2 else 0), CLOSED, 100 if n % 4 == 0 else 50) for n in range(16)))
        plain = beat(*((n / 4, CLOSED, 80) for n in range(16)))
        felt = self.after(timing.give_feel(plain, plain.events, timing.feel_of(late, SIXTEENTHS), 1, 1), plain)
        self.assertEqual([hit.tick for hit in felt[:4]], [0, 120, 269, 360])
        self.assertGreater(felt[0].velocity, felt[1].velocity * 1.8)
        half = self.after(timing.give_feel(plain, plain.events, timing.feel_of(late, SIXTEENTHS), 0.5, 0), plain)
        self.assertEqual((half[2].tick, half[2].velocity), (255, 80))


class Figures(SimpleTestCase):
    def test_grace_notes_stand_in_ms_under_the_parts_own_tempo(self):
        for tempo, ticks in ((500_000, 24), (1_000_000, 12)):
            part = replace(beat((1, SNARE, 100)), tempos=((0, tempo),))
            (flam,) = figures.graces(part, part.events, "flam", ms=25, strength=0.5).added
            self.assertEqual((480 - flam.tick, flam.velocity, flam.note), (ticks, 50, SNARE))
        ruff = figures.graces(part, part.events, "ruff", ms=20).added
        self.assertEqual(len(ruff), 3)
        self.assertTrue(ruff[0].velocity < ruff[1].velocity < ruff[2].velocity)
        first = beat((0, SNARE, 100))
        self.assertEqual(figures.graces(first, first.events, "drag").added, ())

    def test_a_roll_fills_up_to_its_end_along_a_line(self):
        part = beat((0, SNARE, 100))
        made = figures.roll(part, part.events, [480], Grid(name="1/32"), first=30, last=120)
        self.assertEqual([hit.tick for hit in made.added], [60 * n for n in range(1, 8)])
        self.assertEqual((made.changed[0].velocity, made.added[-1].velocity), (30, 120))
        double = figures.roll(part, part.events, [480], Grid(name="1/16"), first=80, last=80, doubles=True)
        self.assertEqual([hit.velocity for hit in double.added[:3]], [66, 80, 66])

    def test_ghosts_stand_beside_hits_and_never_on_one(self):
        part = beat((0, KICK, 100), (0.25, KICK, 80), (1, KICK, 100))
        made = figures.ghosts(part, part.events, part.events, SIXTEENTHS, places=1, strength=0.35).added
        self.assertEqual([(hit.tick, hit.velocity) for hit in made], [(240, 28), (600, 35)])
        before = figures.ghosts(part, part.events, part.events, SIXTEENTHS, places=-1, strength=0.3, note=SNARE).added
        self.assertEqual([(hit.tick, hit.note) for hit in before], [(0, SNARE), (360, SNARE)])

    def test_hats_close_at_the_next_one_and_the_foot_keeps_the_beats(self):
        part = beat((0, OPEN, 90), (0.5, CLOSED, 90), (1, OPEN, 90), (2, CLOSED, 80))
        closed = figures.close_hats(part.events, {OPEN}, {CLOSED, PEDAL}).changed
        self.assertEqual([(hit.tick, hit.length_ticks) for hit in closed], [(0, 240), (480, 480)])
        foot = figures.foot_on_beats(part, part.events, PEDAL, {OPEN, CLOSED}, 0, 3840, velocity=50).added
        self.assertEqual([hit.tick // 480 for hit in foot], [3, 4, 5, 6, 7])

    def test_two_pads_in_turn(self):
        part = beat(*((n, SNARE, 90) for n in range(4)))
        changed = figures.alternate(part.events, SNARE, 40).changed
        self.assertEqual([(hit.tick // 480, hit.note) for hit in changed], [(1, 40), (3, 40)])


class Structure(SimpleTestCase):
    PART = replace(beat((0, KICK, 90), (4, KICK, 80), (6, SNARE, 70)), sections=(Section(1920, 3840, "B"),))

    def at(self, part):
        return [(event.tick, event.note) for event in part.events]

    def test_bars_are_inserted_deleted_duplicated(self):
        more = structure.insert_bars(self.PART, 1, 2)
        self.assertEqual((self.at(more), more.bars), ([(0, 36), (5760, 36), (6720, 38)], 4))
        self.assertEqual(more.sections, (Section(5760, 7680, "B"),))
        less = structure.delete_bars(more, 1, 2)
        self.assertEqual((self.at(less), less.bars, less.sections), (self.at(self.PART), 2, self.PART.sections))
        twice = structure.duplicate_bars(self.PART, 1, 1)
        self.assertEqual((self.at(twice)[-2:], twice.bars), ([(3840, 36), (4800, 38)], 3))
        self.assertEqual((twice.tempos, twice.meters), (self.PART.tempos, self.PART.meters), "nothing changes in it")
        self.assertEqual(structure.insert_bars(self.PART, 2, 1).loop_ticks, 3 * 1920)
        with self.assertRaisesRegex(PartError, "at least one bar"):
            structure.delete_bars(self.PART, 0, 2)

    def test_tempo_meter_and_sections_change_anywhere(self):
        part = structure.set_meter(structure.set_tempo(self.PART, 1920, 90), 1, 3)
        self.assertEqual((part.tempos[1], part.meters[1], part.bars), ((1920, 666_667), (1920, 3, 4), 3))
        self.assertEqual(structure.set_tempo(structure.set_meter(part, 1, None), 1920, None).tempos, self.PART.tempos)
        over = structure.set_section(self.PART, 2400, 3000, "fill")
        self.assertEqual([section.name for section in over.sections], ["B", "fill", "B"])
        self.assertEqual(structure.set_section(over, 0, 9999, "").sections, ())

    def test_parts_are_put_together_whatever_their_ticks(self):
        other = replace(beat((1, SNARE, 60)), ticks_per_beat=960, tempos=((0, 600_000),))
        self.assertEqual(self.at(structure.put_behind(self.PART, other))[-1], (3840 + 240, SNARE))
        self.assertEqual(structure.put_behind(self.PART, other).tempos[-1], (3840, 600_000))
        self.assertEqual(self.at(structure.lay_over(self.PART, other))[1], (240, SNARE))
        parts = structure.split(self.PART, lambda event: str(event.note))
        self.assertEqual([(part.name, len(part.events)) for part in parts], [("Quay · 36", 2), ("Quay · 38", 1)])

    def test_copies_stand_behind_by_whole_beats_and_fill_the_part(self):
        part = beat((0, KICK, 90), (1.5, SNARE, 80))
        self.assertEqual([hit.tick for hit in structure.behind(part, part.events).added], [960, 1680])
        self.assertEqual(len(structure.repeat(part, part.events, 6).added), 6)
        with self.assertRaisesRegex(PartError, "Choose fewer"):
            structure.repeat(part, part.events, 3)

    def test_bars_before_the_first_move_all_but_what_the_beginning_holds(self):
        part = a_part(Event(0, KICK, 90), Event(960, SNARE, 90), sections=(Section(0, 960, "Quay"),))
        after = structure.insert_bars(part, 0, 1)
        self.assertEqual(self.at(after), [(1920, KICK), (2880, SNARE)])
        self.assertEqual(
            (after.sections, after.tempos, after.meters), ((Section(1920, 2880, "Quay"),), part.tempos, part.meters)
        )

    def test_what_rolls_fill_is_found_once_for_all_hits(self):
        hits = [Event(10 * n, SNARE if n % 3 else KICK, 90, id=n) for n in range(1, 200)]
        slow = [min((o.tick for o in hits if o.note == h.note and o.tick > h.tick), default=5000) for h in hits]
        self.assertEqual(figures.ends_of(hits, hits, 5000), slow)


class Files(SimpleTestCase):
    @given(
        st.lists(
            st.tuples(st.integers(0, 4000), st.sampled_from([36, 38, 42]), st.integers(0, 127), st.integers(0, 600)),
            min_size=1,
            max_size=30,
        )
    )
    def test_what_is_written_is_played_the_same_when_it_is_read(self, rows):
        events = [Event(tick, note, loud, 9, length if loud else 0) for tick, note, loud, length in sorted(rows)]
        part = a_part(Event(0, 36, 1), *events, meters=((0, 3, 4), (1440, 7, 8)), sections=(Section(0, 960, "A"),))
        again = read_midi(write_midi(part), "x.mid")
        self.assertEqual(again.meters, part.meters)
        self.assertEqual(read_midi(write_midi(again), "x.mid").events, again.events)
        self.assertEqual(list(read_midi(write_midi(again), "x.mid").hits(48_000)), list(again.hits(48_000)))
        self.assertEqual([e.tick for e in again.note_ons], [e.tick for e in part.note_ons])

    def test_tracks_by_name_and_back(self):
        part = beat((0, KICK, 90), (1, SNARE, 80), (2, KICK, 70))
        names = {KICK: "Kick", SNARE: "Snare"}
        data = write_midi(part, tracks=lambda event: names[event.note])
        self.assertEqual(data[8:12], b"\0\1\0\3")  # type 1, three tracks
        self.assertEqual([(one.name, len(one.note_ons)) for one in read_tracks(data, "x")], [("Kick", 2), ("Snare", 1)])
        self.assertEqual([e.tick for e in read_midi(data, "x").events if e.velocity], [0, 480, 960])

    def test_chunks_of_other_kinds_are_passed_over(self):
        data = write_midi(beat((0, KICK, 90)))
        odd = data[:14] + b"XFIH\0\0\0\3abc" + data[14:]
        self.assertEqual(read_midi(odd, "x").events, read_midi(data, "x").events)
