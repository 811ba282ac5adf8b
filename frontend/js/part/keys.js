/**
 * The part by keyboard alone: a cursor of lane and grid place. Arrows move it, Enter sets or takes a hit, digits its
 * velocity; with Ctrl the arrows move the selected hits, with Alt they change velocities.
 */
import { Cursor } from "./cursor.js";
import { Shaping } from "./shaping.js";

const BIG = 8;
const STEP = 4;
const FINER = ["1/1", "1/2", "1/4", "1/8", "1/16", "1/32", "1/64"];

/** @returns {(event: KeyboardEvent) => boolean} whether the key was one of the editor's */
export function startKeys(canvas, editor, signal) {
  const { model } = editor;
  const cursor = new Cursor(canvas, editor, signal);
  const shaping = new Shaping(editor, cursor);
  const barPlaces = () => {
    const { start, end } = model.time.barAt(0);
    return Math.max(1, Math.round((end - start) / editor.spacing));
  };

  const plain = {
    ArrowLeft: () => cursor.go(-1, 0),
    ArrowRight: () => cursor.go(1, 0),
    ArrowUp: () => cursor.go(0, -1),
    ArrowDown: () => cursor.go(0, 1),
    PageDown: () => cursor.go(barPlaces(), 0),
    PageUp: () => cursor.go(-barPlaces(), 0),
    Home: () => cursor.goTo(0),
    End: () => cursor.goTo(cursor.lastTick),
    Enter: () => shaping.setOrTake(),
    Delete: () => shaping.remove(),
    Backspace: () => shaping.remove(),
    Period: () => grid(1),
    Comma: () => grid(-1),
    KeyT: triplets,
    KeyI: () => model.selectAll("others"),
    Minus: () => editor.zoom(1.5),
    Equal: () => editor.zoom(1 / 1.5),
    NumpadAdd: () => editor.zoom(1 / 1.5),
    NumpadSubtract: () => editor.zoom(1.5),
    KeyH: turnStems,
  };
  const withAlt = {
    ArrowUp: (isBig) => shaping.strike((velocity) => velocity + (isBig ? BIG : STEP)),
    ArrowDown: (isBig) => shaping.strike((velocity) => velocity - (isBig ? BIG : STEP)),
    ArrowLeft: () => shaping.nudge(-1),
    ArrowRight: () => shaping.nudge(1),
  };
  const withControl = {
    ArrowLeft: () => shaping.move(-1, 0),
    ArrowRight: () => shaping.move(1, 0),
    ArrowUp: () => shaping.move(0, -1),
    ArrowDown: () => shaping.move(0, 1),
    KeyA: () => model.selectAll("all"),
    KeyC: () => shaping.copy(),
    KeyX: () => shaping.cut(),
    KeyV: () => shaping.paste(),
    KeyD: () => shaping.duplicate(),
  };

  const plainGrid = () => editor.grid.replace(/[TQ.]$/, "");

  function grid(by) {
    const at = FINER.indexOf(plainGrid());
    editor.setGrid(FINER[Math.min(FINER.length - 1, Math.max(0, at + by))]);
    editor.session.say(`Grid ${editor.grid}`);
  }

  function triplets() {
    const wanted = editor.grid.endsWith("T") ? plainGrid() : `${plainGrid()}T`;
    if (wanted in model.time.grids) editor.setGrid(wanted);
    editor.session.say(`Grid ${editor.grid}`);
  }

  function turnStems() {
    const shows = document.getElementById("stem-shows");
    shows.value = shows.value === "level" ? "velocity" : "level";
    shows.dispatchEvent(new Event("change"));
  }

  return (event) => {
    if (!model.time) return false;
    const { code, key } = event;
    const isOnCanvas = document.activeElement === canvas;
    const isFree = isOnCanvas || document.activeElement === document.body;
    const isControl = event.ctrlKey || event.metaKey;
    if (isControl && code === "KeyZ") {
      document.getElementById(event.shiftKey ? "part-redo" : "part-undo").click();
      return true;
    }
    if (isControl && code === "KeyC" && String(getSelection())) return false; // text that is marked on the page
    if (isControl) return run(withControl[code], event); // on a button and on a tab too: they have no use for it
    if (!isFree) return false;
    if (key === "Escape" && (model.selected.size || editor.preview) && !editor.part.isPlaying) {
      editor.preview = null;
      model.select([]);
      return true;
    }
    if (event.altKey) return run(withAlt[code], event);
    if (code === "Digit0" && isOnCanvas && !event.shiftKey && !model.selected.size) return run(() => editor.fit(), event);
    if (/^Digit[1-9]$/.test(code) && isOnCanvas && !event.shiftKey) {
      const velocity = Math.round((Number(code.at(-1)) * 127) / 9);
      editor.lastVelocity = velocity;
      return run(() => shaping.strike(() => velocity), event);
    }
    if (key === "?" || (!isOnCanvas && /^(Arrow|Page|Home|End|Enter|Period|Comma)/.test(code))) return false;
    return run(plain[code], event);
  };

  function run(act, { shiftKey }) {
    if (!act) return false;
    act(shiftKey);
    return true;
  }
}
