/**
 * The tracks of a recording on the audio thread, beside the part: blocks of 16-bit sound come in ahead of the playhead and
 * are played by the transport's own frames. Knows nothing of the page.
 *
 * @typedef {{ id: number, channels: number, gain: number }} TrackRow
 */
const FADE_SECONDS = 0.006;

export class Tracks {
  /** @type {Map<number, TrackRow>} */ #rows = new Map();
  /** @type {Map<string, Int16Array>} */ #blocks = new Map();
  #blockFrames = 1;
  #fullScale = 1;
  #zero = 0; // frame of the part at which the recording begins
  #level = 0; // of the fade at start and stop
  #fade;
  /** @type {Map<number, number>} */ #gains = new Map(); // what sounds now, on its way to what is wanted
  #last = 0; // frame of the part that was played last

  constructor(rate) {
    this.#fade = 1 / (FADE_SECONDS * rate);
  }

  /** @param {{ rows: TrackRow[], blockFrames: number, fullScale: number, zero: number } | null} recording */
  set(recording) {
    this.#blocks.clear();
    this.#rows = new Map((recording?.rows ?? []).map((row) => [row.id, row]));
    if (recording) [this.#blockFrames, this.#fullScale, this.#zero] = [recording.blockFrames, recording.fullScale, recording.zero];
  }

  get isOn() {
    return this.#rows.size > 0;
  }

  /** @param {[number, number][]} gains by track */
  setGains(gains) {
    for (const [id, gain] of gains) if (this.#rows.has(id)) this.#rows.get(id).gain = gain;
  }

  add(id, block, data) {
    if (this.#rows.has(id)) this.#blocks.set(`${id} ${block}`, data);
  }

  forget(keys) {
    for (const key of keys) this.#blocks.delete(key);
  }

  /**
   * Add what sounds to a stereo bus.
   * @param {Float32Array[]} bus @param {[number, number, number][]} stretches [first sample, count, frame of the part there]
   * @param {boolean} isPlaying after the stop what sounded fades
   */
  mix(bus, stretches, isPlaying, count) {
    if (!this.#rows.size) return;
    if (isPlaying) for (const [at, many, frame] of stretches) this.#stretch(bus, at, many, frame, 1);
    else if (this.#level > 0) this.#stretch(bus, 0, count, this.#last, 0);
  }

  #stretch(bus, at, count, frame, level) {
    const first = this.#level;
    for (const row of this.#rows.values()) {
      const was = this.#gains.get(row.id) ?? row.gain;
      if (was > 0 || row.gain > 0) this.#addTrack(bus, row, at, count, frame - this.#zero, was, first, level);
      this.#gains.set(row.id, row.gain);
    }
    this.#level = level ? Math.min(1, first + count * this.#fade) : Math.max(0, first - count * this.#fade);
    this.#last = frame + count;
  }

  #addTrack(bus, { id, channels, gain }, at, count, frame, was, level, towards) {
    const unit = this.#fullScale / 32767;
    const step = (gain - was) / count;
    let block = -1;
    let data = null;
    for (let n = 0; n < count; n++) {
      const place = frame + n;
      if (place < 0) continue;
      const wanted = Math.floor(place / this.#blockFrames);
      if (wanted !== block) {
        block = wanted;
        data = this.#blocks.get(`${id} ${block}`) ?? null;
      }
      if (!data) continue;
      const now = (was + step * n) * unit * Math.min(1, Math.max(0, level + (towards ? 1 : -1) * n * this.#fade));
      const from = (place - block * this.#blockFrames) * channels;
      if (from >= data.length) continue;
      bus[0][at + n] += data[from] * now;
      bus[1][at + n] += data[from + channels - 1] * now;
    }
  }
}
