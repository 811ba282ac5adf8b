/**
 * The rules of playing, as dactyl/core/play/player.py has them, on the tables that the core compiled: of all kits that sound, the
 * members. Knows nothing of the page or of Web Audio: hits go in at a frame, blocks of sound come out (voice.js).
 *
 * @typedef {{ key: string, channels: number, frames: number, of: number, scale: number, data: Int16Array[] }} Sound
 * @typedef {[key: string, frames: number, left: number, right: number, output: number, gain: number, pan: number | null]} SoundRow
 * @typedef {{ gains: number, counter: number, length: number, places: number[], sounds: SoundRow[], tune?: number, ratio?: number }} Region
 * @typedef {{ id: number | string, gains: (number | null)[][], regions: Region[], muted?: boolean, emits?: string[],
 *   listens?: [string, number][], cutsItself: boolean, companions?: [number | string, number][], channels?: [number, number], maxVoices: number,
 *   limitFade: number, delay?: number, held?: boolean, envelope?: object, filter?: object, variation?: object,
 *   centsPerKey?: number, root?: number, member?: Member }} Pad
 * Pads of the first member are told by their keys, those of others with the member's key before it: "7:12".
 * @typedef {{ version?: number, whole: boolean, members: import("./member.js").MemberTables[], heard?: Partial<import("./member.js").MemberTables>[],
 *   shared?: import("./parallel.js").Compressor | null }} Playbook
 * @typedef {{ moves?: import("./voice.js").Moves | null, only?: string[] | null, isByHand?: boolean, by?: number | string | null }} How
 * only: keys of the members that it is for; isByHand: the first member hears it on any channel; by: the pad that a hand holds
 * @typedef {Map<number | string, [velocity: number, note: number | null, gain: number]>} Struck gain: of neighbours that blend
 */
import { rampFramesAt } from "./desk.js";
import { grab, Hands, ringingVelocity } from "./hands.js";
import { Member } from "./member.js";
import { ParallelBus } from "./parallel.js";
import { beginVoice, cut, lastFrame, mixVoice, release } from "./voice.js";

export class Player {
  /** @type {Map<string, Sound>} */ sounds = new Map();
  /** @type {import("./voice.js").Voice[]} */ voices = [];
  /** @type {Set<number>} pads heard alone; empty: all */ solo = new Set();
  /** Keys of the members heard alone; none: all. @type {Set<string>} */ alone = new Set();
  /** @type {Float64Array | null} right half of the interpolation kernel */ kernel = null;
  /** Called with the pad whose take had not arrived and was stood in for, and the sounds that are missing. */
  onStandIn = (_padId, _region, _keys) => {};
  /** The parallel bus of a lineup, behind the desks of its members. */ shared;
  /** @type {import("./parallel.js").Compressor | null} */ #sharedAsked = null;
  #rate;
  #unwanted = new Set();
  /** By their keys, in their order; a page without tables has none. @type {Map<string, Member>} */ #members = new Map();
  /** Members that went, until nothing of them sounds. @type {Set<Member>} */ #leaving = new Set();
  /** What can be flipped to in the place of the first. @type {Map<string, Member>} */ #others = new Map();
  /** What is played in the place of the first. @type {Member | null} */ #flipped = null;
  /** @type {Map<string, [pad: number | string, fade: number][]>} */ #listeners = new Map();
  /** Samples of the shelf are heard by it: no desk stands between. */ #plain;
  /** What hands and feet said: in the part, and by hand. */ #hands = { part: new Hands(), hand: new Hands() };
  #curves = [];
  #counters = new Map();
  #strikeCounters = new Map();
  #hits = 0;

  constructor(rate) {
    this.#rate = rate;
    this.#plain = this.#newMember("");
    this.shared = new ParallelBus(rampFramesAt(rate));
  }

