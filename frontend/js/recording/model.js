/**
 * A recording as the page holds it: every candidate with its strength, so that a threshold is answered at once; what a
 * person decided; and its edits on their way to the server. Fires "changed" and "selected".
 *
 * @typedef {{ track: number, place: number | null, mend: number | null, time: number, level: number, sure: number, why: string,
 *   velocity: number, isTaken: boolean, isByHand: boolean }} Stroke
 * @typedef {{ id: number, name: string, role: string, heard: boolean, seconds: number, channels: number, softest: number | null, sure: number,
 *   soft: number, hard: number, velocity: number | null, pad: number, mends: [number, number | null, boolean, number | null, number | null, number | null][] }} Track
 * @typedef {{ sentence: string, track: number, isHit: boolean, mend?: number, place?: number, time?: number, level?: number, velocity?: number }} Mending
 */
import { asHeaders } from "../page/headers.js";
import { post, Sending } from "../page/sending.js";

export const SURE = 0.8; // from here on a hit is drawn as sure
const SOFT_VELOCITY = 28;
const HARD_VELOCITY = 112;
const SAME_SECONDS = 1e-4; // hits nearer than this are one

export class RecordingModel extends EventTarget {
  /** @type {Track[]} */ tracks = [];
  /** @type {Map<number, Stroke[]>} all candidates and hits of each track, in time order */ strokes = new Map();
  about = null;
  /** @type {Stroke | null} */ selected = null;
  #url;
  #say;
  #found = new Map();
  #reasons = [];
  /** What a hand is just trying, by track: it is not sent yet. */ #tried = new Map();
  #sending = new Sending();

  constructor(url, say) {
    super();
    this.#url = url;
    this.#say = say;
  }

  async load() {
    const answer = await fetch(`${this.#url}data/`).catch(() => null);
    if (!answer?.ok) return false;
    const { hits, reasons, ...about } = await answer.json();
    this.#reasons = reasons;
    this.#found = new Map(Object.entries(hits).map(([track, rows]) => [Number(track), rows]));
    this.#take(about);
    return true;
  }

