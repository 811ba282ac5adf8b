"""What the page holds and where it draws it, each script by itself: views, sounds on their way, ways to pads, edits of a part."""

import random
from collections import defaultdict

from dactyl.core.bounce.render import voices_of
from dactyl.core.play.compile import compile_kit
from dactyl.kits.playing import as_tables
from dactyl.site.tests.scripts import ScriptCase
from dactyl.site.tests.test_same import PLAIN, RATE, hits

LOADER = """
const pad = (id, layers) => ({ id, regions: layers.flatMap((keys, layer) => keys.map((key, n) => ({ places: [n], layer, sounds: [[key]] }))) });
const asked = [], sent = [];
const bytesOf = (extent) => (extent === "whole" ? 40 : 10);
const packed = (extent, keys) => {
  const sounds = keys.map((key) => ({ key, channels: 1, frames: bytesOf(extent) / 2, of: 20, scale: 1 }));
  const header = new TextEncoder().encode(JSON.stringify({ sounds, broken: {} }));
  const all = new Uint8Array(4 + header.length + keys.length * bytesOf(extent));
  new DataView(all.buffer).setUint32(0, header.length, true);
  all.set(header, 4);
  keys.forEach((key, n) => all.fill(key.charCodeAt(0), 4 + header.length + n * bytesOf(extent), 4 + header.length + (n + 1) * bytesOf(extent)));
  return all.buffer;
};
let late = new Set(), gone = false;
const before = window.fetch;
window.fetch = async (url) => {
  const [, extent, keys] = url.match(/sounds\\/(\\w+)\\/(.*)\\//);
  asked.push([extent, keys]);
  if (gone) return { status: 404 };
  const ready = keys.split(".").filter((key) => !late.delete(key));
  return { ok: true, status: 200, arrayBuffer: async () => packed(extent, ready) };
};
const loader = (limitBytes) => new m.SoundLoader({ limitBytes, send: (message) => sent.push(message.keys ?? message.sounds.map(({ key, data }) => `${key}${data[0].length}${data[0][0] & 255 ? "" : "?"}`)) });
const still = (one) => new Promise((resolve) => {
  one.addEventListener("loaded", ({ detail }) => resolve(detail), { once: true });
  setTimeout(() => resolve({}), 3000); // nothing was fetched
});
"""


