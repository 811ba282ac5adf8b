/**
 * Plays a part by the frame: which of its hits fall into the next block, around the loop where it turns.
 * Knows nothing of sound. Frames of the part count from its beginning, frames of the context from the context's.
 *
 * @typedef {{ frames: Int32Array, packed: Int32Array, loopFrames: number, clicks?: Int32Array, accents?: Uint8Array,
 *   said?: { frames: Int32Array, packed: Int32Array, before: Int32Array } | null,
 *   moved?: { gains: Float64Array, ratios: Float64Array, pans: Float64Array } | null, curves?: import("./moving.js").Curve[] }} PartTable
 * `frames` rise; `packed` is note + 128 velocity + 16384 channel, a note-off of velocity 0; `clicks` are the beats; `moved` is
 * what the curves of lanes make of each hit, `curves` are those of outputs and groups; `said` is what controllers say, as value + 128 number
 * + 16384 channel + 262144 kind (hands.js), each with the number of the hit that it stands before
 */
import { CONTROLLER, RESET_ALL } from "./hands.js";

export class Transport {
  isPlaying = false;
  isLooping = true;
  isClicking = false;
  /** @type {PartTable | null} */ part = null;
  #origin = 0; // the context's frame at which the part's zero stands in this round
  #next = 0;
  #nextSaid = 0;
  #nextClick = 0;
  #done = 0; // the context's frame up to which all is handed out
  #range = [0, 0]; // of the loop, in frames of the part; the whole part where both are 0
  /** Of a count-in: frames of the context, and accents. @type {[number, number][]} */ #leadIn = [];

  /** @param {PartTable | null} part of which the hits are played from where the playhead is */
  setPart(part, frame) {
    this.part = part;
    if (part && this.isPlaying) this.#seek(frame - this.#origin);
    if (!part) this.isPlaying = false;
  }

  /** @param {[number, number]} range */
  setRange(range) {
    this.#range = range;
  }

  /** Begin at the part's frame `from`, after a count-in of clicks at frames before it. */
  start(frame, from = 0, countIn = []) {
    this.isPlaying = this.part !== null;
    this.#done = frame;
    const lead = countIn.length ? -countIn[0][0] : 0;
    this.#origin = frame + lead - from;
    this.#leadIn = countIn.map(([before, accent]) => [frame + lead + before, accent]);
    if (this.isPlaying) this.#seek(from);
  }

  stop() {
    this.isPlaying = false;
    this.#leadIn = [];
  }

  /** Where the playhead is, in frames of the part; below its beginning while it is counted in. */
  position(frame) {
    return this.isPlaying ? frame - this.#origin : null;
  }

  get origin() {
    return this.#origin;
  }

  /** Where the loop begins and ends, in frames of the part; the whole part where the range lies behind it. */
  get #loop() {
    const { loopFrames } = this.part;
    const to = Math.min(this.#range[1], loopFrames);
    return to > this.#range[0] ? [this.#range[0], to] : [0, loopFrames];
  }

  #seek(position) {
    this.#next = lowerBound(this.part.frames, position);
    this.#nextSaid = lowerBound(this.part.said?.frames ?? [], position);
    this.#nextClick = lowerBound(this.part.clicks ?? [], position);
  }

  /**
   * Hand out what lies before the context's frame `stop`.
   * @param {{ hit: (frame: number, packed: number, number: number) => void, said: (gesture: import("./hands.js").Gesture) => void, click: (frame: number, accent: number) => void,
   *   turn: (origin: number, from: number) => void, end: () => void }} to
   */
  advance(stop, to) {
    while (this.#leadIn.length && this.#leadIn[0][0] < stop) to.click(...this.#leadIn.shift());
    while (this.isPlaying) {
      const { frames, packed } = this.part;
      const [from, end] = this.#loop;
      if (this.isLooping && this.#origin + end < this.#done) {
        this.#turn(this.#done - from, from, to); // the loop's end was put before the playhead
        continue;
      }
      const hasTurned = this.isLooping && this.#origin + end < stop;
      const until = Math.min(stop, this.isLooping ? this.#origin + end : Infinity);
      this.#clickUntil(until, to);
      for (; this.#next < frames.length && this.#origin + frames[this.#next] < until; this.#next++) {
        this.#sayBefore(this.#next, until, to);
        to.hit(this.#origin + frames[this.#next], packed[this.#next], this.#next);
      }
      this.#sayBefore(Infinity, until, to);
      if (!hasTurned) {
        if (!this.isLooping && this.#next >= frames.length && this.#origin + this.part.loopFrames < stop) {
          this.stop();
          to.end();
        }
        break;
      }
      for (; this.#next < frames.length && frames[this.#next] === end; this.#next++) if (!isHit(packed[this.#next])) to.hit(this.#origin + end, packed[this.#next], this.#next);
      this.#turn(this.#origin + end - from, from, to);
    }
    this.#done = stop;
  }

  /** What controllers say before a hit, up to a frame of the context. */
  #sayBefore(hit, until, to) {
    const { said } = this.part;
    if (!said) return;
    for (; this.#nextSaid < said.frames.length && said.before[this.#nextSaid] <= hit && this.#origin + said.frames[this.#nextSaid] < until; this.#nextSaid++)
      to.said(gestureOf(said, this.#nextSaid, this.#origin));
  }

  /**
   * What led to how controllers stand at a frame of the part: of each line the last value, and all that came in the frames just
   * before. @param {number} position @param {number} recent frames @returns {import("./hands.js").Gesture[]}
   */
  saidUntil(position, recent) {
    const said = this.part?.said;
    if (!said) return [];
    const [settled, stop] = [lowerBound(said.frames, position - recent), lowerBound(said.frames, position)];
    /** @type {Map<number, number>} */ const last = new Map(); // all but the value, packed, to its place
    for (let n = 0; n < settled; n++) {
      const line = said.packed[n] >> 7;
      if ((line & 127) === RESET_ALL && line >> 11 === CONTROLLER) {
        for (const other of last.keys()) if (((other ^ line) >> 7) % 16 === 0) last.delete(other);
      } else {
        last.delete(line);
        last.set(line, n);
      }
    }
    const places = [...last.values(), ...Array.from({ length: stop - settled }, (_, n) => settled + n)];
    return places.map((n) => gestureOf(said, n, this.#origin));
  }

  #turn(origin, from, to) {
    this.#origin = origin;
    this.#seek(from);
    to.turn(origin, from);
  }

  #clickUntil(until, to) {
    const { clicks = [], accents = [] } = this.part;
    for (; this.#nextClick < clicks.length && this.#origin + clicks[this.#nextClick] < until; this.#nextClick++)
      if (this.isClicking) to.click(this.#origin + clicks[this.#nextClick], accents[this.#nextClick]);
  }
}

const gestureOf = ({ frames, packed }, n, origin) => ({ frame: origin + frames[n], value: packed[n] & 127, number: (packed[n] >> 7) & 127, channel: (packed[n] >> 14) & 15, kind: packed[n] >> 18 });

const isHit = (packed) => ((packed >> 7) & 127) > 0;

/** The first index whose value is at least `value`. @param {ArrayLike<number>} values rising */
export function lowerBound(values, value) {
  let [low, high] = [0, values.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (values[middle] < value) low = middle + 1;
    else high = middle;
  }
  return low;
}
