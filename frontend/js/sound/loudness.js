/**
 * How loud the mix is while it plays: momentary and integrated loudness and true peak (ITU-R BS.1770-4), by the filters that
 * core/audio/loudness.py gives for the rate. Silence between parts is not counted: it is below the gate.
 *
 * @typedef {{ sections: [number, number, number, number, number][], phases: number[][] }} Filters K weighting; between two samples
 */
const HOPS_A_SECOND = 10;
const HOPS_IN_A_BLOCK = 4;
const GATE_LUFS = -70;
const RELATIVE_LU = -10;
const OFFSET_LU = -0.691;
const CLASS_LU = 0.1; // blocks are counted in classes, so that an hour costs no more than a bar
const CLASSES = 1000;

const lufs = (power) => OFFSET_LU + 10 * Math.log10(power);

export class Loudness {
  #filters;
  #hopFrames;
  #states; // of each section and side
  #sum = 0;
  #frames = 0;
  #hops = [];
  #powers = new Float64Array(CLASSES);
  #counts = new Float64Array(CLASSES);
  /** Loudness of the last 400 ms. @type {number | null} */ #now = null;
  #peak = 0;
  #history; // the last samples of each side, into which the interpolator reaches

  /** @param {Filters} filters */
  constructor(filters, rate) {
    this.#filters = filters;
    this.#hopFrames = Math.round(rate / HOPS_A_SECOND);
    this.#states = filters.sections.map(() => [new Float64Array(2), new Float64Array(2)]);
    this.#history = [0, 1].map(() => new Float64Array(filters.phases[0].length));
  }

  /** @param {Float32Array[]} sides */
  feed(sides, count) {
    for (let i = 0; i < count; i++) {
      for (const side of [0, 1]) {
        const value = sides[Math.min(side, sides.length - 1)][i];
        this.#sum += this.#weighted(value, side) ** 2;
        this.#feedPeak(value, side);
      }
      if (++this.#frames === this.#hopFrames) {
        this.#hops.push(this.#sum);
        if (this.#hops.length > HOPS_IN_A_BLOCK) this.#hops.shift();
        [this.#sum, this.#frames] = [0, 0];
        this.#block();
      }
    }
  }

  #weighted(value, side) {
    this.#filters.sections.forEach(([b0, b1, b2, a1, a2], n) => {
      const state = this.#states[n][side];
      const result = b0 * value + state[0];
      state[0] = b1 * value - a1 * result + state[1];
      state[1] = b2 * value - a2 * result;
      value = result;
    });
    return value;
  }

  #feedPeak(value, side) {
    const history = this.#history[side];
    history.copyWithin(0, 1);
    history[history.length - 1] = value;
    let most = Math.abs(value);
    if (most * 2 > this.#peak) // no value between two samples is twice as high as all around it
      for (const taps of this.#filters.phases) {
        let between = 0;
        for (let n = 0; n < taps.length; n++) between += taps[n] * history[taps.length - 1 - n];
        most = Math.max(most, Math.abs(between));
      }
    this.#peak = Math.max(this.#peak, most);
  }

  /** A block of 400 ms ends: its power goes into the class of its loudness. */
  #block() {
    if (this.#hops.length < HOPS_IN_A_BLOCK) return;
    const power = this.#hops.reduce((sum, hop) => sum + hop) / (HOPS_IN_A_BLOCK * this.#hopFrames);
    this.#now = power > 0 ? lufs(power) : null;
    if (this.#now === null || this.#now <= GATE_LUFS) return;
    const at = Math.min(CLASSES - 1, Math.floor((this.#now - GATE_LUFS) / CLASS_LU));
    this.#powers[at] += power;
    this.#counts[at] += 1;
  }

  /** In LUFS and dB; null where there is nothing to tell. */
  get measured() {
    const mean = (from) => {
      let [power, count] = [0, 0];
      for (let at = Math.max(0, from); at < CLASSES; at++) [power, count] = [power + this.#powers[at], count + this.#counts[at]]; // prettier-ignore
      return count ? power / count : 0;
    };
    const all = mean(0);
    const gate = all && Math.floor((lufs(all) + RELATIVE_LU - GATE_LUFS) / CLASS_LU);
    return { momentary: this.#now, integrated: all ? lufs(mean(gate)) : null, truePeak: this.#peak > 0 ? 20 * Math.log10(this.#peak) : null };
  }
}
