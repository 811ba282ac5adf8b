/**
 * One kit of those that sound in a page: its tables, which hits reach it and as what, and its own desk (design rule 19). A kit by
 * itself is one member that hears all.
 *
 * @typedef {{ key: string, kit?: number, version?: number, name?: string, pads: import("./player.js").Pad[], notes: Record<string, number[]>,
 *   outputs: import("./desk.js").OutputRow[], parallel?: import("./parallel.js").Compressor | null, channels?: number[] | null, low?: number,
 *   high?: number, playedAs?: Record<string, number>, curve?: number[], delay?: number, device?: number | null,
 *   lights?: Record<string, number>, allNotes?: boolean, shares?: import("./hands.js").Shares[], grips?: import("./hands.js").Grip[] }} MemberTables
 */
import { Desk } from "./desk.js";

/** The one output of a page without tables: a sample of the shelf leaves by it as it is. @type {import("./desk.js").OutputRow[]} */
const PLAIN_OUTPUTS = [{ name: "Main", matrix: [1, 0, 0, 1], toBus: null, strip: [1, 0, 1, 1, 1] }];
const HEARING = ["name", "channels", "low", "high", "playedAs", "curve", "delay", "device", "lights"];

export class Member {
  key;
  /** @type {Map<number | string, import("./player.js").Pad>} */ pads = new Map();
  /** Notes of its own -> its pads. @type {Record<string, (number | string)[]>} */ notes = {};
  /** Never empty: the desk has a channel for each. */ outputs = PLAIN_OUTPUTS;
  /** @type {import("./parallel.js").Compressor | null} */ parallel = null;
  /** Of the part that it hears; null: all. @type {number[] | null} */ channels = null;
  low = 0;
  high = 127;
  /** Notes of the part that are others for it. @type {Record<string, number>} */ playedAs = {};
  /** Velocity that comes -> that reaches its pads; null: the same. @type {number[] | null} */ curve = null;
  delay = 0; // frames
  /** What this device plays reaches it alone. @type {number | null} */ device = null;
  /** Pads of the page's kit that are lit where one of these sounds, where it stands in for that kit. @type {Record<string, number> | null} */ lights = null;
  /** What pedals choose among. @type {import("./hands.js").Shares[]} */ shares = [];
  /** How its pieces are grabbed. @type {import("./hands.js").Grip[]} */ grips = [];
  /** Regions of edited pads as they were when their sounds were last here. @type {Map<number | string, import("./player.js").Region[]>} */ before = new Map();
  desk;
  /** Sums of its outputs, of one block. @type {Float32Array[][]} */ buses = [];

  /** @param {string} key empty for the kit of the page */
  constructor(key, rate) {
    this.key = key;
    this.desk = new Desk(rate);
  }

  /** Take over tables, whole or of some pads. @param {MemberTables} told @param {boolean} isWhole @param {(region: object) => boolean} isHere whether the sounds of a region have come */
  take(told, isWhole, isHere) {
    for (const { id } of told.pads) {
      const was = this.pads.get(id)?.regions;
      if (was?.some(isHere)) this.before.set(id, was);
    }
    if (isWhole) this.pads = new Map();
    for (const pad of told.pads) this.pads.set(pad.id, { ...pad, member: this });
    this.outputs = told.outputs.length ? told.outputs : PLAIN_OUTPUTS;
    this.parallel = told.parallel ?? null;
    this.shares = told.shares ?? [];
    this.grips = told.grips ?? [];
    if (isWhole || told.allNotes) this.notes = told.notes;
    else this.#renote(told);
    if (isWhole) this.hear(told);
  }

  /** Which hits reach it, and as what. @param {Partial<MemberTables>} told */
  hear(told) {
    for (const name of HEARING) if (name in told) this[name] = told[name];
  }

  #renote({ pads, notes }) {
    const changed = new Set(pads.map((pad) => pad.id));
    const order = [...this.pads.keys()];
    /** @type {Record<string, (number | string)[]>} */ const merged = {};
    const add = (note, id) => (merged[note] ??= []).push(id);
    for (const [note, ids] of Object.entries(this.notes)) for (const id of ids) if (!changed.has(id)) add(note, id);
    for (const [note, ids] of Object.entries(notes)) for (const id of ids) add(note, id);
    for (const ids of Object.values(merged)) ids.sort((a, b) => order.indexOf(a) - order.indexOf(b));
    this.notes = merged;
  }

  hears(note, channel) {
    return note >= this.low && note <= this.high && this.listens(channel);
  }

  listens(channel) {
    return !this.channels || this.channels.includes(channel);
  }

  /** The note of the part that strikes a pad; null where none does. @returns {number | null} */
  noteOf(pad) {
    const own = Object.keys(this.notes).find((note) => this.notes[note].includes(pad));
    if (own === undefined) return null;
    const asked = Object.keys(this.playedAs).find((note) => this.playedAs[note] === Number(own));
    return Number(asked ?? own);
  }

  /** Buses for a block, silent. */
  clearedBuses(count) {
    while (this.buses.length < this.outputs.length) this.buses.push([new Float32Array(count), new Float32Array(count)]);
    this.buses.length = this.outputs.length;
    for (const bus of this.buses) for (const side of bus) side.fill(0);
    return this.buses;
  }
}
