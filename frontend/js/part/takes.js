/**
 * Which take each hit will play: rotations are fixed from the start, so a player without sounds that plays the part from
 * its beginning tells it. It runs only where a person looks closely enough, and stops behind what is seen.
 */
import { Player } from "../sound/player.js";

const RATE = 48_000; // nothing sounds: any will do

export class Takes {
  #books = new Map(); // pad -> its table
  /** @type {Record<string, number[]>} */ #notes = {};
  #outputs = [];
  #known = new Map(); // hit -> words
  #upTo = -1;

  /** @param {object} book tables of the kit, whole or of some pads */
  setPlaybook(book) {
    if (book.whole) this.#books.clear();
    if (book.whole || book.allNotes) this.#notes = book.notes;
    for (const pad of book.pads) this.#books.set(pad.id, pad);
    this.#outputs = book.outputs;
    this.forget();
  }

  forget() {
    this.#upTo = -1;
    this.#known.clear();
  }

  /** @param {import("./table.js").Hit[]} hits in order @param {number} tick as far as is seen */
  upTo(hits, tick) {
    if (tick <= this.#upTo || !this.#books.size) return this.#known;
    const player = new Player(RATE);
    player.setPlaybook({ whole: true, members: [{ key: "", pads: [...this.#books.values()], notes: this.#notes, outputs: this.#outputs }] });
    const names = new Map([...this.#books.values()].map((pad) => [pad.id, takeNames(pad)]));
    let chosen = [];
    player.onStandIn = (pad, number) => chosen.push([pad, number]); // no sound is here, so every take is stood in for
    this.#known.clear();
    for (const { id, frame, note, velocity, channel, tick: at } of hits) {
      if (at > tick) break;
      if (!velocity) continue;
      chosen = [];
      player.hit(frame, note, velocity, channel);
      const [first] = chosen;
      if (first) this.#known.set(id, names.get(first[0])[first[1]]);
    }
    this.#upTo = tick;
    return this.#known;
  }
}

/** "2·3": the third take of the second layer; of a pad of one layer only the take, of a pad of one take nothing. */
function takeNames({ regions }) {
  const layers = [...new Set(regions.filter(({ sounds }) => sounds.length).map(({ gains }) => gains))].sort((a, b) => a - b);
  const counts = new Map();
  return regions.map(({ gains, sounds }) => {
    if (!sounds.length || regions.length < 2) return "";
    const number = (counts.get(gains) ?? 0) + 1;
    counts.set(gains, number);
    return layers.length > 1 ? `${layers.indexOf(gains) + 1}·${number}` : String(number);
  });
}
