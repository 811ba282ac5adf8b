/** Hits of a part as the audio thread plays them. Pure. */
import { lowerBound } from "../sound/transport.js";

/** @typedef {{ id: number, tick: number, order: number, note: number, velocity: number, channel: number, length: number,
 *   played: number, pass: number, frame: number, until: number, lane?: number }} Hit
 * lane: the note of its lane, where it is played as another */

export const COLUMNS = ["id", "tick", "order", "note", "velocity", "channel", "length", "played", "pass", "frame", "until"];

/** @param {number[]} row in the order of COLUMNS @returns {Hit} */
export function hitOf(row) {
  const [id, tick, order, note, velocity, channel, length, played, pass, frame, until] = row;
  return { id, tick, order, note, velocity, channel, length, played, pass, frame, until };
}

export const inOrder = (a, b) => a.tick - b.tick || a.order - b.order || a.id - b.id;

/**
 * Two tables in the order in which they are played; of one tick a note-off of a hit's length comes first.
 * @param {Hit[]} hits in order @param {Set<number>} muted passes that are not heard
 * @param {import("./curves.js").LaneCurves | null} lanes what moves hits of some lanes
 * @param {(tick: number) => number} timeAt the exact time of a tick, in frames
 */
export function tableOf(hits, muted, lanes = null, timeAt = undefined) {
  const heard = muted.size ? hits.filter(({ pass }) => !muted.has(pass)) : hits;
  const offs = new Float64Array(heard.reduce((count, { until }) => count + Number(until > 0), 0));
  const frameOf = new Map(); // a packed note-off to its frame
  let count = 0;
  for (const { tick, length, until, note, channel } of heard) {
    if (!until) continue;
    const packed = Math.round(tick + length) * 2048 + channel * 128 + note;
    frameOf.set(packed, until);
    offs[count++] = packed;
  }
  offs.sort();
  const frames = new Int32Array(heard.length + offs.length);
  const packed = new Int32Array(heard.length + offs.length);
  const ticks = new Float64Array(frames.length);
  const moved = lanes && { gains: new Float64Array(frames.length).fill(1), ratios: new Float64Array(frames.length).fill(1), pans: new Float64Array(frames.length) };
  let at = 0;
  let off = 0;
  const takeOff = () => {
    const value = offs[off++];
    ticks[at] = Math.floor(value / 2048);
    frames[at] = frameOf.get(value);
    packed[at++] = (value % 128) | ((Math.floor(value / 128) % 16) << 14);
  };
  for (const { tick, frame, note, velocity, channel, lane = note } of heard) {
    while (off < offs.length && offs[off] < (Math.floor(tick) + 1) * 2048) takeOff();
    if (lanes && velocity) lanes.move(lane, timeAt(tick), moved, at);
    frames[at] = frame;
    ticks[at] = tick;
    packed[at++] = note | (velocity << 7) | (channel << 14);
  }
  while (off < offs.length) takeOff();
  return { frames, packed, moved, ticks };
}

/**
 * What controllers say, for the audio thread: at a tick before its hits (design rule 20).
 * @param {number[][]} rows frame, tick, kind, number, value, channel @param {Float64Array} ticks of the hits of the table
 */
export function saidOf(rows, ticks) {
  if (!rows.length) return null;
  const ordered = [...rows].sort(([, a], [, b]) => a - b); // in order already, but for what was just recorded
  return {
    frames: Int32Array.from(ordered, ([frame]) => frame),
    packed: Int32Array.from(ordered, ([, , kind, number, value, channel]) => value | (number << 7) | (channel << 14) | (kind << 18)),
    before: Int32Array.from(ordered, ([, tick]) => lowerBound(ticks, tick)),
  };
}

/** The hits as they are played through a translation: those that have no counterpart are silent. @param {Hit[]} hits
 * @param {(note: number) => number | null} played */
export const translated = (hits, played) => hits.map((hit) => ({ ...hit, note: played(hit.note), lane: hit.note })).filter(({ note }) => note !== null);

/** Put changed and new hits among the others, and take out those that went. @param {Hit[]} hits in order */
export function merged(hits, changed, removed) {
  const gone = new Set([...removed, ...changed.map(({ id }) => id)]);
  const kept = gone.size ? hits.filter(({ id }) => !gone.has(id)) : hits;
  const fresh = [...changed].sort(inOrder);
  if (!fresh.length) return kept;
  const result = new Array(kept.length + fresh.length);
  let [k, f] = [0, 0];
  for (let at = 0; at < result.length; at++) result[at] = f >= fresh.length || (k < kept.length && inOrder(kept[k], fresh[f]) <= 0) ? kept[k++] : fresh[f++];
  return result;
}
