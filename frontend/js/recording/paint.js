/** Paints a recording: the ruler, each track's level with its hits over it, its threshold; closer in, the wave itself. */
import { FLOOR_DB, RULER, between } from "./layout.js";
import { fillLevels } from "./level.js";
import { SURE } from "./model.js";

const WAVE_SECONDS_PER_PIXEL = 0.0006; // closer than this the wave itself is drawn
const STEPS = [0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 15, 30, 60, 120, 300, 600];
const APART_PX = 70;
const FONT = '11px "Hyper Mono", monospace';

export function paint(ctx, scene) {
  const { view, model, ink } = scene;
  ctx.clearRect(0, 0, view.width, view.height);
  ctx.save();
  ctx.beginPath();
  ctx.rect(0, RULER, view.width, view.height - RULER);
  ctx.clip();
  paintRange(ctx, scene);
  model.tracks.forEach((track, row) => {
    if (view.foot(row) > RULER && view.foot(row) - view.rowHeight < view.height) paintTrack(ctx, scene, track, row);
  });
  paintBars(ctx, scene);
  ctx.restore();
  paintRuler(ctx, scene);
  if (scene.playhead !== null) {
    ctx.fillStyle = ink.sound;
    ctx.fillRect(Math.round(view.x(scene.playhead)), 0, 1.5, view.height);
  }
  ctx.fillStyle = ink.ink;
  ctx.fillRect(0, RULER - 1, view.width, 1);
}

function paintRange(ctx, { view, range, ink }) {
  if (range[1] <= range[0]) return;
  ctx.fillStyle = ink.paper2;
  ctx.fillRect(view.x(range[0]), RULER, (range[1] - range[0]) / view.secondsPerPixel, view.height);
}

function paintTrack(ctx, scene, track, row) {
  const { view, model, ink, chosen, cursor } = scene;
  const foot = view.foot(row);
  if (row === chosen) {
    ctx.fillStyle = ink.wash;
    ctx.globalAlpha = 0.5;
    ctx.fillRect(0, foot - view.rowHeight + 1, view.width, view.rowHeight - 1);
    ctx.globalAlpha = 1;
  }
  if (view.secondsPerPixel < WAVE_SECONDS_PER_PIXEL) paintWave(ctx, scene, track, foot);
  else paintLevel(ctx, scene, track, foot);
  const end = view.x(track.seconds);
  if (end < view.width) {
    ctx.fillStyle = ink.paper2;
    ctx.fillRect(end, foot - view.rowHeight + 1, view.width - end, view.rowHeight - 1);
  }
  paintHits(ctx, scene, model.strokes.get(track.id) ?? [], foot);
  paintThreshold(ctx, scene, model.shown(track.id), foot);
  if (cursor && row === chosen) {
    ctx.fillStyle = ink.ink;
    ctx.fillRect(view.x(cursor) - 0.5, foot - view.rowHeight + 2, 1, 6);
  }
  ctx.fillStyle = ink.line;
  ctx.fillRect(0, foot, view.width, 1);
}

function paintLevel(ctx, { view, peaks, ink }, track, foot) {
  ctx.fillStyle = ink.line;
  fillLevels(ctx, peaks.get(track.id), { width: view.width, foot, timeAt: (x) => view.time(x), rise: (level) => view.rise(level) });
}

/** The wave itself, as tall as there is room for. */
function paintWave(ctx, { view, waves, ink, fullScale, rate }, track, foot) {
  const middle = foot - view.rowHeight / 2;
  const first = Math.max(0, Math.floor(view.left * rate));
  const last = Math.ceil(view.time(view.width) * rate);
  const values = waves.stretch(track, first, last);
  if (!values) return;
  let most = 1e-4;
  for (const value of values) most = Math.max(most, Math.abs(value));
  const scale = (view.rowHeight / 2 - 4) / most;
  ctx.strokeStyle = ink.ink2;
  ctx.lineWidth = 1;
  ctx.beginPath();
  const perPixel = view.secondsPerPixel * rate;
  if (perPixel > 2) {
    for (let x = 0; x < view.width; x++) {
      let [low, high] = [Infinity, -Infinity];
      for (let n = Math.floor(x * perPixel); n < (x + 1) * perPixel && n < values.length; n++) {
        low = Math.min(low, values[n]);
        high = Math.max(high, values[n]);
      }
      if (high < low) break;
      ctx.moveTo(x + 0.5, middle - high * scale);
      ctx.lineTo(x + 0.5, middle - low * scale + 0.5);
    }
  } else values.forEach((value, n) => ctx.lineTo(view.x((first + n) / rate), middle - value * scale));
  ctx.stroke();
}

