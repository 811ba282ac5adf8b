import { startKeys } from "../../js/recording/keys.js";
import { Mending } from "../../js/recording/mending.js";
import { equal, near, noting, press, taken, test } from "../harness.js";
import { recordingOf } from "../recording_stand.js";

async function stand(has) {
  document.body.innerHTML = `<p id="recording-cursor"></p>`;
  const all = await recordingOf(has);
  const { model, view } = all;
  const editor = noting({
    model, view, mending: new Mending(model, view), chosen: 0, cursor: 0, isLooping: false, playhead: null, input: noting(),
    get track() { return model.tracks[editor.chosen]; },
    choose: (row) => (editor.chosen = Math.max(0, Math.min(1, row))),
    select: (stroke) => { editor.cursor = stroke.time; model.select(stroke); },
  }); // prettier-ignore
  const key = startKeys(all.canvas, editor, new AbortController().signal);
  all.canvas.focus();
  const typed = (...chords) => chords.map((chord) => key(press(chord)));
  const answered = () => model.mend(() => null); // goes behind all that was typed
  return { ...all, editor, typed, answered, says: () => document.getElementById("recording-cursor").textContent };
}

const times = (model, track = 1) => model.taken(track).map(({ time }) => Math.round(time * 1e6) / 1e6);

test("left and right walk the hits that are taken, Page keys all, and each is said and heard", async () => {
  const { typed, editor, says } = await stand();
  typed("ArrowRight");
  equal(says(), "Snare top, 1.000 seconds, velocity 103, 95 % sure, taken");
  typed("PageDown");
  equal(says(), "Snare top, 1.500 seconds, velocity 31, 40 % sure, left out");
  typed("ArrowRight", "ArrowRight", "ArrowRight", "ArrowLeft");
  equal([editor.cursor, taken(editor.input, "pad").map(([pad]) => pad)], [2, [1, 1, 1, 1, 1]]);
});

test("nothing is done before the recording has come, and its undo is not the kit's", async () => {
  const { typed, answered, model, server } = await stand();
  const { about } = model;
  model.about = null;
  equal(typed("Control+KeyZ", "Delete"), [true, false]);
  model.about = about;
  typed("Control+KeyZ");
  await answered();
  equal(server.sent.map(([what]) => what), ["undo"]); // prettier-ignore
});

test("up and down choose the track, and what it holds is said", async () => {
  const { typed, editor, says } = await stand();
  typed("ArrowRight", "ArrowDown", "ArrowDown");
  equal([editor.chosen, says()], [1, "Kick in, 2 hits"]);
});

test("a key held down moves a hit a millisecond for each press, however slow the server is", async () => {
  const { typed, answered, model, server } = await stand();
  typed("ArrowRight", ..."Shift+ArrowRight ".repeat(6).trim().split(" "), "Shift+ArrowLeft");
  await answered();
  near(times(model)[0], 1.005, 1e-9);
  equal(server.sent[0][1].sentence, "A hit of Snare top moved by 1.0 ms");
  equal(server.sent[6][1].sentence, "A hit of Snare top moved by −1.0 ms");
});

test("with Alt a hit goes to the next rise that is not taken", async () => {
  const { typed, answered, model } = await stand();
  typed("ArrowRight", "Alt+ArrowRight");
  await answered();
  equal(times(model), [1.5, 2, 3]);
});

test("a hit is left out, taken again, and what is done to a hit that is gone does nothing", async () => {
  const { typed, answered, model, server, says } = await stand();
  typed("ArrowRight", "Delete");
  await answered();
  equal(times(model), [2, 3]);
  typed("Enter");
  await answered();
  equal([times(model), server.sent.map(([, { sentence }]) => sentence)], [[1, 2, 3], ["A hit left out at 1.000 s of Snare top", "A hit taken at 1.000 s of Snare top"]]); // prettier-ignore
  model.select({ ...model.selected, place: null, mend: 77, time: 9 });
  typed("Delete", "Shift+ArrowRight", "KeyF");
  await answered();
  equal([server.sent.length, says()], [2, "Snare top, 1.000 seconds, velocity 103, 95 % sure, taken"]);
});

test("a hit is put at the cursor, and moved at once, and stays one hit", async () => {
  const { typed, answered, model, editor } = await stand();
  typed("Control+ArrowRight", "Control+ArrowRight");
  near(editor.cursor, 0.04, 1e-9);
  typed("KeyI");
  await answered();
  typed("Shift+ArrowRight", "Shift+ArrowRight");
  await answered();
  equal(times(model), [0.042, 1, 2, 3]);
});

test("a flam stands at a rise before the hit, or 28 ms before it and softer", async () => {
  const { typed, answered, model, server } = await stand();
  typed("ArrowRight", "KeyF");
  await answered();
  server.rise = (time) => ({ time: time + 0.005, level: -25, isRise: true });
  typed("ArrowRight", "KeyF");
  await answered();
  equal(times(model), [0.972, 1, 1.975, 2, 3]);
  equal(model.taken(1).filter(({ place }) => place === null).map(({ level }) => level), [-19, -25]); // prettier-ignore
});

test("the threshold is raised and lowered a decibel for each press, from none at the floor", async () => {
  const { typed, answered, model } = await stand();
  typed("Period", "Period", "Period", "Comma");
  await answered();
  equal(model.track(1).softest, -64);
  typed(..."Comma ".repeat(5).trim().split(" "));
  await answered();
  equal(model.track(1).softest, -65);
});

test("hearing alone, muting, the next unsure hit, zoom and undo have keys of their own", async () => {
  const { typed, answered, editor, server, view } = await stand();
  typed("KeyS", "KeyM", "KeyU", "Control+KeyZ", "Control+Shift+KeyZ");
  await answered();
  equal([taken(editor, "listen"), taken(editor, "nextUnsure").length, server.sent.map(([what]) => what)], [[[1, "solo"], [1, "mute"]], 1, ["undo", "redo"]]); // prettier-ignore
  const before = view.secondsPerPixel;
  typed("Equal");
  near(view.secondsPerPixel, before / 1.6, 1e-9);
  typed("Digit0");
  equal(view.secondsPerPixel, before);
});

test("while a hit is heard in a loop the walk goes on in the loop, and Escape ends it", async () => {
  const { typed, editor } = await stand();
  editor.isLooping = true;
  typed("ArrowRight", "ArrowRight", "Escape");
  equal([taken(editor, "loop").map(([{ time }]) => time), taken(editor, "endLoop").length], [[1, 2], 1]); // prettier-ignore
});

test("keys are the page's where the canvas has not the focus", async () => {
  const { typed, canvas, editor } = await stand();
  canvas.blur();
  equal([typed("ArrowRight", "Delete", "KeyI"), typed("Control+KeyC"), editor.cursor], [[false, false, false], [false], 0]);
});
