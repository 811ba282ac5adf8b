/**
 * What the waveform of a take shows, and where its start, end and fades stand in it. Pure; in frames of its sample and
 * pixels of the canvas.
 *
 * @typedef {"start" | "end"} Edge
 * @typedef {Edge | "fadeIn" | "fadeOut"} Grip
 * @typedef {{ frames: number, rate: number, start: number, end: number, onset: number, fadeIn: number, fadeOut: number }} TakeValues fades in ms
 */
const REACH_PX = 6; // how close to a grip a press takes hold of it
const FADES_PX = 22; // from the top down fades are taken hold of before what lies under them
const NARROWEST = 24; // frames that are seen at least

export class TakeView {
  /** @type {number} */ frames;
  /** @type {number} */ rate;
  /** @type {number} */ start;
  /** @type {number} */ end;
  /** @type {number} */ onset;
  /** ms @type {number} */ fadeIn;
  /** ms @type {number} */ fadeOut;
  /** What is seen. */ from = 0;
  to = 0;
  /** What keys move. @type {Edge} */ edge = "start";
  /** Where the take is playing. @type {number | undefined} */ head = undefined;
  /** Lowest and highest of each column, of the take and of those it is laid over. @type {Int8Array | null} */ pairs = null;
  /** @type {Int8Array[]} */ others = [];

  /** @param {TakeValues} values */
  constructor(values) {
    Object.assign(this, values);
    this.to = this.frames;
  }

  get span() {
    return this.to - this.from;
  }

  x(frame, width) {
    return ((frame - this.from) / this.span) * width;
  }

  frameAt(x, width) {
    return this.from + (x / width) * this.span;
  }

  /** The grip that a press at a point takes hold of; null where none is near. @returns {Grip | null} */
  gripAt(x, y, width) {
    const perMs = this.rate / 1000;
    const grips = { start: this.start, end: this.end, fadeIn: this.start + this.fadeIn * perMs, fadeOut: this.end - this.fadeOut * perMs };
    /** @type {Grip[]} */ const order = y < FADES_PX ? ["fadeIn", "fadeOut", "start", "end"] : ["start", "end"];
    return order.find((grip) => Math.abs(this.x(grips[grip], width) - x) < REACH_PX) ?? null;
  }

  /** @returns {Edge} */
  nearerEdge(frame) {
    return Math.abs(frame - this.start) < Math.abs(frame - this.end) ? "start" : "end";
  }

  /** Put a grip at a frame: a take is a frame long at least, and within its sample. @param {Grip} grip */
  put(grip, frame) {
    const at = Math.round(frame);
    if (grip === "start") this.start = Math.min(this.end - 1, Math.max(0, at));
    else if (grip === "end") this.end = Math.min(this.frames, Math.max(this.start + 1, at));
    else if (grip === "fadeIn") this.fadeIn = Math.max(0, this.ms(frame - this.start));
    else this.fadeOut = Math.max(0, this.ms(this.end - frame));
  }

  /** See more or less, around what stays where it is seen. */
  zoom(factor, around = this[this.edge]) {
    const share = Math.min(1, Math.max(0, (around - this.from) / this.span));
    const span = Math.min(this.frames, Math.max(NARROWEST, this.span * factor));
    this.#show(around - span * share, span);
  }

  scroll(frames) {
    this.#show(this.from + frames, this.span);
  }

  #show(from, span) {
    this.from = Math.min(this.frames - span, Math.max(0, from));
    this.to = this.from + span;
  }

  /** How far an arrow key goes: less, the closer it is looked at. */
  get step() {
    return Math.max(1, Math.round(this.span / 200));
  }

  ms(frames) {
    return (1000 * frames) / this.rate;
  }

  /** What the server is told; an end that is the sample's own is none. */
  get values() {
    const end_frame = this.end >= this.frames ? "" : String(this.end);
    return { start_frame: String(this.start), end_frame, fade_in_ms: this.fadeIn.toFixed(2), fade_out_ms: this.fadeOut.toFixed(2) };
  }
}

/** Of single frames, the one nearest to another at which the sound crosses zero. @param {Int8Array} pairs from `from` on */
export function nearestZero(pairs, from, at) {
  let best = null;
  for (let n = 1; n < pairs.length / 2; n++) {
    const isCrossing = pairs[2 * n] >= 0 !== pairs[2 * n - 2] >= 0;
    if (isCrossing && (best === null || Math.abs(from + n - at) < Math.abs(best - at))) best = from + n;
  }
  return best;
}
