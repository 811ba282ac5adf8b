/** The one output of a page without tables: a sample of the shelf leaves by it as it is. @type {import("./desk.js").OutputRow[]} */
const PLAIN_OUTPUTS = [{ name: "Main", matrix: [1, 0, 0, 1], toBus: null, strip: [1, 0, 1, 1, 1] }];

/** What one kit plays by: the tables of its pads, which notes strike them, which signals they listen to. */
export class KitTables {
  /** @type {Map<number, import("./player.js").Pad>} */ pads = new Map();
  /** @type {Map<string, [pad: number, fade: number][]>} */ listeners = new Map();
  /** @type {Record<string, number[]>} */ notes = {};
  /** Never empty: the desk has a channel for each. */ outputs = PLAIN_OUTPUTS;
  /** @type {import("./desk.js").Compressor | null} */ parallel = null;

  /** Take over a playbook, whole or of some pads. @param {import("./player.js").Playbook} book */
  take(book) {
    if (book.whole) this.pads.clear();
    for (const pad of book.pads) this.pads.set(pad.id, pad);
    this.outputs = book.outputs.length ? book.outputs : PLAIN_OUTPUTS;
    this.parallel = book.parallel ?? null;
    if (book.whole || book.allNotes) this.notes = book.notes;
    else this.#renote(book);
    this.listeners.clear();
    for (const pad of this.pads.values())
      for (const [signal, fade] of pad.listens ?? []) this.listeners.set(signal, [...(this.listeners.get(signal) ?? []), [pad.id, fade]]);
  }

  #renote({ pads, notes }) {
    const changed = new Set(pads.map((pad) => pad.id));
    const order = [...this.pads.keys()];
    /** @type {Record<string, number[]>} */ const merged = {};
    const add = (note, id) => (merged[note] ??= []).push(id);
    for (const [note, ids] of Object.entries(this.notes)) for (const id of ids) if (!changed.has(id)) add(note, id);
    for (const [note, ids] of Object.entries(notes)) for (const id of ids) add(note, id);
    for (const ids of Object.values(merged)) ids.sort((a, b) => order.indexOf(a) - order.indexOf(b));
    this.notes = merged;
  }
}
