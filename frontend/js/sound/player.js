/**
 * The rules of playing, as dactyl/core/play/player.py has them, on the tables that the core compiled.
 * Knows nothing of the page or of Web Audio: hits go in at a frame, blocks of sound come out (voice.js).
 *
 * @typedef {{ key: string, channels: number, frames: number, of: number, scale: number, data: Int16Array[] }} Sound
 * @typedef {[key: string, frames: number, left: number, right: number, output: number, gain: number, pan: number | null]} SoundRow
 * @typedef {{ gains: number, counter: number, length: number, places: number[], sounds: SoundRow[], tune?: number, ratio?: number }} Region
 * @typedef {{ id: number, gains: (number | null)[][], regions: Region[], muted?: boolean, emits?: string[],
 *   listens?: [string, number][], cutsItself: boolean, companions?: [number, number][], channels?: [number, number], maxVoices: number,
 *   limitFade: number, delay?: number, held?: boolean, envelope?: object, filter?: object, variation?: object,
 *   centsPerKey?: number, root?: number }} Pad
 * @typedef {{ outputs: import("./desk.js").OutputRow[], parallel?: import("./desk.js").Compressor | null, notes: Record<string, number[]>, pads: Pad[], whole: boolean, allNotes?: boolean }} Playbook
 */
import { KitTables } from "./kit.js";
import { beginVoice, cut, lastFrame, mixVoice, release } from "./voice.js";

export class Player {
  /** @type {Map<string, Sound>} */ sounds = new Map();
  /** @type {import("./voice.js").Voice[]} */ voices = [];
  /** @type {Set<number>} pads heard alone; empty: all */ solo = new Set();
  /** @type {Float64Array | null} right half of the interpolation kernel */ kernel = null;
  /** Called with the pad whose take had not arrived and was stood in for. */
  onStandIn = (_padId, _region) => {};
  /**
   * Called with what a hit strikes, before it sounds: the first of them by themselves, the others as companions.
   * @type {((frame: number, strikes: [Pad, number][], direct: number) => void) | null}
   */
  onStruck = null;
  /** Regions of edited pads as they were when their sounds were last here: they stand in for what is still made. */
  #before = new Map();
  #unwanted = new Set();
  #own = new KitTables();
  /** What is played by now: this kit, or one flipped to. */ #kit = this.#own;
  #others = new Map(); // key of a kit that can be flipped to -> its tables
  #counters = new Map();
  #strikeCounters = new Map();
  #hits = 0;

