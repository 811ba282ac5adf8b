import { startGestures } from "../../js/part/gestures.js";
import { RULER } from "../../js/part/layout.js";
import { drag, equal, near, taken, test } from "../harness.js";
import { BEAT, editorOf, hitAt } from "../part_stand.js";

const SIXTEENTH = BEAT / 4;

function stand(hits = []) {
  const all = editorOf(hits);
  startGestures(all.canvas, all.editor, new AbortController().signal);
  const { view } = all;
  const height = (lane, velocity) => view.foot(lane) - (velocity / 127) * (view.laneHeight - 6);
  return { ...all, at: (tick, lane, velocity) => [view.x(tick), height(lane, velocity)], foot: (tick, lane) => [view.x(tick), view.foot(lane) - 2] };
}

const edits = (model) => taken(model, "edit");

test("a press on an empty place draws one hit of the lane there, as loud as the last one", () => {
  const { editor, model, canvas, at } = stand();
  drag(canvas, [at(BEAT + 9, 2, 64)]);
  equal(edits(model), [["draw", { events: [[BEAT, 42, 96, 9, 60]] }, { selects: true }]]);
  equal(taken(editor, "hear").map(([{ note, channel }, velocity]) => [note, channel, velocity]), [[42, 9, 96]]);
});

test("a press at a lane's top is an accent, at its floor a soft hit, and the next is as loud", () => {
  const { editor, model, canvas, at } = stand();
  for (const [tick, velocity] of [[0, 120], [BEAT, 10]]) drag(canvas, [at(tick, 0, velocity)]); // prettier-ignore
  equal(edits(model).map(([, { events }]) => events[0][2]), [112, 40]);
  equal(editor.lastVelocity, 40);
});

test("a drag sideways paints each place of the grid once, and louder where the hand is higher", () => {
  const { model, canvas, at } = stand();
  const [x, y] = at(0, 1, 60);
  drag(canvas, [[x, y], [at(4 * SIXTEENTH, 1, 60)[0], y - 10], [at(2 * SIXTEENTH, 1, 60)[0], y]]); // prettier-ignore
  const [[what, { events }]] = edits(model);
  equal([what, events.map(([tick]) => tick)], ["draw", [0, 1, 2, 3, 4].map((n) => n * SIXTEENTH)]);
  equal(events.map((event) => event[2]), [96, 108, 96, 96, 108]);
});

test("with Alt a hit is drawn off the grid", () => {
  const { model, canvas, at } = stand();
  drag(canvas, [at(BEAT + 17, 0, 64)], { altKey: true });
  const [[, { events }]] = edits(model);
  near(events[0][0], BEAT + 17, 1);
});

test("a lane without a note asks for one, and the press selects as a frame", () => {
  const { editor, model, canvas, at } = stand([hitAt(1, 0)]);
  drag(canvas, [at(BEAT, 3, 60)]);
  equal([taken(editor, "needsNote"), edits(model)], [[[3]], []]);
});

test("a hit is moved by its stem in places of the grid and to other lanes", () => {
  const { model, canvas, foot } = stand([hitAt(1, 2 * SIXTEENTH), hitAt(2, 4 * SIXTEENTH)]);
  model.select([1, 2]);
  drag(canvas, [foot(4 * SIXTEENTH, 1), foot(6 * SIXTEENTH + 20, 2)]);
  equal(edits(model), [["move", { ids: [1, 2], ticks: 2 * SIXTEENTH, notes: [[38, 42]], copy: false }, { selects: false }]]);
});

test("with Ctrl a copy is moved, with Alt off the grid, and none before the part's begin", () => {
  const { model, canvas, foot } = stand([hitAt(1, SIXTEENTH), hitAt(2, BEAT)]);
  drag(canvas, [foot(BEAT, 1), foot(2 * BEAT, 1)], { ctrlKey: true });
  drag(canvas, [foot(BEAT, 1), foot(BEAT + 31, 1)], { altKey: true });
  model.select([1, 2]);
  drag(canvas, [foot(BEAT, 1), foot(0, 1)]);
  const [copied, free, early] = edits(model);
  equal([copied[1].ids, copied[1].ticks, copied[1].copy, copied[2]], [[2], BEAT, true, { selects: true }]);
  near(free[1].ticks, 31, 2);
  equal(early[1].ticks, -SIXTEENTH);
});

test("a press that does not move a hit selects and sounds it, and changes nothing", () => {
  const { editor, model, canvas, foot } = stand([hitAt(1, BEAT)]);
  const [x, y] = foot(BEAT, 1);
  drag(canvas, [[x, y], [x + 2, y]]); // prettier-ignore
  equal([[...model.selected], edits(model), editor.cursor], [[1], [], { tick: BEAT, lane: 1 }]);
  equal(taken(editor, "hear").map(([{ note }, velocity]) => [note, velocity])[0], [38, 90]);
});

