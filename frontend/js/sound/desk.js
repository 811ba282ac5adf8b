/**
 * What comes after the sum of an output's voices, as dactyl/core/desk has it: a matrix for each channel, and the parallel bus.
 * Knows no kit: matrices and the numbers of the compressor come from the core. A change is reached on a line over 5 ms, so
 * that it makes no click; steps of the bus count from the context's frame 0.
 *
 * @typedef {[leftLeft: number, leftRight: number, rightLeft: number, rightRight: number]} Matrix
 * @typedef {{ name: string, group?: string, matrix: Matrix, toBus: Matrix | null, strip: number[], isHall?: boolean }} OutputRow
 * strip: level, amount to the bus, width, left, right, of which the matrices are made: where some of it moves (moving.js)
 * @typedef {{ threshold_db: number, slope: number, knee_db: number, attack: number, release: number, matrix: Matrix }} Compressor
 */
import { curvesOf, Moving } from "./moving.js";

const STEP = 32; // frames; core/desk/tables.py
const LEAST = 1e-6; // -120 dB
const RAMP_SECONDS = 0.005;
const RELEASED_DB = -0.01;
/** @type {Matrix} */ const SILENT = [0, 0, 0, 0];

/** Numbers on their way to others: a matrix, or what it is made of. */
class Ramped {
  /** @type {number[]} */ now;
  #to;
  #left = 0;
  #frames;

  /** @param {number[]} numbers @param {number} frames of a way */
  constructor(numbers, frames) {
    this.now = this.#to = numbers;
    this.#frames = frames;
  }

  get isMoving() {
    return this.#left > 0;
  }

