/** What a person decides about the hits of a recording: each is sent behind the decisions before it, and goes on from them. */
import { RecordingModel } from "./model.js";

const QUIET_DB = -30; // of a hit put in where nothing rises

export class Mending {
  #model;
  #view;

  /** @param {RecordingModel} model @param {import("./layout.js").RecordingView} view how closely it is looked at */
  constructor(model, view) {
    this.#model = model;
    this.#view = view;
  }

  take(stroke, isHit) {
    return this.#decide(stroke, (one) => ({ sentence: `${isHit ? "A hit taken" : "A hit left out"} at ${one.time.toFixed(3)} s of ${this.#nameOf(one)}`, ...decisionOn(one), isHit }));
  }

  strike(stroke, velocity) {
    return this.#decide(stroke, (one) => ({ sentence: `A hit of ${this.#nameOf(one)} at velocity ${velocity}`, ...decisionOn(one), isHit: true, velocity }));
  }

  /** Put a hit in: at the candidate nearest by, else at the nearest rise of the track, else where it was pressed. */
  put(track, time, within = Math.max(0.004, this.#reach), isFree = false) {
    const near = (this.#model.strokes.get(track.id) ?? []).filter((one) => Math.abs(one.time - time) <= within);
    const candidate = near.sort((a, b) => Math.abs(a.time - time) - Math.abs(b.time - time))[0];
    if (candidate && !isFree) {
      this.#model.select(candidate);
      return candidate.isTaken ? true : this.take(candidate, true);
    }
    return this.#model.mend(async () => {
      const found = await this.#model.rise(track.id, time, within);
      const at = isFree || !found ? time : found.time;
      const level = found?.isRise ? found.level : QUIET_DB;
      this.#model.selected = { track: track.id, place: null, mend: null, time: at, level, sure: 1, why: "", velocity: 1, isTaken: true, isByHand: true };
      return { sentence: `A hit put in at ${at.toFixed(3)} s of ${track.name}`, track: track.id, isHit: true, time: at, level };
    });
  }

  /** Move a hit to a time, or by some seconds from where it is then; if not free it snaps to the rise that is nearest. */
  move(stroke, { to = NaN, by = 0, isFree = false }) {
    return this.#decide(stroke, async (one) => {
      const time = Math.max(0, by ? one.time + by : to);
      const found = await this.#model.rise(one.track, time, isFree ? 0.001 : Math.max(0.002, this.#reach));
      const at = isFree || !found ? time : found.time;
      const sentence = `A hit of ${this.#nameOf(one)} moved by ${((at - one.time) * 1000).toFixed(1).replace("-", "−")} ms`;
      return { sentence, ...RecordingModel.names(one), isHit: true, time: at, level: found?.isRise ? found.level : one.level };
    });
  }

  /** A flam: a softer stroke before the hit, at a rise 15 to 45 ms before it where there is one. */
  flam(stroke) {
    return this.#decide(stroke, async (one) => {
      const found = await this.#model.rise(one.track, one.time - 0.03, 0.015);
      const isHeard = found?.isRise && one.time - found.time > 0.012;
      const at = isHeard ? found.time : one.time - 0.028;
      const level = isHeard ? found.level : one.level - 9;
      return { sentence: `A flam at ${one.time.toFixed(3)} s of ${this.#nameOf(one)}`, track: one.track, isHit: true, time: Math.max(0, at), level: Math.min(level, one.level) };
    });
  }

  /** What is made of a stroke as the decisions before have left it; nothing where it has gone. */
  #decide(stroke, make) {
    return this.#model.mend(() => {
      const one = this.#model.now(stroke);
      return one && make(one);
    });
  }

  #nameOf({ track }) {
    return this.#model.track(track).name;
  }

  /** How far from where it is pressed a hit is looked for, in seconds. */
  get #reach() {
    return Math.min(0.03, 8 * this.#view.secondsPerPixel);
  }
}

/** What a decision about a stroke names it by; one that was put in by hand has its own place. */
function decisionOn(one) {
  return { ...RecordingModel.names(one), ...(one.place === null ? { time: one.time, level: one.level } : {}) };
}
