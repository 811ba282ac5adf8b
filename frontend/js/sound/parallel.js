/**
 * A parallel bus, as dactyl/core/desk/parallel.py has it: what is sent to it is compressed and played beside what sent it. A
 * kit's desk has one, and a lineup's has one behind those of its members. Steps count from the context's frame 0.
 *
 * @typedef {{ name: string, threshold_db: number, slope: number, knee_db: number, attack: number, release: number,
 *   matrix: import("./ramped.js").Matrix }} Compressor
 */
import { Ramped, SILENT } from "./ramped.js";

const STEP = 32; // frames; core/desk/tables.py
const LEAST = 1e-6; // -120 dB
const RELEASED_DB = -0.01;

export class ParallelBus {
  /** The least gain since it was asked, dB. */ reduction = 0;
  #rampFrames;
  /** @type {Compressor | null} */ #asked = null;
  /** @type {Compressor | null} */ #compressor = null;
  /** What leaves it; null: it is off, and has faded. @type {Ramped | null} */ #left = null;
  #gainDb = 0;
  #gain = 1;
  #sent = [new Float32Array(128), new Float32Array(128)];

  /** @param {number} rampFrames of a change on its way */
  constructor(rampFrames) {
    this.#rampFrames = rampFrames;
  }

  /** @param {Compressor | null} asked null: off */
  take(asked) {
    this.#asked = asked;
    if (asked) this.#compressor = asked;
    if (asked && !this.#left) {
      this.#left = new Ramped(asked.matrix, this.#rampFrames);
      [this.#gainDb, this.#gain] = [0, 1];
    }
    this.#left?.go(asked ? asked.matrix : SILENT);
  }

  /** Whether it still lets go of what it held down: it is to run on, also where nothing sounds. */
  get isReleasing() {
    return this.#left !== null && this.#gainDb < RELEASED_DB;
  }

  /** Nothing sounds: what is changed meanwhile needs no way. */
  arrive() {
    this.#left?.arrive();
  }

  /** Where channels add what they send, silent so far; null where it is off. @returns {Float32Array[] | null} */
  begin(count) {
    if (!this.#left) return null;
    if (this.#sent[0].length < count) this.#sent = [new Float32Array(count), new Float32Array(count)];
    for (const side of this.#sent) side.fill(0);
    return this.#sent;
  }

  /** What it plays of what was sent since `begin`. @returns {Float32Array[]} */
  process(count) {
    this.#compress(count);
    this.#left.apply(this.#sent, this.#sent, count);
    if (!this.#asked && !this.#left.isMoving) this.#left = this.#compressor = null; // it was switched off, and has faded
    return this.#sent;
  }

  #compress(count) {
    const [left, right] = this.#sent;
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

/** The static curve of the compressor, dB (core/desk/parallel.py). @param {Compressor} compressor */
function wantedDb({ threshold_db: threshold, slope, knee_db: knee }, peakDb) {
  const over = peakDb - threshold;
  if (2 * over < -knee) return 0;
  if (2 * Math.abs(over) <= knee) return knee > 0 ? (slope * (over + knee / 2) ** 2) / (2 * knee) : 0;
  return slope * over;
}
