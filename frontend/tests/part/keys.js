import { startKeys } from "../../js/part/keys.js";
import { equal, press, taken, test } from "../harness.js";
import { BEAT, editorOf, hitAt } from "../part_stand.js";

const SIXTEENTH = BEAT / 4;
const LAST = 8 * BEAT - SIXTEENTH;

function stand(hits = [], { isOnCanvas = true } = {}) {
  document.body.innerHTML = `<p id="part-cursor"></p><button id="part-undo"></button><button id="part-redo"></button><select
    id="stem-shows"><option>velocity<option>level</select>`;
  const all = editorOf(hits);
  const key = startKeys(all.canvas, all.editor, new AbortController().signal);
  if (isOnCanvas) all.canvas.focus();
  const says = document.getElementById("part-cursor");
  const typed = (...chords) => chords.map((chord) => key(press(chord)));
  /** What would be sent, made when its turn comes. */
  const edits = () => taken(all.model, "edit").map(([what, values, ...how]) => [what, typeof values === "function" ? values() : values, ...how]);
  return { ...all, typed, says: () => says.textContent, edits };
}

test("arrows walk lanes and places, and what stands there is said and heard", () => {
  const { typed, says, editor } = stand([hitAt(1, BEAT + SIXTEENTH, 38, 77)]);
  typed("ArrowDown");
  equal(says(), "Snare, bar 1, beat 1: empty");
  typed(..."ArrowRight ".repeat(5).trim().split(" "));
  equal(says(), "Snare, bar 1, beat 2, tick 120: hit, velocity 77");
  equal([editor.cursor, taken(editor, "hear").map(([{ note }, velocity]) => [note, velocity])], [{ tick: BEAT + SIXTEENTH, lane: 1 }, [[38, 77]]]);
});

test("the walk ends at the part's borders, and pages are bars", () => {
  const { typed, editor } = stand();
  const at = (chord) => {
    typed(chord);
    return [editor.cursor.tick, editor.cursor.lane];
  };
  equal(
    ["ArrowLeft", "ArrowUp", "PageDown", "End", "ArrowRight", "PageUp", "Home"].map(at),
    [[0, 0], [0, 0], [4 * BEAT, 0], [LAST, 0], [LAST, 0], [4 * BEAT - SIXTEENTH, 0], [0, 0]],
  ); // prettier-ignore
});

test("End reaches the end of a part of ten minutes on the finest grid", () => {
  const { typed, editor, model } = stand();
  const loopTicks = 1500 * BEAT;
  Object.assign(model.about, { loopTicks });
  Object.assign(editor, { grid: "1/32", spacing: BEAT / 8 });
  typed("End");
  equal(editor.cursor.tick, loopTicks - BEAT / 8);
});

test("Enter sets a hit and takes it away, a lane without a note asks for one", () => {
  const { typed, edits, editor } = stand([hitAt(5, SIXTEENTH, 36)]);
  typed("Enter", "ArrowRight", "Enter", "ArrowDown", "ArrowDown", "ArrowDown", "Enter");
  equal(edits(), [["draw", { events: [[0, 36, 96, 9, 60]] }, { selects: true }], ["remove", { ids: [5] }]]);
  equal(taken(editor, "needsNote"), [[3]]);
});

test("digits set the velocity of what is selected, Alt and arrows change it within 1 to 127", () => {
  const { typed, edits, model } = stand([hitAt(1, 0, 38, 125), hitAt(2, BEAT, 38, 3)]);
  model.select([1, 2]);
  typed("Digit9", "Digit1", "Alt+ArrowUp", "Alt+Shift+ArrowDown");
  equal(
    edits().map(([what, { velocities }]) => [what, ...velocities.map(([, velocity]) => velocity)]),
    [["strike", 127, 127], ["strike", 14, 14], ["strike", 127, 7], ["strike", 117, 1]],
  ); // prettier-ignore
});

