/**
 * Numbers on their way to others, on a line, so that a change makes no click: a matrix, or what it is made of.
 *
 * @typedef {[leftLeft: number, leftRight: number, rightLeft: number, rightRight: number]} Matrix
 */
/** @type {Matrix} */ export const SILENT = [0, 0, 0, 0];
/** @type {Matrix} */ export const AS_IT_IS = [1, 0, 0, 1];

export class Ramped {
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

  /** Whether it is, or becomes, more than nothing. */
  get isAny() {
    return this.isMoving || this.now.some(Boolean);
  }

  /** True of a matrix that changes nothing, so that nothing is to be done. */
  get isPlain() {
    return !this.isMoving && AS_IT_IS.every((value, n) => value === this.now[n]);
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
