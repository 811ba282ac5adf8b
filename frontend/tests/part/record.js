import { startRecorder } from "../../js/part/record.js";
import { showPasses } from "../../js/part/passes.js";
import { TimeMap } from "../../js/part/time.js";
import { equal, noting, notingTarget, settled, taken, test } from "../harness.js";
import { BEAT, GRIDS, hitAt } from "../part_stand.js";

const RATE = 48_000;
const [CONSTANT, ORIGIN] = [1000, 50_000]; // frames of the way out, and of the context where the first round begins
const time = new TimeMap({ ticksPerBeat: BEAT, tempos: [[0, 500_000]], tempoFrames: [0], tempoTimes: [0], meters: [[0, 4, 4]], loopTicks: 4 * BEAT, rate: RATE }, GRIDS);

/** A recorder over a part of one bar of two seconds; `writes` says what the server answers to each pass. */
async function stand({ writes = async () => ({}), notes = { 1: 36, 2: null }, more = "" } = {}) {
  localStorage.clear();
  document.body.innerHTML = `<button id="record"><i></i> Record</button><button id="tap-test"></button><p id="tap-says"></p><input id="latency"><input
    id="click" type="checkbox"><input id="click-level" value="100"><input id="grid" value="off"><input id="swing" value="58"><input id="count-in"
    value="2">
    <input id="only-selected" type="checkbox"><input id="replace-notes" type="checkbox" checked><input id="record-strength" value="40">${more}`;
  const written = [];
  const model = notingTarget({ id: 4, time, about: { controls: [] }, pending: [], edit: async (what, values) => (written.push([what, values]), writes()) });
  const session = notingTarget({ pads: [1] });
  const engine = notingTarget({ rate: RATE, clock: { constant: CONSTANT } });
  const input = notingTarget();
  const part = {
    model, isRecording: false, isPlaying: false, start: 480, range: [0, 0], ready: Promise.resolve(), isComing: () => false, plays: [],
    play: (...given) => void (part.plays.push(given), (part.isPlaying = true)), toggle: () => (part.isPlaying = false),
  }; // prettier-ignore
  const ways = { noteOf: (pad) => notes[pad] ?? null, writes: (note) => (note < 100 ? note : null), gives: [], giveNote: async (_, pad) => (ways.gives.push(pad), await settled(5), 70) };
  const recorder = startRecorder({ session, engine, input, part, ways });
  await settled();
  const turn = (origin, isFirst = false) => engine.dispatchEvent(new CustomEvent("turn", { detail: { origin, from: 0, isFirst } }));
  const tell = (name, frame, how) => input.dispatchEvent(new CustomEvent(
    name, { detail: { pads: [1], isOwn: false, note: 38, velocity: 90, from: "drum", frame: ORIGIN + CONSTANT + frame, ...how } },
  )); // prettier-ignore
  const begin = () => (recorder.begin(), turn(ORIGIN, true));
  const passes = () => written.filter(([what]) => what === "record").map(([, { hits }]) => hits);
  const say = (frame, value) => tell("said", frame, { kind: 0, number: 4, value, channel: 9 });
  const [hit, release] = ["hit", "release"].map((name) => (frame, how = {}) => tell(name, frame, how));
  return { recorder, model, session, engine, part, ways, written, passes, begin, turn, say, hit, release };
}

test("recording plays from the start, counted in, with a click, and says that it does", async () => {
  const { recorder, engine, part, session } = await stand();
  recorder.begin();
  equal([part.plays[0][0].length, part.isRecording, document.body.className, document.getElementById("record").textContent], [8, true, "recording", " Recording"]);
  equal([taken(engine, "setClick").at(-1), taken(session, "say")[0][0]], [[true, 1], "Recording. Each time round is a pass of its own; Esc stops."]); // prettier-ignore
  session.dispatchEvent(new Event("part-stopped"));
  equal([part.isRecording, document.body.className, taken(engine, "setClick").at(-1)[0]], [false, "", false]);
});

test("what a foot says is written with the pass, after how it stood when the pass began", async () => {
  const { recorder, written, begin, hit, say } = await stand();
  say(-90_000, 20); // before anything is recorded
  begin();
  hit(4800);
  say(9600, 90);
  recorder.end();
  await settled();
  equal(written[0][1].said, [[0, 0, 4, 20, 9], [9600, 0, 4, 90, 9]]); // prettier-ignore
});