  /** Take over a playbook, whole or of some pads. Voices and counters stay. @param {Playbook} book */
  setPlaybook(book) {
    for (const { id } of book.pads) {
      const was = this.#own.pads.get(id)?.regions;
      if (was?.some((region) => this.#isHere(region))) this.#before.set(id, was);
    }
    this.#own.take(book);
  }

  get pads() {
    return this.#kit.pads;
  }

  get outputs() {
    return this.#kit.outputs;
  }

  /** Outputs in the place of the kit's own, until its tables come the next time. @param {import("./desk.js").OutputRow[]} outputs */
  tryOutputs(outputs) {
    if (outputs.length === this.#own.outputs.length) this.#own.outputs = outputs;
  }

  get parallel() {
    return this.#kit.parallel;
  }

  /** Tables of another kit, to be flipped to. @param {string} key @param {Playbook} book */
  addKit(key, book) {
    if (!this.#others.has(key)) this.#others.set(key, new KitTables());
    this.#others.get(key).take(book);
  }

  /** The next hit is of that kit; null: of this one. Voices and counters stay. @param {string | null} key */
  flip(key) {
    this.#kit = this.#others.get(key) ?? this.#own;
  }

  forgetKits() {
    this.#kit = this.#own;
    this.#others.clear();
  }

  addSounds(sounds) {
    for (const sound of sounds) {
      if (sound.frames >= (this.sounds.get(sound.key)?.frames ?? 0)) this.sounds.set(sound.key, sound); // a head that comes late
      this.#unwanted.delete(sound.key);
    }
  }

  /** Let go of sounds, each once no voice plays it any more. */
  forget(keys) {
    for (const key of keys) this.#unwanted.add(key);
    const playing = new Set(this.voices.flatMap((voice) => voice.sounds.map(([key]) => key)));
    for (const key of this.#unwanted)
      if (!playing.has(key)) {
        this.sounds.delete(key);
        this.#unwanted.delete(key);
      }
  }

  /** A note that strikes a pad; null where none does. @returns {number | null} */
  noteOf(padId) {
    const found = Object.keys(this.#kit.notes).find((note) => this.#kit.notes[note].includes(padId));
    return found === undefined ? null : Number(found);
  }

  rewind() {
    this.#counters.clear();
    this.#strikeCounters.clear();
  }

  /** A note-on strikes its pads and their companions; velocity 0 is a note-off. @param {import("./voice.js").Moves | null} moves @returns {number[]} the pads struck */
  hit(frame, note, velocity, channel = 0, moves = null) {
    if (!velocity) {
      for (const voice of this.voices) if (voice.note === note && voice.channel === channel) release(voice, frame);
      return [];
    }
    const answers = ({ channels = [0, 15] }) => channels[0] <= channel && channel <= channels[1];
    const pads = (this.#kit.notes[note] ?? []).filter((id) => this.pads.has(id) && answers(this.pads.get(id)));
    return this.#play(frame, pads, velocity, note, channel, moves);
  }

  /** A pad struck by itself, whatever its notes. */
  hitPad(frame, padId, velocity) {
    return this.#play(frame, [padId], velocity, null, 0);
  }

  /** A pad that sounds along with one of another kit; its own companions don't. */
  playLinked(frame, padId, velocity) {
    const pad = this.pads.get(padId);
    if (pad) this.#begin(frame, [[pad, velocity]], null, 0, null, 0);
  }

  /** What a choke group of another kit tells. @param {number} until number of the last hit whose voices it cuts */
  takeSignal(frame, signal, until) {
    for (const [other, fade] of this.#kit.listeners.get(signal) ?? [])
      for (const voice of this.voices) if (voice.pad.id === other && voice.hit <= until && lastFrame(voice) > frame) cut(voice, frame, fade);
  }

  /** How many hits it has played. */
  get hits() {
    return this.#hits;
  }

  releasePad(frame, padId) {
    for (const voice of this.voices) if (voice.note === null && voice.pad.id === padId) release(voice, frame);
  }

  #play(frame, padIds, velocity, note, channel, moves = null) {
    const direct = [...new Set(padIds)].filter((id) => this.pads.has(id));
    return this.#begin(frame, this.#struck(direct, velocity), note, channel, moves, direct.length);
  }

  /** @param {[Pad, number][]} strikes */
  #begin(frame, strikes, note, channel, moves, direct) {
    this.#hits += 1;
    const chosen = this.#choose(strikes);
    this.#sendSignals(strikes, frame);
    this.onStruck?.(frame, strikes, direct);
    this.#makeRoom(chosen, frame);
    const variationPlaces = this.#variationPlaces(strikes);
    for (const [pad, struck, number] of chosen) {
      if (pad.muted || (this.solo.size && !this.solo.has(pad.id))) continue;
      const region = this.#loaded(pad, number);
      if (!region) continue;
      const gain = pad.gains[pad.regions[number].gains][struck - 1];
      this.voices.push(beginVoice({ hit: this.#hits, pad, number, region, frame, gain, velocity: struck, note, channel, variationPlace: variationPlaces.get(pad.id), moves }));
    }
    return strikes.map(([pad]) => pad.id);
  }

  /** The pads of the note, then their companions; none twice. @returns {[Pad, number][]} */
  #struck(padIds, velocity) {
    const struck = new Map();
    for (const id of padIds) if (this.pads.has(id)) struck.set(id, velocity);
    for (const id of [...struck.keys()]) {
      const { muted, companions = [] } = this.pads.get(id);
      if (!muted)
        for (const [other, strength] of companions)
          if (!struck.has(other) && this.pads.has(other)) struck.set(other, Math.min(127, Math.max(1, Math.floor(velocity * strength + 0.5))));
    }
    return [...struck].map(([id, at]) => [this.pads.get(id), at]);
  }

  /** Which regions sound now; every counter that the hit touches moves on by one. @returns {[Pad, number, number][]} */
  #choose(strikes) {
    const places = new Map();
    const chosen = [];
    for (const [pad, velocity] of strikes)
      pad.regions.forEach((region, number) => {
        if (pad.gains[region.gains][velocity - 1] === null) return;
        if (!places.has(region.counter)) {
          places.set(region.counter, this.#counters.get(region.counter) ?? 0);
          this.#counters.set(region.counter, places.get(region.counter) + 1);
        }
        if (region.places.includes(places.get(region.counter) % region.length)) chosen.push([pad, velocity, number]);
      });
    return chosen;
  }

  #sendSignals(strikes, frame) {
    for (const [pad] of strikes)
      for (const signal of pad.emits ?? [])
        for (const [other, fade] of this.#kit.listeners.get(signal) ?? []) {
          if (other === pad.id && !pad.cutsItself) continue;
          for (const voice of this.voices) if (voice.pad.id === other && lastFrame(voice) > frame) cut(voice, frame, fade);
        }
  }

  #makeRoom(chosen, frame) {
    const arriving = new Map();
    for (const [pad] of chosen) if (!pad.muted) arriving.set(pad, (arriving.get(pad) ?? 0) + 1);
    for (const [pad, count] of arriving) {
      const counting = this.voices.filter(
        (voice) => voice.pad.id === pad.id && !voice.fades.length && voice.end > voice.start && lastFrame(voice) > frame,
      );
      for (const voice of counting.slice(0, Math.max(0, counting.length + count - pad.maxVoices))) cut(voice, frame, pad.limitFade);
    }
  }

  #variationPlaces(strikes) {
    const variationPlaces = new Map();
    for (const [pad] of strikes)
      if (pad.variation) {
        variationPlaces.set(pad.id, this.#strikeCounters.get(pad.id) ?? 0);
        this.#strikeCounters.set(pad.id, variationPlaces.get(pad.id) + 1);
      }
    return variationPlaces;
  }

  #isHere(region) {
    return region?.sounds.length > 0 && region.sounds.every(([key]) => this.sounds.has(key));
  }

  /** The region of a take; until its sounds are here what it was before, or the nearest take of the pad that has arrived. */
  #loaded(pad, number) {
    const exact = pad.regions[number];
    if (this.#isHere(exact)) return exact;
    this.onStandIn(pad.id, number);
    const before = this.#before.get(pad.id) ?? [];
    if (before.length === pad.regions.length && this.#isHere(before[number])) return tuned(before[number], exact);
    for (let away = 1; away < pad.regions.length; away++)
      for (const near of [number - away, number + away]) if (this.#isHere(pad.regions[near])) return pad.regions[near];
    const any = before.find((region) => this.#isHere(region));
    return any ? tuned(any, exact) : null;
  }

  /** Play one take of a pad by itself, as loud as its layer goes. */
  hearTake(frame, padId, number) {
    const pad = this.pads.get(padId);
    const region = pad && this.#loaded(pad, number);
    if (!region) return;
    const gains = pad.gains[region.gains];
    const velocity = 1 + gains.reduce((best, gain, at) => (gain !== null && gain >= (gains[best] ?? -1) ? at : best), 0);
    this.#audition(frame, { ...pad, id: AUDITION, variation: undefined }, region, gains[velocity - 1] ?? 1, velocity);
  }

  /** Play a sound by itself, as the shelf does, or some frames of it; it is no pad's and nothing cuts it but silence. */
  audition(frame, key, from = 0, count = Infinity) {
    const sound = this.sounds.get(key);
    if (!sound) return;
    const voice = this.#audition(frame, { id: AUDITION }, { sounds: [[key, sound.of, 1, 1, 0, 1, null]] }, 1, 127);
    voice.start -= from;
    voice.end = Math.min(voice.end - from, frame + count);
  }

  #audition(frame, pad, region, gain, velocity) {
    this.silence(frame, 256, (voice) => voice.pad.id === AUDITION);
    const voice = beginVoice({ hit: ++this.#hits, pad, number: -1, region, frame, gain, velocity, note: null, channel: 0 });
    this.voices.push(voice);
    return voice;
  }

  silence(frame, fadeFrames, isMeant = (_voice) => true) {
    for (const voice of this.voices) if (isMeant(voice)) cut(voice, frame, fadeFrames);
  }

  /**
   * Add what sounds in frames `first .. first + count` to the buses, and forget the voices that ended; desk.js comes after it.
   * @param {Float32Array[][]} buses one pair of channels for each output
   */
  mix(buses, first, count) {
    for (const voice of this.voices) mixVoice(voice, this.sounds, this.kernel, buses, first, count);
    this.voices = this.voices.filter((voice) => lastFrame(voice) > first + count);
  }
}

/** A region that stands in for a retuned one, heard by playback rate; with the levels and outputs of the new one. */
function tuned(was, now) {
  const sounds = was.sounds.length === now.sounds.length ? was.sounds.map(([key, frames], mic) => [key, frames, ...now.sounds[mic].slice(2)]) : was.sounds;
  return { ...was, sounds, ratio: 2 ** (((now.tune ?? 0) - (was.tune ?? 0)) / 1200) };
}

const AUDITION = -1;
