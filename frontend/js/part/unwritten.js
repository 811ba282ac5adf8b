/**
 * Passes that were played and are not written yet: kept in the browser until the server has them, over a reload or a
 * lost server.
 *
 * @typedef {[frame: number, note: number, velocity: number, channel: number, held: number]} Played
 * @typedef {{ name: string, part: number, rate: number, hits: Played[], replace: boolean, strength: number, grid: string, swing: number }} Taken
 */
const KEPT = "unwritten-passes";
const AGAIN_MS = 2500;
const MOST_HITS = 100_000; // of a pass: more than that have no number of their own

export class Unwritten {
  #part;
  #say;
  #isSending = false;

  /** @param {{ model: import("./model.js").PartModel | null }} part @param {(text: string, isWarning: boolean) => void} say */
  constructor(part, say) {
    this.#part = part;
    this.#say = say;
  }

  /** @returns {Taken[]} */
  get #passes() {
    return JSON.parse(localStorage.getItem(KEPT) ?? "[]");
  }

  set #passes(passes) {
    localStorage.setItem(KEPT, JSON.stringify(passes));
  }

  /** @param {Taken} pass as far as it was played */
  keep(pass) {
    this.#passes = [...this.#passes.filter(({ name }) => name !== pass.name), pass];
  }

  /** What was played of the open part, as its hits are held. @returns {import("./table.js").Hit[]} */
  get hits() {
    const { model } = this.#part;
    const waiting = this.#passes.filter(({ part }) => part === model.id);
    const hits = waiting.flatMap(({ hits: own }, pass) =>
      own.map(([frame, note, velocity, channel, held], n) => ({
        id: -1 - pass * MOST_HITS - n, tick: model.time.tickAt(frame), order: 1e6, note, velocity, channel, length: 0, played: 0, pass: 0,
        frame, until: held ? frame + held : 0,
      })),
    ); // prettier-ignore
    return hits.sort((a, b) => a.frame - b.frame);
  }

  /**
   * Send what is not written; what can't be sent now is sent again, and nothing is forgotten before it is written.
   * @param {() => Taken | null} playing the pass that is still being played: it stays
   */
  async send(playing) {
    if (this.#isSending) return; // the pass that just ended is come to as well
    this.#isSending = true;
    try {
      for (let pass = this.#next(playing); pass; pass = this.#next(playing)) {
        if (!(await this.#write(pass))) return this.#wait(playing);
        this.#passes = this.#passes.filter(({ name }) => name !== pass.name);
      }
    } finally {
      this.#isSending = false;
    }
    this.#part.model?.play(playing()?.hits.length ? this.#part.model.pending : []);
  }

  #next(playing) {
    return this.#passes.find(({ name, part }) => name !== playing()?.name && part === this.#part.model?.id);
  }

  /** @param {Taken} pass */
  async #write({ part: _, ...values }) {
    const { model } = this.#part;
    return (await model.edit("record", values, { quiet: true })) ?? model.edit("record", values, { quiet: true }); // once more at the version just heard of
  }

  #wait(playing) {
    this.#say("The server does not answer. What you played is kept here, and sent as soon as it does.", true);
    setTimeout(() => this.send(playing), AGAIN_MS);
  }
}