/** Taken: a stem with a head; not sure: an open head; left out: a short tick. Chosen: ringed. */
function paintHits(ctx, { view, model, ink, moving, playhead }, strokes, foot) {
  const seen = between(strokes, view.time(-8), view.time(view.width + 8));
  const dense = seen.length > 3000;
  for (const stroke of seen) {
    const isChosen = model.selected === stroke;
    const x = view.x(isChosen && moving !== null ? moving : stroke.time);
    const height = view.rise(stroke.level);
    if (!stroke.isTaken) {
      if (dense) continue;
      ctx.fillStyle = ink.ink2;
      ctx.fillRect(x - 0.5, foot - 4, 1, 4);
    } else {
      const sounds = playhead !== null && playhead >= stroke.time && playhead < stroke.time + 0.11;
      ctx.fillStyle = ctx.strokeStyle = sounds ? ink.sound : ink.ink;
      ctx.fillRect(x - 0.75, foot - height, 1.5, height);
      if (dense) continue;
      ctx.beginPath();
      ctx.arc(x, foot - height, 3.2, 0, 7);
      if (stroke.sure >= SURE) ctx.fill();
      else {
        ctx.save();
        ctx.fillStyle = ink.paper;
        ctx.fill();
        ctx.lineWidth = 1.4;
        ctx.stroke();
        ctx.restore();
      }
      if (stroke.isByHand) ctx.fillRect(x - 3.5, foot - 2, 7, 2);
    }
    if (isChosen) {
      ctx.strokeStyle = ink.ink;
      ctx.lineWidth = 1.6;
      ctx.beginPath();
      ctx.arc(x, foot - Math.max(6, height), 8, 0, 7);
      ctx.stroke();
    }
  }
}

function paintThreshold(ctx, { view, ink, held }, track, foot) {
  const y = Math.round(foot - view.rise(track.softest ?? FLOOR_DB)) + 0.5;
  ctx.strokeStyle = ink.ink;
  ctx.lineWidth = held === track.id ? 2 : 1;
  ctx.setLineDash([5, 4]);
  if (track.softest !== null || held === track.id) {
    ctx.beginPath();
    ctx.moveTo(58, y);
    ctx.lineTo(view.width, y);
    ctx.stroke();
  }
  ctx.setLineDash([]);
  ctx.fillStyle = ink.paper;
  ctx.strokeRect(4.5, Math.min(foot - 16, y - 8), 52, 15);
  ctx.fillRect(5, Math.min(foot - 16, y - 8) + 0.5, 51, 14);
  ctx.fillStyle = ink.ink;
  ctx.font = FONT;
  ctx.textBaseline = "middle";
  ctx.textAlign = "center";
  ctx.fillText(track.softest === null ? "all ↕" : `${track.softest.toFixed(0).replace("-", "−")} dB ↕`, 30.5, Math.min(foot - 8.5, y));
  ctx.textAlign = "left";
}

function paintBars(ctx, { view, ink, lines, beats, isOffered }) {
  ctx.setLineDash(isOffered ? [3, 4] : []);
  for (let n = 0; n < lines.length; n++) {
    const x = Math.round(view.x(lines[n]));
    const width = ((lines[n + 1] ?? lines[n]) - lines[n]) / view.secondsPerPixel;
    if (x > view.width || x + width < 0) continue;
    ctx.fillStyle = ctx.strokeStyle = ink.ink2;
    ctx.globalAlpha = 0.5;
    ctx.beginPath();
    ctx.moveTo(x + 0.5, RULER);
    ctx.lineTo(x + 0.5, view.height);
    ctx.stroke();
    if (width / beats > 12 && !isOffered) {
      ctx.globalAlpha = 0.25;
      for (let beat = 1; beat < beats; beat++) ctx.fillRect(Math.round(x + (width * beat) / beats), RULER, 1, view.height);
    }
    ctx.globalAlpha = 1;
  }
  ctx.setLineDash([]);
}

function paintRuler(ctx, { view, ink, lines, anchors, range, start }) {
  ctx.fillStyle = ink.paper;
  ctx.fillRect(0, 0, view.width, RULER);
  if (range[1] > range[0]) {
    ctx.fillStyle = ink.choice;
    ctx.fillRect(view.x(range[0]), 0, (range[1] - range[0]) / view.secondsPerPixel, RULER - 1);
  }
  ctx.font = FONT;
  ctx.textBaseline = "alphabetic";
  const step = STEPS.find((one) => one / view.secondsPerPixel >= APART_PX) ?? 600;
  ctx.fillStyle = ink.ink2;
  for (let n = Math.floor(view.left / step); n * step < view.time(view.width); n++) {
    const x = view.x(n * step);
    ctx.fillRect(x, RULER - 6, 1, 6);
    ctx.fillText(clock(n * step, step), x + 3, RULER - 5);
  }
  let free = -Infinity;
  lines.forEach((line, bar) => {
    const x = view.x(line);
    if (x < -60 || x > view.width) return;
    const isSet = anchors.has(bar);
    ctx.fillStyle = ink.ink;
    ctx.fillRect(x, 0, isSet ? 2 : 1, 15);
    if (x < free) return;
    ctx.fillText(`${bar + 1}`, x + 4, 12);
    free = x + 34;
  });
  ctx.fillStyle = ink.ink;
  const x = view.x(start);
  ctx.beginPath();
  ctx.moveTo(x - 5, RULER - 9);
  ctx.lineTo(x + 5, RULER - 9);
  ctx.lineTo(x, RULER - 1);
  ctx.fill();
}

/** Minutes and seconds as fine as the step. */
export function clock(seconds, step) {
  const digits = step < 0.01 ? 3 : step < 0.1 ? 2 : step < 1 ? 1 : 0;
  const left = (seconds % 60).toFixed(digits).padStart(digits ? digits + 3 : 2, "0");
  return `${Math.floor(seconds / 60)}:${left}`;
}
