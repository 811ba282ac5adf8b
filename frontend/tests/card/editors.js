import { startEditors } from "../../js/card/editors.js";
import { equal, near, notingTarget, pointer, press, settled, taken, test } from "../harness.js";

const session = notingTarget();
const SCALE = 2; // pixels for each unit of the drawings
document.body.replaceChildren();
startEditors(session);

/** A curve of three points and an envelope, as the card draws them. */
function draw({ points = [[1, 1], [64, 64], [127, 127]], envelope = "" } = {}) {
  document.body.innerHTML = `<svg id="curve-editor" tabindex="0" viewBox="0 0 127 127"
    style="position:fixed;left:0;top:0;width:${127 * SCALE}px;height:${127 * SCALE}px" data-points="${JSON.stringify(points)}"
    data-set="/curve/"><path class="line"></path></svg>
    <svg id="envelope-editor" viewBox="0 0 288 64" style="position:fixed;left:0;top:300px;width:${288 * SCALE}px;height:${64 * SCALE}px"
    data-attack="0" data-hold="10" data-decay="" data-sustain="0.5" data-release="100" data-set="/envelope/" ${envelope}><path
    class="fill"></path><path class="line"></path></svg>`;
  const [curve, shape] = ["curve-editor", "envelope-editor"].map((id) => /** @type {any} */ (document.getElementById(id)));
  for (const one of [curve, shape]) one.setPointerCapture = () => {};
  session.calls.length = 0;
  session.dispatchEvent(new Event("marked"));
  const at = (velocity, plays) => ({ button: 0, clientX: ((velocity - 1) / 126) * 127 * SCALE, clientY: ((127 - plays) / 126) * 127 * SCALE });
  const sent = () => taken(session, "post").map(([url, { values }]) => [url, url === "/curve/" ? JSON.parse(JSON.parse(values).curve_points) : JSON.parse(values)]);
  return { curve, shape, at, sent, typed: (...chords) => (curve.focus(), chords.forEach((chord) => press(chord))) }; // prettier-ignore
}

test("a press puts a point, a drag moves it between its neighbours, and it is sent when it is let go", () => {
  const { curve, at, sent } = draw();
  pointer("pointerdown", curve, at(30, 90));
  pointer("pointermove", curve, at(200, 100));
  equal([sent(), taken(session, "say").at(-1)], [[], ["Velocity 63 plays as 100"]]); // prettier-ignore
  pointer("pointerup", curve);
  equal(sent(), [["/curve/", [[1, 1], [63, 100], [64, 64], [127, 127]]]]); // prettier-ignore
});

test("the ends stay at their velocities, and a point that is pressed is moved, not doubled", () => {
  const { curve, at, sent } = draw();
  pointer("pointerdown", curve, at(3, 3));
  pointer("pointermove", curve, at(50, 20));
  pointer("pointerup", curve);
  equal(sent(), [["/curve/", [[1, 20], [64, 64], [127, 127]]]]); // prettier-ignore
});

test("two presses take a point away, but not an end", () => {
  const { curve, at, sent } = draw();
  const twice = (where) => curve.dispatchEvent(new MouseEvent("dblclick", { bubbles: true, ...where }));
  twice(at(64, 64));
  twice(at(1, 1));
  equal(sent(), [["/curve/", [[1, 1], [127, 127]]]]); // prettier-ignore
});

test("by keys points are walked, raised and lowered, put in and taken away, and sent once the hand rests", async () => {
  const { typed, sent, curve } = draw();
  typed("ArrowLeft", "ArrowUp", "ArrowUp", "ArrowDown");
  equal([sent(), taken(session, "say").at(-1)], [[], ["Velocity 64 plays as 66"]]); // prettier-ignore
  await settled(400);
  typed("Enter", "ArrowRight", "ArrowRight", "Delete", "ArrowLeft", "Delete");
  await settled(400);
  equal(sent(), [["/curve/", [[1, 1], [64, 66], [127, 127]]], ["/curve/", [[1, 1], [64, 66], [127, 127]]]]); // prettier-ignore
  equal([curve.querySelectorAll("circle").length, curve.querySelector(".line").getAttribute("d")], [3, "M1 126L64 61L127 0"]);
});

test("keys that come before the curve is drawn, and between an edit and its answer, are not lost", async () => {
  const { sent, curve } = draw();
  const fresh = () => {
    const anew = curve.cloneNode(true);
    delete anew.dataset.drawn;
    document.getElementById("curve-editor").replaceWith(anew);
    return anew;
  };
  const pressed = (...chords) => (document.getElementById("curve-editor").focus(), chords.forEach((chord) => press(chord))); // prettier-ignore
  fresh();
  pressed("ArrowLeft", "ArrowUp");
  session.dispatchEvent(new Event("marked"));
  await settled(400);
  equal(sent(), [["/curve/", [[1, 1], [64, 66], [127, 127]]]]); // prettier-ignore
  pressed("ArrowUp");
  fresh(); // the answer to the first edit, whatever it says
  session.dispatchEvent(new Event("marked"));
  pressed("ArrowUp");
  await settled(400);
  equal(sent(), [["/curve/", [[1, 1], [64, 70], [127, 127]]]]); // prettier-ignore
});

test("a curve without room between two points gets none", async () => {
  const { typed, sent } = draw({ points: [[1, 1], [2, 9], [127, 127]] }); // prettier-ignore
  typed("ArrowLeft", "ArrowLeft", "Enter");
  await settled(400);
  equal(sent(), []);
});

const corner = (shape, name) => shape.querySelector(`[data-corner=${name}]`);
const dragCorner = (shape, name, x, y) => {
  pointer("pointerdown", corner(shape, name), { button: 0 });
  pointer("pointermove", shape, { clientX: x * SCALE, clientY: 300 + y * SCALE });
  pointer("pointerup", shape);
};

test("corners of an envelope are dragged over times from a millisecond to seconds", () => {
  const { shape, sent } = draw();
  dragCorner(shape, "attack", 4 + 66 / 2, 4);
  const [[, values]] = sent();
  near(values.attack_ms, 4000 * 0.5 ** 2.5, 0.1);
  equal([values.hold_ms, values.decay_ms], [10, ""], "what was not dragged stays");
});

test("a decay begins where its corner is drawn in, and ends beyond the right", () => {
  const { shape, sent } = draw();
  dragCorner(shape, "decay", 120, 40);
  equal(sent()[0][1].decay_ms > 0, true);
  dragCorner(shape, "decay", 250, 40);
  equal(sent()[0][1].decay_ms, "");
});

test("of a held sound the decay falls to the level that it sustains, and the release is dragged", () => {
  const { shape, sent } = draw({ envelope: 'data-held="1"' });
  dragCorner(shape, "decay", 120, 16);
  equal(sent()[0][1].sustain, 0.75);
  const { cx } = corner(shape, "release");
  dragCorner(shape, "release", cx.baseVal.value + 20, 60);
  equal(sent()[0][1].release_ms > 100, true);
});
