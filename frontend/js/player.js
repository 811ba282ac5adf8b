/**
 * The rules of playing, as dactyl/core/play/player.py has them, on the tables that the core compiled.
 * Knows nothing of the page or of Web Audio: hits go in at a frame, blocks of sound come out.
 *
 * @typedef {{ key: string, channels: number, frames: number, of: number, scale: number, data: Int16Array[] }} Sound
 * @typedef {[key: string, frames: number, left: number, right: number, output: number]} Region
 * @typedef {{ counter: number, cycle: number[][], takes: number[] }} Layer
 * @typedef {{ id: number, muted: boolean, steps: [number, number][][], layers: Layer[], takes: Region[][],
 *   emits: string[], listens: string[], cutsItself: boolean, fadeFrames: number, maxVoices: number }} Pad
 * @typedef {{ outputs: {name: string, gain: number}[], notes: Record<string, number[]>, pads: Pad[], whole: boolean }} Playbook
 * @typedef {{ hit: number, pad: Pad, start: number, end: number, gain: number, regions: Region[], fades: [number, number][] }} Voice
 */

export class Player {
  /** @type {Map<number, Pad>} */ pads = new Map();
  /** @type {Map<string, Sound>} */ sounds = new Map();
  /** @type {Voice[]} */ voices = [];
  /** @type {Set<number>} pads heard alone; empty: all */ solo = new Set();
  outputs = [];
  /** Called with the pad whose take had not arrived and was stood in for. */
  onStandIn = (_padId, _take) => {};
  #notes = {};
  #unwanted = new Set();
  #listeners = new Map();
  #counters = new Map();
  #hits = 0;

  /** Take over a playbook, whole or of some pads. Voices and counters stay. @param {Playbook} book */
  setPlaybook(book) {
    if (book.whole) this.pads.clear();
    for (const pad of book.pads) this.pads.set(pad.id, pad);
    this.outputs = book.outputs;
    if (book.whole) this.#notes = book.notes;
    else this.#renote(book);
    this.#listeners.clear();
    for (const pad of this.pads.values())
      for (const signal of pad.listens) this.#listeners.set(signal, [...(this.#listeners.get(signal) ?? []), pad.id]);
  }

