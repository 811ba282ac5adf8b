import { startCut } from "../../js/card/cut.js";
import { equal, notingTarget, pointer, press, settled, taken, test } from "../harness.js";

const WIDTH = 480; // pixels; a pixel is a hundred frames
const session = notingTarget();
const engine = notingTarget({ rate: 24_000 });
window.fetch = /** @type {any} */ (async () => ({ ok: true, arrayBuffer: async () => new Int8Array(2 * WIDTH).buffer }));
startCut(session, engine);

/** A loop of 48,000 frames in three slices, its first sound 200 frames after its begin. */
async function open() {
  document.body.innerHTML = `<canvas id="cut-canvas" tabindex="0" style="position:fixed;left:0;top:0;width:${WIDTH}px;height:150px"
    data-frames="48000" data-cuts="200,10000,30000" data-sample="6" data-onset="200" data-rate="48000" data-url="/peaks/"></canvas><input
    id="cut-starts"><b id="cut-pieces"></b>`;
  const canvas = document.getElementById("cut-canvas");
  canvas.setPointerCapture = () => {};
  session.dispatchEvent(new Event("marked"));
  await settled();
  canvas.focus();
  engine.calls.length = 0;
  const point = (kind, frame, more = {}) => pointer(kind, canvas, { clientX: frame / 100, clientY: 40, ...more });
  return {
    canvas, point, starts: () => /** @type {HTMLInputElement} */ (document.getElementById("cut-starts")).value,
    heard: () => taken(engine, "hear").map(([, { from, count }]) => [from, count]),
  }; // prettier-ignore
}

test("a press in a slice hears it from its boundary to the next, as long as it plays", async () => {
  const { point, heard } = await open();
  point("pointerdown", 20_000);
  point("pointerdown", 45_000);
  equal(heard(), [[4900, 10_000], [14_900, 9000]]); // prettier-ignore
});

test("a boundary is dragged, and stays in order with the others", async () => {
  const { point, starts } = await open();
  point("pointerdown", 10_300);
  point("pointermove", 35_000);
  equal(starts(), "", "told when it is let go");
  point("pointerup", 35_000);
  equal([starts(), document.getElementById("cut-pieces").textContent], ["200, 30000, 35000", "3"]);
});

test("a drag that is broken off ends there, and another button drags nothing", async () => {
  const { point, starts } = await open();
  point("pointerdown", 10_000);
  point("pointermove", 12_000);
  point("pointercancel", 12_000);
  point("pointermove", 20_000);
  equal(starts(), "200, 12000, 30000");
  point("pointerdown", 12_000, { button: 2 });
  point("pointermove", 20_000);
  point("pointerup", 20_000);
  equal(starts(), "200, 12000, 30000");
});

test("two presses put a boundary, or take it away, but not the last", async () => {
  const { canvas, starts } = await open();
  const twice = (frame) => canvas.dispatchEvent(new MouseEvent("dblclick", { bubbles: true, clientX: frame / 100, clientY: 40 }));
  twice(20_000);
  equal(starts(), "200, 10000, 20000, 30000");
  for (const frame of [200, 10_000, 20_000, 30_000]) twice(frame);
  equal(starts(), "30000");
});

test("what is typed is read whatever stands between, and what is no number is left out", async () => {
  const { starts } = await open();
  const field = /** @type {HTMLInputElement} */ (document.getElementById("cut-starts"));
  const typed = (value) => {
    field.value = value;
    field.dispatchEvent(new Event("change", { bubbles: true }));
    return starts();
  };
  equal([typed("5000; 900 , x, 99999,"), typed("nothing")], ["900, 5000, 47999", "900, 5000, 47999"]);
});

test("by keys the boundaries are walked and heard, moved, put in and taken away", async () => {
  const { canvas, starts, heard } = await open();
  const typed = (...chords) => chords.forEach((chord) => press(chord, "", canvas));
  typed("ArrowRight", "ArrowRight", "ArrowRight", "ArrowLeft");
  equal(heard().map(([from]) => from), [4900, 14_900, 14_900, 4900]); // prettier-ignore
  typed("Alt+ArrowRight", "Alt+Shift+ArrowLeft");
  equal(starts(), "200, 10047, 30000");
  typed("Insert");
  equal(starts(), "200, 10047, 20024, 30000");
  typed("Delete", "Delete", "Delete", "Delete");
  equal([starts(), press("KeyQ", "q", canvas).defaultPrevented], ["200", false]);
});
