import { asHeaders } from "../page/headers.js";
import { post, Sending } from "../page/sending.js";
import { KEY_PRESSURE } from "../sound/hands.js";
import { curveOf, LaneCurves } from "./curves.js";
import { TimeMap } from "./time.js";
import { hitOf, merged, saidOf, tableOf, translated } from "./table.js";

const AGAIN_MS = 2000;
const MOST_TRIED = 20_000; // of a longer part a curve is heard once it is let go

/**
 * The part that is open: its hits in order, what is selected, and its edits on their way to the server, one after
 * another, each with the version the one before it left. Fires "loaded", "changed", "selected".
 */
export class PartModel extends EventTarget {
  /** @type {import("./table.js").Hit[]} */ hits = [];
  /** @type {Set<number>} ids of selected hits */ selected = new Set();
  /** @type {TimeMap | null} */ time = null;
  about = null;
  /** What controllers said while recording, and is not written yet: rows as the part has them. @type {() => number[][]} */ unwrittenSaid = () => [];
  isAside = false; // something else is played in its place
  #rate;
  #grids;
  #say;
  #engine;
  #ways;
  #heard = { of: [], as: [] };
  #wanted = 0;
  #isTrying = false; // since the page was painted last
  #sending = new Sending();

  /** @param {{ rate: number, grids: object, engine: object, ways: import("../input/ways.js").Ways, say: Function }} known */
  constructor({ rate, grids, engine, ways, say }) {
    super();
    this.#ways = ways;
    ways.addEventListener("changed", () => {
      this.#heard = { of: [], as: [] };
      this.play();
    });
    this.#rate = rate;
    this.#grids = grids;
    this.#engine = engine;
    this.#say = say;
  }

  get id() {
    return this.about?.id ?? null;
  }

  get muted() {
    return new Set((this.about?.passes ?? []).filter(([, , isMuted]) => isMuted).map(([pk]) => pk));
  }

  get selection() {
    return this.hits.filter(({ id }) => this.selected.has(id));
  }

