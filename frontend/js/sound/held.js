/**
 * The sounds that are here, within a budget of memory: heads up to their share of it, then whole sounds. What is used
 * later goes where what is used sooner has no room; a sound that was struck is used soonest.
 */
const HEAD_SHARE = 0.5; // of the budget, for heads

/** @typedef {"head" | "whole"} Extent */

export class HeldSounds {
  #limitBytes;
  /** `isShort`: its head is all of it. @type {Map<string, { extent: Extent, bytes: number, isShort: boolean }>} */ #sounds = new Map();
  #bytes = 0;
  #headBytes = 0;
  /** When each is used, the soonest first. @type {Map<string, number>} */ #ranks = new Map();
  #strikes = 0;

  constructor(limitBytes) {
    this.#limitBytes = limitBytes;
  }

  get bytes() {
    return this.#bytes;
  }

  get size() {
    return this.#sounds.size;
  }

  has(key) {
    return this.#sounds.has(key);
  }

  isWhole(key) {
    return this.#sounds.get(key)?.extent === "whole";
  }

  keys() {
    return [...this.#sounds.keys()];
  }

  clear() {
    this.#sounds.clear();
    this.#bytes = this.#headBytes = 0;
  }

  /** @param {string[]} keys in the order of use */
  rank(keys) {
    this.#ranks = new Map(keys.map((key, n) => [key, n]));
    this.#strikes = 0;
  }

  /** These were struck: they come before all others. */
  prefer(keys) {
    this.#strikes++;
    for (const key of keys) this.#ranks.set(key, -this.#strikes);
  }

  /** @param {boolean} isShort its head is all of it */
  add(key, extent, bytes, isShort) {
    this.remove(key);
    this.#sounds.set(key, { extent, bytes, isShort });
    this.#count({ extent, bytes, isShort }, 1);
  }

  remove(key) {
    const sound = this.#sounds.get(key);
    if (sound) this.#count(sound, -1);
    return this.#sounds.delete(key);
  }

  #count({ extent, bytes, isShort }, sign) {
    this.#bytes += sign * bytes;
    if (extent === "head" || isShort) this.#headBytes += sign * bytes;
  }

  /**
   * What must go before a sound can come, or null where it can not. A head needs room more than any whole sound does that
   * was not struck, and takes the place of another head only where it is used sooner.
   * @returns {string[] | null}
   */
  roomFor(key, extent) {
    const heads = extent === "head" ? this.#over(this.#headBytes - this.#limitBytes * HEAD_SHARE, (sound, other) => isHead(sound) && this.#isLater(other, key)) : [];
    const freed = (heads ?? []).reduce((sum, gone) => sum + this.#sounds.get(gone).bytes, 0);
    const wholes = this.#over(this.#bytes - freed - this.#limitBytes, (sound, other) => !isHead(sound) && (this.#isLater(other, key) || (extent === "head" && this.#rankOf(other) >= 0)));
    return heads && wholes && [...heads, ...wholes];
  }

  /** Which of the sounds that may go do so, the last used first, until fewer than `bytes` are too many. */
  #over(bytes, mayGo) {
    if (bytes < 0) return [];
    const lastFirst = [...this.#sounds].filter(([key, sound]) => mayGo(sound, key)).sort(([one], [other]) => this.#rankOf(other) - this.#rankOf(one));
    const gone = [];
    for (const [key, sound] of lastFirst) {
      if (bytes < 0) break;
      gone.push(key);
      bytes -= sound.bytes;
    }
    return bytes < 0 ? gone : null;
  }

  #isLater(key, than) {
    return this.#rankOf(key) > this.#rankOf(than);
  }

  #rankOf(key) {
    return this.#ranks.get(key) ?? Number.MAX_SAFE_INTEGER; // no pad plays it any more
  }
}

const isHead = ({ extent, isShort }) => extent === "head" || isShort;
