/**
 * A recording by keyboard alone: up and down choose the track, left and right walk its hits; Enter takes, Delete leaves
 * out, I puts in, F makes a flam; with Shift the arrows move a hit by a millisecond, with Alt to the next rise.
 */
const NUDGE_SECONDS = 0.001;
const SOFTEST_DB = -65; // a threshold; below it there is none
const STEP_SECONDS = 0.02; // of the cursor where no hit stands

/** @returns {(event: KeyboardEvent) => boolean} whether the key was one of the recording's */
export function startKeys(canvas, editor, signal) {
  const says = document.getElementById("recording-cursor");
  canvas.addEventListener("focus", () => editor.repaint(), { signal });

  const tell = () => {
    const { selected, tracks } = editor.model;
    const track = tracks[editor.chosen];
    says.textContent = `${track.name}, ${selected ? inWords(selected) : `${editor.model.taken(track.id).length} hits`}`;
  };

  function walk(by, among) {
    const strokes = among(editor.model.strokes.get(editor.track.id) ?? []);
    const { selected } = editor.model;
    const from = selected && selected.track === editor.track.id ? selected.time : editor.cursor;
    const next = by > 0 ? strokes.find(({ time }) => time > from + 1e-6) : strokes.findLast(({ time }) => time < from - 1e-6);
    if (!next) return;
    editor.select(next);
    if (editor.isLooping) editor.loop(next);
    else if (editor.track.pad) editor.input.pad(editor.track.pad, next.velocity, "recording");
    tell();
  }

  const taken = (strokes) => strokes.filter(({ isTaken }) => isTaken);
  const arrow = (by) => (event) => {
    const { selected } = editor.model;
    if (event.shiftKey && selected) return editor.mending.move(selected, { by: by * NUDGE_SECONDS, isFree: true });
    if (event.altKey && selected) {
      const others = editor.model.strokes.get(selected.track).filter(({ isTaken }) => !isTaken);
      const next = by > 0 ? others.find(({ time }) => time > selected.time + 1e-4) : others.findLast(({ time }) => time < selected.time - 1e-4);
      return next && editor.mending.move(selected, { to: next.time });
    }
    if (event.ctrlKey || event.metaKey) {
      editor.model.select(null);
      editor.cursor = Math.max(0, editor.cursor + by * STEP_SECONDS);
      return editor.reveal(editor.cursor);
    }
    return walk(by, taken);
  };
  const down = (by) => () => {
    editor.model.select(null);
    editor.choose(editor.chosen + by);
    tell();
  };
  const selected = (act) => () => editor.model.selected && act(editor.model.selected);
  const threshold = (by) => () => {
    const { id } = editor.track;
    editor.model.setTrack(id, () => ({ softest: Math.max(SOFTEST_DB, Math.min(0, (editor.model.track(id).softest ?? SOFTEST_DB - 1) + by)) }));
  };

  const onCanvas = {
    ArrowRight: arrow(1), ArrowLeft: arrow(-1), ArrowDown: down(1), ArrowUp: down(-1),
    PageDown: () => walk(1, (all) => all), PageUp: () => walk(-1, (all) => all),
    Delete: selected((one) => editor.mending.take(one, false)), Backspace: selected((one) => editor.mending.take(one, false)),
    Enter: selected((one) => editor.mending.take(one, true).then(() => editor.isLooping && editor.nextUnsure())),
    KeyI: () => editor.mending.put(editor.track, editor.playhead ?? editor.cursor), KeyF: selected((one) => editor.mending.flam(one)),
    Comma: threshold(-1), Period: threshold(1),
    KeyS: () => editor.listen(editor.track.id, "solo"), KeyM: () => editor.listen(editor.track.id, "mute"),
    KeyU: () => editor.nextUnsure(),
    Equal: () => zoom(1 / 1.6), Minus: () => zoom(1.6), Digit0: () => zoom(0),
  }; // prettier-ignore

  function zoom(factor) {
    if (factor) editor.view.zoom(factor, editor.view.x(editor.cursor));
    else editor.view.fit();
    editor.repaint();
  }

  return (event) => {
    const { code, key } = event;
    const { about } = editor.model;
    if ((event.ctrlKey || event.metaKey) && code === "KeyZ") {
      if (about) editor.model[event.shiftKey ? "redo" : "undo"]();
      return true; // the kit's is not meant while it is still on its way
    }
    if (!about) return false;
    if (key === "Escape" && editor.isLooping) {
      editor.endLoop();
      return true;
    }
    const isOnCanvas = document.activeElement === canvas;
    if ((event.ctrlKey || event.metaKey) && !code.startsWith("Arrow")) return false;
    const act = isOnCanvas && onCanvas[code];
    if (!act) return false;
    act(event);
    return true;
  };
}

/** @param {import("./model.js").Stroke} stroke */
function inWords({ time, velocity, sure, isTaken }) {
  return `${time.toFixed(3)} seconds, velocity ${velocity}, ${Math.round(sure * 100)} % sure, ${isTaken ? "taken" : "left out"}`;
}