test("by its head a hit is made louder, and the selected ones in proportion", () => {
  const { editor, model, canvas, at } = stand([hitAt(1, BEAT, 38, 80), hitAt(2, 2 * BEAT, 38, 40), hitAt(3, 3 * BEAT, 38, 127)]);
  model.select([1, 2, 3]);
  const [x, y] = at(BEAT, 1, 80);
  drag(canvas, [[x, y], [x, y - (20 * 2 * editor.view.laneHeight) / 127]]); // prettier-ignore
  equal(edits(model), [["strike", { velocities: [[1, 100], [2, 50], [3, 127]] }]]); // prettier-ignore
  equal(editor.lastVelocity, 100);
});

test("drawn down to the floor the hits are taken away", () => {
  const { model, canvas, at } = stand([hitAt(1, BEAT, 38, 60)]);
  const [x, y] = at(BEAT, 1, 60);
  drag(canvas, [[x, y], [x, y + 300]]); // prettier-ignore
  equal(edits(model), [["remove", { ids: [1] }]]);
});

test("with Shift a frame selects what it holds, and a press on a hit adds or takes it", () => {
  const { model, canvas, view, foot } = stand([hitAt(1, BEAT, 36), hitAt(2, BEAT, 38), hitAt(3, 3 * BEAT, 38), hitAt(4, BEAT, 42)]);
  drag(canvas, [[view.x(BEAT / 2), RULER + 3], [view.x(2 * BEAT), view.foot(1) - 3]], { shiftKey: true }); // prettier-ignore
  equal([...model.selected], [1, 2]);
  drag(canvas, [foot(BEAT, 2)], { shiftKey: true });
  drag(canvas, [foot(BEAT, 0)], { shiftKey: true });
  equal([[...model.selected].sort(), edits(model)], [[2, 4], []]);
});

test("on the ruler a press sets the start, and a drag the loop, from either side", () => {
  const { editor, canvas, view } = stand();
  drag(canvas, [[view.x(BEAT + 8), 30]]);
  equal([taken(editor, "setStart"), taken(editor, "clearRangeAt"), taken(editor, "setRange")], [[[BEAT]], [[BEAT]], []]);
  drag(canvas, [[view.x(3 * BEAT), 30], [view.x(BEAT), 30]]); // prettier-ignore
  equal(taken(editor, "setRange").at(-1), [[BEAT, 3 * BEAT]]);
});

test("a line over the strip is a ramp of its lane's hits, drawn from either side", () => {
  for (const turn of [(points) => points, (points) => points.reverse()]) {
    const { model, canvas, view } = stand([hitAt(1, 0), hitAt(2, BEAT), hitAt(3, 2 * BEAT), hitAt(4, 3 * BEAT), hitAt(5, BEAT, 42)]);
    const high = (velocity) => view.height - (velocity / 127) * (84 - 12);
    drag(canvas, turn([[view.x(0), high(20)], [view.x(2 * BEAT), high(100)]])); // prettier-ignore
    equal(edits(model), [["strike", { velocities: [[1, 20], [2, 60], [3, 100]] }]]); // prettier-ignore
  }
});

test("what the hand would do is told by its cursor", () => {
  const { canvas, editor, at, foot } = stand([hitAt(1, BEAT, 38, 90)]);
  const over = (/** @type {number[]} */ [clientX, clientY]) => {
    canvas.dispatchEvent(new PointerEvent("pointermove", { clientX, clientY }));
    return canvas.style.cursor;
  };
  equal([over(at(BEAT, 1, 90)), over(foot(BEAT, 1)), over(at(3 * BEAT, 1, 90)), over([50, 10]), over([50, editor.view.height - 9])], ["ns-resize", "grab", "crosshair", "col-resize", "crosshair"]);
});

test("a press that is broken off leaves nothing behind, and the wheel scrolls, or zooms with Ctrl", () => {
  const { canvas, editor, model, at } = stand([hitAt(1, BEAT)]);
  const [clientX, clientY] = at(2 * BEAT, 1, 60);
  canvas.dispatchEvent(new PointerEvent("pointerdown", { clientX, clientY }));
  equal(editor.drawn.length, 1);
  canvas.dispatchEvent(new PointerEvent("pointercancel", { clientX, clientY }));
  equal([editor.drawn, edits(model)], [[], []]);
  for (const turned of [{ deltaY: 40 }, { deltaY: 40, shiftKey: true }, { deltaY: -1, ctrlKey: true }]) canvas.dispatchEvent(new WheelEvent("wheel", { clientX, cancelable: true, ...turned }));
  equal([taken(editor, "scroll"), taken(editor, "zoom")], [[[0, 40], [40, 0]], [[1 / 1.2, clientX]]]); // prettier-ignore
});
