"""What comes to the page and goes from it, each script by itself: files of folders, uploads over a bad line, waves of tracks."""

from dactyl.site.tests.scripts import ScriptCase

SENDING = """
document.body.setAttribute("hx-headers", JSON.stringify({ "X-Token": "t" }));
document.body.dataset.uploadBytes = String(300_000);
const said = [], got = [], answers = { ...given.answers };
const session = { say: (words) => said.push(words), get: (url) => { got.push(url); } };
const sent = [], before = window.fetch;
let listed = 0, atOnce = 0, most = 0;
window.fetch = async (url, { body, headers }) => {
  if (url === "/shelf/imports/") return given.isDown ? { ok: false } : { ok: true, json: async () => ({ import: 7 }) };
  most = Math.max(most, ++atOnce);
  const path = body.get("path");
  sent.push([url, path, headers["X-Token"]]);
  await new Promise((resolve) => setTimeout(resolve, 5));
  atOnce--;
  const status = (answers[path] ??= []).shift() ?? 200;
  if (!status) throw new TypeError("no network");
  return { ok: status < 300, status, text: async () => `said ${status}.` };
};
const files = given.paths.map((path) => ({ path, file: new File([new Uint8Array(given.sizes[path] ?? 10)], path.split("/").pop()) }));
await m.upload(files, { session, onListed: () => listed++ });
window.fetch = before;
return { said, got, sent, listed, most };
"""

FOLDERS = """
const file = (path, isGone = false) => ({ isFile: true, fullPath: `/${path}`, file: (good, bad) => (isGone ? bad(new Error()) : good(new File(["x"], path.split("/").pop()))) });
const folder = (inside, isLocked = false) => ({ isFile: false, createReader: () => {
  const batches = [inside.slice(0, 2), inside.slice(2), []];
  return { readEntries: (good, bad) => (isLocked ? bad(new Error()) : good(batches.shift())) };
} });
const drop = (entries) => ({ items: entries.map((entry) => ({ webkitGetAsEntry: () => entry })), files: [] });
const many = await m.filesOf(drop([
  folder([file("Kit/kick.wav"), folder([file("Kit/Snare/1.wav"), file("Kit/Snare/2.wav"), file("Kit/Snare/3.wav")]), file("Kit/.hidden"), file("Kit/gone.wav", true)]),
  folder([file("Locked/x.wav")], true), file("alone.wav"),
]));
const plain = await m.filesOf({ items: [{}], files: [new File(["x"], "old.wav")] });
return [many, plain].map((found) => found.map(({ path, file }) => [path, file.name]));
"""

WAVES = """
const asked = [], came = [], before = window.fetch;
let isLost = false;
window.fetch = async (url) => {
  asked.push(url);
  if (isLost) throw new TypeError("no network");
  if (url.endsWith("/peaks/")) return { ok: true, arrayBuffer: async () => Uint8Array.from([0, 51, 255]).buffer };
  const [, track, block] = url.match(/tracks\\/(\\d+)\\/\\D*(\\d+)/).map(Number);
  return { ok: true, status: 200, arrayBuffer: async () => Int16Array.from({ length: 8 }, (_, n) => 1000 * block + 10 * Math.floor(n / 2) + (n % 2)).buffer };
};
const waves = new m.Waves({ blockFrames: 4, peakFrames: 240, peakFloor: -60, fullScale: 2, rate: 48000 }, () => came.push(1));
await waves.load([{ id: 5 }]);
const track = { id: 5, channels: 2 };
const early = waves.stretch(track, 2, 9);
await new Promise((resolve) => setTimeout(resolve, 30));
const late = waves.stretch(track, 2, 9);
const asks = asked.length;
for (let block = 10; block < 50; block++) waves.stretch(track, 4 * block, 4 * block + 1); // forty more
await new Promise((resolve) => setTimeout(resolve, 30));
const again = waves.stretch(track, 2, 9);
const fetched = asked.length - asks;
isLost = true;
const lost = [waves.stretch(track, 4000, 4001)];
await new Promise((resolve) => setTimeout(resolve, 30));
const askedBefore = asked.length;
lost.push(waves.stretch(track, 4000, 4001));
window.fetch = before;
return { peaks: [...waves.peaks.get(5).levels], seconds: waves.peaks.get(5).seconds, early, late: [...late].map((value) => Math.round((value * 32767) / 2)),
  again, fetched, lost, isAskedAgain: asked.length > askedBefore, came: came.length, empty: [...(waves.stretch(track, 8, 8) ?? [])] };
"""

