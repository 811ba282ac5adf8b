/**
 * What comes after the sum of an output's voices, as dactyl/core/desk has it: a matrix for each channel, and the parallel buses
 * that they send to, the kit's own and that of the lineup. Knows no kit: matrices come from the core. A change is reached on a
 * line over 5 ms, so that it makes no click.
 *
 * @typedef {import("./ramped.js").Matrix} Matrix
 * @typedef {{ name: string, group?: string, handle?: string, matrix: Matrix, toBus: Matrix | null, strip: number[], isHall?: boolean,
 *   toShared?: Matrix | null, behind?: { matrix: Matrix, toShared: Matrix | null } }} OutputRow
 * strip: level, amount to the bus, width, left, right, of which the matrices are made where some of it moves (moving.js);
 * behind: what the desk of a lineup makes of what has left the kit's own; handle: its group there
 * @typedef {{ out: Ramped, bus: Ramped, shared: Ramped, strip: Ramped, behind: Ramped, toShared: Ramped, isHall: boolean,
 *   moving: Moving | null }} Channel
 */
import { curvesOf, Moving } from "./moving.js";
import { ParallelBus } from "./parallel.js";
import { AS_IT_IS, Ramped, SILENT } from "./ramped.js";

const RAMP_SECONDS = 0.005;

export const rampFramesAt = (rate) => Math.max(1, Math.round(RAMP_SECONDS * rate));

export class Desk {
  bus;
  #rampFrames;
  /** @type {Channel[]} */ #channels = [];
  /** What moves along the part. @type {import("./moving.js").Curve[]} */ #curves = [];
  /** Outputs that are heard alone; none: all. @type {Set<number>} */ #solo = new Set();
  /** @type {OutputRow[] | null} */ #of = null;

  constructor(rate) {
    this.#rampFrames = rampFramesAt(rate);
    this.bus = new ParallelBus(this.#rampFrames);
  }

  /** @param {number[]} outputs */
  hearAlone(outputs) {
    this.#solo = new Set(outputs);
    this.#of = null;
  }

  /** @param {import("./moving.js").Curve[]} curves of the part that is played */
  setCurves(curves) {
    this.#curves = curves;
    this.#of = null;
  }

  /** @param {OutputRow[]} outputs @param {import("./parallel.js").Compressor | null} parallel */
  take(outputs, parallel) {
    this.bus.take(parallel);
    if (outputs === this.#of) return;
    this.#of = outputs;
    this.#channels.length = Math.min(this.#channels.length, outputs.length);
    outputs.forEach((output, n) => this.#set(n, output));
  }

  /** @param {number} n @param {OutputRow} output */
  #set(n, output) {
    const isAside = this.#solo.size > 0 && !this.#solo.has(n);
    const heard = (matrix) => (!isAside && matrix) || SILENT;
    const { strip, isHall = false, behind } = output;
    const goals = {
      out: heard(output.matrix), bus: heard(output.toBus), shared: heard(output.toShared), strip: isAside ? [0, 0, ...strip.slice(2)] : strip,
      behind: behind?.matrix ?? AS_IT_IS, toShared: behind?.toShared ?? SILENT,
    }; // prettier-ignore
    const channel = (this.#channels[n] ??= /** @type {Channel} */ ({
      ...Object.fromEntries(Object.entries(goals).map(([name, goal]) => [name, new Ramped(goal, this.#rampFrames)])),
      moving: null,
    }));
    for (const [name, goal] of Object.entries(goals)) channel[name].go(goal);
    channel.isHall = isHall;
    const curves = curvesOf(this.#curves, output);
    if (curves && !channel.moving) channel.moving = new Moving(null, this.#rampFrames, channel.strip.now);
    if (channel.moving) channel.moving.curves = curves;
  }

  /** Nothing sounds: what is changed meanwhile needs no way. @param {OutputRow[]} outputs @param {import("./parallel.js").Compressor | null} parallel */
  rest(outputs, parallel) {
    this.take(outputs, parallel);
    for (const { out, bus, shared, strip, behind, toShared, moving } of this.#channels) {
      for (const ramped of [out, bus, shared, strip, behind, toShared]) ramped.arrive();
      moving?.rest();
    }
    this.bus.arrive();
  }

  /**
   * The sums of the outputs become what leaves. @param {Float32Array[][]} buses in place
   * @param {[from: number, count: number, at: number][]} stretches of the part, with its frame at their begin; none: it stands still
   * @param {Float32Array[] | null} shared what goes to the bus of a lineup is added to it
   * @returns {Float32Array[] | null} what the kit's own parallel bus plays beside them
   */
  process(buses, count, stretches = [], shared = null) {
    const sent = this.bus.begin(count);
    buses.forEach((bus, n) => {
      const channel = this.#channels[n];
      if (channel.moving) return this.#move(bus, sent, shared, channel, stretches, count);
      if (sent && channel.bus.isAny) channel.bus.apply(bus, sent, count, true);
      if (shared && channel.shared.isAny) channel.shared.apply(bus, shared, count, true);
      if (!channel.out.isPlain) channel.out.apply(bus, bus, count);
    });
    return sent && this.bus.process(count);
  }

  /** @param {Channel} channel */
  #move(bus, sent, shared, channel, stretches, count) {
    const { moving, strip, isHall, behind, toShared } = channel;
    let done = 0;
    for (const [from, length, at] of stretches) {
      if (from > done) moving.apply(bus, sent, strip, isHall, done, from, null);
      moving.apply(bus, sent, strip, isHall, from, from + length, at);
      done = from + length;
    }
    if (done < count) moving.apply(bus, sent, strip, isHall, done, count, null);
    if (shared && toShared.isAny) toShared.apply(bus, shared, count, true);
    if (!behind.isPlain) behind.apply(bus, bus, count);
    for (const ramped of [channel.out, channel.bus, channel.shared]) ramped.arrive();
    if (!moving.curves && moving.isSettled) channel.moving = null;
  }
}
