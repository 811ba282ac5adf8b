/**
 * One hand on the canvas, without tools to change between. On an empty place a press draws: up and down is the velocity,
 * sideways paints on. On a hit it takes hold: sideways and up moves, at its head it changes the velocity, down to the
 * floor takes the hit away. With Shift a frame selects; on the ruler a press sets the start, a drag the loop; in the
 * strip a drag is a ramp, or the hand on what moves (curve_strip.js).
 */
import { DRAG_PX, startHand } from "../page/hand.js";
import { movesOf } from "./lanes.js";
import { RULER, STRIP } from "./layout.js";

const DRAWN_LENGTH = 0.5; // of a grid place, how long a drawn hit is

/** @param {HTMLCanvasElement} canvas @param {object} editor what editor.js offers */
export function startGestures(canvas, editor, signal) {
  const { view, model } = editor;
  const hand = {
    isReady: () => Boolean(model.time),
    begin,
    cursorAt,
    ended: () => editor.clearPassing(),
    repaint: () => editor.repaint(),
    zoom: (by, x) => editor.zoom(by, x),
    scroll: (x, y) => editor.scroll(x, y),
    zoomStep: 1.2,
  };
  startHand(canvas, hand, signal);

  function cursorAt(x, y) {
    if (!model.time) return "default";
    if (y < RULER) return "col-resize";
    if (y > view.lanesBottom) return "crosshair";
    const met = editor.laneHits.at(view, x, y, editor.levelsOf);
    return met ? (met.isHead ? "ns-resize" : "grab") : "crosshair";
  }

  function begin(x, y, event) {
    if (y < RULER) return onRuler(editor, x);
    if (y > view.lanesBottom) return editor.curves.isCurve ? editor.curves.begin(x, y, event) : onStrip(editor, x, y);
    const met = editor.laneHits.at(view, x, y, editor.levelsOf);
    if (!met) return event.shiftKey ? framing(editor, x, y) : drawing(editor, x, y, event);
    const { hit } = met;
    if (event.shiftKey) {
      model.toggle(hit.id);
      return null;
    }
    if (!model.selected.has(hit.id)) model.select([hit.id]);
    editor.moveCursor(hit.tick, met.lane);
    editor.hear(hit, hit.velocity, event);
    return met.isHead ? striking(editor, hit, y) : moving(editor, hit, x, met.lane);
  }
}

// What a hand does from a press on: each returns the gesture that goes on with it

/** Draw hits where the hand goes: one for each grid place, as loud as the hand is high. */
function drawing(editor, x, y, event) {
  const { view, model } = editor;
  const lane = view.laneAt(y);
  const { note } = editor.lanes[lane] ?? {};
  if (note === undefined || note === null) {
    if (editor.lanes[lane]) editor.needsNote(lane);
    return framing(editor, x, y);
  }
  model.select([]);
  const channel = editor.channelOf(lane);
  const first = editor.snapDown(view.tick(x), event.altKey);
  const begun = view.velocityAt(y, lane) > 100 ? 112 : view.velocityAt(y, lane) < 30 ? 40 : editor.lastVelocity;
  const places = new Map(); // tick -> velocity
  let latest = first;
  const put = (tick, velocity) => {
    if (tick >= model.about.loopTicks || tick < 0) return;
    const isNew = !places.has(tick);
    places.set(tick, velocity);
    if (isNew) editor.hear({ note, channel }, velocity, event);
    editor.drawn = [...places].map(([at, v]) => ({ id: -at - 1, tick: at, played: at, note, velocity: v, channel, length: 0, lane, frame: -1e9, until: 0, pass: 0 }));
  };
  put(first, begun);
  return {
    move(toX, toY, { altKey }) {
      const velocity = Math.abs(toY - y) < DRAG_PX && places.size === 1 ? begun : Math.min(127, Math.max(1, Math.round(begun + (y - toY) * 1.2)));
      const tick = editor.snapDown(view.tick(toX), altKey);
      if (Math.abs(toX - x) < DRAG_PX || tick === latest) return put(latest, velocity);
      const by = Math.sign(tick - latest);
      for (let at = latest; at !== tick; ) {
        at = editor.stepBy(at, by);
        put(at, velocity);
        if ((by > 0 && at >= tick) || (by < 0 && at <= tick)) break;
      }
      latest = tick;
    },
    up() {
      const events = [...places].map(([tick, velocity]) => [tick, note, velocity, channel, Math.max(1, Math.round(editor.spacing * DRAWN_LENGTH))]);
      editor.lastVelocity = [...places.values()].at(-1);
      editor.moveCursor(latest, lane);
      model.edit("draw", { events: events.sort((a, b) => a[0] - b[0]) }, { selects: true });
    },
  };
}

