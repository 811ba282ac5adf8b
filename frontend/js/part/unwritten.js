/**
 * Passes that were played and are not written yet: kept in the browser until the server has them, over a reload or a
 * lost server. A pass belongs to the tab that plays it, by a lock of its name (https://www.w3.org/TR/web-locks/), which the
 * browser takes back when that tab is gone; then whichever tab has its part open sends it.
 *
 * @typedef {[frame: number, note: number, velocity: number, channel: number, held: number]} Played
 * @typedef {[frame: number, kind: number, number: number, value: number, channel: number]} Said of controllers
 * @typedef {{ name: string, part: number, rate: number, hits: Played[], said?: Said[], span: [from: number, until: number],
 *   loop?: [number, number], replace: boolean, strength: number, grid: string, swing: number }} Taken
 */
const KEPT = "unwritten-pass "; // and its name
const KEPT_TOGETHER = "unwritten-passes"; // of all tabs, as it was before
const AGAIN_MS = 2500;
const MOST_HITS = 100_000; // of a pass: more than that have no number of their own

export class Unwritten {
  #part;
  #say;
  #isSending = false;
  /** The passes of this tab, by name. @type {Map<string, Taken>} */ #own = new Map();
  /** Passes of others, by name, that this tab waits for. @type {Set<string>} */ #waiting = new Set();
  /** What gives the lock of a pass back. @type {Map<string, () => void>} */ #locks = new Map();

  /** @param {{ model: import("./model.js").PartModel | null }} part @param {(text: string, isWarning: boolean) => void} say */
  constructor(part, say) {
    this.#part = part;
    this.#say = say;
    for (const pass of JSON.parse(localStorage.getItem(KEPT_TOGETHER) ?? "[]")) localStorage.setItem(KEPT + pass.name, JSON.stringify(pass));
    localStorage.removeItem(KEPT_TOGETHER);
  }

  /** @template {{ name: string }} T @param {T} pass that this tab begins to play @returns {T} */
  begun(pass) {
    this.#hold(pass.name);
    return pass;
  }

  /** @param {Taken} pass in which nothing was played */
  dropped({ name }) {
    this.#locks.get(name)?.();
    this.#locks.delete(name);
  }

  /** @param {Taken} pass as far as it was played */
  keep(pass) {
    this.#own.set(pass.name, pass);
    localStorage.setItem(KEPT + pass.name, JSON.stringify(pass));
  }

  #forget(pass) {
    this.#own.delete(pass.name);
    localStorage.removeItem(KEPT + pass.name);
    this.dropped(pass);
  }

  /** Passes of the open part that another tab plays become this one's once that tab is gone. */
  #waitForOthers(playing) {
    const names = Object.keys(localStorage).filter((key) => key.startsWith(KEPT)).map((key) => key.slice(KEPT.length)); // prettier-ignore
    const kept = (name) => JSON.parse(localStorage.getItem(KEPT + name) ?? "{}");
    const isMeant = (name) => kept(name).part === this.#part.model?.id;
    for (const name of names) {
      if (this.#own.has(name) || this.#waiting.has(name) || !isMeant(name)) continue;
      this.#waiting.add(name);
      this.#hold(name, () => {
        this.#waiting.delete(name);
        if (!isMeant(name)) return false; // it was written meanwhile, or another part is open
        this.#own.set(name, kept(name));
        setTimeout(() => this.send(playing));
        return true;
      });
    }
  }

  /** Hold the lock of a pass, once it is free, if it is wanted then. @param {() => boolean} isWanted */
  #hold(name, isWanted = () => true) {
    navigator.locks.request(KEPT + name, () => isWanted() && new Promise((release) => this.#locks.set(name, () => release(null))));
  }

  /** What was played of the open part, as its hits are held. @returns {import("./table.js").Hit[]} */
  get hits() {
    const { model } = this.#part;
    const waiting = [...this.#own.values()].filter(({ part }) => part === model.id);
    const hits = waiting.flatMap(({ hits: own }, pass) =>
      own.map(([frame, note, velocity, channel, held], n) => ({
        id: -1 - pass * MOST_HITS - n, tick: model.time.tickAt(frame), order: 1e6, note, velocity, channel, played: 0, pass: 0,
        length: held ? model.time.tickAt(frame + held) - model.time.tickAt(frame) : 0,
        frame, until: held ? frame + held : 0,
      })),
    ); // prettier-ignore
    return hits.sort((a, b) => a.frame - b.frame);
  }

  /** What controllers said meanwhile, as the part has it. @returns {number[][]} */
  get said() {
    const { model } = this.#part;
    const waiting = [...this.#own.values()].filter(({ part }) => part === model.id);
    return waiting.flatMap(({ said = [] }) => said.map(([frame, ...rest]) => [frame, model.time.tickAt(frame), ...rest]));
  }

  /**
   * Send what is not written; what can't be sent now is sent again, and nothing is forgotten before it is written.
   * @param {() => Taken | null} playing the pass that is still being played: it stays
   */
  async send(playing) {
    if (this.#isSending) return; // the pass that just ended is come to as well
    this.#isSending = true;
    try {
      this.#waitForOthers(playing);
      for (let pass = this.#next(playing); pass; pass = this.#next(playing)) {
        if (!(await this.#write(pass))) return this.#wait(playing);
        this.#forget(pass);
      }
    } finally {
      this.#isSending = false;
    }
    this.#part.model?.play(playing()?.hits.length ? this.#part.model.pending : []);
  }

  #next(playing) {
    return [...this.#own.values()].find(({ name, part }) => name !== playing()?.name && part === this.#part.model?.id);
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