BEHIND = """
m.startSending();
const log = [], ask = (path, verb = "post") => {
  const event = new CustomEvent("htmx:confirm", { bubbles: true, cancelable: true, detail: { path, verb, issueRequest: (isSure) => log.push(`asked ${path} ${isSure}`) } });
  if (document.body.dispatchEvent(event)) log.push(`at once ${path}`);
};
const later = (word, isLost) => () => new Promise((resolve, reject) => { log.push(`sent ${word}`); setTimeout(() => (isLost ? reject(new Error(word)) : resolve(word)), 10); });
const part = new m.Sending(), recording = new m.Sending();
ask("/parts/1/bounce/");
const answers = [part.next(later("first")), part.next(later("lost", true)), part.next(later("second")), recording.next(later("other"))];
ask("/recordings/of/1/2/make/");
ask("/kits/1/rename/");
ask("/parts/1/lanes/", "get");
await m.allSent();
await new Promise((resolve) => setTimeout(resolve));
ask("/parts/1/bounce/");
return { log, answers: (await Promise.allSettled(answers)).map(({ value, reason }) => value ?? reason.message) };
"""

OVERTAKEN = """
document.body.setAttribute("hx-headers", "{}");
document.body.innerHTML = `<button id="match"></button><ul id="matches"></ul><p id="match-says"></p>`;
const answers = [["Snare", 40], ["Tom", 5]], before = window.fetch;
window.fetch = async () => {
  const [pad, ms] = answers.shift();
  await new Promise((resolve) => setTimeout(resolve, ms));
  const rows = [{ what: "level", words: `${pad} is louder`, why: "measured", isSure: true }];
  return { ok: true, headers: new Headers({ "Content-Type": "application/json" }), json: async () => ({ pad, rows }) };
};
const editor = { track: { id: 1 }, root: { dataset: { url: "/recordings/of/1/2/" }, isConnected: true } };
m.startMatch(editor, new AbortController().signal);
const press = () => document.getElementById("match").click();
press();
press();
await new Promise((resolve) => setTimeout(resolve, 90));
window.fetch = before;
return ["match-says", "matches"].map((id) => document.getElementById(id).textContent);
"""

AROUND = """
const told = [], asked = [], before = window.fetch;
let running = 0, most = 0;
window.fetch = async (url) => {
  const [, track, block] = url.match(/tracks\\/(\\d+)\\/\\D*(\\d+)/).map(Number);
  asked.push(`${track} ${block}`);
  most = Math.max(most, ++running);
  await new Promise((resolve) => setTimeout(resolve, 3));
  running--;
  return { ok: block !== 6, arrayBuffer: async () => new Int16Array(4).buffer };
};
class Engine extends EventTarget {
  here = new Set();
  setTracks(tracks) { told.push(["tracks", tracks && tracks.zero]); this.here.clear(); }
  setTrackGains(gains, kit) { this.gains = [gains.map(([, gain]) => gain), kit]; }
  addBlock(track, block) { this.here.add(`${track} ${block}`); }
  forgetBlocks(keys) { for (const key of keys) this.here.delete(key); }
}
const engine = new Engine();
const sound = new m.RecordedSound(engine);
const settled = async () => { await new Promise((resolve) => setTimeout(resolve, 60)); return [...engine.here].sort(); };
sound.open([{ id: 1, channels: 1, seconds: 10 }, { id: 2, channels: 2, seconds: 4.5 }], { blockFrames: 48000, fullScale: 1, rate: 48000, zero: 24000 });
const steps = { begin: await settled() };
const plays = async (frame) => { engine.dispatchEvent(new CustomEvent("report", { detail: { frame } })); return settled(); };
steps.later = await plays(24000 + 5 * 48000 + 10);
sound.loopFrom = 24000 + 8 * 48000;
steps.looped = await plays(24000 + 5 * 48000 + 20);
steps.stopped = await plays(null);
const gains = { middle: engine.gains };
for (const [name, change] of Object.entries({
  alone: () => (sound.balance = 1), kit: () => (sound.balance = 0), solo: () => { sound.balance = 0.5; sound.solo.add(2); },
  muted: () => { sound.solo.clear(); sound.muted.add(1); }, levelled: () => (sound.kitGain = 0.5) })) {
  change();
  sound.sound();
  gains[name] = engine.gains;
}
const times = asked.filter((key) => key === "1 6").length;
sound.open([]);
await settled();
gains.closed = engine.gains;
steps.closed = await plays(24000);
window.fetch = before;
return { steps, gains, most, times, told };
"""


