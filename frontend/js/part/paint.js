/** Paints a part: ruler, lanes, hits, the strip of velocities. It only draws what layout.js and time.js say. */
import { fillLevels } from "../recording/level.js";
import { CONTROLLER, KEY_PRESSURE } from "../sound/hands.js";
import { paintOverLane } from "./curve_strip.js";
import { RULER, STRIP } from "./layout.js";

const UNDER_FLOOR_DB = -60; // of a recording behind the hits
const FEW = 5000; // hits seen at once that are drawn one by one; more are drawn as the tallest of each pixel
const SOUNDING_FRAMES = 0.11; // seconds that a struck hit stays lit

/** Colours of the page's theme. */
export function inks() {
  const style = getComputedStyle(document.documentElement);
  const of = (name) => style.getPropertyValue(name).trim();
  return {
    paper: of("--paper"), paper2: of("--paper-2"), line: of("--line"), hair: of("--hair"), ink: of("--ink"), ink2: of("--ink-2"),
    choice: of("--choice"), wash: of("--wash"), sound: of("--sound"), warn: of("--warn"),
  }; // prettier-ignore
}

/** Hear of every change of theme until `signal`. @param {(colours: ReturnType<typeof inks>) => void} changed */
export function watchInks(changed, signal) {
  const watch = new MutationObserver(() => changed(inks()));
  watch.observe(document.documentElement, { attributeFilter: ["data-theme"] });
  signal.addEventListener("abort", () => watch.disconnect());
}

/**
 * @param {CanvasRenderingContext2D} ctx
 * @param {{ view: import("./layout.js").PartView, model: import("./model.js").PartModel, lanes: object[], laneHits: object,
 *   grid: string, swing: number, cursor: { tick: number, lane: number } | null, range: [number, number], playhead: number | null,
 *   start: number, drawn: object[], moving: Map<number, object>, frame: object | null, ramp: object | null, takes: Map<number, string>,
 *   curves: import("./curve_strip.js").CurveStrip, preview: object[] | null, strip: number, ink: object,
 *   under: { zero: number, levelOf: (pad: number) => { levels: Float32Array, seconds: number } | undefined } | null, laneOf: import("./lanes.js").LaneIndex, muted: Set<number> }} scene
 */
export function paint(ctx, scene) {
  const { view, ink } = scene;
  ctx.clearRect(0, 0, view.width, view.height);
  ctx.save();
  ctx.beginPath();
  ctx.rect(0, RULER, view.width, view.lanesBottom - RULER);
  ctx.clip();
  if (scene.under) paintUnder(ctx, scene);
  paintLanes(ctx, scene);
  paintHits(ctx, scene);
  paintCurves(ctx, scene);
  paintPassing(ctx, scene);
  ctx.restore();
  if (scene.curves.isCurve) scene.curves.paint(ctx, scene);
  else paintStrip(ctx, scene);
  paintRuler(ctx, scene);
  paintPlayhead(ctx, scene);
  ctx.fillStyle = ink.ink;
  ctx.fillRect(0, RULER - 1, view.width, 1);
}

function seen({ view, model }) {
  return [Math.max(0, view.tick(-12)), Math.min(model.about.loopTicks, view.tick(view.width + 12))];
}

/** What was recorded of a lane's drum, behind its hits. */
function paintUnder(ctx, { view, model, lanes, under, ink }) {
  const timeAt = (x) => model.time.frameAt(Math.max(0, view.tick(x))) / model.time.rate - under.zero;
  ctx.fillStyle = ink.hair;
  lanes.forEach(({ pad }, lane) => {
    const peaks = pad && under.levelOf(pad);
    if (peaks && isSeen(view, lane)) fillLevels(ctx, peaks, { width: view.width, foot: view.foot(lane), timeAt, rise: (level) => Math.max(0, 1 - level / UNDER_FLOOR_DB) * (view.laneHeight - 4) });
  });
}

