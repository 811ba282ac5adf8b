/** Curves of a part (core/parts/curves.py): what moves along it, and what those of lanes make of hits. Pure. */
import { linear, valueAt } from "../sound/moving.js";

/** What can move: least, most, what is usual where nothing is drawn, the step of a key and a finer one, by what its numbers are shown larger. */
export const KINDS = {
  gain_db: { name: "level", low: -96, high: 24, still: 0, steps: [1, 0.1], shown: 1, unit: "dB", say: (db) => (db <= -96 ? "silent" : `${signed(db, db % 1 ? 1 : 0)} dB`) },
  balance: { name: "balance", low: -1, high: 1, still: 0, steps: [0.05, 0.01], shown: 100, unit: "", say: (at) => side(at) },
  width: { name: "width", low: 0, high: 2, still: 1, steps: [0.05, 0.01], shown: 100, unit: "%", say: (wide) => `${Math.round(100 * wide)} % wide` },
  pan: { name: "pan", low: -1, high: 1, still: 0, steps: [0.05, 0.01], shown: 100, unit: "", say: (at) => side(at) },
  tune_cents: { name: "tuning", low: -2400, high: 2400, still: 0, steps: [10, 1], shown: 1, unit: "cents", say: (cents) => `${signed(cents, 0)} cents` },
};
const signed = (value, digits) => `${value > 0 ? "+" : value < 0 ? "−" : ""}${Math.abs(value).toFixed(digits)}`;
const side = (at) => (Math.abs(at) < 0.005 ? "centre" : `${at < 0 ? "left" : "right"} ${Math.round(100 * Math.abs(at))}`);
const SHOWN = { gain_db: [-36, 12], tune_cents: [-1200, 1200] }; // of a range that is wide, what is seen; beyond stands at the edge

/** @param {[of: string, what: string, points: [tick: number, value: number, frame: number][]]} row */
export const curveOf = ([of, what, points]) => ({
  of,
  what,
  ticks: points.map(([tick]) => tick),
  frames: Float64Array.from(points, ([, , frame]) => frame),
  values: Float64Array.from(points, ([, value]) => value),
});

/** What the curves of lanes make of hits. */
export class LaneCurves {
  /** @type {Map<number, Record<string, ReturnType<typeof curveOf>>>} */ #of = new Map();

  /** @param {ReturnType<typeof curveOf>[]} curves */
  constructor(curves) {
    for (const curve of curves) {
      const [kind, note] = curve.of.split(":");
      if (kind !== "lane") continue;
      if (!this.#of.has(Number(note))) this.#of.set(Number(note), {});
      this.#of.get(Number(note))[curve.what] = curve;
    }
  }

  get isEmpty() {
    return !this.#of.size;
  }

  /** Write what is added to a hit of a lane at an exact time, in frames. @param {{ gains: Float64Array, ratios: Float64Array, pans: Float64Array }} into */
  move(note, time, into, at) {
    const curves = this.#of.get(note);
    if (!curves) return;
    const { gain_db: gain, pan, tune_cents: tune } = curves;
    if (gain) into.gains[at] = linear(valueAt(gain, time));
    if (tune) into.ratios[at] = 2 ** (valueAt(tune, time) / 1200);
    if (pan) into.pans[at] = valueAt(pan, time);
  }
}

/** How high a value stands, 0..1, and back. */
export function heightOf(what, value) {
  const [low, high] = SHOWN[what] ?? [KINDS[what].low, KINDS[what].high];
  return Math.min(1, Math.max(0, (value - low) / (high - low)));
}

export function valueOf(what, height) {
  const [low, high] = SHOWN[what] ?? [KINDS[what].low, KINDS[what].high];
  const share = Math.min(1, Math.max(0, height));
  if (what === "gain_db" && share === 0) return KINDS[what].low; // at the floor: silence
  const [coarse] = KINDS[what].steps;
  const step = what === "gain_db" ? 0.5 : coarse;
  return clipped(what, Math.round((low + share * (high - low)) / step) * step);
}

export const clipped = (what, value) => Number(Math.min(KINDS[what].high, Math.max(KINDS[what].low, value)).toFixed(4));
