/**
 * One hand on the tracks of a recording: at the left a threshold is dragged; a press on a hit selects it, a drag moves it;
 * a press on an empty place puts a hit at the nearest rise. On the ruler: below the start and the loop, above the bar lines.
 */
import { DRAG_PX, startHand } from "../page/hand.js";
import { nearest, RULER } from "./layout.js";

const BARS_PX = 16; // the upper part of the ruler

export function startGestures(canvas, editor, signal) {
  const { view } = editor;
  const strokesOf = (row) => editor.model.strokes.get(editor.model.tracks[row]?.id) ?? [];

  const hand = {
    isReady: () => Boolean(editor.model.about),
    begin: (x, y, event) => (y < RULER ? onRuler(x, y) : onTrack(x, y, event)),
    cursorAt,
    ended: () => (editor.held = editor.moving = null),
    repaint: () => editor.repaint(),
    zoom: (by, x) => view.zoom(by, x),
    scroll: (x, y) => editor.scroll(x, y),
    zoomStep: 1.25,
  };
  startHand(canvas, hand, signal);

  function cursorAt(x, y) {
    if (y < RULER) return "col-resize";
    const row = view.rowAt(y);
    const track = editor.model.tracks[row];
    if (!track) return "default";
    if (view.isOnThreshold(x, y, row, track.softest)) return "ns-resize";
    return view.strokeAt(strokesOf(row), x, y, row) ? "grab" : "crosshair";
  }

  function onTrack(x, y, event) {
    const row = view.rowAt(y);
    const track = editor.model.tracks[row];
    if (!track) return null;
    editor.choose(row);
    editor.cursor = view.time(x);
    if (view.isOnThreshold(x, y, row, track.softest)) return threshold(track, row);
    const stroke = view.strokeAt(strokesOf(row), x, y, row);
    if (!stroke) return { up: () => editor.mending.put(track, view.time(x), undefined, event.altKey) };
    editor.model.select(stroke);
    editor.onChanged();
    if (!stroke.isTaken) return { up: () => editor.mending.take(stroke, true) };
    if (track.pad) editor.input.pad(track.pad, stroke.velocity, "recording", event.timeStamp);
    return moving(stroke, x);
  }

  /** What lies over it lights up at once: nothing is asked. */
  function threshold(track, row) {
    editor.held = track.id;
    let softest = track.softest;
    return {
      move(_x, y) {
        const level = Math.round(view.levelAt(y, row) * 2) / 2;
        softest = level <= -65 ? null : level;
        editor.model.try(track.id, { softest });
      },
      up: () => softest !== track.softest && editor.model.setTrack(track.id, softest === null ? {} : { softest }),
    };
  }

  function moving(stroke, x) {
    let time = stroke.time;
    return {
      move(toX) {
        if (Math.abs(toX - x) < DRAG_PX && time === stroke.time) return;
        time = Math.max(0, stroke.time + (toX - x) * view.secondsPerPixel);
        editor.moving = time;
      },
      up: ({ altKey }) => time !== stroke.time && editor.mending.move(stroke, { to: time, isFree: altKey }),
    };
  }

  function onRuler(x, y) {
    const { lines } = editor.model.about;
    const line = lines.length ? nearest(lines, view.time(x)) : -1;
    if (y < BARS_PX && line >= 0 && Math.abs(view.x(lines[line]) - x) < 7) return barLine(line, x);
    const first = view.time(x);
    editor.setStart(first);
    if (editor.part.isPlaying) {
      editor.part.toggle();
      editor.part.toggle();
    }
    return {
      move(toX) {
        if (Math.abs(toX - x) < DRAG_PX) return;
        const to = view.time(toX);
        editor.setRange([Math.max(0, Math.min(first, to)), Math.max(first, to)]);
      },
      up: ({ clientX }) => {
        const to = clientX - canvas.getBoundingClientRect().left;
        if (Math.abs(to - x) < DRAG_PX) editor.setRange([0, 0]);
      },
    };
  }

  /** A bar line follows the hand, and the lines between it and those that are set follow it; no hit moves. */
  function barLine(line, x) {
    const { lines } = editor.model.about;
    let time = lines[line];
    return {
      move(toX) {
        if (Math.abs(toX - x) < DRAG_PX) return;
        time = lines[line] + (toX - x) * view.secondsPerPixel;
        editor.lines = lines.map((was, n) => (n === line ? time : was));
      },
      up: () => time !== lines[line] && editor.moveBar(line, time),
    };
  }
}
