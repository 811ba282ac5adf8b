import { startWave } from "../../js/card/wave.js";
import { nearestZero, TakeView } from "../../js/card/take_view.js";
import { equal, near, notingTarget, pointer, press, settled, taken, test } from "../harness.js";

const WIDTH = 400;
const viewOf = (more = {}) => new TakeView({ frames: 48_000, rate: 48_000, start: 1000, end: 40_000, onset: 1200, fadeIn: 10, fadeOut: 50, ...more });

test("a frame and its pixel are each other's, wherever it is looked at", () => {
  const view = viewOf();
  for (const [factor, around] of [[0.5, 1000], [0.01, 20_000], [3, 47_000]]) {
    view.zoom(factor, around);
    for (const frame of [view.from, 1234, view.to]) near(view.frameAt(view.x(frame, WIDTH), WIDTH), frame, 1e-6);
  }
});

test("what is zoomed around stays under the pointer, within the sample and down to single frames", () => {
  const view = viewOf();
  const x = view.x(30_000, WIDTH);
  view.zoom(0.3, 30_000);
  near(view.x(30_000, WIDTH), x, 1e-6);
  for (let n = 0; n < 30; n++) view.zoom(0.5, 30_000);
  equal(view.span, 24);
  view.scroll(-1e9);
  equal([view.from, view.to], [0, 24]);
  view.zoom(1e9);
  equal([view.from, view.to], [0, 48_000]);
});

test("edges keep a frame between them and stay in the sample, fades are not below nothing", () => {
  const view = viewOf();
  view.put("start", 90_000);
  equal(view.start, 39_999);
  view.put("end", -5);
  equal(view.end, 40_000);
  view.put("start", -3.4);
  view.put("end", 1e9);
  view.put("fadeIn", 480);
  view.put("fadeOut", 99_000);
  equal([view.start, view.end, view.fadeIn, view.fadeOut], [0, 48_000, 10, 0]);
  equal(view.values, { start_frame: "0", end_frame: "", fade_in_ms: "10.00", fade_out_ms: "0.00" });
});

test("a press takes hold of what is near: at the top of fades first, below only of edges", () => {
  const view = viewOf({ fadeIn: 0 });
  const x = (frame) => view.x(frame, WIDTH);
  equal(
    [view.gripAt(x(1000) + 3, 5, WIDTH), view.gripAt(x(1000) + 3, 60, WIDTH), view.gripAt(x(40_000 - 2400), 5, WIDTH), view.gripAt(x(40_000 - 2400), 60, WIDTH), view.gripAt(x(20_000), 5, WIDTH)],
    ["fadeIn", "start", "fadeOut", null, null],
  ); // prettier-ignore
  equal([view.nearerEdge(15_000), view.nearerEdge(25_000)], ["start", "end"]);
});

test("the nearest crossing of zero is found on either side, and none where there is none", () => {
  const pairs = (values) => Int8Array.from(values.flatMap((value) => [value, value]));
  const wave = pairs([5, 5, -5, -5, -5, -5, 5, 5, 5]);
  equal([nearestZero(wave, 100, 103), nearestZero(wave, 100, 105), nearestZero(pairs([3, 3, 3]), 0, 1)], [102, 106, null]);
});

// The editor itself, over a page with one take and a server that answers with silence

const session = notingTarget({ selected: 4 });
const engine = notingTarget({ rate: 48_000 });
let answers = true;
const asked = [];
window.fetch = /** @type {any} */ (async (url) => {
  asked.push(url);
  const columns = Number(url.match(/columns=(\d+)/)[1]);
  return { ok: answers, arrayBuffer: async () => new Int8Array(2 * columns).buffer };
});
for (const [name, colour] of Object.entries({ paper: "#fff", "paper-2": "#eee", ink: "#000", sound: "#f00", t1: "#00f" })) document.documentElement.style.setProperty(`--${name}`, colour);
document.body.innerHTML = `<div id="card"></div>`;
const key = startWave(session, engine);