  #renote({ pads, notes }) {
    const changed = new Set(pads.map((pad) => pad.id));
    const order = [...this.pads.keys()];
    const merged = {};
    const add = (note, id) => (merged[note] ??= []).push(id);
    for (const [note, ids] of Object.entries(this.#notes)) for (const id of ids) if (!changed.has(id)) add(note, id);
    for (const [note, ids] of Object.entries(notes)) for (const id of ids) add(note, id);
    for (const ids of Object.values(merged)) ids.sort((a, b) => order.indexOf(a) - order.indexOf(b));
    this.#notes = merged;
  }

  addSounds(sounds) {
    for (const sound of sounds) {
      this.sounds.set(sound.key, sound);
      this.#unwanted.delete(sound.key);
    }
  }

  /** Let go of sounds, each once no voice plays it any more. */
  forget(keys) {
    for (const key of keys) this.#unwanted.add(key);
    const playing = new Set(this.voices.flatMap((voice) => voice.regions.map(([key]) => key)));
    for (const key of this.#unwanted)
      if (!playing.has(key)) {
        this.sounds.delete(key);
        this.#unwanted.delete(key);
      }
  }

  rewind() {
    this.#counters.clear();
  }

  /** Strike what `note` strikes. @returns {number[]} the pads */
  hit(frame, note, velocity) {
    this.#hits += 1;
    const struck = (this.#notes[note] ?? []).map((id) => this.pads.get(id)).filter(Boolean);
    for (const pad of struck) this.#strike(pad, frame, velocity);
    return struck.map((pad) => pad.id);
  }

  hitPad(frame, padId, velocity) {
    this.#hits += 1;
    const pad = this.pads.get(padId);
    if (pad) this.#strike(pad, frame, velocity);
    return pad ? [padId] : [];
  }

  #strike(pad, frame, velocity) {
    this.#sendSignals(pad, frame);
    const chosen = this.#chooseTakes(pad, velocity);
    this.#makeRoom(pad, chosen.length, frame);
    if (pad.muted || (this.solo.size && !this.solo.has(pad.id))) return;
    for (const [take, gain] of chosen) {
      const regions = this.#loaded(pad, take);
      if (!regions) continue;
      const frames = Math.max(...regions.map((region) => region[1]));
      this.voices.push({ hit: this.#hits, pad, start: frame, end: frame + frames, gain, regions, fades: [] });
    }
  }

  #sendSignals(pad, frame) {
    for (const signal of pad.emits)
      for (const other of this.#listeners.get(signal) ?? []) {
        if (other === pad.id && !pad.cutsItself) continue;
        for (const voice of this.voices)
          if (voice.pad.id === other && voice.hit !== this.#hits && lastFrame(voice) > frame)
            cut(voice, frame, this.pads.get(other).fadeFrames);
      }
  }

  #chooseTakes(pad, velocity) {
    const chosen = [];
    const counted = new Map();
    for (const [index, gain] of pad.steps[velocity - 1]) {
      const { counter, cycle } = pad.layers[index];
      if (!counted.has(counter)) {
        counted.set(counter, this.#counters.get(counter) ?? 0);
        this.#counters.set(counter, counted.get(counter) + 1);
      }
      if (cycle.length) for (const take of cycle[counted.get(counter) % cycle.length]) chosen.push([take, gain]);
    }
    return chosen;
  }

  #makeRoom(pad, arriving, frame) {
    const counting = this.voices.filter(
      (voice) => voice.pad.id === pad.id && voice.hit !== this.#hits && !voice.fades.length && lastFrame(voice) > frame,
    );
    for (const voice of counting.slice(0, Math.max(0, counting.length + arriving - pad.maxVoices)))
      cut(voice, frame, pad.fadeFrames);
  }

  /** The sounds of a take, or of the nearest take of the pad that has arrived. */
  #loaded(pad, take) {
    const isHere = (regions) => regions.length && regions.every(([key]) => this.sounds.has(key));
    if (isHere(pad.takes[take])) return pad.takes[take];
    this.onStandIn(pad.id, take);
    for (let away = 1; away < pad.takes.length; away++)
      for (const near of [take - away, take + away])
        if (pad.takes[near] && isHere(pad.takes[near])) return pad.takes[near];
    return null;
  }

  /** Play a sound by itself, as the shelf does; it is no pad's and nothing cuts it but silence. */
  audition(frame, key) {
    const sound = this.sounds.get(key);
    if (!sound) return;
    this.silence(frame, 256, (voice) => voice.pad.id === AUDITION.id);
    const region = [key, sound.of, 1, 1, 0];
    this.voices.push({ hit: ++this.#hits, pad: AUDITION, start: frame, end: frame + sound.of, gain: 1, regions: [region], fades: [] });
  }

  silence(frame, fadeFrames, isMeant = (_voice) => true) {
    for (const voice of this.voices) if (isMeant(voice)) cut(voice, frame, fadeFrames);
  }

  /**
   * Add what sounds in frames `first .. first + count` to the buses, and forget the voices that ended.
   * @param {Float32Array[][]} buses one pair of channels for each output
   */
  mix(buses, first, count) {
    for (const voice of this.voices)
      for (const [key, frames, left, right, output] of voice.regions) {
        const sound = this.sounds.get(key);
        if (!sound) continue;
        const bus = buses[output] ?? buses[0];
        const from = Math.max(first, voice.start);
        const to = Math.min(first + count, lastFrame(voice), voice.start + Math.min(frames, sound.frames));
        if (from >= to) continue;
        const gains = [Math.fround(voice.gain * left) * sound.scale, Math.fround(voice.gain * right) * sound.scale];
        const isWhole = !voice.fades.length || to <= voice.fades[0][0];
        for (let channel = 0; channel < 2; channel++) {
          const data = sound.data[Math.min(channel, sound.channels - 1)];
          const out = bus[channel];
          const gain = gains[channel];
          let at = from - voice.start;
          if (isWhole) for (let i = from - first; i < to - first; i++) out[i] += data[at++] * gain;
          else for (let i = from - first; i < to - first; i++) out[i] += data[at++] * gain * fadeAt(voice.fades, first + i);
        }
      }
    this.voices = this.voices.filter((voice) => lastFrame(voice) > first + count);
    buses.forEach((bus, number) => {
      const gain = Math.fround(this.outputs[number]?.gain ?? 1);
      if (gain !== 1) for (const channel of bus) for (let i = 0; i < count; i++) channel[i] *= gain;
    });
  }
}

const AUDITION = { id: -1 };

/** The first frame in which nothing of `voice` sounds. */
function lastFrame({ end, fades }) {
  if (!fades.length) return end;
  const [at, length] = fades[fades.length - 1];
  return Math.min(end, at + length);
}

function cut(voice, frame, fadeFrames) {
  if (frame + fadeFrames < lastFrame(voice)) voice.fades.push([frame, fadeFrames]);
}

/** Gain of a cut voice: 1 at the cut, falling on a line; a sooner end starts from where the earlier fade had come to. */
function fadeAt(fades, frame) {
  let level = 1;
  let gain = 1;
  for (let n = 0; n < fades.length; n++) {
    const [at, length] = fades[n];
    if (n) level *= Math.max(0, 1 - (at - fades[n - 1][0]) / fades[n - 1][1]);
    if (frame < at) break;
    gain = level * Math.min(1, Math.max(0, 1 - (frame - at) / Math.max(1, length)));
  }
  return gain;
}