class Places(ScriptCase):
    def test_the_part_stays_under_the_pointer_and_a_press_meets_the_nearest_hit(self):
        dice = random.Random(3)
        strokes = sorted((dice.randrange(9600), dice.choice([36, 38, 42]), dice.randint(1, 127)) for _ in range(300))
        presses = [(dice.uniform(0, 800), dice.uniform(30, 430)) for _ in range(400)]
        found = self.run_in(
            "part/layout.js",
            """const v = new m.PartView(); v.fit(9600); v.arrange(3);
            const whole = [v.x(0), v.x(9600)];
            v.zoom(0.4, 300, 9600);
            const held = []; for (const [factor, x] of [[0.5, 120], [1.7, 640], [0.9, 401]]) { const tick = v.tick(x); v.zoom(factor, x, 9600); held.push(Math.abs(v.tick(x) - tick)); }
            const hits = given.strokes.map(([tick, note, velocity], id) => ({ id, tick, note, velocity }));
            const lanes = new m.LaneHits(hits, new Map([[36, 0], [38, 1], [42, 2]]), 3);
            const place = hits.map(({ tick, note, velocity }) => { const lane = [36, 38, 42].indexOf(note); return [lane, v.x(tick), v.foot(lane) - v.stem(velocity, null), v.foot(lane)]; });
            const feet = [0, 1, 2].map((lane) => [v.laneAt(v.foot(lane)), v.laneAt(v.foot(lane) - v.laneHeight + 1)]);
            const back = [1, 30, 64, 127].map((velocity) => v.velocityAt(v.foot(1) - (velocity / 127) * (v.laneHeight - 6), 1));
            const met = given.presses.map(([x, y]) => lanes.at(v, x, y, () => null)).map((one) => one && [one.hit.id, one.isHead]);
            return { held, place, feet, back, met, whole };""",
            {"strokes": strokes, "presses": presses},
        )
        self.assertLess(max(found["held"]), 1e-6)
        self.assertEqual((found["feet"], found["back"]), ([[0, 0], [1, 1], [2, 2]], [1, 30, 64, 127]))
        self.assertTrue(found["whole"][0] > 0 and found["whole"][1] < 800, "all of it is seen")
        met = 0
        for (x, y), one in zip(presses, found["met"], strict=True):
            near = [
                (abs(at - x), id_, abs(y - head) <= 7)
                for id_, (_, at, head, foot) in enumerate(found["place"])
                if abs(at - x) <= 6 and head - 9 <= y < foot + 1 and 40 <= y <= 416
            ]
            if one is None:
                self.assertFalse([row for row in near if row[0] < 5.9], (x, y))
            else:
                met += 1
                self.assertEqual(min(near)[0], next(row[0] for row in near if row[1] == one[0]), (x, y))
                self.assertIn((one[0], one[1]), [(row[1], row[2]) for row in near])
        self.assertGreater(met, 10)

    def test_of_strokes_in_reach_the_taken_one_is_met_and_thresholds_are_held_at_their_line(self):
        found = self.run_in(
            "recording/layout.js",
            """const v = new m.RecordingView(); v.seconds = 10; v.fit(); v.arrange(4); v.secondsPerPixel = 0.01; v.scrollTo(2);
            const strokes = given.map(([time, level, isTaken]) => ({ time, level, isTaken }));
            const x = (time) => v.x(time);
            const levels = [-60, -33, -3].map((level) => v.levelAt(v.foot(2) - v.rise(level), 2));
            return {
                levels, rows: [0, 3].map((row) => v.rowAt(v.foot(row))),
                met: [3.0, 3.03, 3.06, 4.0, 5.0].map((time) => v.strokeAt(strokes, x(time), v.foot(1) - 2, 1)?.time ?? null),
                above: v.strokeAt(strokes, x(6.0), v.foot(1) - v.rise(-40) - 12, 1),
                held: [[10, -20], [80, -20], [10, -50]].map(([px, softest]) => v.isOnThreshold(px, v.foot(0) - v.rise(-20), 0, softest)),
                firsts: [2.9, 3.0, 3.01, 99].map((time) => m.firstFrom(strokes, time)),
                ends: (v.scrollTo(99), [v.time(v.width - 20), v.left]),
            };""",
            [[3.0, -10, True], [3.04, -10, False], [4.0, -40, False], [4.02, -8, True], [6.0, -40, True]],
        )
        self.assertEqual([round(level) for level in found["levels"]], [-60, -33, -3])
        self.assertEqual((found["rows"], found["met"], found["above"]), ([0, 3], [3.0, 3.0, 3.04, 4.02, None], None))
        self.assertEqual((found["held"], found["firsts"]), ([True, False, False], [0, 0, 1, 5]))
        self.assertAlmostEqual(found["ends"][0], 10.0)

    def test_lanes_stand_as_the_sheet_does_then_notes_without_a_pad(self):
        pads = [{"pad": n, "name": f"p{n}", "piece": piece, "notes": notes} for n, piece, notes in [(1, 1, [36, 35]), (2, 2, [42]), (3, 2, [46]), (4, 3, [])]]  # fmt: skip
        struck = [{"note": note, "velocity": velocity} for note, velocity in [(35, 9), (70, 5), (46, 0), (61, 80)]]
        said = "({ pad, name, note, isTied, isFirst, isLast }) => [pad, name, note, isTied, isFirst, isLast]"
        rows = self.run_in("part/lanes.js", f"return [false, true].map((used) => m.lanesOf(given.pads, given.struck, used, {{ 61: 'C#3' }}).map({said}));", {"pads": pads, "struck": struck})  # fmt: skip
        loose = [[None, "C#3", 61, False, True, True], [None, "note 70", 70, False, True, True]]
        self.assertEqual(rows[1], [[1, "p1", 36, False, True, True], *loose])
        self.assertEqual([row[:3] for row in rows[0]], [[1, "p1", 36], [2, "p2", 42], [3, "p3", 46], [4, "p4", None], *[row[:3] for row in loose]])  # fmt: skip
        self.assertEqual([row[3:] for row in rows[0][1:3]], [[True, True, False], [True, False, True]])


