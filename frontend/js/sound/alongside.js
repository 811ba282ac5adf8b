/**
 * Kits that sound along with the one of the page (core/play/together.py): each is a player of its own, with counters, cuts and a
 * desk of its own, that hears the hits of its channels and notes, as its own notes and velocities, a little later if so set.
 *
 * @typedef {{ channels: number[] | null, low: number, high: number, notes: Record<string, number>, curve: number[], delay: number, muted: boolean, device?: number | null }} Way
 * @typedef {[key: string, pad: number, key: string, pad: number, strength: number][]} Links of pads; the empty key is the kit of the page
 * @typedef {[key: string, signal: string, key: string, signal: string][]} Chokes
 */
import { Desk } from "./desk.js";
import { Player } from "./player.js";

class Member {
  player = new Player();
  desk;
  /** @type {Way | null} */ way = null;
  peak = 0;
  /** How much louder it is tried, and was in the last block. */ tried = 1;
  #tried = 1;
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
    if (own === null || own === undefined) return [];
    if (velocity && this.way.muted) return [];
    return this.player.hit(frame + this.way.delay, own, velocity && this.way.curve[velocity - 1], channel, moves);
  }

  mix(out, first, count, stretches) {
    const { player, desk } = this;
    const outputs = player.outputs.length;
    while (this.#buses.length < outputs) this.#buses.push([new Float32Array(count), new Float32Array(count)]);
    this.#buses.length = outputs;
    for (const bus of this.#buses) for (const side of bus) side.fill(0);
    player.mix(this.#buses, first, count);
    desk.take(player.outputs, player.parallel);
    const beside = desk.process(this.#buses, count, stretches);
    const [from, by] = [this.#tried, (this.tried - this.#tried) / count]; // a block's length is 3 ms: no click
    for (const bus of beside ? [...this.#buses, beside] : this.#buses)
      for (let side = 0; side < out.length; side++) {
        const source = bus[Math.min(side, 1)];
        for (let i = 0; i < count; i++) {
          const value = source[i] * (from + by * i);
          out[side][i] += value;
          this.peak = Math.max(this.peak, Math.abs(value));
        }
      }
    this.#tried = this.tried;
  }
}

/** What crosses between the kits: pads that sound along, choke groups that cut each other. */
class Crossings {
  /** @type {Map<string, [key: string, pad: number, strength: number][]>} by kit and pad */ #links = new Map();
  /** @type {Map<string, [key: string, signal: string][]>} by kit and signal */ #chokes = new Map();
  #struck = new Set();
  /** Of the kits that the hit has struck: the number of their last hit before it. */ #before = new Map();
  #pending = [];

  /** @param {Links} links @param {Chokes} chokes */
  constructor(links, chokes) {
    const put = (map, key, row) => map.set(key, [...(map.get(key) ?? []), row]);
    for (const [key, pad, other, otherPad, strength] of links) put(this.#links, `${key} ${pad}`, [other, otherPad, strength]);
    for (const [key, signal, other, otherSignal] of chokes) {
      put(this.#chokes, `${key} ${signal}`, [other, otherSignal]);
      put(this.#chokes, `${other} ${otherSignal}`, [key, signal]);
    }
  }

  get isEmpty() {
    return !this.#links.size && !this.#chokes.size;
  }

  /**
   * A kit is struck. What sounds along follows what is struck by itself, not companions; what is cut rang before the hit.
   * @param {(key: string) => Player | undefined} playerOf @param {number} at the frame without the kit's own delay
   */
  struck(key, frame, at, strikes, direct, playerOf) {
    if (!this.#before.has(key)) this.#before.set(key, playerOf(key).hits - 1);
    strikes.forEach(([pad, velocity], number) => {
      this.#struck.add(`${key} ${pad.id}`);
      for (const signal of pad.emits ?? [])
        for (const [other, theirs] of this.#chokes.get(`${key} ${signal}`) ?? []) playerOf(other)?.takeSignal(frame, theirs, this.#before.get(other) ?? Infinity);
      if (number < direct && !pad.muted)
        for (const [other, otherPad, strength] of this.#links.get(`${key} ${pad.id}`) ?? []) this.#pending.push([other, otherPad, velocity * strength, at]);
    });
  }

  /** All kits have heard the hit: strike what sounds along with it, and was not struck by it itself. @param {(key: string, at: number, pad: number, velocity: number) => void} strike */
  settle(strike) {
    for (const [key, pad, velocity, at] of this.#pending.splice(0)) {
      if (this.#struck.has(`${key} ${pad}`)) continue;
      this.#struck.add(`${key} ${pad}`);
      strike(key, at, pad, Math.min(127, Math.max(1, Math.floor(velocity + 0.5))));
    }
    this.#struck.clear();
    this.#before.clear();
  }
}

export class Alongside {
  /** @type {Map<string, Member>} */ #members = new Map();
  /** Those that were taken away, until nothing of them sounds. @type {Member[]} */ #leaving = [];
  #main;
  #rate;
  #curves = [];
  #crossings = new Crossings([], []);
  /** Keys of the kits heard alone, empty for the one of the page; none: all. */ #alone = new Set();
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

  /** Whether the kit of the page is heard, where some are heard alone. */
  get isMainHeard() {
    return !this.#alone.size || this.#alone.has("");
  }

  /** @param {string[]} keys of the kits to be heard alone, empty for the one of the page */
  hearAlone(keys) {
    this.#alone = new Set(keys);
  }

  /** @param {Links} links @param {Chokes} chokes */
  cross(links, chokes) {
    this.#crossings = new Crossings(links, chokes);
    const tellOf = (key) => (frame, strikes, direct) => {
      this.#crossings.struck(key, frame, frame - this.#delayOf(key), strikes, direct, (other) => this.#playerOf(other));
    };
    const tell = this.#crossings.isEmpty ? () => null : tellOf;
    this.#main.onStruck = tell("");
    for (const [key, { player }] of this.#members) player.onStruck = tell(key);
  }

  #playerOf(key) {
    return key ? this.#members.get(key)?.player : this.#main;
  }

  #delayOf(key) {
    return this.#members.get(key)?.way?.delay ?? 0;
  }

  #isHeard(key) {
    return (!this.#alone.size || this.#alone.has(key)) && !this.#members.get(key)?.way?.muted;
  }

  /** A hit was heard by all: what is linked to what it struck sounds along. */
  settle() {
    this.#crossings.settle((key, at, pad, velocity) => this.#isHeard(key) && this.#playerOf(key)?.playLinked(at + this.#delayOf(key), pad, velocity));
  }

  /** A pad of a kit alongside by itself. @returns {number[]} the pads struck */
  pad(key, frame, pad, velocity) {
    const player = this.#members.get(key)?.player;
    if (velocity) return player?.hitPad(frame, pad, velocity) ?? [];
    player?.releasePad(frame, pad);
    return [];
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
    const member = this.#member(key);
    member.player.setPlaybook(book);
    member.tried = 1; // its levels are in its tables
  }

  tryGain(key, gain) {
    const member = this.#members.get(key);
    if (member) member.tried = gain;
  }

  #member(key) {
    if (!this.#members.has(key)) {
      const member = new Member(this.#rate);
      member.player.sounds = this.#main.sounds;
      member.desk.setCurves(this.#curves);
      member.player.onStandIn = (pad, take) => this.onStandIn(key, pad, take);
      this.#members.set(key, member);
    }
    return this.#members.get(key);
  }

  /**
   * A hit of the part, or one that is played: a kit whose pads are heard alone is heard alone.
   * @param {string[] | null} only keys of the kits that it is for
   * @returns {[key: string, pads: number[]][]} what it struck
   */
  hit(frame, note, velocity, channel = 0, moves = null, only = null) {
    if (note === null || (velocity && this.#main.solo.size)) return [];
    const heard = [...this.#members].filter(([key]) => (!only || only.includes(key)) && (!velocity || this.#isHeard(key)));
    return heard.map(([key, member]) => [key, member.hit(frame, note, velocity, channel, moves)]);
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

  voicesOf(key) {
    return this.#members.get(key)?.player.voices ?? [];
  }

  /** Keys of the sounds that are heard just now. @returns {Set<string>} */
  playing() {
    return new Set(this.#all.flatMap(({ player }) => player.voices.flatMap((voice) => voice.sounds.map(([key]) => key))));
  }

  mix(out, first, count, stretches) {
    for (const member of this.#all) {
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
