import { startGestures } from "../../js/recording/gestures.js";
import { RULER } from "../../js/recording/layout.js";
import { Mending } from "../../js/recording/mending.js";
import { drag, equal, near, noting, taken, test } from "../harness.js";
import { recordingOf } from "../recording_stand.js";

async function stand(has) {
  const all = await recordingOf(has);
  const { model, view } = all;
  const part = noting({ isPlaying: false });
  const editor = noting({ model, view, mending: new Mending(model, view), chosen: 0, held: null, moving: null, lines: null, input: noting(), part });
  startGestures(all.canvas, editor, new AbortController().signal);
  const at = (time, row, level = -50) => [view.x(time), view.foot(row) - view.rise(level)];
  return { ...all, editor, part, at, answered: () => model.mend(() => null) };
}

const times = (model, track = 1) => model.taken(track).map(({ time }) => Math.round(time * 1e3) / 1e3);

test("a press on a hit selects it and sounds its pad, a drag moves it to the nearest rise", async () => {
  const { canvas, at, editor, model, server, answered } = await stand();
  const [x, y] = at(2, 0);
  drag(canvas, [[x, y], [x + 2, y]]); // prettier-ignore
  equal([model.selected.time, taken(editor.input, "pad")[0].slice(0, 3)], [2, [1, 94, "recording"]]);
  server.rise = (time) => ({ time: Math.round(time * 10) / 10, level: -9, isRise: true });
  drag(canvas, [[x, y], at(2.31, 0)]); // prettier-ignore
  await answered();
  equal([times(model), model.selected.level], [[1, 2.3, 3], -9]); // prettier-ignore
});

test("with Alt it stays where it was let go", async () => {
  const { canvas, at, model, server, answered } = await stand();
  server.rise = () => ({ time: 9, level: -9, isRise: true });
  drag(canvas, [at(2, 0), at(2.4, 0)], { altKey: true });
  await answered();
  near(times(model)[1], 2.4, 0.002);
});

test("a press on an empty place puts a hit there, on one that was left out takes it", async () => {
  const { canvas, at, model, editor, answered } = await stand();
  drag(canvas, [at(6, 1)]);
  drag(canvas, [at(1.5, 0)]);
  await answered();
  equal([times(model, 2).map((time) => Math.round(time)), times(model)], [[1, 3, 6], [1, 1.5, 2, 3]]); // prettier-ignore
  equal(taken(editor, "choose"), [[1], [0]]);
});

test("a threshold is dragged by its line, what lies over it is seen at once, and sent when it is let go", async () => {
  const { canvas, at, model, view, server, answered } = await stand();
  await model.setTrack(1, { softest: -40 });
  const y = (level) => view.foot(0) - view.rise(level);
  canvas.dispatchEvent(new PointerEvent("pointerdown", { clientX: 20, clientY: y(-40) }));
  canvas.dispatchEvent(new PointerEvent("pointermove", { clientX: 20, clientY: y(-15) }));
  equal([times(model), server.sent.length], [[1, 2], 1]); // prettier-ignore
  canvas.dispatchEvent(new PointerEvent("pointerup", { clientX: 20, clientY: y(-15) }));
  await answered();
  equal(model.track(1).softest, -15);
  drag(canvas, [[20, y(-15)], [20, at(0, 0, -66)[1] + 9]]); // prettier-ignore
  await answered();
  equal(server.sent.at(-1), ["tracks", {}], "down at the floor there is none");
});

test("a bar line follows the hand and is set where it is let go; the rest of the ruler is start and loop", async () => {
  const { canvas, view, editor, part } = await stand({ lines: [1, 3, 5, 7], bars: [[0, 1]] });
  const [x, y] = [view.x(3), 8];
  canvas.dispatchEvent(new PointerEvent("pointerdown", { clientX: x, clientY: y }));
  canvas.dispatchEvent(new PointerEvent("pointermove", { clientX: view.x(3.5), clientY: y }));
  equal(editor.lines.map((time) => Math.round(time * 10) / 10), [1, 3.5, 5, 7]);
  canvas.dispatchEvent(new PointerEvent("pointerup", { clientX: view.x(3.5), clientY: y }));
  equal(taken(editor, "moveBar").map(([line, time]) => [line, Math.round(time * 10) / 10]), [[1, 3.5]]); // prettier-ignore
  part.isPlaying = true;
  drag(canvas, [[view.x(4), RULER - 4]]);
  equal([taken(editor, "setStart").map(([time]) => Math.round(time)), taken(editor, "setRange"), taken(part, "toggle").length], [[4], [[[0, 0]]], 2]); // prettier-ignore
  drag(canvas, [[view.x(6), RULER - 4], [view.x(2), RULER - 4]]); // prettier-ignore
  equal(taken(editor, "setRange").map(([range]) => range.map(Math.round)), [[2, 6]]);
});

test("what the hand would do is told by its cursor, and below the last track there is nothing", async () => {
  const { canvas, at, view, model } = await stand();
  const over = (/** @type {number[]} */ [clientX, clientY]) => {
    canvas.dispatchEvent(new PointerEvent("pointermove", { clientX, clientY }));
    return canvas.style.cursor;
  };
  equal(
    [over(at(2, 0)), over(at(5, 0)), over([300, 10]), over([10, view.foot(0) - 8]), over([300, view.foot(1) + 9])],
    ["grab", "crosshair", "col-resize", "ns-resize", "default"],
  ); // prettier-ignore
  drag(canvas, [[300, view.foot(1) + 9]]);
  equal(model.selected, null);
});