class Held(ScriptCase):
    def test_heads_come_first_then_wholes_in_the_order_they_will_sound(self):
        found = self.run_in(
            "sound/loader.js",
            LOADER
            + """const one = loader(1000);
            one.want({ whole: true, pads: [pad(1, [["a", "b"], ["c", "d"]]), pad(2, [["e"]])] });
            const first = await still(one);
            const before_ = asked.splice(0);
            one.want({ pads: [pad(2, [["x"]])] });
            await still(one);
            window.fetch = before;
            return { before_, first, after: asked, sent };""",
        )
        self.assertEqual(found["before_"], [["head", "a.c.e.b.d"], ["whole", "a.c.e.b.d"]])
        self.assertEqual(found["first"], {"sounds": 5, "bytes": 200})
        self.assertEqual(found["after"], [["head", "x"], ["whole", "x"]])
        self.assertEqual(
            found["sent"],
            [["a5", "c5", "e5", "b5", "d5"], ["a20", "c20", "e20", "b20", "d20"], ["x5"], ["e"], ["x20"]],
            "the sound that is replaced is kept until its successor's head is here",
        )

    def test_what_was_struck_is_hurried_what_is_late_is_asked_again_and_the_budget_holds(self):
        found = self.run_in(
            "sound/loader.js",
            LOADER
            + """const keys = Array.from({ length: 60 }, (_, n) => String.fromCharCode(200 + n));
            const some = keys.map((key, n) => pad(n, [[key]]));
            const one = loader(1500);
            late = new Set([keys[3]]);
            one.want({ whole: true, pads: some });
            one.hurry([[50, 0]]);
            const end = await still(one);
            const first = sent.splice(0).flat();
            const small = loader(100);
            small.want({ whole: true, pads: some.slice(0, 30) });
            const within = await still(small);
            gone = true;
            const third = loader(1000);
            const unknown = new Promise((resolve) => third.addEventListener("unknown", () => resolve(true)));
            third.want({ whole: true, pads: some.slice(0, 1) });
            const isUnknown = await unknown;
            window.fetch = before;
            return { end, within, isUnknown, heads: first.filter((said) => said === `${keys[3]}5`).length,
              hurried: first.indexOf(`${keys[50]}20`) };""",
        )
        self.assertEqual(found["heads"], 1, "late once, then here")
        self.assertLess(found["hurried"], 70, "the first whole sounds are those that were struck")
        self.assertEqual((found["end"]["sounds"], found["end"]["bytes"] >= 1500), (60, True))
        self.assertLess(found["end"]["bytes"], 1500 + 8 * 40)
        self.assertLess(found["within"]["bytes"], 100 + 32 * 10)
        self.assertTrue(found["isUnknown"])

    def test_with_a_full_budget_what_is_new_struck_or_another_kits_still_comes(self):
        found = self.run_in(
            "sound/loader.js",
            LOADER
            + """const keys = Array.from({ length: 110 }, (_, n) => String.fromCharCode(130 + n));
            const full = loader(1000); // less than all heads
            full.want({ whole: true, pads: keys.map((key, n) => pad(n, [[key]])) });
            await still(full);
            const all = new Map(); // key -> frames, as the audio thread holds them
            const follow = () => { for (const one of sent.splice(0).flat()) if (one.length > 1) all.set(one[0], Number(one.slice(1))); else all.delete(one); return Object.fromEntries(all); };
            const begin = follow();
            full.want({ pads: [pad(3, [["x"]])] });
            const fresh = [(await still(full)).bytes, follow()];
            full.hurry([[109, 0]]);
            const struck = [(await still(full)).bytes, follow()];
            full.ahead([{ pads: [pad(900, [["y", "z"]])] }]);
            const other = [(await still(full)).bytes, follow()];
            full.hurry([[900, 1]], [pad(900, [["y", "z"]])]);
            const behind = [(await still(full)).bytes, follow()];
            window.fetch = before;
            return { keys, begin, fresh, struck, other, behind };""",
        )
        keys, begin = found["keys"], found["begin"]
        self.assertNotIn(keys[-1], begin, "there is no room for the last")
        for step in ("fresh", "struck", "other", "behind"):
            with self.subTest(step):
                self.assertLess(found[step][0], 1000 + 32 * 10 + 8 * 40)
        self.assertIn("x", found["fresh"][1])
        self.assertNotIn(keys[3], found["fresh"][1])
        self.assertEqual(found["struck"][1].get(keys[109]), 20, "whole")
        self.assertIn("y", found["other"][1])
        self.assertEqual(found["behind"][1].get("z"), 20)
        self.assertIn(keys[0], found["behind"][1], "what is used first stays")

    def test_takes_are_foretold_as_the_core_plays_them(self):
        book = compile_kit(PLAIN, RATE)
        played = [hit for hit in hits(PLAIN, 11) if hit.velocity]
        own = [{"id": n, "frame": h.frame, "note": h.note, "velocity": h.velocity, "channel": h.channel, "tick": n} for n, h in enumerate(played)]  # fmt: skip
        known = self.run_in(
            "part/takes.js",
            "const t = new m.Takes(); t.setPlaybook(given.book); const half = t.upTo(given.hits, 40).size; return [half, [...t.upTo(given.hits, 1e9)]];",
            {"book": as_tables(book, is_whole=True), "hits": own},
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

    def test_the_most_exact_device_finds_the_pads_and_the_rest_falls_through_where_it_may(self):
        device = {"surface": None, "rows": 1, "columns": 1, "notes": [], "cells": {}}
        ways = {
            "notes": {"36": [1, 2], "40": [3]}, "written": {"60": 36, "61": 36, "62": 40}, "translation": 7,
            "devices": [
                {**device, "id": 1, "port": "", "channel": None, "through": True, "pads": {"36": [9]}},
                {**device, "id": 2, "port": "grid", "channel": None, "through": False, "pads": {"36": [4]}},
                {**device, "id": 3, "port": "grid", "channel": 9, "through": True, "pads": None},
                {**device, "id": 4, "port": "", "channel": 5, "through": True, "pads": {"36": [6]}},
            ],
        }  # fmt: skip
        found = self.run_in(
            "input/ways.js",
            """const before = window.fetch, urls = [];
            window.fetch = async (url) => { urls.push(url); return { ok: true, json: async () => given }; };
            const w = new m.Ways("5");
            await w.load("standard ä");
            window.fetch = before;
            return { urls, devices: [["pads", 0], ["grid", 0], ["grid", 9], ["pads", 5]].map(([port, channel]) => w.device(port, channel).id),
              pads: [["pads", 0, 36], ["pads", 0, 40], ["grid", 0, 36], ["grid", 0, 40], ["grid", 9, 36], ["pads", 5, 36]].map((asked) => w.padsOf(...asked)),
              notes: [w.noteOf(1), w.noteOf(3), w.noteOf(8), w.ownNoteOf(3), w.writes(50)], played: [60, 61, 62, 36].map((note) => w.played(note)), is: w.isTranslated };""",
            ways,
        )
        self.assertEqual(found["urls"], ["/kits/5/ways/?source=standard%20%C3%A4"])
        self.assertEqual((found["devices"], found["pads"]), ([1, 2, 3, 4], [[9], None, [4], [], None, [6]]))
        self.assertEqual(
            found["notes"], [60, 62, None, 40, None], "written as the first note that is played as the pad's"
        )
        self.assertEqual((found["played"], found["is"]), ([36, 36, 40, None], True))

    def test_edits_of_a_part_follow_one_another_and_what_is_refused_changes_nothing(self):
        found = self.run_in(
            "part/model.js",
            """const about = (version) => ({ id: 4, version, ticksPerBeat: 480, tempos: [[0, 500000]], meters: [[0, 4, 4]], tempoFrames: [0], loopTicks: 1920, loopFrames: 96000, rate: 48000, passes: [[2, "second", true]], writtenFor: "" });
            const row = (id, tick, of = 0) => [id, tick, 0, 38, 90, 9, 120, tick, of, tick * 50, tick * 50 + 6000];
            const sent = [], said = [], parts = [];
            let version = 1, mode = "well";
            const before = window.fetch;
            document.body.setAttribute("hx-headers", '{"X-Token":"t"}');
            window.fetch = async (url, asked) => {
              if (!asked.method) return { ok: true, json: async () => ({ ...about(version), events: [row(1, 0), row(2, 480, 2)], said: "" }) };
              sent.push([url, asked.headers["X-Part-Version"]]);
              if (mode === "away") throw new TypeError();
              if (mode === "refused") return { ok: false, json: async () => ({ said: "No." }) };
              if (mode === "stale") return { ok: false, json: async () => ({ ...about(9), isStale: true, isWhole: true, events: [row(1, 0)], said: "Changed elsewhere" }) };
              return { ok: true, json: async () => ({ ...about(++version), events: [row(10 + version, 960)], removed: [1], said: "Done" }) };
            };
            const ways = Object.assign(new EventTarget(), { load() {}, isTranslated: false });
            const p = new m.PartModel({ rate: 48000, grids: {}, engine: { setPart: (part) => parts.push(part && [...part.frames]) }, ways, say: (...words) => said.push(words) });
            await p.open(4);
            p.select([1]);
            const [one, two] = [p.edit("add", {}, { selects: true }), p.edit("undo")];
            await Promise.all([one, two]);
            const state = () => [p.hits.map(({ id }) => id), [...p.selected], p.about.version];
            const after = state();
            const answers = [];
            for (mode of ["away", "refused", "stale"]) answers.push(await p.edit("move"));
            await p.open(0);
            window.fetch = before;
            return { after, answers, last: parts.at(-1), first: parts[0], sent, said, closed: p.id, end: p.hits };""",
        )
        self.assertEqual(found["after"], [[2, 12, 13], [12], 3])
        self.assertEqual(found["sent"][:2], [["/parts/4/edit/add/", "1"], ["/parts/4/undo/", "2"]])
        self.assertEqual({version for _, version in found["sent"][2:]}, {"3"})
        self.assertEqual(found["first"], [0, 6000], "the second hit's pass is muted")
        self.assertEqual(found["answers"], [None, None, None])
        self.assertEqual(found["said"][2:], [["The server does not answer. Is it running? Nothing was changed.", True], ["No.", True], ["Changed elsewhere", True]])  # fmt: skip
        self.assertEqual((found["closed"], found["last"], found["end"]), (None, None, []))

    def test_the_practice_controller_sends_each_note_once_in_every_order(self):
        orders = ["standard drum notes", "rising", "falling", "scrambled"]
        found = self.run_in("input/practice.js", "return given.map((order) => m.notesIn(order, 16, 5));", orders)
        self.assertEqual([sorted(notes) for notes in found[1:]], [list(range(36, 52))] * 3)
        self.assertEqual((found[1], found[2]), (list(range(36, 52)), list(range(51, 35, -1))))
        self.assertNotIn(found[3], found[1:3])
        self.assertEqual(len(set(found[0])), 16)
