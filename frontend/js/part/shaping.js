/** What keys do to the hits that are selected, or to the one at the cursor. */
import { movesOf } from "./lanes.js";

const DRAWN_LENGTH = 0.5; // of a place of the grid

export class Shaping {
  #editor;
  #cursor;
  /** Hits that were copied or cut. @type {import("./table.js").Hit[]} */ #held = [];

  /** @param {import("./editor.js").Editor} editor @param {import("./cursor.js").Cursor} cursor */
  constructor(editor, cursor) {
    this.#editor = editor;
    this.#cursor = cursor;
  }

  get #model() {
    return this.#editor.model;
  }

  get chosen() {
    if (this.#model.selected.size) return this.#model.selection;
    const hit = this.#editor.cursor && this.#cursor.hit;
    return hit ? [hit] : [];
  }

  get #ids() {
    return this.chosen.map(({ id }) => id);
  }

  /** Set a hit at the cursor, or take the one there away. */
  setOrTake() {
    const editor = this.#editor;
    const { tick, lane } = this.#cursor.place;
    const { hit } = this.#cursor;
    if (hit) return this.#model.edit("remove", { ids: [hit.id] });
    const { note } = editor.lanes[lane] ?? {};
    if (note === undefined || note === null) return editor.needsNote(lane);
    const channel = editor.channelOf(lane);
    editor.hear({ note, channel }, editor.lastVelocity);
    return this.#model.edit("draw", { events: [[tick, note, editor.lastVelocity, channel, Math.max(1, Math.round(editor.spacing * DRAWN_LENGTH))]] }, { selects: true });
  }

  /** @param {(velocity: number) => number} of the velocity of each */
  strike(of) {
    const hits = this.chosen;
    if (!hits.length) return;
    const made = (velocity) => Math.min(127, Math.max(1, Math.round(of(velocity))));
    this.#editor.hear(hits[0], made(hits[0].velocity));
    this.#editInTurn("strike", (now) => ({ velocities: now.map(({ id, velocity }) => [id, made(velocity)]) }));
  }

  /** Some places of the grid on, and some lanes down; the cursor goes along. */
  move(places, lanes) {
    if (!this.chosen.length) return;
    this.#editInTurn("move", (now) => {
      const [{ tick }] = now;
      let target = tick;
      for (let n = 0; n < Math.abs(places); n++) target = this.#editor.stepBy(target, Math.sign(places));
      return { ids: now.map(({ id }) => id), ticks: target - tick, ...movesOf(now, (hit) => this.#editor.placeBy(hit, lanes)) };
    });
    if (this.#editor.cursor) this.#cursor.go(places, lanes);
  }

  /** Edit the chosen hits as the edits before have left them, so that a key that is held down loses no step. */
  #editInTurn(what, make) {
    const ids = new Set(this.#ids);
    this.#model.edit(what, () => {
      const now = this.#model.hits.filter(({ id }) => ids.has(id));
      return now.length ? make(now) : null;
    });
  }

  nudge(ticks) {
    if (this.chosen.length) this.#model.edit("nudge", { ids: this.#ids, ticks });
  }

  remove() {
    if (this.chosen.length) this.#model.edit("remove", { ids: this.#ids });
  }

  duplicate() {
    this.#model.edit("duplicate", { ids: this.#ids }, { selects: true });
  }

  copy() {
    this.#held = this.chosen.map((hit) => ({ ...hit }));
    const { length } = this.#held;
    if (length) this.#editor.session.say(`${length} hit${length === 1 ? "" : "s"} copied; Ctrl V puts them at the ${this.#cursor.isShown ? "cursor" : "playhead"}.`);
  }

  cut() {
    this.copy();
    this.remove();
  }

  /** At the playhead, or where the keyboard is; distances stay, from the beat in which the first of them stood. */
  paste() {
    if (!this.#held.length) return this.#editor.session.say("There is nothing to paste. Select hits and press Ctrl C first.", true);
    const beat = this.#model.time.beatTicks(this.#held[0].tick);
    const start = Math.floor(this.#held[0].tick / beat) * beat;
    const events = this.#held.map(({ tick, note, velocity, channel, length, played }) => [tick, note, velocity, channel, length, played]);
    const at = this.#cursor.isShown ? this.#cursor.place.tick : this.#editor.part.start;
    return this.#model.edit("paste", { events, start, at }, { selects: true });
  }
}
