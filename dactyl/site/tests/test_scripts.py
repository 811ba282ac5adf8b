"""What scripts compute beside what the core does: places of the grid, bars and frames, orders, hits that are taken, takes."""

import random
from collections import defaultdict

from dactyl.core.bounce.render import voices_of
from dactyl.core.formats.midi import numbered
from dactyl.core.hits.mend import Mend, TrackHit, mended, velocity_of
from dactyl.core.lineup import Lineup, Member
from dactyl.core.parts.meter import GRIDS, bar_at, nearest_place, tick_of_bar
from dactyl.core.parts.part import Event, Part
from dactyl.core.play.compile import compile_kit
from dactyl.site.tests.scripts import ScriptCase
from dactyl.site.tests.test_same import PLAIN, RATE, hits, tables_of

METERS = ((0, 4, 4), (3840, 3, 4), (6720, 7, 8))
TEMPOS = ((0, 500_000), (1920, 431_000), (5000, 700_000))


class Scripts(ScriptCase):
    def time_map(self) -> dict:
        part = Part(name="t", ticks_per_beat=480, tempos=TEMPOS, events=(), end_tick=12_000, meters=METERS)
        return {
            "tables": {
                "ticksPerBeat": 480, "tempos": TEMPOS, "meters": METERS, "loopTicks": part.loop_ticks, "rate": 48_000,
                "tempoFrames": [part.frame_at(tick, 48_000) for tick, _ in TEMPOS],
            },
            "grids": {name: spacing.as_integer_ratio() for name, spacing in GRIDS.items()},
        }  # fmt: skip

    def test_the_hand_finds_the_grid_places_that_the_core_tightens_to(self):
        dice = random.Random(4)
        asked = [
            (dice.randrange(11_000), dice.choice(sorted(GRIDS)), dice.choice([50, 58, 66.7, 75])) for _ in range(400)
        ]
        found = self.run_in(
            "part/time.js",
            "const t = new m.TimeMap(given.tables, given.grids); return given.asked.map(([tick, grid, swing]) => t.snap(tick, grid, swing));",
            {**self.time_map(), "asked": asked},
        )
        self.assertEqual(found, [nearest_place(tick, grid, swing, METERS, 480) for tick, grid, swing in asked])

    def test_bars_frames_and_places_agree_with_the_core(self):
        part = Part(name="t", ticks_per_beat=480, tempos=TEMPOS, events=(), end_tick=12_000, meters=METERS)
        ticks = list(range(0, 11_000, 313))
        found = self.run_in(
            "part/time.js",
            "const t = new m.TimeMap(given.tables, given.grids); return given.ticks.map((tick) => { const { bar, start } = t.barAt(tick); return [bar, start, t.frameAt(tick), Math.round(t.tickAt(t.frameAt(tick)))]; });",
            {**self.time_map(), "ticks": ticks},
        )
        for tick, (bar, start, frame, back) in zip(ticks, found, strict=True):
            wanted = bar_at(tick, METERS, 480)
            self.assertEqual((bar, start, back), (wanted, tick_of_bar(wanted, METERS, 480), tick))
            self.assertLessEqual(abs(frame - part.frame_at(tick, 48_000)), 1)

    def test_tables_play_in_the_order_of_the_core(self):
        dice = random.Random(9)
        rows = sorted((dice.randrange(3000), dice.choice([36, 38]), dice.choice([0, 50, 100]), dice.choice([0, 0, 240])) for _ in range(200))  # fmt: skip
        events = numbered([Event(t, n, v, 9, length if v else 0) for t, n, v, length in rows])
        part = Part(name="t", ticks_per_beat=480, tempos=TEMPOS, events=events, end_tick=4000)
        hits = [
            [n, e.tick, e.order, e.note, e.velocity, e.channel, e.length_ticks, e.tick, 0, part.frame_at(e.tick, 48_000),
             part.frame_at(e.tick + e.length_ticks, 48_000) if e.length_ticks else 0]
            for n, e in enumerate(events)
        ]  # fmt: skip
        found = self.run_in(
            "part/table.js",
            "const half = given.map(m.hitOf).filter((_, n) => n % 2); const rest = given.map(m.hitOf).filter((_, n) => !(n % 2));"
            "const t = m.tableOf(m.merged(half, rest, []), new Set()); return [...t.frames].map((f, n) => [f, t.packed[n] & 127, (t.packed[n] >> 7) & 127, t.packed[n] >> 14]);",
            hits,
        )
        wanted = [[hit.frame, hit.note, hit.velocity, hit.channel] for hit in part.hits(48_000)]
        self.assertEqual(sorted(found), sorted(wanted))
        self.assertEqual([row for row in found if row[2]], [row for row in wanted if row[2]])
        self.assertEqual([row[0] for row in found], sorted(row[0] for row in found))

    def test_the_page_takes_the_hits_that_the_core_takes_and_as_loud(self):
        dice = random.Random(8)
        found = [TrackHit(round(n / 3, 4), round(dice.uniform(-60, 0), 2), round(dice.random(), 3)) for n in range(300)]
        mends = [
            Mend(dice.random() < 0.5, place, dice.choice([None, round(place / 3 + 0.01, 4)]), dice.choice([None, -20.5]), dice.choice([None, 77]))
            for place in dice.sample(range(300), 40)
        ] + [Mend(True, None, round(dice.uniform(0, 100), 4), -15.0) for _ in range(10)]  # fmt: skip
        taken = mended(found, mends, softest_db=-40, least_sure=0.3)
        track = {
            "id": 1, "softest": -40, "sure": 0.3, "soft": -38, "hard": -12, "velocity": None, "pad": 5, "seconds": 100,
            "mends": [[n + 1, m.place, m.is_hit, m.time, m.level_db, m.velocity] for n, m in enumerate(mends)],
        }  # fmt: skip
        data = {
            "tracks": [track],
            "hits": {"1": [[h.time, h.level_db, h.confidence, 0] for h in found]},
            "reasons": [""],
        }
        self.assertEqual(
            self.run_in(
                "recording/model.js",
                """const before = window.fetch;
                window.fetch = async () => ({ ok: true, json: async () => given });
                const model = new m.RecordingModel("/x/", () => {});
                await model.load();
                window.fetch = before;
                return model.taken(1).map(({ time, level, velocity }) => [time, level, velocity]);""",
                data,
            ),
            [[hit.time, hit.level_db, hit.velocity or velocity_of(hit.level_db, -38, -12)] for hit in taken],
        )

    def test_takes_are_foretold_as_the_core_plays_them(self):
        book = compile_kit(PLAIN, RATE)
        played = [hit for hit in hits(PLAIN, 11) if hit.velocity]
        own = [{"id": n, "frame": h.frame, "note": h.note, "velocity": h.velocity, "channel": h.channel, "tick": n} for n, h in enumerate(played)]  # fmt: skip
        known = self.run_in(
            "part/takes.js",
            "const t = new m.Takes(); t.setPlaybook(given.book); const half = t.upTo(given.hits, 40).size; return [half, [...t.upTo(given.hits, 1e9)]];",
            {
                "book": {**tables_of(Lineup(name="l", members=(Member(kit=PLAIN),)))["members"][0], "whole": True},
                "hits": own,
            },
        )
        first = {}
        for voice in voices_of(book, played):
            first.setdefault(voice.hit, voice)
        wanted = {}
        for number, voice in first.items():
            regions = voice.pad.regions
            layers = list(dict.fromkeys(region.gains for region in regions))
            takes = defaultdict(list)
            for n, region in enumerate(regions):
                takes[region.gains].append(n)
            gains = regions[voice.region].gains
            take = takes[gains].index(voice.region) + 1
            wanted[number - 1] = f"{layers.index(gains) + 1}·{take}" if len(layers) > 1 else str(take) if len(regions) > 1 else ""  # fmt: skip
        self.assertEqual((known[0] <= 41, dict(known[1])), (True, wanted))