function paintLanes(ctx, scene) {
  const { view, model, lanes, grid, swing, ink, range, cursor } = scene;
  const [from, to] = seen(scene);
  const bottom = Math.min(view.lanesBottom, view.foot(lanes.length - 1) + 1);
  if (range[1] > range[0]) {
    ctx.fillStyle = ink.paper2;
    ctx.fillRect(view.x(range[0]), RULER, (range[1] - range[0]) / view.ticksPerPixel, bottom - RULER);
  }
  const end = view.x(model.about.loopTicks);
  if (end < view.width) {
    ctx.fillStyle = ink.paper2;
    ctx.fillRect(end, RULER, view.width - end, view.lanesBottom - RULER);
  }
  for (const { tick, kind } of model.time.lines(from, to, grid, swing, 7 * view.ticksPerPixel)) {
    ctx.fillStyle = kind === "bar" ? ink.ink2 : kind === "beat" ? ink.line : ink.hair;
    ctx.globalAlpha = kind === "bar" ? 0.55 : 1;
    ctx.fillRect(Math.round(view.x(tick)), RULER, 1, bottom - RULER);
  }
  ctx.globalAlpha = 1;
  lanes.forEach((lane, number) => {
    const foot = view.foot(number);
    if (foot < RULER || foot - view.laneHeight > view.lanesBottom) return;
    ctx.fillStyle = lane.isLast ? ink.ink2 : ink.line;
    ctx.fillRect(0, foot, view.width, 1);
    if (view.laneHeight > 30) {
      ctx.fillStyle = ink.hair;
      for (const border of lane.borders ?? []) {
        const y = Math.round(foot - view.stem(border, lane.levels));
        for (let x = 0; x < end && x < view.width; x += 6) ctx.fillRect(x, y, 2, 1);
      }
    }
  });
  if (cursor && cursor.lane < lanes.length) {
    const foot = view.foot(cursor.lane);
    ctx.strokeStyle = ink.ink;
    ctx.lineWidth = 1.5;
    ctx.strokeRect(Math.round(view.x(cursor.tick)) - 5.5, foot - view.laneHeight + 3.5, 11, view.laneHeight - 5);
  }
}

function paintHits(ctx, scene) {
  const { view, lanes, laneHits, ink, model, moving } = scene;
  const [from, to] = seen(scene);
  const perLane = lanes.map((_, lane) => (isSeen(view, lane) ? laneHits.between(lane, from, to) : []));
  const isMany = perLane.reduce((count, { length }) => count + length, 0) > FEW;
  perLane.forEach((hits, lane) => {
    const style = lanes[lane].isAnswered ? ink.ink : ink.warn;
    if (isMany) return paintDense(ctx, scene, lane, hits, style);
    for (const hit of hits) if (!moving.has(hit.id)) paintHit(ctx, scene, lane, hit, style, model.selected.has(hit.id));
  });
  if (isMany && model.selected.size)
    perLane.forEach((hits, lane) => {
      ctx.fillStyle = ink.ink;
      for (const hit of hits) if (model.selected.has(hit.id)) ctx.fillRect(Math.round(view.x(hit.tick)) - 1, view.foot(lane) - view.laneHeight + 3, 3, 3);
    });
}

/** What moves of lanes, over them. */
function paintCurves(ctx, scene) {
  const { model, laneOf, view } = scene;
  for (const curve of model.about.curves) {
    const lane = curve[0].startsWith("lane:") ? laneOf.of({ note: Number(curve[0].slice(5)) }) : undefined;
    if (lane !== undefined && isSeen(view, lane)) paintOverLane(ctx, scene, lane, curve);
  }
  paintSaid(ctx, scene);
}

