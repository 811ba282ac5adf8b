/**
 * Fetches prepared sounds in the order of use, within a budget: first the heads of every take, each layer's next
 * take before its others, then the whole sounds in the same order. Sounds no pad plays any more are forgotten once
 * the heads of those that replace them are here: until then they stand in for them.
 */
import { HeldSounds } from "./held.js";

const KEYS_AT_ONCE = 32;
const AGAIN_MS = 60;
const LOOK_MS = 40;

/** @typedef {import("./held.js").Extent} Extent */

export class SoundLoader extends EventTarget {
  #send;
  #pads = new Map();
  #others = [];
  #held;
  #wanted = new Set();
  /** What the server could not read, since tables came last. */ #broken = new Set();
  #queue = { head: [], whole: [] };
  #isBusy = false;
  #samples = new Map();

  constructor({ limitBytes, send }) {
    super();
    this.#held = new HeldSounds(limitBytes);
    this.#send = send;
  }

  /** Note what a playbook needs, and fetch what is missing. */
  want(book) {
    if (book.whole) this.#pads.clear();
    for (const { pads } of book.members) for (const pad of pads) this.#pads.set(pad.id, pad);
    this.#plan();
  }

  /** The audio thread was built anew and holds none of them. */
  begin() {
    this.#held.clear();
    this.#samples.clear();
    this.#plan();
  }

  /** What other kits sound, that may be heard next: the heads of their first takes come right behind this kit's own. @param {object[]} books */
  ahead(books) {
    this.#others = books;
    this.#plan();
  }