  /** @param {number[]} numbers */
  go(numbers) {
    if (numbers.every((value, n) => value === this.#to[n])) return;
    this.#to = numbers;
    this.#left = this.#frames;
  }

  /** Be there at once. */
  arrive() {
    this.now = this.#to;
    this.#left = 0;
  }

  /** Apply it from one pair of sides to another, which may be the same. @param {Float32Array[]} from @param {Float32Array[]} into */
  apply(from, into, count, isAdded = false) {
    const [left, right] = from;
    for (let i = 0; i < count; i++) {
      if (this.#left) this.step();
      const [leftLeft, leftRight, rightLeft, rightRight] = this.now;
      const [a, b] = [left[i], right[i]];
      const [x, y] = [leftLeft * a + leftRight * b, rightLeft * a + rightRight * b];
      into[0][i] = isAdded ? into[0][i] + x : x;
      into[1][i] = isAdded ? into[1][i] + y : y;
    }
  }

  step() {
    const share = 1 / this.#left--;
    this.now = (this.now.map((value, n) => (this.#left ? value + (this.#to[n] - value) * share : this.#to[n])));
  }
}

export class Desk {
  /** The least gain of the bus since it was asked, dB. */ reduction = 0;
  #rampFrames;
  /** @type {{ out: Ramped, bus: Ramped, strip: Ramped, isHall: boolean, moving: Moving | null }[]} */ #channels = [];
  /** What moves along the part. @type {import("./moving.js").Curve[]} */ #curves = [];
  /** @type {Compressor | null} */ #compressor = null;
  /** @type {Ramped | null} */ #left = null;
  #gainDb = 0;
  #gain = 1;
  #sent = [new Float32Array(128), new Float32Array(128)];
  /** Outputs that are heard alone; none: all. @type {Set<number>} */ #solo = new Set();
  #of = null;
  #asked = null;

  constructor(rate) {
    this.#rampFrames = Math.max(1, Math.round(RAMP_SECONDS * rate));
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

  /** @param {OutputRow[]} outputs @param {Compressor | null} parallel */
  take(outputs, parallel) {
    if (outputs === this.#of && parallel === this.#asked) return;
    [this.#of, this.#asked] = [outputs, parallel];
    this.#channels.length = Math.min(this.#channels.length, outputs.length);
    outputs.forEach((output, n) => {
      const { matrix, toBus, strip, isHall = false } = output;
      const ramped = (numbers) => new Ramped(numbers, this.#rampFrames);
      const channel = this.#channels[n] ??= { out: ramped(matrix), bus: ramped(toBus ?? SILENT), strip: ramped(strip), isHall, moving: null }; // prettier-ignore
      const isAside = this.#solo.size > 0 && !this.#solo.has(n);
      channel.out.go(isAside ? SILENT : matrix);
      channel.bus.go((!isAside && toBus) || SILENT);
      channel.strip.go(isAside ? [0, 0, ...strip.slice(2)] : strip);
      channel.isHall = isHall;
      const curves = curvesOf(this.#curves, output);
      if (curves && !channel.moving) channel.moving = new Moving(null, this.#rampFrames, channel.strip.now);
      if (channel.moving) channel.moving.curves = curves;
    });
    if (parallel) this.#compressor = parallel;
    if (parallel && !this.#left) {
      this.#left = new Ramped(parallel.matrix, this.#rampFrames);
      [this.#gainDb, this.#gain] = [0, 1];
    }
    this.#left?.go(parallel ? parallel.matrix : SILENT);
  }

  /** Whether the bus still lets go of what it held down: it is to run on, also where nothing sounds. */
  get isReleasing() {
    return this.#left !== null && this.#gainDb < RELEASED_DB;
  }

  /** Nothing sounds: what is changed meanwhile needs no way. @param {OutputRow[]} outputs @param {Compressor | null} parallel */
  rest(outputs, parallel) {
    this.take(outputs, parallel);
    for (const { out, bus, strip, moving } of this.#channels) {
      for (const ramped of [out, bus, strip]) ramped.arrive();
      moving?.rest();
    }
    this.#left?.arrive();
  }

  /**
   * The sums of the outputs become what leaves. @param {Float32Array[][]} buses in place
   * @param {[from: number, count: number, at: number][]} stretches of the part, with its frame at their begin; none: it stands still
   * @returns {Float32Array[] | null} what the parallel bus plays beside them
   */
  process(buses, count, stretches = []) {
    const sent = this.#left && this.#send(buses, count);
    buses.forEach((bus, n) => {
      const { out, moving } = this.#channels[n];
      if (moving) this.#move(bus, sent, this.#channels[n], stretches, count);
      else if (!plain(out)) out.apply(bus, bus, count);
    });
    if (!sent) return null;
    this.#compress(sent, count);
    this.#left.apply(sent, sent, count);
    if (!this.#asked && !this.#left.isMoving) this.#left = this.#compressor = null; // it was switched off, and has faded
    return sent;
  }

  #move(bus, sent, channel, stretches, count) {
    const { moving, strip, isHall, out, bus: amount } = channel;
    let done = 0;
    for (const [from, length, at] of stretches) {
      if (from > done) moving.apply(bus, sent, strip, isHall, done, from, null);
      moving.apply(bus, sent, strip, isHall, from, from + length, at);
      done = from + length;
    }
    if (done < count) moving.apply(bus, sent, strip, isHall, done, count, null);
    for (const ramped of [out, amount]) ramped.arrive();
    if (!moving.curves && moving.isSettled) channel.moving = null;
  }

  #send(buses, count) {
    if (this.#sent[0].length < count) this.#sent = [new Float32Array(count), new Float32Array(count)];
    for (const side of this.#sent) side.fill(0);
    buses.forEach((bus, n) => {
      const { bus: amount, moving } = this.#channels[n];
      if (moving) return; // it sends what it makes
      if (amount.isMoving || amount.now.some(Boolean)) amount.apply(bus, this.#sent, count, true);
    });
    return this.#sent;
  }

  /** @param {Float32Array[]} sides */
  #compress(sides, count) {
    const [left, right] = sides;
    for (let start = 0; start < count; start += STEP) {
      const stop = Math.min(count, start + STEP);
      let peak = LEAST;
      for (let i = start; i < stop; i++) peak = Math.max(peak, Math.abs(left[i]), Math.abs(right[i]));
      const wanted = wantedDb(this.#compressor, 20 * Math.log10(peak));
      const stays = wanted < this.#gainDb ? this.#compressor.attack : this.#compressor.release;
      this.#gainDb = wanted + stays * (this.#gainDb - wanted);
      const end = 10 ** (this.#gainDb / 20);
      for (let i = start; i < stop; i++) {
        const gain = this.#gain + ((end - this.#gain) * (i - start)) / STEP;
        left[i] *= gain;
        right[i] *= gain;
      }
      this.#gain = end;
      this.reduction = Math.min(this.reduction, this.#gainDb);
    }
  }
}

/** True of one that changes nothing, so that nothing is to be done. @returns {true | undefined} */
function plain(ramped) {
  const [leftLeft, leftRight, rightLeft, rightRight] = ramped.now;
  return (!ramped.isMoving && leftLeft === 1 && rightRight === 1 && !leftRight && !rightLeft) || undefined;
}

/** The static curve of the compressor, dB (core/desk/parallel.py). @param {Compressor} compressor */
function wantedDb({ threshold_db: threshold, slope, knee_db: knee }, peakDb) {
  const over = peakDb - threshold;
  if (2 * over < -knee) return 0;
  if (2 * Math.abs(over) <= knee) return knee > 0 ? (slope * (over + knee / 2) ** 2) / (2 * knee) : 0;
  return slope * over;
}