test("a loop that is set is recorded from its begin; without a part the way to one is said", async () => {
  const { recorder, part, session, model } = await stand();
  part.range = [960, 1440];
  recorder.begin();
  equal(part.start, 960);
  recorder.begin();
  equal(part.isRecording, false, "the same button ends it");
  part.isComing = () => true;
  recorder.begin();
  equal([taken(session, "say").at(-1)[0], part.isRecording], ["The part is still on its way.", false]); // prettier-ignore
  part.isComing = () => false;
  model.time = null;
  recorder.begin();
  equal(taken(session, "say").at(-1), ["Begin a part first: open Part, then New part.", true]);
});

test("strikes stand at the frames of their own stamps, less the latency, with how long they are held", async () => {
  const { begin, hit, release, recorder, passes, written } = await stand();
  localStorage.setItem("latency", "10");
  begin();
  hit(1480);
  release(5480);
  hit(9000, { isOwn: true, note: undefined, velocity: 33, channel: 3 });
  release(9000, { isOwn: true, note: undefined });
  recorder.end();
  await settled();
  equal(passes(), [[[1000, 38, 90, 9, 4000], [8520, 36, 33, 3, 0]]]); // prettier-ignore
  const [[, { grid, swing, replace, strength, rate }]] = written;
  equal([grid, swing, replace, strength, rate], ["1/16", 58, true, 40, RATE]);
});

test("each time round is a pass; a strike just before the turn belongs to the round after it", async () => {
  const { begin, hit, turn, recorder, passes } = await stand();
  begin();
  hit(500);
  turn(ORIGIN + 96_000);
  hit(96_000 - 2000);
  hit(96_000 + 700);
  recorder.end();
  await settled(2);
  equal(passes().map((hits) => hits.map(([frame]) => frame)), [[500], [0, 700]]); // prettier-ignore
});

test("what is only heard, counted in, struck on an empty cell or left out by choice is not recorded", async () => {
  const { begin, hit, recorder, passes, session } = await stand();
  hit(0);
  begin();
  for (const from of ["part", "lane", "sweep"]) hit(100, { from });
  hit(-20_000);
  hit(100, { isOwn: true, pads: [] });
  /** @type {HTMLInputElement} */ (document.getElementById("only-selected")).checked = true;
  session.pads = [7];
  hit(200);
  recorder.end();
  await settled();
  equal(passes(), []);
});

test("a pad without a note gets a free one, once, and its strikes are kept", async () => {
  const { begin, hit, recorder, passes, ways } = await stand();
  begin();
  hit(100, { isOwn: true, pads: [2], note: undefined });
  hit(200, { isOwn: true, pads: [2], note: undefined });
  await settled(15);
  recorder.end();
  await settled();
  equal([ways.gives, passes().map((hits) => hits.map(([frame, note]) => [frame, note]))], [[2], [[[100, 70], [200, 70]]]]); // prettier-ignore
});

test("a pass replaces what it was played over, and says so before it does", async () => {
  const { begin, hit, turn, recorder, written, model, part } = await stand({ more: `<output id="replaced-says"></output>` });
  model.hits = [hitAt(1, 0), hitAt(2, 100), hitAt(3, 50_000)].map((one) => ({ ...one, note: 38, frame: one.tick }));
  part.turn = [0, 4 * BEAT];
  begin();
  hit(20);
  equal(document.getElementById("replaced-says").textContent, "takes away 1 hit");
  hit(60_000);
  equal(document.getElementById("replaced-says").textContent, "takes away 3 hits");
  turn(ORIGIN + 96_000);
  hit(96_000 + 700);
  part.frame = 4000;
  recorder.end();
  await settled(2);
  equal(written.map(([, { span, loop }]) => [span, loop]), [[[0, 96_000], [0, 4 * BEAT]], [[0, 4000], [0, 4 * BEAT]]]); // prettier-ignore
  equal(document.getElementById("replaced-says").textContent, "");
});