  #plan() {
    const [first = [], ...later] = rounds([...this.#pads.values()]);
    const others = this.#others.map(({ pads }) => rounds(pads));
    const order = [...new Set([first, ...others.map(([begin = []]) => begin), ...later, ...others.flatMap(([, ...rest]) => rest)].flat())];
    this.#wanted = new Set(order);
    this.#broken.clear(); // it may have been mended
    this.#held.rank(order);
    this.#queue = {
      head: order.filter((key) => !this.#held.has(key)),
      whole: order.filter((key) => !this.#held.isWhole(key)),
    };
    this.#work();
  }

  /** These sounds were struck before they arrived: fetch them next. @param {string[]} keys */
  hurry(keys) {
    const missing = keys.filter((key) => !this.#held.isWhole(key));
    this.#held.prefer(keys);
    this.#queue.whole = [...new Set([...missing, ...this.#queue.whole])];
    this.#queue.head = [...new Set([...missing.filter((key) => !this.#held.has(key)), ...this.#queue.head])];
    this.#work();
  }

  /** Resolves once the sounds of a take are here; to false where one can't be read, or where the pad plays others by then. */
  async arrival(pad, number) {
    const keys = keysOf(this.#pads, pad, number);
    this.hurry(keys);
    while (keys.some((key) => !this.#held.has(key))) {
      if (keys.some((key) => this.#broken.has(key) || !this.#wanted.has(key))) return false;
      await pause(LOOK_MS);
    }
    return true;
  }

  /** Fetch a sample of the shelf as it is; returns the key to play it by. */
  async sample(id, rate) {
    if (this.#samples.has(id)) return this.#samples.get(id);
    for (let tries = 0; tries < 100; tries++) {
      const answer = await fetch(`/shelf/samples/${id}/sound/${rate}/`);
      if (!answer.ok) return null;
      const { sounds } = unpack(await answer.arrayBuffer());
      if (answer.status === 200 && sounds.length) {
        this.#send({ type: "sounds", sounds }, sounds.map((sound) => sound.data[0].buffer));
        this.#samples.set(id, sounds[0].key);
        this.#dropOldSamples();
        return sounds[0].key;
      }
      await pause(AGAIN_MS);
    }
    return null;
  }

  #dropOldSamples() {
    while (this.#samples.size > 24) {
      const [id, key] = this.#samples.entries().next().value;
      this.#samples.delete(id);
      if (!this.#held.has(key)) this.#send({ type: "forget", keys: [key] });
    }
  }

  #forgetUnwanted() {
    const onShelf = new Set(this.#samples.values());
    this.#forget(this.#held.keys().filter((key) => !this.#wanted.has(key) && !onShelf.has(key)));
  }

  /** @param {string[]} keys */
  #forget(keys) {
    if (!keys.length) return;
    for (const key of keys) this.#held.remove(key);
    const gone = new Set(keys);
    for (const [id, key] of this.#samples) if (gone.has(key)) this.#samples.delete(id); // fetched again when it is heard again
    this.#send({ type: "forget", keys });
  }

  /** What is fetched next, once there is room for the first of it. @returns {Extent | null} */
  #next() {
    for (const extent of /** @type {Extent[]} */ (["head", "whole"])) {
      const [key] = this.#queue[extent];
      const gone = key === undefined ? null : this.#held.roomFor(key, extent);
      if (!gone) continue;
      this.#forget(gone);
      const again = gone.filter((one) => this.#wanted.has(one));
      if (again.length) this.#queue = { head: [...this.#queue.head, ...again], whole: [...new Set([...this.#queue.whole, ...again])] };
      return extent;
    }
    return null;
  }

  async #work() {
    if (this.#isBusy) return;
    this.#isBusy = true;
    try {
      for (;;) {
        if (!this.#queue.head.length) this.#forgetUnwanted();
        const extent = this.#next();
        if (!extent) break;
        const keys = this.#queue[extent].splice(0, extent === "head" ? KEYS_AT_ONCE : KEYS_AT_ONCE / 4);
        if (!(await this.#fetch(extent, keys))) break;
      }
    } finally {
      this.#isBusy = false;
    }
    this.dispatchEvent(new CustomEvent("loaded", { detail: { sounds: this.#held.size, bytes: this.#held.bytes } }));
  }

  /** Fetch some keys; what is not ready yet goes to the front of the queue again. False where the page must start over. */
  async #fetch(extent, keys) {
    const answer = await fetch(`/kits/sounds/${extent}/${keys.join(".")}/`).catch(() => null);
    if (!answer) {
      this.#queue[extent].unshift(...keys);
      await pause(1000);
      return true;
    }
    if (answer.status === 404) {
      this.dispatchEvent(new Event("unknown"));
      return false;
    }
    const { sounds, broken } = unpack(await answer.arrayBuffer());
    for (const sound of sounds)
      if (extent === "whole" || !this.#held.isWhole(sound.key)) {
        const isAll = sound.frames === sound.of;
        this.#held.add(sound.key, isAll ? "whole" : extent, sound.frames * sound.channels * 2, isAll && extent === "head");
      }
    this.#send({ type: "sounds", sounds }, [...new Set(sounds.map((sound) => sound.data[0].buffer))]);
    for (const key of Object.keys(broken)) this.#broken.add(key);
    if (Object.keys(broken).length) this.dispatchEvent(new CustomEvent("broken", { detail: Object.values(broken) }));
    const arrived = new Set([...sounds.map((sound) => sound.key), ...Object.keys(broken)]);
    const late = keys.filter((key) => !arrived.has(key));
    this.#queue[extent] = [...new Set([...late, ...this.#queue[extent]])];
    if (late.length) await pause(AGAIN_MS);
    return true;
  }
}

/** Keys in the order they will sound: the takes of every layer that come first, then those that come second, and so on. @returns {string[][]} */
function rounds(pads) {
  const found = [];
  for (const pad of pads)
    for (const { places, sounds } of pad.regions) {
      const round = places.length ? places[0] : 64;
      (found[round] ??= []).push(...sounds.map(([key]) => key));
    }
  return found.filter(Boolean).map((keys) => keys.filter(Boolean)); // places at which no take comes leave holes
}

const keysOf = (pads, pad, number) => (pads.get(pad)?.regions[number]?.sounds ?? []).map(([key]) => key);

/** Read what the server packed (docs/formats.md); every sound gets a buffer of its own, so that it can move to the audio thread. */
export function unpack(buffer) {
  const length = new DataView(buffer).getUint32(0, true);
  const { sounds, broken } = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 4, length)));
  let at = 4 + length;
  for (const sound of sounds) {
    const bytes = sound.frames * sound.channels * 2;
    const own = buffer.slice(at, at + bytes);
    sound.data = Array.from({ length: sound.channels }, (_, channel) => new Int16Array(own, channel * sound.frames * 2, sound.frames));
    at += bytes;
  }
  return { sounds, broken };
}

const pause = (ms) => new Promise((resolve) => setTimeout(resolve, ms));