  /** @param {string} key */
  #newMember(key) {
    const member = new Member(key, this.#rate);
    member.desk.setCurves(this.#curves);
    return member;
  }

  // Tables ------------------------------------------------------------------------------------------------------------

  /** Take over a playbook, whole or of some pads, at one moment. Voices and counters stay. @param {Playbook} book @param {number} frame */
  setPlaybook(book, frame = 0) {
    const isHere = (region) => this.#isHere(region);
    if (book.whole) {
      this.#sharedAsked = book.shared ?? null;
      this.shared.take(this.#sharedAsked);
      const before = this.#members;
      this.#members = new Map(book.members.map(({ key }) => [key, before.get(key) ?? this.#newMember(key)]));
      for (const [key, member] of before) if (!this.#members.has(key)) this.#leave(member, frame);
    }
    for (const told of book.members) this.#members.get(told.key)?.take(told, book.whole, isHere);
    for (const told of book.heard ?? []) this.#members.get(told.key)?.hear(told);
    this.#listen();
  }

  /** It is heard no more: what rings of it fades. */
  #leave(member, frame) {
    this.silence(frame, Math.round(0.008 * this.#rate), (voice) => voice.pad.member === member);
    this.#leaving.add(member);
  }

  #listen() {
    this.#listeners = new Map();
    for (const member of this.played)
      for (const pad of member.pads.values())
        for (const [signal, fade] of pad.listens ?? []) {
          if (!this.#listeners.has(signal)) this.#listeners.set(signal, []);
          this.#listeners.get(signal).push([pad.id, fade]);
        }
  }

  /** The members that hits reach, in their order. @returns {Member[]} */
  get played() {
    const [first, ...others] = this.#members.values();
    return this.#flipped ? [this.#flipped, ...others] : first ? [first, ...others] : [];
  }

  /** All that the page's tables name, in their order; what is flipped to is not among them. @returns {Member[]} */
  get members() {
    return [...this.#members.values()];
  }

  /** Whether a parallel bus still lets go of what it held down: it is to run on, also where nothing sounds. */
  get isReleasing() {
    for (const some of [this.#members.values(), this.#others.values(), this.#leaving]) for (const { desk } of some) if (desk.bus.isReleasing) return true;
    return this.shared.isReleasing;
  }

  /** All that may sound: also what was flipped away from, or is gone, as long as it rings; and the shelf. @returns {Member[]} */
  get sounding() {
    const ringing = new Set(this.voices.map((voice) => voice.pad.member));
    const all = new Set([...this.played, ...this.#members.values(), this.#plain]);
    for (const member of [...this.#leaving, ...this.#others.values()]) if (ringing.has(member) || member.desk.bus.isReleasing) all.add(member);
    for (const member of this.#leaving) if (!all.has(member)) this.#leaving.delete(member);
    return [...all];
  }

  /** Outputs of members in the place of their own, until tables come the next time. @param {{ member: string, rows: import("./desk.js").OutputRow[] }[]} tried */
  tryOutputs(tried) {
    for (const { member, rows } of tried) {
      const of = this.#members.get(member);
      if (of?.outputs.length === rows.length) of.outputs = rows;
    }
  }

  /** Of all members only these outputs are heard, by the keys of their members; all where there are none. @param {[member: string, number: number][]} outputs */
  hearOutputsAlone(outputs) {
    for (const { key, desk } of this.#members.values()) {
      const own = outputs.filter(([member]) => member === key).map(([, number]) => number);
      desk.hearAlone(outputs.length && !own.length ? [-1] : own);
    }
  }

  setCurves(curves) {
    this.#curves = curves;
    for (const member of new Set([...this.sounding, ...this.#others.values()])) member.desk.setCurves(curves);
  }

  /** Tables that can be played in the place of the first member, a few pads at a time. @param {string} key @param {import("./member.js").MemberTables} told @param {boolean} isFirst of its pieces */
  addOther(key, told, isFirst) {
    if (!this.#others.has(key)) this.#others.set(key, this.#newMember(""));
    this.#others.get(key).take(told, isFirst, (region) => this.#isHere(region));
    if (this.#flipped === this.#others.get(key)) this.#listen();
  }

  /** The next hit is of that kit; null: of this one. Voices and counters stay. @param {string | null} key */
  flip(key) {
    this.#flipped = (key !== null && this.#others.get(key)) || null;
    this.#listen();
  }

  forgetOthers() {
    for (const member of this.#others.values()) this.#leaving.add(member);
    this.#others.clear();
    this.flip(null);
  }

  // Sounds ------------------------------------------------------------------------------------------------------------

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

  // Hits --------------------------------------------------------------------------------------------------------------

  rewind() {
    this.#counters.clear();
    this.#strikeCounters.clear();
  }

  /**
   * A note-on strikes the pads of all members that hear it, and their companions; velocity 0 is a note-off.
   * @returns {(number | string)[]} the pads struck
   */
  hit(frame, note, velocity, channel = 0, /** @type {How} */ { moves = null, only = null, isByHand = false, by = null } = {}) {
    const reached = this.#reached(note, channel, { only, isByHand });
    if (!velocity) {
      for (const member of reached) this.#letGo(frame + member.delay, (voice) => voice.pad.member === member && voice.note === (member.playedAs[note] ?? note) && voice.channel === channel);
      return [];
    }
    const begun = reached.flatMap((member) => this.#gripsBy(member, note).flatMap((grip) => this.#do(grab(member, grip), frame, channel, isByHand)));
    /** @type {Struck} */ const struck = new Map();
    for (const member of reached) this.#strikeNote(struck, member, note, velocity, channel, isByHand);
    return [...begun, ...this.#begin(frame, struck, channel, { moves, by, isByHand })];
  }

  /** The members that a hit or a gesture comes to; a gesture of a channel has no note. @param {number | null} note */
  #reached(note, channel, /** @type {How} */ { only = null, isByHand = false }) {
    return this.played.filter((member, place) => {
      if (only) return only.includes(member.key);
      return (isByHand && !place) || (note === null ? member.listens(channel) : member.hears(note, channel));
    });
  }

  #gripsBy(member, note) {
    return member.grips.length ? member.grips.filter((grip) => grip.note === (member.playedAs[note] ?? note)) : [];
  }

  /** @param {Struck} struck */
  #strikeNote(struck, member, note, velocity, channel, isByHand) {
    const own = member.playedAs[note] ?? note;
    const at = member.curve?.[velocity - 1] ?? velocity;
    const grips = this.#gripsBy(member, note);
    for (const id of member.notes[own] ?? []) {
      const [low, high] = member.pads.get(id)?.channels ?? [0, 15];
      if (!member.pads.has(id) || low > channel || channel > high || grips.some(({ pads }) => pads.includes(id))) continue;
      this.#strikePad(struck, member, id, at, own, channel, isByHand);
    }
  }

  /** A pad, or what stands for it as the controllers are. @param {Struck} struck */
  #strikePad(struck, member, id, velocity, note, channel, isByHand) {
    for (const [other, gain] of this.#handsOf(isByHand).chosen(member, id, channel)) if (!struck.has(other)) struck.set(other, [velocity, note, gain]);
  }

  #handsOf(isByHand) {
    return isByHand ? this.#hands.hand : this.#hands.part;
  }

  /**
   * A controller or aftertouch.
   * @param {import("./hands.js").Gesture} gesture @returns {(number | string)[]} the pads that it sounded
   */
  gesture(gesture, /** @type {How} */ { only = null, isByHand = false } = {}) {
    const reached = this.#reached(null, gesture.channel, { only, isByHand });
    const deeds = this.#handsOf(isByHand).take(gesture, reached);
    return deeds.flatMap((deed) => this.#do(deed, gesture.frame, gesture.channel, isByHand));
  }

  /** What the part said up to where it is begun, and nothing else: each round sounds like the first. @param {import("./hands.js").Gesture[]} said */
  chase(said) {
    this.#hands.part.clear();
    for (const gesture of said) this.#hands.part.take(gesture, this.#reached(null, gesture.channel, {})); // what it would do is past
  }

  /** Cut what rings of a channel, and strike a pad by itself. @param {import("./hands.js").Deed} deed */
  #do({ member, cut: cuts, fade, strikes, velocity }, struckFrame, channel, isByHand) {
    const frame = struckFrame + member.delay;
    const ringing = this.voices.filter(
      (voice) => cuts.includes(voice.pad.id) && voice.channel === channel && voice.isByHand === isByHand && !voice.fades.length && voice.end > voice.start && lastFrame(voice) > frame,
    );
    const loud = velocity === null ? ringingVelocity(ringing, frame) : (member.curve?.[velocity - 1] ?? velocity);
    for (const voice of ringing) cut(voice, frame, fade);
    if (strikes === null || loud === null || !member.pads.has(strikes)) return [];
    return this.#begin(struckFrame, new Map([[strikes, [loud, null, 1]]]), channel, { isByHand });
  }

  /** A pad struck by a hand, whatever its notes; the other members hear its note. @returns {(number | string)[]} the pads struck */
  hitPad(frame, id, velocity, channel = 0) {
    const [own] = this.#members.values();
    const isMet = this.#flipped !== null || this.#members.size > 1; // others are to hear its note
    const note = isMet && own?.pads.has(id) ? own.noteOf(id) : null;
    if (this.#flipped && own?.pads.has(id)) return note === null ? [] : this.hit(frame, note, velocity, channel, { isByHand: true, by: id });
    const pad = this.#pad(id);
    if (!pad) return [];
    /** @type {Struck} */ const struck = new Map();
    this.#strikePad(struck, pad.member, id, pad.member.curve?.[velocity - 1] ?? velocity, null, channel, true);
    if (note !== null) for (const member of this.played) if (member !== pad.member && member.hears(note, channel)) this.#strikeNote(struck, member, note, velocity, channel, true);
    return this.#begin(frame, struck, channel, { by: id, isByHand: true });
  }

  /** The hand lets go of a pad: of all that it struck. */
  releasePad(frame, id) {
    this.#letGo(frame, (voice) => voice.by === id);
  }

  #letGo(frame, isMeant) {
    for (const voice of this.voices) if (isMeant(voice)) release(voice, frame);
  }

  #pad(id) {
    for (const member of this.played) if (member.pads.has(id)) return member.pads.get(id);
    return undefined;
  }

  /** @param {Struck} struck */
  #begin(frame, struck, channel, /** @type {How} */ { moves = null, by = null, isByHand = false }) {
    this.#hits += 1;
    const strikes = this.#withCompanions(struck);
    const chosen = this.#choose(strikes);
    this.#sendSignals(strikes, frame);
    this.#makeRoom(chosen, frame);
    const variationPlaces = this.#variationPlaces(strikes);
    for (const { pad, velocity, note, blended, number } of chosen) {
      if (pad.muted || !this.#isHeard(pad)) continue;
      const region = this.#loaded(pad, number);
      if (!region) continue;
      const gain = pad.gains[pad.regions[number].gains][velocity - 1] * blended;
      const at = frame + pad.member.delay;
      this.voices.push(beginVoice({ hit: this.#hits, pad, number, region, frame: at, gain, velocity, note, channel, variationPlace: variationPlaces.get(pad), moves, by, isByHand }));
    }
    return strikes.map(({ pad }) => pad.member.lights?.[pad.id] ?? pad.id);
  }

  /** What is heard alone is listening only: all else cuts and counts. */
  #isHeard({ id, member }) {
    if (this.alone.size && !this.alone.has(member.key)) return false;
    return !this.solo.size || this.solo.has(member.lights?.[id] ?? id);
  }

  /** The pads struck, then their companions; none twice, and none that does nothing. @param {Struck} struck
   * @returns {{ pad: Pad, velocity: number, note: number | null, blended: number }[]} */
  #withCompanions(struck) {
    for (const [id, [velocity, note]] of [...struck]) {
      const { muted, companions = [] } = this.#pad(id) ?? { muted: true };
      if (!muted)
        for (const [other, strength] of companions)
          if (!struck.has(other) && this.#pad(other)) struck.set(other, [Math.min(127, Math.max(1, Math.floor(velocity * strength + 0.5))), note, 1]);
    }
    const strikes = [...struck].filter(([id]) => this.#pad(id)).map(([id, [velocity, note, blended]]) => ({ pad: this.#pad(id), velocity, note, blended }));
    return strikes.filter(({ pad, velocity }) => pad.emits?.length || pad.regions.some((region) => pad.gains[region.gains][velocity - 1] !== null));
  }

  /** Which regions sound now; every counter that the hit touches moves on by one. */
  #choose(strikes) {
    const places = new Map();
    const chosen = [];
    for (const strike of strikes)
      strike.pad.regions.forEach((region, number) => {
        if (strike.pad.gains[region.gains][strike.velocity - 1] === null) return;
        const counter = `${strike.pad.member.key} ${region.counter}`;
        if (!places.has(counter)) {
          places.set(counter, this.#counters.get(counter) ?? 0);
          this.#counters.set(counter, places.get(counter) + 1);
        }
        if (region.places.includes(places.get(counter) % region.length)) chosen.push({ ...strike, number });
      });
    return chosen;
  }

  #sendSignals(strikes, frame) {
    for (const { pad } of strikes) {
      const at = frame + pad.member.delay;
      for (const signal of pad.emits ?? [])
        for (const [other, fade] of this.#listeners.get(signal) ?? []) {
          if (other === pad.id && !pad.cutsItself) continue;
          for (const voice of this.voices) if (voice.pad.id === other && lastFrame(voice) > at) cut(voice, at, fade);
        }
    }
  }

  #makeRoom(chosen, frame) {
    const arriving = new Map();
    for (const { pad } of chosen) if (!pad.muted) arriving.set(pad, (arriving.get(pad) ?? 0) + 1);
    for (const [pad, count] of arriving) {
      const at = frame + pad.member.delay;
      const counting = this.voices.filter((voice) => voice.pad.id === pad.id && !voice.fades.length && voice.end > voice.start && lastFrame(voice) > at);
      for (const voice of counting.slice(0, Math.max(0, counting.length + count - pad.maxVoices))) cut(voice, at, pad.limitFade);
    }
  }

  #variationPlaces(strikes) {
    const places = new Map();
    for (const { pad } of strikes)
      if (pad.variation) {
        const counter = `${pad.member.key} ${pad.id}`;
        places.set(pad, this.#strikeCounters.get(counter) ?? 0);
        this.#strikeCounters.set(counter, places.get(pad) + 1);
      }
    return places;
  }

  #isHere(region) {
    return region?.sounds.length > 0 && region.sounds.every(([key]) => this.sounds.has(key));
  }

  /** The region of a take; until its sounds are here what it was before, or the nearest take of the pad that has arrived. */
  #loaded(pad, number) {
    const exact = pad.regions[number];
    if (this.#isHere(exact)) return exact;
    this.onStandIn(pad.id, number, exact.sounds.map(([key]) => key));
    const before = pad.member.before.get(pad.id) ?? [];
    if (before.length === pad.regions.length && this.#isHere(before[number])) return tuned(before[number], exact);
    for (let away = 1; away < pad.regions.length; away++)
      for (const near of [number - away, number + away]) if (this.#isHere(pad.regions[near])) return pad.regions[near];
    const any = before.find((region) => this.#isHere(region));
    return any ? tuned(any, exact) : null;
  }

  /** Play one take of a pad by itself, as loud as its layer goes. */
  hearTake(frame, padId, number) {
    const pad = this.#pad(padId);
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
    const voice = this.#audition(frame, { id: AUDITION, member: this.#plain }, { sounds: [[key, sound.of, 1, 1, 0, 1, null]] }, 1, 127);
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

  /** Add what sounds in frames `first .. first + count` to the buses of its members, and forget the voices that ended.
   * @returns {Member[]} all that may have sounded */
  mix(first, count) {
    const sounding = this.sounding;
    for (const member of sounding) member.clearedBuses(count);
    for (const voice of this.voices) mixVoice(voice, this.sounds, this.kernel, voice.pad.member.buses, first, count);
    this.voices = this.voices.filter((voice) => lastFrame(voice) > first + count);
    return sounding;
  }

  /** Nothing sounds: what was changed meanwhile needs no way. */
  rest() {
    for (const { desk, outputs, parallel } of this.sounding) desk.rest(outputs, parallel);
    this.shared.arrive();
  }
}

/** A region that stands in for a retuned one, heard by playback rate; with the levels and outputs of the new one. */
function tuned(was, now) {
  const sounds = was.sounds.length === now.sounds.length ? was.sounds.map(([key, frames], mic) => [key, frames, ...now.sounds[mic].slice(2)]) : was.sounds;
  return { ...was, sounds, ratio: 2 ** (((now.tune ?? 0) - (was.tune ?? 0)) / 1200) };
}

const AUDITION = -1;