/** What pedals and hands say, as a thin step line in the lane that it belongs to: of a pedal the first that it chooses among. */
function paintSaid(ctx, { model, lanes, laneOf, view, ink }) {
  ctx.strokeStyle = ink.ink2;
  ctx.lineWidth = 1;
  for (const { kind, number, steps } of saidLines(model.about.controls)) {
    const lane = laneOfSaid(lanes, laneOf, kind, number);
    if (lane === undefined || !isSeen(view, lane)) continue;
    const y = (value) => view.foot(lane) - 3 - (value / 127) * (view.laneHeight - 8);
    const first = Math.max(0, steps.findLastIndex(([tick]) => view.x(tick) <= 0));
    ctx.beginPath();
    for (let n = first; n < steps.length && (n === first || view.x(steps[n][0]) <= view.width); n++) {
      const [x, height] = [Math.max(0, view.x(steps[n][0])), y(steps[n][1])];
      if (n === first) ctx.moveTo(x, height);
      else ctx.lineTo(x, y(steps[n - 1][1]));
      ctx.lineTo(x, height);
      if (n === steps.length - 1) ctx.lineTo(view.width, height);
    }
    ctx.stroke();
  }
}

/** @type {WeakMap<number[][], { kind: number, number: number, steps: [tick: number, value: number][] }[]>} */ const linesOf = new WeakMap();

/** The lines that controllers make, sorted out once for each state of the part. @param {number[][]} controls */
function saidLines(controls) {
  if (!linesOf.has(controls)) {
    const lines = new Map();
    for (const [, tick, kind, number, value, channel] of controls) {
      const key = `${kind} ${number} ${channel}`;
      if (!lines.has(key)) lines.set(key, { kind, number, steps: [] });
      lines.get(key).steps.push([tick, value]);
    }
    linesOf.set(controls, [...lines.values()]);
  }
  return linesOf.get(controls);
}

function laneOfSaid(lanes, laneOf, kind, number) {
  if (kind === KEY_PRESSURE) return laneOf.of({ note: number });
  const found = kind === CONTROLLER ? lanes.findIndex(({ controller }) => controller === number) : -1;
  return found < 0 ? undefined : found;
}

const isSeen = (view, lane) => view.foot(lane) >= RULER && view.foot(lane) - view.laneHeight < view.lanesBottom;

/** The tallest hit of each column of pixels: as much as can be seen, however many there are. */
function paintDense(ctx, { view }, lane, hits, style) {
  const tallest = new Uint8Array(view.width + 36);
  for (const { tick, velocity } of hits) {
    const x = Math.round(view.x(tick)) + 12;
    if (velocity > tallest[x]) tallest[x] = velocity;
  }
  const foot = view.foot(lane);
  const room = (view.laneHeight - 6) / 127;
  ctx.fillStyle = style;
  ctx.beginPath();
  for (let x = 0; x < tallest.length; x++) if (tallest[x]) ctx.rect(x - 12, foot - tallest[x] * room, 1, tallest[x] * room);
  ctx.fill();
}

function paintHit(ctx, scene, lane, hit, style, isSelected) {
  const { view, ink, lanes, playhead, model, takes } = scene;
  const x = Math.round(view.x(hit.tick));
  const foot = view.foot(lane);
  const tall = view.stem(hit.velocity, lanes[lane].levels);
  const late = playhead === null ? -1 : model.time.frameAt(playhead) - hit.frame;
  const isSounding = late >= 0 && late < SOUNDING_FRAMES * model.about.rate;
  if (hit.played !== hit.tick) {
    ctx.fillStyle = ink.ink2;
    ctx.globalAlpha = 0.6;
    const played = Math.round(view.x(hit.played));
    ctx.fillRect(played, foot - 6, 1, 6);
    ctx.fillRect(Math.min(played, x), foot - 1, Math.abs(played - x), 1);
    ctx.globalAlpha = 1;
  }
  if (hit.length && hit.length / view.ticksPerPixel > 8) {
    ctx.fillStyle = ink.line;
    ctx.fillRect(x + 2, foot - 4, hit.length / view.ticksPerPixel - 3, 3);
  }
  if (isSelected) {
    ctx.fillStyle = ink.wash;
    ctx.fillRect(x - 6, foot - tall - 6, 12, tall + 6);
  }
  ctx.fillStyle = isSounding ? ink.sound : style;
  const isMuted = hit.pass && scene.muted.has(hit.pass);
  ctx.globalAlpha = isMuted ? 0.3 : 1;
  ctx.fillRect(x - 1, foot - tall, 2, tall);
  ctx.fillRect(x - 3, foot - tall - 2, 6, 4);
  if (isSelected) {
    ctx.strokeStyle = ink.ink;
    ctx.lineWidth = 1;
    ctx.strokeRect(x - 5.5, foot - tall - 4.5, 11, 9);
  }
  ctx.globalAlpha = 1;
  const take = takes.get(hit.id);
  if (take) {
    ctx.fillStyle = ink.ink2;
    ctx.font = '11px "Hyper Mono", monospace';
    ctx.fillText(take, x + 6, Math.min(foot - 3, foot - tall + 6));
  }
}

