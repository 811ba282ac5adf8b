/**
 * How each input finds pads (design rule 13): tables that the server made, looked up here. A device finds them by its
 * surface or map, the pointer by the pad, a part by its translation; what is recorded is a note of the part's own.
 * Fires "changed".
 *
 * @typedef {{ id: number, name: string, port: string, channel: number | null, surface: number | null, through: boolean,
 *   rows: number, columns: number, notes: (number | null)[], cells: Record<string, number>, pads: Record<string, number[]> | null }} DeviceWay
 */
const AGAIN_MS = 2500;

export class Ways extends EventTarget {
  /** @type {DeviceWay[]} */ devices = [];
  #kit;
  #source = "";
  #asked = 0;
  /** @type {Promise<void>} */ #loading = Promise.resolve();
  /** @type {Map<string, number[]>} note -> pads, by the default map */ #pads = new Map();
  /** @type {Map<number, number>} pad -> its first note there */ #noteOf = new Map();
  /** @type {Map<number, number> | null} note of the part -> note of the default map; null: they are the same */ #written = null;
  /** @type {number | null} */ #translation = null;
  /** @type {Map<number, number>} the way back */ #writes = new Map();

  constructor(kit) {
    super();
    this.#kit = kit;
  }

  /** Resolves once they are here, or those that were asked for since. @param {string} [source] what the part that is open was written for */
  load(source = this.#source) {
    this.#source = source;
    return (this.#loading = this.#load(++this.#asked));
  }

  /** @param {number} asked how often they were */
  async #load(asked) {
    const answer = await fetch(`/kits/${this.#kit}/ways/?source=${encodeURIComponent(this.#source)}`).catch(() => null);
    if (asked !== this.#asked) return this.#loading;
    if (!answer?.ok) {
      await new Promise((resolve) => setTimeout(resolve, AGAIN_MS));
      return asked === this.#asked ? this.#load(asked) : this.#loading;
    }
    const { devices, notes, written, translation } = await answer.json();
    this.#translation = translation;
    this.devices = devices;
    this.#pads = new Map(Object.entries(notes));
    this.#noteOf = new Map();
    for (const [note, pads] of this.#pads) for (const pad of pads) if (!this.#noteOf.has(pad)) this.#noteOf.set(pad, Number(note));
    this.#written = written && new Map(Object.entries(written).map(([note, to]) => [Number(note), to]));
    this.#writes = new Map();
    for (const [note, to] of this.#written ?? []) if (!this.#writes.has(to)) this.#writes.set(to, note);
    this.dispatchEvent(new Event("changed"));
  }

  /**
   * The device that a message comes from: the one that says most exactly which it means.
   * @returns {DeviceWay | null}
   */
  device(port, channel) {
    let best = null;
    let most = -1;
    for (const device of this.devices) {
      if ((device.port && device.port !== port) || (device.channel !== null && device.channel !== channel)) continue;
      const says = (device.port ? 2 : 0) + (device.channel === null ? 0 : 1);
      if (says > most) [best, most] = [device, says];
    }
    return best;
  }

  /** The pads that a device's note strikes; null where the default map says. @returns {number[] | null} */
  padsOf(port, channel, note) {
    const device = this.device(port, channel);
    if (!device?.pads) return null;
    return device.pads[note] ?? (device.through ? null : []);
  }

  /** The pads that a note strikes by the default map. */
  padsOfNote(note) {
    return this.#pads.get(String(note)) ?? [];
  }

  /** What a hit on a pad is written as in the part; null where the pad has no note that the part knows. */
  noteOf(pad) {
    const note = this.#noteOf.get(pad);
    if (note === undefined) return null;
    return this.writes(note);
  }

  /** The first note of a pad in the default map; null where it has none. */
  ownNoteOf(pad) {
    return this.#noteOf.get(pad) ?? null;
  }

  /** What a note of the default map is written as in the part; null where nothing of the part becomes it. */
  writes(note) {
    return this.#written ? (this.#writes.get(note) ?? null) : note;
  }

  /** What a note of the part is played as; null where it has no counterpart and is silent. */
  played(note) {
    return this.#written ? (this.#written.get(note) ?? null) : note;
  }

  /** Give a pad that the part knows no note of a free one, in the translation or in the default map. */
  async giveNote(session, pad) {
    const url = this.#translation ? `map/translations/${this.#translation}/free/` : `pads/${pad}/free-note/`;
    await session.post(`/kits/${this.#kit}/${url}`, { value: String(pad) });
    await this.load();
    return this.noteOf(pad);
  }

  get isTranslated() {
    return this.#written !== null;
  }
}