test("half a pass that another tab is still playing is that tab's, until it is gone", async () => {
  const { passes, model } = await stand();
  const half = { name: "other", part: 4, rate: RATE, hits: [[5, 38, 90, 9, 0]], replace: false, strength: 0, grid: "1/16", swing: 50 };
  let gone = (/** @type {unknown} */ _) => {};
  const held = navigator.locks.request("unwritten-pass other", () => new Promise((release) => (gone = release)));
  await settled();
  localStorage.setItem("unwritten-pass other", JSON.stringify(half));
  model.dispatchEvent(new Event("loaded"));
  await settled();
  equal(passes(), []);
  gone(null);
  await held;
  for (let tries = 0; tries < 400 && localStorage.length; tries++) await settled(1);
  equal([passes(), localStorage.length], [[half.hits], 0]);
});

test("what was just played sounds on the next time round, before it is written", async () => {
  const { begin, hit, model } = await stand();
  begin();
  hit(24_000);
  const [[hits]] = taken(model, "play").slice(-1);
  equal(hits.map(({ frame, note, tick, id }) => [frame, note, tick, id < 0]), [[24_000, 38, BEAT, true]]); // prettier-ignore
});

test("what the server does not take is tried twice, kept, said, and sent when the part is there again", async () => {
  let answers = null;
  const { begin, hit, recorder, passes, session, model } = await stand({ writes: async () => answers });
  begin();
  hit(100);
  recorder.end();
  await settled();
  const kept = () => Object.keys(localStorage).filter((key) => key.startsWith("unwritten-pass ")).length;
  equal([passes().length, kept(), taken(session, "say").at(-1)], [2, 1, ["The server does not answer. What you played is kept here, and sent as soon as it does.", true]]); // prettier-ignore
  answers = {};
  model.id = 5;
  model.dispatchEvent(new Event("loaded"));
  await settled();
  equal(kept(), 1, "another part is open");
  model.id = 4;
  model.dispatchEvent(new Event("loaded"));
  await settled();
  equal([passes().length, kept()], [3, 0]);
});

test("eight taps along with the click find the latency, as their median", async () => {
  const { engine, part, hit, turn } = await stand();
  document.getElementById("tap-test").click();
  equal([part.plays.length, taken(engine, "setClick").at(-1)[0]], [1, true]);
  turn(ORIGIN, true);
  for (const ms of [12, 9, 11, 10, 40, 11, 8]) hit(24_000 + ms * 48);
  equal(document.getElementById("tap-says").textContent, "7 of 8");
  hit(48_000 + 10 * 48);
  equal(
    [document.getElementById("tap-says").textContent, localStorage.getItem("latency"), /** @type {HTMLInputElement} */ (document.getElementById("latency")).value, part.isPlaying],
    ["10.5 ms late, within 32 ms", "10.5", "10.5", false],
  ); // prettier-ignore
});

test("taps that are broken off change nothing, and a latency can be typed", async () => {
  const { hit, turn } = await stand();
  document.getElementById("tap-test").click();
  turn(ORIGIN, true);
  hit(480);
  document.getElementById("tap-test").click();
  equal([localStorage.getItem("latency"), document.getElementById("tap-says").textContent], [null, ""]);
  const field = /** @type {HTMLInputElement} */ (document.getElementById("latency"));
  field.value = "7.5";
  field.dispatchEvent(new Event("change", { bubbles: true }));
  equal(localStorage.getItem("latency"), "7.5");
});

test("passes are listed with what they hold, and heard, muted, chosen and selected by their buttons", () => {
  document.body.innerHTML = `<p id="no-passes"></p><ul id="passes"></ul>`;
  const hits = [{ ...hitAt(1, 0), pass: 8 }, { ...hitAt(2, 9), pass: 8, velocity: 0 }, { ...hitAt(3, 9), pass: 9 }]; // prettier-ignore
  const model = noting({ about: { passes: [[8, 1, false], [9, 2, true]] }, hits }); // prettier-ignore
  showPasses(/** @type {any} */ ({ model }));
  const lines = [...document.querySelectorAll("li")].map(({ textContent }) => textContent);
  equal([lines, document.getElementById("no-passes").hidden], [["Pass 1 · 1 hits muteonly thisselect", "Pass 2 · 1 hits hearonly thisselect"], true]);
  for (const button of document.querySelectorAll("button")) button.click();
  equal([taken(model, "edit"), taken(model, "select")], [[["passes/8/mute"], ["passes/8/only"], ["passes/9/hear"], ["passes/9/only"]], [[[1, 2]], [[3]]]]); // prettier-ignore
});
