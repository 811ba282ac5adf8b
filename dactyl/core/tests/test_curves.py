"""Curves of a part: what they do to hits, how they go along with bars, and what can be none."""

import json
import math
from dataclasses import replace

from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from dactyl.core.bounce.render import voices_of
from dactyl.core.errors import PartError
from dactyl.core.formats.curves import read_curves, write_curves
from dactyl.core.maps import translate
from dactyl.core.parts import structure
from dactyl.core.parts.curves import Curve, check, renoted, value_at
from dactyl.core.parts.part import Event, Part
from dactyl.core.play.compile import compile_kit
from dactyl.core.tests.kits import RATE, kit, pad

BAR = 3840
POINTS = st.dictionaries(st.integers(0, 4 * BAR), st.floats(-90, 20), min_size=1, max_size=8)


def part(*curves: Curve, events=()) -> Part:
    return replace(structure.new_part("p", 4), events=tuple(events), curves=curves)


def level(points: dict[int, float]) -> Curve:
    return Curve("output:Kick", "gain_db", tuple(sorted(points.items())))


class Lanes(SimpleTestCase):
    def test_hits_take_what_stands_at_their_moment_and_what_rings_is_left_alone(self):
        events = [Event(tick, 36, 100) for tick in (0, 960, 1920)] + [Event(1920, 38, 100)]
        moving = part(
            Curve("lane:36", "gain_db", ((0, 0.0), (1920, -12.0))), Curve("lane:36", "pan", ((960, 0.0), (961, 1.0))),
            Curve("lane:36", "tune_cents", ((0, 1200.0),)), events=events,
        )  # fmt: skip
        book = compile_kit(kit(pad("kick", note=36, frames=9000), pad("snare", note=38, frames=900)), RATE)
        still, voices = (voices_of(book, one.hits(RATE)) for one in (replace(moving, curves=()), moving))
        ratios = [one.gain / other.gain for one, other in zip(voices, still, strict=True)]
        for ratio, db in zip(ratios, (0.0, -6.0, -12.0, 0.0), strict=True):
            self.assertAlmostEqual(ratio, 10 ** (db / 20), places=9)
        self.assertEqual([voice.ratio for voice in voices], [2.0, 2.0, 2.0, 1.0])
        self.assertEqual([round(voice.sounds[0].left, 6) == 0 for voice in voices], [False, False, True, False])

    def test_a_hit_on_a_point_of_a_steep_curve_has_its_value(self):
        """40 dB in a tick that is no whole number of frames: read at the hit's exact time."""
        steep = part(
            Curve("lane:36", "gain_db", ((1000, -40.0), (1001, 0.0))), events=[Event(t, 36, 9) for t in (1000, 1001)]
        )
        self.assertEqual([hit.moved.gain_db for hit in steep.hits(44_100)], [-40.0, 0.0])

    def test_a_lane_s_pan_is_added_before_the_clip(self):
        moving = part(Curve("lane:36", "pan", ((0, -0.5),)), events=[Event(0, 36, 100)])
        right = replace(pad("kick", note=36, frames=900), pan=1.0)
        book = compile_kit(replace(kit(right), pieces=tuple(replace(p, pan=0.25) for p in kit(right).pieces)), RATE)
        [voice] = voices_of(book, moving.hits(RATE))
        self.assertAlmostEqual(voice.sounds[0].left / voice.sounds[0].right, 1 / math.tan(1.75 * math.pi / 4), places=6)

    def test_a_lane_is_the_part_s_own_note_where_the_kit_plays_it_as_another(self):
        source = part(Curve("lane:60", "gain_db", ((0, -6.0),)), events=[Event(0, 60, 90), Event(0, 61, 90)])
        heard = list(translate.played(source, {60: 36, 61: 36}).hits(RATE))
        self.assertEqual([hit.moved and hit.moved.gain_db for hit in heard], [-6.0, None])
        self.assertEqual(translate.applied(source, {60: 36}).curves[0].of, "lane:36")