class Arrivals(ScriptCase):
    def send(
        self, paths: list[str], answers: dict | None = None, sizes: dict | None = None, *, is_down: bool = False
    ) -> dict:
        given = {"paths": paths, "answers": answers or {}, "sizes": sizes or {}, "isDown": is_down}
        return self.run_in("shelf/upload.js", SENDING, given)

    def test_files_go_a_few_at_a_time_once_the_first_is_there(self):
        paths = [f"Kit/{n}.wav" for n in range(12)]
        found = self.send(paths)
        self.assertEqual(sorted(path for _, path, _ in found["sent"]), sorted(paths))
        self.assertEqual({(url, token) for url, _, token in found["sent"]}, {("/shelf/imports/7/files/", "t")})
        self.assertEqual((found["most"], found["said"], found["listed"]), (4, [], 1))
        self.assertEqual(found["got"], ["/shelf/imports/7/?uploading=12", "/shelf/imports/7/"])

    def test_a_bad_line_is_tried_again_and_what_stays_behind_is_named(self):
        answers = {"shaky.wav": [0, 503], "refused.wav": [400] * 3, "silent.wav": [0] * 3, "full.wav": [507]}
        found = self.send([*answers, "large.wav", "good.wav"], answers, {"large.wav": 290_000})
        tries = [path for _, path, _ in found["sent"]]
        counts = {
            path: tries.count(path)
            for path in ("shaky.wav", "refused.wav", "silent.wav", "full.wav", "large.wav", "good.wav")
        }
        self.assertEqual(
            counts, {"shaky.wav": 3, "refused.wav": 3, "silent.wav": 3, "full.wav": 1, "large.wav": 0, "good.wav": 1}
        )
        [words] = found["said"]
        self.assertRegex(
            words, r"^4 files could not be sent \(\w+\.wav…\)\. .*\. Bring them in again; the others are here\.$"
        )
        [words] = self.send(["full.wav"], {"full.wav": [507]})["said"]
        self.assertEqual(
            words, "1 file could not be sent (full.wav). said 507. Bring them in again; the others are here."
        )
        [words] = self.send(["silent.wav"], {"silent.wav": [0] * 3})["said"]
        self.assertIn("The server did not answer.", words)

    def test_nothing_and_a_server_that_is_down_are_said(self):
        self.assertEqual(self.send([])["said"], ["There were no files in that."])
        found = self.send(["a.wav"], is_down=True)
        self.assertEqual((found["sent"], found["listed"]), ([], 0))
        self.assertIn("could not begin", found["said"][0])

    def test_folders_are_walked_to_their_ends_without_what_is_hidden_or_can_not_be_read(self):
        many, plain = self.run_in("shelf/upload.js", FOLDERS)
        inside = ["Kit/kick.wav", "Kit/Snare/1.wav", "Kit/Snare/2.wav", "Kit/Snare/3.wav", "alone.wav"]
        self.assertEqual([path for path, _ in many], inside)
        self.assertEqual([name for _, name in many], [path.rsplit("/", 1)[-1] for path in inside])
        self.assertEqual(plain, [["old.wav", "old.wav"]])

    def test_a_track_is_drawn_across_blocks_once_they_are_here_and_those_not_seen_are_forgotten(self):
        found = self.run_in("recording/waves.js", WAVES)
        self.assertEqual((found["peaks"], found["seconds"]), ([-60, -48, 0], 240 / 48_000))
        self.assertIsNone(found["early"])
        self.assertEqual(found["late"], [20, 30, 1000, 1010, 1020, 1030, 2000], "of the first of two channels")
        self.assertIsNone(found["again"], "forgotten, and on its way again")
        self.assertGreaterEqual(found["fetched"], 41)
        self.assertEqual((found["lost"], found["isAskedAgain"], found["empty"]), ([None, None], True, []))

    def test_blocks_around_the_playhead_and_the_loops_begin_are_here_and_no_others(self):
        found = self.run_in("sound/recorded.js", AROUND)
        steps, gains = found["steps"], found["gains"]
        self.assertEqual(steps["begin"], [f"{track} {block}" for track in (1, 2) for block in range(4)])
        self.assertEqual(
            steps["later"], ["1 0", "1 1", "1 5", "1 7", "1 8", "2 0", "2 1"], "of one track the end is past"
        )
        self.assertEqual(steps["looped"], ["1 5", "1 7", "1 8", "1 9"])
        self.assertEqual(steps["stopped"], steps["looped"])
        self.assertGreater(found["times"], 1, "what did not come is asked for again")
        self.assertLessEqual(found["most"], 4)
        for name, (tracks, kit) in {"middle": ([1, 1], 1), "alone": ([1, 1], 0), "kit": ([0, 0], 1), "solo": ([0, 1], 1), "muted": ([0, 1], 1), "levelled": ([0, 1], 0.5), "closed": ([], 1)}.items():  # fmt: skip
            with self.subTest(name):
                for is_, wanted in zip([*gains[name][0], gains[name][1]], [*tracks, kit], strict=True):
                    self.assertAlmostEqual(is_, wanted)
        self.assertEqual((found["told"], steps["closed"]), ([["tracks", 24_000], ["tracks", None]], []))

    def test_what_is_asked_about_a_part_goes_behind_its_edits(self):
        found = self.run_in("page/sending.js", BEHIND)
        self.assertEqual(found["answers"], ["first", "lost", "second", "other"])
        self.assertEqual(
            found["log"],
            ["at once /parts/1/bounce/", "at once /kits/1/rename/", "at once /parts/1/lanes/", "sent first", "sent other", "sent lost",
             "sent second", "asked /recordings/of/1/2/make/ true", "at once /parts/1/bounce/"],
        )  # fmt: skip

    def test_of_two_comparisons_the_later_is_shown_whichever_answer_comes_first(self):
        says, listed = self.run_in("recording/match.js", OVERTAKEN)
        self.assertEqual(says, "Tom")
        self.assertIn("Tom is louder", listed)
