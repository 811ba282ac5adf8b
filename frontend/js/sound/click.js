/** The metronome's click: two decaying tones, made here. */
const PLAIN_HZ = 1180;
const ACCENT_HZ = 1770;
const DECAY_SECONDS = 0.011;
const SECONDS = 0.07;

export class Click {
  gain = 0.35;
  #rate;
  /** @type {[number, number][]} */ #sounding = []; // [first frame, accent 0..2]

  constructor(rate) {
    this.#rate = rate;
  }

  get isSounding() {
    return this.#sounding.length > 0;
  }

  /** @param {number} accent 2 the first beat of a bar, 1 a beat, 0 between */
  begin(frame, accent) {
    this.#sounding.push([frame, accent]);
  }

  mix(target, first, count) {
    const frames = Math.round(SECONDS * this.#rate);
    for (const [start, accent] of this.#sounding) {
      const turn = (2 * Math.PI * (accent === 2 ? ACCENT_HZ : PLAIN_HZ)) / this.#rate;
      const gain = this.gain * (accent === 0 ? 0.4 : 1);
      for (let at = Math.max(first, start); at < Math.min(first + count, start + frames); at++)
        target[at - first] += gain * Math.sin(turn * (at - start)) * Math.exp(-(at - start) / (DECAY_SECONDS * this.#rate));
    }
    this.#sounding = this.#sounding.filter(([start]) => start + frames > first + count);
  }
}