class Bars(SimpleTestCase):
    @given(POINTS, st.integers(0, 4), st.integers(1, 3))
    def test_room_changes_nothing_around_it(self, points, bar, count):
        before, after = (one.curves[0].points for one in (part(level(points)), structure.insert_bars(part(level(points)), bar, count)))  # fmt: skip
        at = bar * BAR
        for tick in {*points, max(0, at - 1), at, at + 17}:
            moved = tick + count * BAR if tick >= at else tick
            self.assertAlmostEqual(value_at(after, moved), value_at(before, tick), places=6)

    @given(POINTS, st.integers(0, 3), st.integers(1, 2))
    def test_bars_that_go_and_bars_that_are_doubled_change_nothing_else(self, points, bar, count):
        whole = part(level(points))
        start, end = structure.bar_span(whole, bar, count)
        before = whole.curves[0].points
        outside = [
            tick for tick in {*points, 0, start - 1, end, end + 5, 4 * BAR} if not start <= tick < end and tick >= 0
        ]
        if end - start < 4 * BAR:
            gone = structure.delete_bars(whole, bar, count).curves[0].points
            for tick in outside:
                if tick != start - 1 or end < 4 * BAR:
                    now = tick if tick < start else tick - (end - start)
                    self.assertAlmostEqual(value_at(gone, now), value_at(before, tick), places=6)
        doubled = structure.duplicate_bars(whole, bar, count).curves[0].points
        for tick in (*outside, *range(start, end, 500)):
            now = tick if tick < end else tick + end - start
            self.assertAlmostEqual(value_at(doubled, now), value_at(before, tick), places=6)
            if start <= tick < end:
                self.assertAlmostEqual(value_at(doubled, tick + end - start), value_at(before, tick), places=6)
        check(structure.duplicate_bars(whole, bar, count).curves, 8 * BAR)

    @given(st.one_of(st.none(), POINTS), st.one_of(st.none(), POINTS))
    def test_parts_put_behind_each_other_keep_what_they_sounded_like(self, first, second):
        parts = [part(*([level(points)] if points else [])) for points in (first, second)]
        joined = {curve.of: curve.points for curve in structure.put_behind(*parts).curves}.get("output:Kick")
        for n, points in enumerate((first, second)):
            for tick in {*(points or {}), 0, 17, 4 * BAR - 1} - {4 * BAR}:
                alone = value_at(parts[n].curves[0].points, tick) if points else 0.0
                self.assertAlmostEqual(value_at(joined, tick + n * 4 * BAR) if joined else 0.0, alone, places=6)

    @given(st.one_of(st.none(), POINTS), POINTS, st.booleans(), st.integers(1, 8))
    def test_a_part_that_another_is_laid_over_sounds_as_before(self, first, second, plays, bars):
        own = part(*([level(first)] if first else []), events=[Event(0, 36, 90)] if plays or first else [])
        other = replace(structure.new_part("o", bars), curves=(level(second),))
        over = structure.lay_over(own, other)
        found = {curve.of: curve.points for curve in over.curves}.get("output:Kick")
        for tick in {*(first or {}), 0, 17, 4 * BAR - 1} - {4 * BAR} if own.events else ():
            alone = value_at(own.curves[0].points, tick) if first else 0.0
            self.assertAlmostEqual(value_at(found, tick) if found else 0.0, alone, places=6)
        for tick in range(4 * BAR if own.events else 0, bars * BAR, 700):
            self.assertAlmostEqual(value_at(found, tick), value_at(level(second).points, tick), places=6)
        check(over.curves, over.loop_ticks)

    def test_what_a_kit_sets_is_where_nothing_moves(self):
        moved = part(Curve("output:Kick", "width", ((0, 2.0),)))
        joined = structure.put_behind(part(), moved, lambda of, what: 0.25)
        self.assertEqual(joined.curves[0].points, ((4 * BAR - 1, 0.25), (4 * BAR, 2.0)))

    def test_a_part_that_became_shorter_takes_its_points_along(self):
        six = replace(structure.set_meter(part(), 0, 3), curves=(level({18 * 960 - 5: -3.0, 18 * 960: -6.0}),))
        shorter = replace(structure.new_part("p", 4), meters=six.meters, curves=six.curves, end_tick=17 * 960)
        self.assertEqual(structure.set_meter(shorter, 0, 1).curves[0].points[-1][0], 17 * 960)

    def test_a_split_part_takes_its_curves_along(self):
        one = part(Curve("lane:36", "pan", ((0, -1.0),)), level({0: -3.0}), events=[Event(0, 36, 9), Event(5, 38, 9)])
        kick, snare = structure.split(one, lambda event: str(event.note))
        self.assertEqual([len(kick.curves), len(snare.curves)], [2, 1])

    def test_notes_that_become_one_must_move_alike(self):
        lane = [Curve(f"lane:{note}", "gain_db", ((0, value),)) for note, value in ((36, -6.0), (38, -6.0), (40, 0.0))]
        self.assertEqual(renoted(lane[:2], lambda _: 50, {36, 38}), (replace(lane[0], of="lane:50"),))
        self.assertEqual(renoted(lane[:1], lambda _: 50, {36}), (replace(lane[0], of="lane:50"),))
        for held, played in ((lane[1:], {38, 40}), (lane[:1], {36, 38})):
            with self.subTest(played), self.assertRaisesRegex(PartError, "the one note 50"):
                renoted(held, lambda _: 50, played)