  /**
   * Open a part, once the edits of the one before are sent; it is asked for until the server answers.
   * @returns {Promise<boolean>} whether it is there, and no other was opened meanwhile
   */
  open(id) {
    this.#wanted = id;
    return this.#sending.next(async () => {
      const answer = await this.#answer(id);
      if (this.#wanted !== id) return false;
      if (!answer) return this.#close();
      this.selected.clear();
      this.#take(answer, true);
      this.#fire("loaded");
      return true;
    });
  }

  /** A part as the server holds it; null where there is none, or where another is wanted by now. */
  async #answer(id) {
    for (let tries = 0; this.#wanted === id; tries++) {
      const answer = await fetch(`/parts/${id}/data/`, { headers: asHeaders({ rate: this.#rate }) }).catch(() => null);
      if (answer?.ok) return answer.json();
      if (answer && answer.status < 500) return null;
      if (!tries) this.#say("The part does not come; it is asked for again.", true);
      await new Promise((resolve) => setTimeout(resolve, AGAIN_MS));
    }
    return null;
  }

  #close() {
    this.about = this.time = null;
    this.hits = [];
    this.selected.clear();
    if (!this.isAside) this.#engine.setPart(null);
    this.#fire("loaded");
    return false;
  }

  /** Take over what the server says: everything, or what an edit changed. */
  #take(body, isWhole) {
    const { events, removed = [], said, isWhole: _, isStale, curvesGone, ...about } = body;
    if (!about.controls) about.controls = this.about?.controls ?? []; // an edit tells them only where it changed them
    if (curvesGone) about.curves = mergedCurves(this.about.curves, about.curves, curvesGone);
    const changed = events.map(hitOf);
    if (about.writtenFor !== this.about?.writtenFor || about.id !== this.about?.id) this.#ways.load(about.writtenFor);
    this.about = about;
    this.time = new TimeMap(about, this.#grids);
    this.hits = isWhole ? changed : merged(this.hits, changed, removed);
    if (isWhole) {
      const ids = new Set(changed.map(({ id }) => id));
      for (const id of this.selected) if (!ids.has(id)) this.selected.delete(id);
    } else for (const id of removed) this.selected.delete(id);
    this.play();
  }

  /** Hand the hits to the audio thread, with what has been recorded and is not written yet. @param {object[]} more */
  play(more = this.pending ?? [], curveRows = this.about?.curves) {
    this.pending = more;
    if (!this.time || this.isAside) return;
    const hits = this.heard(more.length ? merged(this.hits, more, []) : this.hits);
    const curves = curveRows.map(curveOf);
    const lanes = new LaneCurves(curves);
    const table = tableOf(hits, this.muted, lanes.isEmpty ? null : lanes, (tick) => this.time.timeAt(tick));
    const rows = [...this.about.controls, ...this.unwrittenSaid()].filter(([, tick]) => tick < this.about.loopTicks);
    const said = saidOf(this.#saidAsHeard(rows), table.ticks);
    this.#engine.setPart({ ...table, said, curves: curves.filter(({ of }) => !of.startsWith("lane:")), loopFrames: this.about.loopFrames, ...this.time.clicks() });
  }

  /** Aftertouch of keys under the notes that they are played as. @param {number[][]} rows */
  #saidAsHeard(rows) {
    if (!this.#ways.isTranslated) return rows;
    const heard = rows.map(([frame, tick, kind, number, ...rest]) => [frame, tick, kind, kind === KEY_PRESSURE ? this.#ways.played(number) : number, ...rest]);
    return heard.filter(([, , , number]) => number !== null);
  }

  /** Hear curves before they are told; null: those of the part. @param {[of: string, what: string, points: number[][]][] | null} curves */
  tryCurves(curves) {
    if (curves && (this.#isTrying || this.hits.length > MOST_TRIED)) return;
    this.#isTrying = Boolean(curves);
    requestAnimationFrame(() => (this.#isTrying = false));
    this.play(undefined, curves ?? undefined);
  }

  /** Hits under the notes that they are played as. */
  heard(hits = this.hits) {
    if (!this.#ways.isTranslated) return hits;
    if (this.#heard.of !== hits) this.#heard = { of: hits, as: translated(hits, (note) => this.#ways.played(note)) };
    return this.#heard.as;
  }

  /**
   * Change the part. What is new or changed by it is selected where `selects`.
   * @param {object | (() => object | null)} values made when its turn comes where they go on from edits before; null: nothing is sent
   * @returns {Promise<object | null>} what the server answered; null where it refused or was not reached
   */
  edit(what, values = {}, { selects = false, quiet = false } = {}) {
    const { id } = this;
    return this.#sending.next(async () => {
      if (!id || this.id !== id) return null;
      const path = what.startsWith("/") ? what : /^(undo|redo|history|record|passes|written-for|translate)/.test(what) ? `/parts/${id}/${what}/` : `/parts/${id}/edit/${what}/`;
      const given = typeof values === "function" ? values() : values;
      if (!given) return null;
      const answer = await post(path, given, asHeaders({ part_version: this.about.version, rate: this.#rate }));
      return this.#answered(answer, { selects, quiet });
    });
  }

  async #answered(answer, { selects, quiet }) {
    if (!answer) {
      if (!quiet) this.#say("The server does not answer. Is it running? Nothing was changed.", true);
      return null;
    }
    const body = await answer.json().catch(() => ({ said: "Dactyl failed at this; nothing was changed." }));
    if (!("events" in body)) {
      this.#say(body.said, true);
      return null;
    }
    if (body.id !== this.id) return null;
    this.#take(body, Boolean(body.isWhole));
    if (selects) this.select(body.events.map(([id]) => id));
    this.#say(body.said, Boolean(body.isStale));
    this.#fire("changed");
    return answer.ok ? body : null;
  }

  /** Ask what an operation would make, or which hits a rule means; nothing is changed. */
  async ask(what, values) {
    const { id } = this;
    const answer = await post(`/parts/${id}/${what}/`, values, asHeaders({ rate: this.#rate }));
    const body = answer?.headers.get("Content-Type")?.includes("json") ? await answer.json() : { said: (await answer?.text()) || "The server does not answer." };
    if (this.id !== id) return null;
    if (answer?.ok) return body;
    this.#say(body.said, true);
    return null;
  }

  select(ids, { more = false } = {}) {
    if (!more) this.selected.clear();
    for (const id of ids) this.selected.add(id);
    this.#fire("selected");
  }

  /** Every hit, those that are not selected, or none. @param {string} which "all", "others" or "none" */
  selectAll(which) {
    const isMeant = { all: () => true, others: (id) => !this.selected.has(id), none: () => false }[which];
    this.select(this.hits.filter(({ id, velocity }) => velocity && isMeant(id)).map(({ id }) => id));
  }

  toggle(id) {
    if (!this.selected.delete(id)) this.selected.add(id);
    this.#fire("selected");
  }

  #fire(name) {
    this.dispatchEvent(new Event(name));
  }
}

/** Automation with what an edit changed of it: rows of what it is of, what moves, and points; of what is gone without points. */
function mergedCurves(all, changed, gone) {
  const key = (/** @type {any[]} */ [of, what]) => `${of}|${what}`;
  const now = new Map(all.map((curve) => [key(curve), curve]));
  for (const curve of changed) now.set(key(curve), curve);
  for (const curve of gone) now.delete(key(curve));
  return [...now.values()];
}
