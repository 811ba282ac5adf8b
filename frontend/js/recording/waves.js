/** What of the tracks is drawn: their levels, fetched whole, and the wave itself, in blocks around what is seen. */
import { blockOf } from "../sound/recorded.js";

const MOST_BLOCKS = 40;

export class Waves {
  /** @type {Map<number, { levels: Float32Array, seconds: number }>} */ peaks = new Map();
  #blocks = new Map(); // "track block" -> Int16Array, or null while it is on its way
  #how;
  #came;

  /** @param {{ blockFrames: number, peakFrames: number, peakFloor: number, fullScale: number, rate: number }} how */
  constructor(how, came) {
    this.#how = how;
    this.#came = came;
  }

  async load(tracks) {
    await Promise.all(
      tracks.map(async ({ id }) => {
        const answer = await fetch(`/recordings/tracks/${id}/peaks/`).catch(() => null);
        if (!answer?.ok) return;
        const bytes = new Uint8Array(await answer.arrayBuffer());
        const { peakFloor, peakFrames, rate } = this.#how;
        this.peaks.set(id, { levels: Float32Array.from(bytes, (byte) => peakFloor - (byte * peakFloor) / 255), seconds: peakFrames / rate });
        this.#came();
      }),
    );
  }

  /** Values of the first channel from one frame to another; null while they are on their way. */
  stretch({ id, channels }, first, last) {
    const { blockFrames, fullScale } = this.#how;
    const values = new Float32Array(Math.max(0, last - first));
    let isHere = true;
    for (let block = Math.floor(first / blockFrames); block * blockFrames < last; block++) {
      const data = this.#block(id, block);
      if (!data) {
        isHere = false;
        continue;
      }
      const begin = block * blockFrames;
      for (let n = Math.max(first, begin); n < Math.min(last, begin + blockFrames); n++)
        values[n - first] = ((data[(n - begin) * channels] ?? 0) * fullScale) / 32767;
    }
    return isHere ? values : null;
  }

  #block(id, block) {
    const key = `${id} ${block}`;
    const known = this.#blocks.get(key);
    if (known !== undefined) {
      this.#blocks.delete(key); // to the end: what was used last is forgotten last
      this.#blocks.set(key, known);
      return known;
    }
    this.#blocks.set(key, null);
    if (this.#blocks.size > MOST_BLOCKS) this.#blocks.delete(this.#blocks.keys().next().value);
    blockOf(id, block).then((data) => {
      if (!data) return this.#blocks.delete(key);
      this.#blocks.set(key, data);
      this.#came();
    });
    return null;
  }
}