/** What a hand is just drawing or moving, and what a figure would make. */
function paintPassing(ctx, scene) {
  const { view, ink, drawn, moving, frame, preview, laneOf } = scene;
  for (const hit of drawn) paintHit(ctx, scene, hit.lane, hit, ink.ink, true);
  for (const hit of moving.values()) {
    const lane = hit.lane ?? laneOf.of(hit);
    if (lane !== undefined && hit.velocity) paintHit(ctx, scene, lane, hit, ink.ink, true);
    else if (lane !== undefined) paintGone(ctx, view, ink, lane, hit);
  }
  if (preview)
    for (const hit of preview) {
      const lane = laneOf.of(hit);
      if (lane === undefined) continue;
      ctx.globalAlpha = 0.55;
      paintHit(ctx, scene, lane, hit, ink.ink2, false);
      ctx.globalAlpha = 1;
    }
  if (frame) {
    ctx.strokeStyle = ink.ink;
    ctx.setLineDash([4, 3]);
    ctx.strokeRect(Math.min(frame.x, frame.toX) + 0.5, Math.min(frame.y, frame.toY) + 0.5, Math.abs(frame.toX - frame.x), Math.abs(frame.toY - frame.y));
    ctx.setLineDash([]);
  }
}

/** A hit whose head was drawn down to the floor: it goes when it is let go. */
function paintGone(ctx, view, ink, lane, hit) {
  const x = Math.round(view.x(hit.tick));
  ctx.strokeStyle = ink.warn;
  ctx.beginPath();
  for (const side of [-1, 1]) {
    ctx.moveTo(x - 4 * side, view.foot(lane) - 9);
    ctx.lineTo(x + 4 * side, view.foot(lane) - 1);
  }
  ctx.stroke();
}

/** The velocities of one lane, large; a line drawn over it is a ramp. */
function paintStrip(ctx, scene) {
  const { view, ink, lanes, laneHits, strip, model, ramp, moving } = scene;
  const top = view.height - STRIP;
  ctx.fillStyle = ink.paper;
  ctx.fillRect(0, top, view.width, STRIP);
  ctx.fillStyle = ink.ink;
  ctx.fillRect(0, top, view.width, 1);
  const room = STRIP - 12;
  ctx.font = '11px "Hyper Mono", monospace';
  for (const velocity of [24, 64, 108]) {
    const y = Math.round(view.height - (velocity / 127) * room);
    ctx.fillStyle = ink.hair;
    ctx.fillRect(0, y, view.width, 1);
    ctx.fillStyle = ink.ink2;
    ctx.fillText(String(velocity), view.width - 24, y - 2);
  }
  if (!lanes[strip]) return;
  const hits = laneHits.between(strip, ...seen(scene));
  const isMany = hits.length > view.width;
  for (const hit of hits) {
    const now = moving.get(hit.id) ?? hit;
    const x = Math.round(view.x(now.tick));
    const tall = (now.velocity / 127) * room;
    const isSelected = model.selected.has(hit.id);
    ctx.fillStyle = isSelected ? ink.ink : ink.ink2;
    ctx.fillRect(x - (isMany ? 0 : 2), view.height - tall, isMany ? 1 : 4, tall);
    if (isSelected && !isMany) ctx.fillRect(x - 4, view.height - tall - 2, 8, 3);
  }
  if (ramp) {
    ctx.strokeStyle = ink.ink;
    ctx.lineWidth = 2;
    ctx.beginPath();
    ctx.moveTo(ramp.x, ramp.y);
    ctx.lineTo(ramp.toX, ramp.toY);
    ctx.stroke();
  }
}