/** Move the selected hits, in time by the grid and to other lanes; Ctrl copies, Alt leaves the grid. */
function moving(editor, hit, x, lane) {
  const { view, model } = editor;
  const hits = model.selection;
  let [ticks, lanes, copies] = [0, 0, false];
  return {
    move(toX, toY, event) {
      if (Math.abs(toX - x) < DRAG_PX && view.laneAt(toY) === lane && !ticks && !lanes) return;
      copies = event.ctrlKey || event.metaKey;
      const wanted = hit.tick + (toX - x) * view.ticksPerPixel;
      ticks = Math.round(event.altKey ? wanted - hit.tick : editor.snap(wanted) - editor.snap(hit.tick));
      lanes = Math.max(0, Math.min(editor.lanes.length - 1, view.laneAt(toY))) - lane;
      ticks = Math.max(ticks, -Math.min(...hits.map(({ tick }) => tick)));
      editor.moving = new Map(hits.map((one) => [copies ? -one.id : one.id, { ...one, tick: one.tick + ticks, played: one.played + ticks, ...editor.placeBy(one, lanes) }]));
    },
    up() {
      if (!ticks && !lanes) return;
      model.edit("move", { ids: hits.map(({ id }) => id), ticks, ...movesOf(hits, (hit) => editor.placeBy(hit, lanes)), copy: copies }, { selects: copies });
    },
  };
}

/** Change velocities by the head of a hit: all selected in proportion; at the floor the hits go. */
function striking(editor, hit, y) {
  const { view, model } = editor;
  const hits = model.selection;
  let wanted = hit.velocity;
  return {
    move(_x, toY) {
      if (Math.abs(toY - y) < 2 && wanted === hit.velocity) return;
      wanted = Math.min(127, Math.max(0, Math.round(hit.velocity + ((y - toY) * 127) / Math.max(60, view.laneHeight * 2))));
      const factor = wanted / hit.velocity;
      editor.moving = new Map(hits.map((one) => [one.id, { ...one, velocity: wanted ? Math.min(127, Math.max(1, Math.round(one.velocity * factor))) : 0 }]));
    },
    up(event) {
      if (!editor.moving.size) return;
      const ids = hits.map(({ id }) => id);
      if (!wanted) return model.edit("remove", { ids });
      const velocities = [...editor.moving.values()].map(({ id, velocity }) => [id, velocity]);
      editor.lastVelocity = wanted;
      editor.hear(hit, wanted, event);
      model.edit("strike", { velocities });
    },
  };
}

function framing(editor, x, y) {
  const { view, model } = editor;
  model.select([]);
  editor.frame = { x, y, toX: x, toY: y };
  return {
    move(toX, toY) {
      Object.assign(editor.frame, { toX, toY });
      const [top, bottom] = [Math.min(y, toY), Math.max(y, toY)];
      const [from, to] = [view.tick(Math.min(x, toX)), view.tick(Math.max(x, toX))];
      const lanes = editor.lanes.map((_, lane) => lane).filter((lane) => view.foot(lane) >= top && view.foot(lane) - view.laneHeight <= bottom);
      model.select(lanes.flatMap((lane) => editor.laneHits.between(lane, from, to).map(({ id }) => id)));
    },
    up() {},
  };
}

function onRuler(editor, x) {
  const { view } = editor;
  const first = editor.snap(view.tick(x));
  editor.setStart(first);
  let to = first;
  return {
    move(toX) {
      if (Math.abs(toX - x) < DRAG_PX) return;
      to = editor.snap(view.tick(toX));
      editor.setRange([Math.min(first, to), Math.max(first, to)]);
    },
    up: () => to === first && editor.clearRangeAt(first),
  };
}

/** A line over the strip: the velocities of its lane's hits along it. */
function onStrip(editor, x, y) {
  const { view, model } = editor;
  const velocity = (at) => Math.min(127, Math.max(1, Math.round(((view.height - at) / (STRIP - 12)) * 127)));
  editor.ramp = { x, y, toX: x, toY: y };
  const met = () => {
    const { ramp } = editor;
    const [a, b] = ramp.x <= ramp.toX ? [ramp, { x: ramp.toX, y: ramp.toY }] : [{ x: ramp.toX, y: ramp.toY }, ramp];
    const hits = editor.laneHits.between(editor.strip, view.tick(a.x - DRAG_PX), view.tick(b.x + DRAG_PX));
    return hits.map((hit) => {
      const share = b.x > a.x ? Math.min(1, Math.max(0, (view.x(hit.tick) - a.x) / (b.x - a.x))) : 1;
      return { ...hit, velocity: velocity(a.y + (b.y - a.y) * share) };
    });
  };
  const show = () => (editor.moving = new Map(met().map((hit) => [hit.id, hit])));
  show();
  return {
    move(toX, toY) {
      Object.assign(editor.ramp, { toX, toY });
      show();
    },
    up() {
      const velocities = [...editor.moving.values()].map(({ id, velocity: v }) => [id, v]);
      if (velocities.length) model.edit("strike", { velocities });
    },
  };
}