async function openTake(take = 7, more = "") {
  document.body.innerHTML = `<div id="card" style="position:fixed;left:0;top:0;width:${WIDTH}px"><div class="take" id="take-${take}"
    data-take="${take}" data-layer="1"></div><div class="take" data-take="99" data-layer="1"></div>
    <section id="one-take" data-take="${take}" data-number="2" data-frames="48000" data-rate="48000" data-start="1000" data-end="40000"
    data-onset="1200" data-fade-in="0" data-fade-out="0" data-url="/takes/${take}/peaks/?" data-set="/takes/${take}/values/" ${more}>
    <canvas id="take-canvas" tabindex="0" style="width:${WIDTH}px;height:92px;display:block"></canvas><p id="wave-says"></p><button
    data-wave="overlay"></button>${["in", "onset", "zero"].map((name) => `<button data-wave="${name}"></button>`).join("")}</section></div>`;
  const canvas = document.getElementById("take-canvas");
  canvas.setPointerCapture = () => {};
  session.dispatchEvent(new Event("marked"));
  await settled();
  return { canvas, says: () => document.getElementById("wave-says").title, typed: (...chords) => chords.map((chord) => key(press(chord, "", canvas))) };
}
const sent = () => taken(session, "post").map(([url, { values }]) => [url, JSON.parse(values)]);
const button = (name) => /** @type {HTMLElement} */ (document.querySelector(`[data-wave="${name}"]`)).click();

test("an edge is dragged, and sent when it is let go", async () => {
  const { canvas, says } = await openTake();
  const x = (frame) => (frame / 48_000) * WIDTH;
  pointer("pointerdown", canvas, { clientX: x(1000), clientY: 60 });
  pointer("pointermove", canvas, { clientX: x(4800), clientY: 60 });
  equal([says(), sent()], ["Frames 4800 to 40000", []]);
  pointer("pointerup", canvas);
  pointer("pointermove", canvas, { clientX: x(9000), clientY: 60 });
  equal(sent(), [["/takes/7/values/", { start_frame: "4800", end_frame: "40000", fade_in_ms: "0.00", fade_out_ms: "0.00" }]]);
});

test("a press beside the edges brings the nearer one there", async () => {
  const { canvas, says } = await openTake(8);
  pointer("pointerdown", canvas, { clientX: 250, clientY: 60 });
  equal(says(), "Frames 1000 to 30000");
  pointer("pointercancel", canvas);
  equal(sent().length, 1);
});

test("keys move the chosen edge, by single frames with Shift, and what they did is sent once they rest", async () => {
  const { typed, says } = await openTake(9);
  equal(typed("ArrowRight", "Shift+ArrowRight", "KeyE", "ArrowLeft", "KeyQ", "Control+ArrowLeft"), [true, true, true, true, false, false]);
  equal([says(), sent()], ["Frames 1241 to 39760", []]);
  await settled(380);
  equal(sent().map(([, values]) => values.end_frame), ["39760"]); // prettier-ignore
});

test("what keys did is sent at once when another take is opened, and not lost when this one is drawn anew", async () => {
  const { typed } = await openTake(11);
  typed("ArrowRight");
  const { says } = await openTake(11); // the answer to something else
  equal([says(), sent()], ["Frames 1240 to 40000", []]);
  await openTake(12);
  equal(sent(), [["/takes/11/values/", { start_frame: "1240", end_frame: "40000", fade_in_ms: "0.00", fade_out_ms: "0.00" }]]);
});

test("a take that was drawn anew is looked at as before, another one whole", async () => {
  const { typed } = await openTake(7);
  typed("Equal");
  asked.length = 0;
  await openTake(7);
  await openTake(13);
  const stretches = asked.map((url) => url.match(/from=(\d+)&to=(\d+)/).slice(1).map(Number)); // prettier-ignore
  equal(stretches, [[0, 48_000]], "the first is known");
});

test("buttons put the start at the onset, and lay the layer's other takes behind", async () => {
  const { says } = await openTake();
  button("onset");
  equal(says(), "Frames 1200 to 40000");
  asked.length = 0;
  button("overlay");
  await settled();
  equal([asked.map((url) => url.split("?")[0]), document.querySelector("[data-wave=overlay]").getAttribute("aria-pressed")], [["/takes/99/peaks/"], "true"]);
  button("overlay");
  await settled(380);
  taken(session, "post");
});

test("what did not come is asked for again", async () => {
  answers = false;
  await openTake(21);
  answers = true;
  asked.length = 0;
  const { says } = await openTake(21);
  equal([asked.length, says()], [1, "Frames 1000 to 40000"]);
});

test("Enter hears the take, and where it plays is drawn", async () => {
  const { canvas, typed } = await openTake(31);
  typed("Enter");
  equal(taken(engine, "hearTake"), [[4, 2]]);
  const ink = () => /** @type {HTMLCanvasElement} */ (canvas).getContext("2d").getImageData(0, 0, canvas.width, canvas.height).data.reduce((sum, value) => sum + value, 0);
  const before = ink();
  engine.dispatchEvent(new CustomEvent("report", { detail: { heads: [[4, 1, 0], [4, 2, 9000]] } })); // prettier-ignore
  if (ink() === before) throw new Error("no playhead is drawn");
});