function paintRuler(ctx, scene) {
  const { view, model, ink, range, start } = scene;
  const { time, about } = model;
  ctx.fillStyle = ink.paper;
  ctx.fillRect(0, 0, view.width, RULER);
  for (const [from, to, name] of about.sections) {
    const [x, width] = [view.x(from), (to - from) / view.ticksPerPixel];
    if (x > view.width || x + width < 0) continue;
    ctx.fillStyle = ink.choice;
    ctx.fillRect(x + 1, 1, width - 2, 15);
    ctx.fillStyle = ink.ink;
    ctx.fillRect(x, 1, 2, 15);
    label(ctx, name, Math.max(x, 0) + 6, 12, width - 8, '600 12px "Next", sans-serif');
  }
  ctx.font = '11px "Hyper Mono", monospace';
  const [from, to] = seen(scene);
  const apart = Math.max(26, 7 * String(about.bars).length + 9); // pixels that the number of a bar takes
  for (const { tick, kind, bar } of time.lines(from, to, "off", 50, apart * view.ticksPerPixel)) {
    const x = Math.round(view.x(tick));
    ctx.fillStyle = ink.ink2;
    ctx.fillRect(x, kind === "bar" ? 18 : 32, 1, kind === "bar" ? RULER - 18 : RULER - 32);
    if (kind === "bar") {
      ctx.fillStyle = ink.ink;
      ctx.fillText(String(bar), x + 4, 30);
    }
  }
  ctx.fillStyle = ink.ink2;
  for (const [tick, , ] of about.tempos.slice(1)) tag(ctx, view, tick, `${round(60e6 / tempoAt(about, tick))}`, 12);
  for (const [tick, beats, unit] of about.meters.slice(1)) tag(ctx, view, tick, `${beats}/${unit}`, 30, 22);
  if (range[1] > range[0]) {
    ctx.fillStyle = ink.ink;
    ctx.fillRect(view.x(range[0]), RULER - 5, (range[1] - range[0]) / view.ticksPerPixel, 4);
  }
  ctx.fillStyle = ink.ink;
  const x = view.x(start);
  ctx.beginPath();
  ctx.moveTo(x - 5, 18);
  ctx.lineTo(x + 5, 18);
  ctx.lineTo(x, 27);
  ctx.fill();
}

function tag(ctx, view, tick, text, y, indent = 4) {
  const x = view.x(tick);
  if (x > -60 && x < view.width) ctx.fillText(text, x + indent, y);
}

const tempoAt = ({ tempos }, tick) => tempos.filter(([at]) => at <= tick).at(-1)[1];
const round = (bpm) => Math.round(bpm * 10) / 10;

function label(ctx, text, x, y, room, font) {
  if (room < 12) return;
  ctx.font = font;
  let shown = text;
  while (shown && ctx.measureText(shown).width > room) shown = shown.slice(0, -1);
  ctx.fillText(shown, x, y);
}

function paintPlayhead(ctx, { view, playhead, ink, lanes }) {
  if (playhead === null) return;
  const x = Math.round(view.x(playhead));
  ctx.fillStyle = ink.sound;
  ctx.fillRect(x, 18, 2, Math.min(view.height, view.foot(lanes.length - 1)) - 18);
  ctx.fillRect(x, view.height - STRIP, 2, STRIP);
}
