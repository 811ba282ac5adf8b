/**
 * Kits that sound along with the one of the page (core/play/together.py): each is a player of its own, with counters, cuts and a
 * desk of its own, that hears the hits of its channels and notes, as its own notes and velocities, a little later if so set.
 *
 * @typedef {{ channels: number[] | null, low: number, high: number, notes: Record<string, number>, curve: number[], delay: number, muted: boolean }} Way
 */
import { Desk } from "./desk.js";
import { Player } from "./player.js";

class Member {
  player = new Player();
  desk;
  /** @type {Way | null} */ way = null;
  peak = 0;
  #buses = [];

  constructor(rate) {
    this.desk = new Desk(rate);
  }

  /** What a hit is for this kit; null where it does not hear it. @returns {number | null} */
  noteOf(note, channel) {
    const { channels, low, high, notes } = this.way;
    if (note < low || note > high || (channels && !channels.includes(channel))) return null;
    return notes[note] ?? note;
  }

  hit(frame, note, velocity, channel, moves) {
    const own = this.way && this.noteOf(note, channel);
    if (own === null || own === undefined) return;
    if (velocity && this.way.muted) return;
    this.player.hit(frame + this.way.delay, own, velocity && this.way.curve[velocity - 1], channel, moves);
  }

  mix(out, first, count, stretches) {
    const { player, desk } = this;
    const outputs = Math.max(1, player.outputs.length);
    while (this.#buses.length < outputs) this.#buses.push([new Float32Array(count), new Float32Array(count)]);
    this.#buses.length = outputs;
    for (const bus of this.#buses) for (const side of bus) side.fill(0);
    player.mix(this.#buses, first, count);
    desk.take(player.outputs, player.parallel);
    const beside = desk.process(this.#buses, count, stretches);
    for (const bus of beside ? [...this.#buses, beside] : this.#buses)
      for (let side = 0; side < out.length; side++) {
        const from = bus[Math.min(side, 1)];
        for (let i = 0; i < count; i++) {
          out[side][i] += from[i];
          this.peak = Math.max(this.peak, Math.abs(from[i]));
        }
      }
  }
}

export class Alongside {
  /** @type {Map<string, Member>} */ #members = new Map();
  /** Those that were taken away, until nothing of them sounds. @type {Member[]} */ #leaving = [];
  #main;
  #rate;
  #curves = [];
  /** Called with the kit's key, the pad and the take that had not arrived. */
  onStandIn = (_key, _pad, _take) => {};

  /** @param {Player} main whose sounds and kernel all play by */
  constructor(main, rate) {
    this.#main = main;
    this.#rate = rate;
  }

  /** Whether there is a kit to hear what is played. */
  get isThere() {
    return this.#members.size > 0;
  }

  get isSounding() {
    return this.#all.some(({ player, desk }) => player.voices.length || desk.isReleasing);
  }

  get #all() {
    return this.#leaving.length ? [...this.#members.values(), ...this.#leaving] : [...this.#members.values()];
  }

  /** Which kits there are, and what each hears; tables come by `add`. @param {[key: string, way: Way][]} ways */
  set(ways, frame) {
    const wanted = new Map(ways);
    for (const [key, member] of this.#members)
      if (!wanted.has(key)) {
        this.#members.delete(key);
        member.player.silence(frame, Math.round(0.008 * this.#rate));
        this.#leaving.push(member);
      }
    for (const [key, way] of wanted) this.#member(key).way = way;
  }

  /** Tables of a kit, whole or some pads of it. */
  add(key, book) {
    this.#member(key).player.setPlaybook(book);
  }

  #member(key) {
    if (!this.#members.has(key)) {
      const member = new Member(this.#rate);
      member.desk.setCurves(this.#curves);
      member.player.onStandIn = (pad, take) => this.onStandIn(key, pad, take);
      this.#members.set(key, member);
    }
    return this.#members.get(key);
  }

  /** A hit of the part, or one that is played: a kit whose pads are heard alone is heard alone. */
  hit(frame, note, velocity, channel = 0, moves = null) {
    if (note === null || (velocity && this.#main.solo.size)) return;
    for (const member of this.#members.values()) member.hit(frame, note, velocity, channel, moves);
  }

  setCurves(curves) {
    this.#curves = curves;
    for (const { desk } of this.#all) desk.setCurves(curves);
  }

  rewind() {
    for (const { player } of this.#all) player.rewind();
  }

  silence(frame, fadeFrames) {
    for (const { player } of this.#all) player.silence(frame, fadeFrames);
  }

  /** Nothing sounds: what was changed meanwhile needs no way. */
  rest() {
    for (const { player, desk } of this.#members.values()) desk.rest(player.outputs, player.parallel);
  }

  /** Keys of the sounds that are heard just now. @returns {Set<string>} */
  playing() {
    return new Set(this.#all.flatMap(({ player }) => player.voices.flatMap((voice) => voice.sounds.map(([key]) => key))));
  }

  mix(out, first, count, stretches) {
    for (const member of this.#all) {
      member.player.sounds = this.#main.sounds;
      member.player.kernel = this.#main.kernel;
      member.mix(out, first, count, stretches);
    }
    if (this.#leaving.length) this.#leaving = this.#leaving.filter(({ player }) => player.voices.length);
  }

  /** How loud each was since it was asked last. @returns {[key: string, peak: number][]} */
  peaks() {
    return [...this.#members].map(([key, member]) => {
      const { peak } = member;
      member.peak = 0;
      return [key, peak];
    });
  }
}