class Files(SimpleTestCase):
    def test_what_is_written_reads_back(self):
        whole = part(level({0: -3.5, 960: 0.25}), Curve("lane:38", "tune_cents", ((0, 50.0),)))
        self.assertEqual(read_curves(write_curves(whole), "x.json", replace(whole, curves=())), whole)

    def test_a_file_says_its_ticks_and_what_is_behind_the_end_is_cut(self):
        fine = replace(part(level({0: -3.0, 4 * BAR * 100: 0.0})), ticks_per_beat=96_000, end_tick=4 * BAR * 100)
        read = read_curves(write_curves(fine), "x.json", part())
        self.assertEqual(read.curves[0].points, ((0, -3.0), (4 * BAR, 0.0)))
        short = replace(part(), end_tick=BAR)
        self.assertEqual(read_curves(write_curves(part(level({0: -3.0, 2 * BAR: -9.0}))), "x.json", short).curves[0].points, ((0, -3.0), (BAR, -6.0)))  # fmt: skip

    def test_what_can_be_no_curve_is_named(self):
        def told(curve: object) -> str:
            with self.assertRaises(PartError) as refused:
                read_curves(json.dumps({"curves": [curve]}).encode(), "x.json", part())
            return str(refused.exception)

        fine = {"of": "output:Kick", "what": "gain_db", "points": [[0, 1.0]]}
        for wrong, words in [
            ({"of": "lane:400"}, "0 to 127"), ({"of": "lane:x"}, "nothing that"), ({"what": "pan"}, "nothing that"), ({"points": []}, "has 0"),
            ({"points": [[5, 0], [5, 1]]}, "follow each other"), ({"points": [[-1, 0]]}, "follow each other"),
            ({"points": [[0, 99]]}, "-96 to 24"), ({"points": [[0, "x"]]}, "points"), ({"more": 1}, "more"),
        ]:  # fmt: skip
            with self.subTest(wrong):
                self.assertIn(words, told({**fine, **wrong}))
        for data in (b"", b"[]", b'{"curves": 3}', b'{"curves": [], "x": 1}'):
            with self.subTest(data), self.assertRaises(PartError):
                read_curves(data, "x.json", part())
