/**
 * Turns the time stamps of events into frames of the audio thread (design rule 15): by one anchor and one constant, so
 * that the time between two hits is exactly the time between their stamps.
 *
 * The page sees the context's time late, by as much as a device's buffer and a busy page make it. The least lateness of
 * many looks is the anchor; afterwards it follows the drift between the two clocks, at most 50 millionths.
 */
const WINDOW_MS = 2000;
const MOST_DRIFT = 50e-6;
const JUMP_MS = 50; // further off than any drift: the context stood still meanwhile

export class StampClock {
  #rate;
  #zeroMs = Infinity; // the time stamp at which the context's frame 0 stood
  #leastMs = Infinity; // of this window
  #windowEnds = 0;
  #isSettled = false; // after the first window
  /** Frames added to every hit, so that none is in the past when it reaches the audio thread. */ constant;

  constructor(rate, constant) {
    this.#rate = rate;
    this.constant = constant;
  }

  /** Look at both clocks at once. */
  observe(contextSeconds, nowMs) {
    const zeroMs = nowMs - contextSeconds * 1000;
    this.#leastMs = Math.min(this.#leastMs, zeroMs);
    if (!this.#isSettled) this.#zeroMs = this.#leastMs;
    this.#windowEnds ||= nowMs + WINDOW_MS;
    if (nowMs < this.#windowEnds) return;
    const off = this.#leastMs - this.#zeroMs;
    const most = WINDOW_MS * MOST_DRIFT;
    this.#zeroMs += Math.abs(off) > JUMP_MS ? off : Math.min(most, Math.max(-most, off));
    this.#isSettled = true;
    this.#leastMs = Infinity;
    this.#windowEnds = nowMs + WINDOW_MS;
  }

  /** The context's frame of a time stamp, with the constant. */
  frameOf(stampMs) {
    return Math.floor(((stampMs - this.#zeroMs) / 1000) * this.#rate + 0.5) + this.constant;
  }
}
