/**
 * Keeps the audio thread in blocks of the tracks around the playhead: what is played next, and what the loop begins with.
 * Memory stays bounded whatever the recording's length: what lies behind is forgotten.
 */
const AHEAD = 3; // blocks
const BEHIND = 1;
const MOST_AT_ONCE = 4; // requests

export class RecordedSound {
  /** What is heard of it: 0 the kit alone … 1 the recording alone. */ balance = 0.5;
  muted = new Set();
  solo = new Set();
  #engine;
  #tracks = [];
  #here = new Map(); // "track block" -> true once it has come
  #asked = new Set();
  #queue = [];
  #running = 0;
  #blockFrames = 1;
  #zero = 0;
  #loopFrom = 0;
  #kitGain = 1; // of equal loudness

  constructor(engine) {
    this.#engine = engine;
    engine.addEventListener("report", ({ detail }) => detail.frame !== null && this.at(detail.frame));
  }

  /**
   * @param {{ id: number, channels: number, seconds: number }[]} tracks none: nothing is heard
   * @param {{ blockFrames: number, fullScale: number, rate: number, zero?: number }} how zero: frame of the part at which it begins
   */
  open(tracks, { blockFrames, fullScale, rate, zero = 0 } = { blockFrames: 1, fullScale: 1, rate: 1 }) {
    this.#tracks = tracks.map(({ id, channels, seconds }) => ({ id, channels, blocks: Math.ceil((seconds * rate) / blockFrames) }));
    [this.#blockFrames, this.#zero] = [blockFrames, zero];
    this.#here.clear();
    this.#asked.clear();
    this.#queue = [];
    this.muted.clear();
    this.solo.clear();
    this.#engine.setTracks(tracks.length ? { rows: this.#tracks.map(({ id, channels }) => ({ id, channels, gain: 0 })), blockFrames, fullScale, zero } : null);
    this.sound();
    if (tracks.length) this.at(zero);
  }

  get isOpen() {
    return this.#tracks.length > 0;
  }

  /** Say what of it, and of the kit, is heard: equal power between both ends of the fader. */
  sound() {
    const gain = Math.min(1, Math.SQRT2 * Math.sin((this.balance * Math.PI) / 2));
    const kit = this.isOpen ? Math.min(1, Math.SQRT2 * Math.cos((this.balance * Math.PI) / 2)) * this.#kitGain : 1;
    const heard = ({ id }) => (this.solo.size ? this.solo.has(id) : !this.muted.has(id));
    this.#engine.setTrackGains(this.#tracks.map((track) => [track.id, heard(track) ? gain : 0]), kit);
  }

  set kitGain(gain) {
    this.#kitGain = gain;
    this.sound();
  }

  set loopFrom(frame) {
    this.#loopFrom = frame;
    if (this.isOpen) this.at(frame);
  }

  /** The playhead is at a frame of the part: fetch what comes, forget what was. */
  at(frame) {
    if (!this.isOpen) return;
    const block = Math.max(0, Math.floor((frame - this.#zero) / this.#blockFrames));
    const loop = Math.max(0, Math.floor((this.#loopFrom - this.#zero) / this.#blockFrames));
    const wanted = new Set();
    for (let n = block; n <= block + AHEAD; n++) wanted.add(n);
    for (const n of [loop, loop + 1]) wanted.add(n);
    const gone = [];
    for (const key of this.#here.keys()) {
      const number = Number(key.split(" ")[1]);
      if (number >= block - BEHIND && number <= block + AHEAD) continue;
      if (wanted.has(number)) continue;
      gone.push(key);
      this.#here.delete(key);
    }
    if (gone.length) this.#engine.forgetBlocks(gone);
    this.#queue = [];
    for (const n of wanted) for (const { id, blocks } of this.#tracks) if (n < blocks && !this.#here.has(`${id} ${n}`) && !this.#asked.has(`${id} ${n}`)) this.#queue.push([id, n]);
    this.#next();
  }

  #next() {
    while (this.#running < MOST_AT_ONCE && this.#queue.length) {
      const [id, block] = this.#queue.shift();
      const key = `${id} ${block}`;
      this.#asked.add(key);
      this.#running += 1;
      blockOf(id, block)
        .then((data) => {
          if (!data || !this.#tracks.some((track) => track.id === id)) return;
          this.#here.set(key, true);
          this.#engine.addBlock(id, block, data);
        })
        .finally(() => {
          this.#asked.delete(key);
          this.#running -= 1;
          this.#next();
        });
    }
  }
}

/** Two seconds of a track, interleaved 16 bit. @returns {Promise<Int16Array | null>} */
export async function blockOf(id, block) {
  const answer = await fetch(`/recordings/tracks/${id}/sound/${block}/`).catch(() => null);
  return answer?.ok ? new Int16Array(await answer.arrayBuffer()) : null;
}