test("Ctrl and arrows move what is selected by places and lanes, Alt by ticks", () => {
  const { typed, edits, model } = stand([hitAt(1, BEAT), hitAt(2, 2 * BEAT, 42)]);
  model.select([1, 2]);
  typed("Control+ArrowRight", "Control+ArrowUp", "Alt+ArrowLeft");
  equal(edits(), [
    ["move", { ids: [1, 2], ticks: SIXTEENTH, notes: [[38, 38], [42, 42]] }],
    ["move", { ids: [1, 2], ticks: 0, notes: [[38, 36], [42, 38]] }],
    ["nudge", { ids: [1, 2], ticks: -1 }],
  ]); // prettier-ignore
});

test("what is copied is put from the beat it stood in, at the playhead or where the keyboard is", () => {
  const { typed, edits, model, editor } = stand([hitAt(1, BEAT + 90), hitAt(2, 2 * BEAT)]);
  typed("Control+KeyV");
  equal(taken(editor.session, "say"), [["There is nothing to paste. Select hits and press Ctrl C first.", true]]);
  model.select([1, 2]);
  editor.part.start = 4 * BEAT;
  editor.isKeyed = false; // the hand is on the mouse
  typed("Control+KeyC", "Control+KeyV", "ArrowRight", "Control+KeyX", "Control+KeyV");
  const [paste, cut, keyed] = edits();
  equal([paste[1].events.map(([tick]) => tick), paste[1].start, paste[1].at], [[BEAT + 90, 2 * BEAT], BEAT, 4 * BEAT]);
  equal([cut, keyed[1].at], [["remove", { ids: [1, 2] }], SIXTEENTH]);
  equal(taken(editor.session, "say"), [["2 hits copied; Ctrl V puts them at the playhead."], ["2 hits copied; Ctrl V puts them at the cursor."]]);
});

test("the grid is made finer and wider, and triplets where there are any", () => {
  const { typed, editor } = stand();
  typed("Period", "KeyT", "Comma", "KeyT", "KeyT", "Comma", "Comma", "Comma", "Comma", "Comma");
  equal(taken(editor.session, "say").map(([words]) => words.slice(5)), ["1/32", "1/32", "1/16", "1/16T", "1/16", "1/8", "1/4", "1/2", "1/1", "1/1"]); // prettier-ignore
});

test("selecting, duplicating and deleting are edits of all that is meant", () => {
  const { typed, edits, model } = stand([hitAt(1, 0), hitAt(2, BEAT)]);
  model.select([2]);
  typed("Control+KeyA", "KeyI", "Control+KeyD", "Delete");
  equal([taken(model, "selectAll"), edits()], [[["all"], ["others"]], [["duplicate", { ids: [2] }, { selects: true }], ["remove", { ids: [2] }]]]);
  equal(typed("Escape"), [true]);
  equal([...model.selected], []);
});

test("undo and redo press the part's own buttons, and the stems' meaning is turned", () => {
  const { typed } = stand();
  const pressed = [];
  document.body.addEventListener("click", ({ target }) => pressed.push(target.id), { once: false });
  document.getElementById("stem-shows").addEventListener("change", ({ target }) => pressed.push(target.value));
  equal(typed("Control+KeyZ", "Control+Shift+KeyZ", "KeyH", "KeyH"), [true, true, true, true]);
  equal(pressed, ["part-undo", "part-redo", "level", "velocity"]);
});

test("keys that belong to a field or to the page are left to them", () => {
  const { typed, model } = stand([hitAt(1, 0)], { isOnCanvas: false });
  model.select([1]);
  equal(typed("ArrowRight", "Enter", "Digit5", "KeyQ"), [false, false, false, false]);
  equal(typed("Alt+ArrowUp", "Delete"), [true, true]);
  const field = document.createElement("input");
  document.body.append(field);
  field.focus();
  equal(typed("Delete", "KeyI", "Alt+ArrowUp"), [false, false, false]);
});
