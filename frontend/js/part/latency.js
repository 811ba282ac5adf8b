/** How late what is played comes, found by taps along with the click: their median distance from it. */
const TAPS = 8;
const KEPT = "latency";

export const latencyFrames = (rate) => Math.round(((Number(localStorage.getItem(KEPT)) || 0) / 1000) * rate);

export class LatencyTest {
  /** ms after the click, while it runs. @type {number[] | null} */ #taps = null;
  #part;
  #rate;
  #setClick;

  /** @param {{ part: object, rate: () => number, setClick: () => void }} known `setClick` hears it while it runs */
  constructor({ part, rate, setClick }) {
    this.#part = part;
    this.#rate = rate;
    this.#setClick = setClick;
  }

  get isRunning() {
    return this.#taps !== null;
  }

  /** Begin, or end it early. */
  toggle() {
    if (this.isRunning) return this.#stop();
    if (!this.#part.model?.time) return;
    this.#taps = [];
    says("Tap a pad or a key with the click…");
    this.#setClick();
    this.#part.play();
  }

  /** @param {number} frame of the part, in the round it fell into */
  tapped(frame) {
    const { clicks } = this.#part.model.time.clicks();
    let nearest = Infinity;
    for (const click of clicks) if (Math.abs(frame - click) < Math.abs(nearest)) nearest = frame - click;
    this.#taps.push((nearest / this.#rate()) * 1000);
    says(`${this.#taps.length} of ${TAPS}`);
    if (this.#taps.length >= TAPS) this.#stop();
  }

  #stop() {
    const sorted = [...this.#taps].sort((a, b) => a - b);
    this.#taps = null;
    this.#setClick();
    if (this.#part.isPlaying) this.#part.toggle();
    if (sorted.length < TAPS) return says("");
    const median = (sorted[TAPS / 2 - 1] + sorted[TAPS / 2]) / 2;
    says(`${median.toFixed(1)} ms late, within ${(sorted.at(-1) - sorted[0]).toFixed(0)} ms`);
    keepLatency(String(Math.round(median * 10) / 10));
    showLatency();
  }
}

const says = (text) => (document.getElementById("tap-says").textContent = text);

export function keepLatency(ms) {
  localStorage.setItem(KEPT, ms);
}

export function showLatency() {
  const field = /** @type {HTMLInputElement | null} */ (document.getElementById("latency"));
  if (field) field.value = localStorage.getItem(KEPT) ?? "0";
}