  #take(about) {
    if (about.damage && about.damage !== this.about?.damage) this.#say(about.damage, true);
    this.about = about;
    this.tracks = about.tracks;
    this.#tried.clear();
    for (const track of this.tracks) this.#weigh(track);
    if (this.selected) this.selected = this.now(this.selected);
    this.#fire("changed");
  }

  /** A stroke as the edits since have left it. @param {Stroke} was @returns {Stroke | null} */
  now({ track, mend, place, time }) {
    const isSame = (one) => (mend && one.mend === mend) || (place !== null && one.place === place) || Math.abs(one.time - time) < SAME_SECONDS;
    return this.strokes.get(track)?.find(isSame) ?? null;
  }

  track(id) {
    return this.tracks.find((track) => track.id === id);
  }

  /** Which candidates are hits: over both thresholds, unless a person has decided (dactyl/core/hits/mend.py). */
  #weigh(track) {
    const { softest, sure, soft, hard, velocity } = { ...track, ...this.#tried.get(track.id) };
    const decided = new Map(track.mends.filter(([, place]) => place !== null).map((mend) => [mend[1], mend]));
    const loud = (level) => velocity ?? Math.max(1, Math.min(127, Math.round(HARD_VELOCITY * (SOFT_VELOCITY / HARD_VELOCITY) ** ((hard - level) / Math.max(0.1, hard - soft)))));
    const strokes = (this.#found.get(track.id) ?? []).map(([time, level, confidence, why], place) => {
      const mend = decided.get(place);
      const at = mend?.[4] ?? level;
      return {
        track: track.id, place, mend: mend?.[0] ?? null, time: mend?.[3] ?? time, level: at, sure: mend ? 1 : confidence, why: this.#reasons[why],
        velocity: velocity ?? mend?.[5] ?? loud(at), isTaken: mend ? mend[2] : confidence >= sure && level >= (softest ?? -Infinity), isByHand: Boolean(mend),
      }; // prettier-ignore
    });
    for (const [mend, place, isTaken, time, level, own] of track.mends)
      if (place === null) strokes.push({ track: track.id, place, mend, time, level, sure: 1, why: "put in by hand", velocity: velocity ?? own ?? loud(level ?? hard), isTaken, isByHand: true });
    strokes.sort((a, b) => a.time - b.time);
    this.strokes.set(track.id, strokes);
  }

  /** Show what other thresholds, or another curve, would make of a track; nothing is sent. */
  try(id, values) {
    this.#tried.set(id, { ...this.#tried.get(id), ...values });
    this.#weigh(this.track(id));
    this.#fire("changed");
  }

  /** A track with what a hand is trying. */
  shown(id) {
    return { ...this.track(id), ...this.#tried.get(id) };
  }

  taken(id) {
    return (this.strokes.get(id) ?? []).filter(({ isTaken }) => isTaken);
  }

  /** Hits that want a look: taken and not sure. In time order, of all tracks. */
  unsure() {
    return this.tracks.flatMap(({ id }) => this.taken(id).filter(({ sure }) => sure < SURE)).sort((a, b) => a.time - b.time);
  }

  select(stroke) {
    this.selected = stroke;
    this.#fire("selected");
  }

  /** @param {object | (() => object)} values */
  setTrack(id, values) {
    return this.#edit(`tracks/${id}/`, values);
  }

  /**
   * Mend one hit. What is to be done is asked for once the edits before it are answered, so that it goes on from them.
   * @param {() => Mending | null | Promise<Mending | null>} make null: there is nothing to mend any more
   */
  mend(make) {
    return this.#edit("mend/", async () => {
      const { sentence, ...mend } = (await make()) ?? {};
      return sentence ? { sentence, mends: [mend] } : null;
    });
  }

  setBars(bars, beats) {
    return this.#edit("bars/", { bars: bars.map(([bar, seconds]) => ({ bar, seconds })), beats });
  }

  undo() {
    return this.#edit("undo/");
  }

  redo() {
    return this.#edit("redo/");
  }

  /** Where a track rises next to a time. @returns {Promise<{ time: number, level: number, isRise: boolean } | null>} */
  async rise(id, time, within) {
    const answer = await post(`${this.#url}tracks/${id}/rise/`, { time, ...(within ? { within } : {}) });
    return answer?.ok ? answer.json() : null;
  }

  /** What names a stroke in a mend. */
  static names({ track, place, mend }) {
    return { track, ...(mend ? { mend } : {}), ...(place !== null ? { place } : {}) };
  }

  /** @param {object | (() => object | null | Promise<object | null>)} given */
  #edit(what, given = {}) {
    return this.#sending.next(async () => {
      const values = typeof given === "function" ? await given() : given;
      if (!values) return false;
      const answer = await post(this.#url + what, values, asHeaders({ recording_version: this.about.version }));
      const body = await answer?.json().catch(() => null);
      if (!body) this.#say("The server does not answer. Is it running? Nothing was changed.", true);
      if (body && !("tracks" in body)) this.#say(body.said, true);
      if (!body || !("tracks" in body)) {
        this.#take(this.about);
        return false;
      }
      const { said, isStale, ...about } = body;
      const isSame = about.found === this.about.found;
      this.#take(about);
      if (!isSame) await this.load(); // it was listened to anew since
      this.#say(said, isStale);
      return !isStale;
    });
  }

  #fire(name) {
    this.dispatchEvent(new Event(name));
  }
}

/** Hits of all tracks as the audio thread plays them through the kit. @param {(pad: number) => number | null} noteOf */
export function playedTable(model, noteOf, rate, clicks) {
  const rows = [];
  for (const { id, pad } of model.tracks) {
    const note = pad ? noteOf(pad) : null;
    if (note === null) continue;
    for (const { time, velocity } of model.taken(id)) rows.push([Math.floor(time * rate + 0.5), note + 128 * velocity + 16384 * 9]);
  }
  rows.sort((a, b) => a[0] - b[0]);
  const seconds = Math.max(...model.tracks.map((track) => track.seconds));
  return {
    frames: Int32Array.from(rows, ([frame]) => frame),
    packed: Int32Array.from(rows, ([, packed]) => packed),
    loopFrames: Math.ceil(seconds * rate),
    clicks: Int32Array.from(clicks, ([time]) => Math.round(time * rate)),
    accents: Uint8Array.from(clicks, ([, accent]) => accent),
  };
}
