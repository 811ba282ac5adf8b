/**
 * A channel of the desk that moves along the part, as dactyl/core/desk/moving.py has it: curves of its level, width and
 * balance are read at every 32nd frame of the part, made linear, and joined by lines. Where the part jumps (its loop turns,
 * it is stopped), the difference is left over 5 ms, so that nothing clicks.
 *
 * @typedef {{ of: string, what: string, frames: Float64Array, values: Float64Array }} Curve
 * frames of the part, rising, and what is there; level ahead of the first and behind the last
 */
const STEP = 32; // core/desk/tables.py
const SILENT_DB = -96;
const [LEVEL, WIDTH, LEFT, RIGHT, HANDLE] = [0, 1, 2, 3, 4];
const AMOUNT = 1; // of what is set: level, amount, width, left, right
const [STILL, FRESH] = [Infinity, -Infinity]; // in the place of a frame that is expected

/** A curve's value at a frame of the part. @param {{ frames: ArrayLike<number>, values: ArrayLike<number> }} curve */
export function valueAt({ frames, values }, frame) {
  const last = frames.length - 1;
  if (!(frame > frames[0])) return values[0];
  if (frame >= frames[last]) return values[last];
  let [low, high] = [0, last];
  while (high - low > 1) {
    const middle = (low + high) >> 1;
    if (frames[middle] <= frame) low = middle;
    else high = middle;
  }
  return values[low] + ((values[high] - values[low]) * (frame - frames[low])) / (frames[high] - frames[low]);
}

export const linear = (db) => (db <= SILENT_DB ? 0 : 10 ** (db / 20));

/** The curves that move an output. @param {Curve[]} curves @param {{ name: string, group?: string, handle?: string }} output */
export function curvesOf(curves, { name, group, handle }) {
  const of = (what) => curves.find((curve) => curve.of === `output:${name}` && curve.what === what) ?? null;
  const ofGroup = (called) => (called && curves.find((curve) => curve.of === `group:${called}` && curve.what === "gain_db")) || null;
  const levels = [of("gain_db"), group === handle ? null : ofGroup(group)].filter(Boolean);
  const [width, balance, behind] = [of("width"), of("balance"), ofGroup(handle)];
  return levels.length || width || balance || behind ? { levels, width, balance, behind } : null;
}

export class Moving {
  /**
   * behind: of its group in a lineup, behind its own desk; null: it goes back to what is set.
   * @type {{ levels: Curve[], width: Curve | null, balance: Curve | null, behind: Curve | null } | null}
   */
  curves;
  #rampFrames;
  #now = new Float64Array(5); // what the level is times, width, what balance makes of left and right, and the handle behind
  #away = new Float64Array(5); // from what the curves say, where the part has just jumped
  #left = 0; // frames until that is nothing
  #expected = STILL; // the frame of the part that follows
  #from = new Float64Array(6); // where a step begins: levels of the output and of its group, width, left, right, the handle
  #to = new Float64Array(6); // and where it ends

  /** @param {number[]} strip as the channel is set: a curve that is drawn while it sounds goes on from there */
  constructor(curves, rampFrames, strip) {
    this.curves = curves;
    this.#rampFrames = rampFrames;
    this.#stand(strip);
  }

  get isSettled() {
    return !this.#left;
  }

  /** Nothing sounds: what does next begins where it is to be. */
  rest() {
    this.#left = 0;
    this.#expected = FRESH;
  }

  /**
   * Make of some frames of a bus what leaves, in place, and add to `sent` what goes to the parallel bus.
   * @param {Float32Array[]} bus @param {Float32Array[] | null} sent @param {{ now: number[], isMoving: boolean, step: () => void }} strip
   *   as the channel is set: level, amount, width, left, right @param {boolean} isHall
   * @param {number | null} at the part's frame at `from`; null: it stands still
   */
  apply(bus, sent, strip, isHall, from, to, at) {
    const isMoving = at !== null && this.curves !== null;
    if (this.#expected === FRESH) this.#expected = isMoving ? at : STILL;
    if (this.#expected !== (isMoving ? at : STILL)) this.#jump(isMoving ? at : null, strip.now);
    const [left, right] = bus;
    const now = this.#now;
    let step = -1;
    for (let i = from; i < to; i++) {
      if (strip.isMoving) strip.step();
      const set = strip.now;
      if (isMoving) {
        const frame = at + i - from;
        const first = Math.floor(frame / STEP) * STEP;
        if (first !== step || strip.isMoving) this.#read(first, set);
        step = first;
        this.#along((frame - first) / STEP);
      } else this.#stand(set);
      const middle = (left[i] + right[i]) / 2;
      const apart = (now[WIDTH] * (left[i] - right[i])) / 2;
      const a = (middle + apart) * now[LEVEL] * now[LEFT];
      const b = (middle - apart) * now[LEVEL] * now[RIGHT];
      if (sent) {
        sent[0][i] += a * set[AMOUNT];
        sent[1][i] += b * set[AMOUNT];
      }
      left[i] = (isHall ? b : a) * set[0] * now[HANDLE];
      right[i] = (isHall ? a : b) * set[0] * now[HANDLE];
    }
    this.#expected = isMoving ? at + to - from : STILL;
  }

  /** What was heard last is left on a line. */
  #jump(at, set) {
    const was = this.#now.slice();
    this.#left = 0;
    if (at === null) this.#stand(set);
    else {
      this.#read(Math.floor(at / STEP) * STEP, set);
      this.#along((at % STEP) / STEP);
    }
    for (let n = LEVEL; n <= HANDLE; n++) this.#away[n] = was[n] - this.#now[n];
    this.#left = this.#away.some(Boolean) ? this.#rampFrames : 0;
  }

  /** Both ends of a step, made linear; what no curve moves is as it is set. */
  #read(first, set) {
    const { levels, width, balance, behind } = this.curves;
    for (const [ends, frame] of /** @type {[Float64Array, number][]} */ ([[this.#from, first], [this.#to, first + STEP]])) {
      ends[0] = levels[0] ? linear(valueAt(levels[0], frame)) : 1;
      ends[1] = levels[1] ? linear(valueAt(levels[1], frame)) : 1;
      ends[2] = width ? valueAt(width, frame) : set[2];
      const theta = balance ? ((valueAt(balance, frame) + 1) * Math.PI) / 4 : 0;
      ends[3] = balance ? Math.SQRT2 * Math.cos(theta) : set[3];
      ends[4] = balance ? Math.SQRT2 * Math.sin(theta) : set[4];
      ends[5] = behind ? linear(valueAt(behind, frame)) : 1;
    } // prettier-ignore
  }

  #along(share) {
    const [from, to] = [this.#from, this.#to];
    this.#now[LEVEL] = (from[0] + (to[0] - from[0]) * share) * (from[1] + (to[1] - from[1]) * share);
    for (let n = WIDTH; n <= HANDLE; n++) this.#now[n] = from[n + 1] + (to[n + 1] - from[n + 1]) * share;
    this.#leave();
  }

  #stand(set) {
    this.#now[LEVEL] = this.#now[HANDLE] = 1;
    for (let n = WIDTH; n <= RIGHT; n++) this.#now[n] = set[n + 1];
    this.#leave();
  }

  #leave() {
    if (!this.#left) return;
    const share = --this.#left / this.#rampFrames;
    for (let n = LEVEL; n <= HANDLE; n++) this.#now[n] += this.#away[n] * share;
  }
}
