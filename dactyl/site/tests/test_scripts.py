"""The page's pure scripts, each by itself: the grid against the core's, tables, the transport, the clock of hits."""

import random

from dactyl.core.formats.midi import numbered
from dactyl.core.hits.mend import Heard, Mend, mended, velocity_of
from dactyl.core.parts.meter import GRIDS, bar_at, nearest_place, tick_of_bar
from dactyl.core.parts.part import Event, Part
from dactyl.site.tests.scripts import ScriptCase

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

    def test_a_kit_flipped_to_comes_in_pieces_and_this_one_is_edited_meanwhile(self):
        heard = self.run_in(
            "sound/player.js",
            """
            const pad = (id, take) => ({ id, gains: [[null]], regions: [], cutsItself: false, maxVoices: 8, limitFade: 0, take });
            const book = (pads, notes, more) => ({ outputs: [], notes, pads, whole: false, ...more });
            const player = new m.Player(), heard = [];
            const hit = (note) => heard.push(player.hit(0, note, 90).map((id) => player.pads.get(id).take));
            player.setPlaybook(book([pad(1, "own")], { 38: [1] }, { whole: true }));
            for (const [n, id] of [7, 8].entries()) player.addKit("other", book([pad(id, `other ${id}`)], { 38: [7], 40: [8] }, { whole: n === 0, allNotes: true }));
            hit(38);
            player.flip("other");
            hit(38);
            hit(40);
            player.setPlaybook(book([pad(1, "edited")], { 40: [1] }));
            hit(40);
            player.flip(null);
            hit(38);
            hit(40);
            player.flip("gone");
            hit(40);
            return heard;""",
        )
        self.assertEqual(heard, [["own"], ["other 7"], ["other 8"], ["other 8"], [], ["edited"], ["edited"]])

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

    def test_the_transport_turns_its_loop_to_the_frame_and_keeps_its_place_under_edits(self):
        found = self.run_in(
            "sound/transport.js",
            """const t = new m.Transport(); const said = [];
            const to = { hit: (f, p) => said.push(["hit", f, p & 127]), click: (f, a) => said.push(["click", f, a]), turn: (o, from) => said.push(["turn", o, from]), end: () => said.push(["end"]) };
            const part = (frames) => ({ frames: Int32Array.from(frames), packed: Int32Array.from(frames, (f, n) => 36 + n + (100 << 7)), loopFrames: 1000, clicks: Int32Array.from([0, 500]), accents: Uint8Array.from([2, 1]) });
            t.setPart(part([0, 300, 999]), 0);
            t.start(50, 0, [[-200, 2], [-100, 1]]);
            for (let at = 128; at < 1400; at += 128) t.advance(at, to);
            t.setPart(part([0, 100, 700]), 1408);
            t.setRange([100, 400]); t.isClicking = true;
            for (let at = 1408; at < 2500; at += 128) t.advance(at, to);
            t.isLooping = false; t.advance(99999, to);
            return said;""",
        )
        self.assertEqual(
            found[:8],
            [["click", 50, 2], ["click", 150, 1], ["hit", 250, 36], ["hit", 550, 37], ["hit", 1249, 38],
             ["turn", 1250, 0], ["hit", 1250, 36], ["turn", 1550, 100]],
        )  # fmt: skip
        turns = [row for row in found if row[0] == "turn"]
        self.assertEqual([b[1] - a[1] for a, b in zip(turns[1:], turns[2:], strict=False)], [300] * (len(turns) - 2))
        self.assertEqual(found[-1], ["end"])

    def test_stamps_become_frames_without_jitter_and_follow_a_drifting_clock(self):
        found = self.run_in(
            "sound/clock.js",
            """const clock = new m.StampClock(48000, 100); const late = (n) => 1 + ((n * 7919) % 13);
            let off = 0; const steps = [];
            for (let n = 0; n < 4000; n++) { const now = n * 40; const context = (now * (1 + 30e-6) - 5) / 1000; clock.observe(context - late(n) / 1000 / 48, now); if (n > 200 && n % 50 === 0) { steps.push(clock.frameOf(now + 10) - clock.frameOf(now)); off = clock.frameOf(now) - 100 - Math.round(context * 48000); } }
            return { steps: [...new Set(steps)], off };""",
        )
        self.assertEqual(found["steps"], [480])
        self.assertLess(abs(found["off"]), 20)

    def test_the_page_takes_the_hits_that_the_core_takes_and_as_loud(self):
        dice = random.Random(8)
        found = [Heard(round(n / 3, 4), round(dice.uniform(-60, 0), 2), round(dice.random(), 3)) for n in range(300)]
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

    def test_tracks_are_played_to_the_frame_round_the_loop_and_fade_at_the_stop(self):
        """A block of 64 frames whose values are their places; the loop turns from 100 to 20 in the middle of a call."""
        heard = self.run_in(
            "sound/tracks.js",
            """const t = new m.Tracks(48000);
            t.set({ rows: [{ id: 7, channels: 1, gain: 1 }], blockFrames: 64, fullScale: 32767, zero: 10 });
            for (const block of [0, 1]) t.add(7, block, Int16Array.from({ length: 64 }, (_, n) => 64 * block + n));
            const bus = () => [new Float32Array(128), new Float32Array(128)];
            for (let n = 0; n < 4; n++) t.mix(bus(), [[0, 128, 10]], true, 128);  // until it has faded in
            const turned = bus();
            t.mix(turned, [[0, 30, 70], [30, 98, 20]], true, 128);
            const stopped = bus();
            t.mix(stopped, [], false, 128);
            return [[...turned[0].slice(0, 90)], Math.max(...stopped[0]), stopped[0][0], stopped[0][127]];""",
        )
        turned, highest, first, last = heard
        self.assertEqual([round(v) for v in turned], [*range(60, 90), *range(10, 70)])
        self.assertGreater(first, last, "it fades")
        self.assertLessEqual(highest, 128)
