/**
 * Playing in. What is struck while recording stands at the frame of its own time stamp; each time round is a pass, sent
 * when it ends (unwritten.js).
 */
import { CONTROLLER, KEY_PRESSURE } from "../sound/hands.js";
import { keepLatency, latencyFrames, LatencyTest, showLatency } from "./latency.js";
import { Unwritten } from "./unwritten.js";

const EARLY_SECONDS = 0.12; // a strike so much before the first frame means it
const MOST_ROUNDS = 4; // that a late strike may still fall into
const NOT_PLAYED = ["part", "lane", "sweep"]; // what sounds by these is only heard

const box = (id) => /** @type {HTMLInputElement | null} */ (document.getElementById(id));

export function startRecorder({ session, engine, input, part, ways }) {
  const recorder = new Recorder({ session, engine, part, ways });
  input.addEventListener("hit", ({ detail }) => recorder.struck(detail));
  input.addEventListener("said", ({ detail }) => recorder.said(detail));
  input.addEventListener("release", ({ detail }) => recorder.released(detail));
  engine.addEventListener("turn", ({ detail }) => recorder.turned(detail));
  session.addEventListener("part-stopped", () => recorder.isOn() && recorder.end());
  document.addEventListener("click", ({ target }) => {
    if (target.closest?.("#record")) recorder.begin();
    if (target.closest?.("#tap-test")) recorder.latency.toggle();
  });
  document.addEventListener("change", ({ target }) => {
    if (target.id === "latency") keepLatency(target.value);
    if (target.id === "click" || target.id === "click-level") recorder.setClick();
  });
  session.addEventListener("marked", () => recorder.show());
  part.ready.then(() => {
    part.model.addEventListener("loaded", () => recorder.send());
    part.model.unwrittenSaid = () => recorder.unwrittenSaid;
    recorder.send();
  });
  return recorder;
}

class Recorder {
  /** @type {LatencyTest} */ latency;
  #session;
  #engine;
  #part;
  #ways;
  #unwritten;
  /** Of the context's frames, the latest last. @type {{ origin: number, from: number }[]} */ #rounds = [];
  /** The pass that is being recorded. @type {import("./unwritten.js").Taken | null} */ #taken = null;
  /** Pad or note to the hit that it holds. @type {Map<unknown, import("./unwritten.js").Played>} */ #held = new Map();
  /** Controllers by hand: how they stand, and how they stood when the pass began. @type {Map<string, number[]>} */ #stands = new Map();
  #stood = new Map();
  #keptAt = -Infinity; // the frame at which what a pedal said was last kept
  /** Pads without a note, to the free one on its way. @type {Map<number, Promise<number | null>>} */ #asked = new Map();

  constructor({ session, engine, part, ways }) {
    this.#session = session;
    this.#engine = engine;
    this.#part = part;
    this.#ways = ways;
    this.#unwritten = new Unwritten(part, (...words) => session.say(...words));
    this.latency = new LatencyTest({ part, rate: () => engine.rate, setClick: () => this.setClick() });
  }

  isOn = () => this.#part.isRecording;

  begin() {
    const { model } = this.#part;
    if (this.#part.isComing()) return this.#session.say("The part is still on its way.", true);
    if (!model?.time) return this.#session.say("Begin a part first: open Part, then New part.", true);
    if (this.isOn()) return this.end();
    this.#part.isRecording = true;
    this.#rounds = [];
    const [from] = this.#part.range[1] > this.#part.range[0] ? this.#part.range : [this.#part.start];
    this.#part.start = from;
    this.#taken = this.#fresh(model.time.frameAt(from));
    this.setClick();
    this.#part.play(model.time.countIn(from, Number(box("count-in")?.value ?? 1)));
    this.show();
    this.#session.say("Recording. Each time round is a pass of its own; Esc stops.");
  }

  end() {
    this.#part.isRecording = false;
    this.#finishPass(this.#part.frame ?? 0);
    if (this.#part.isPlaying) this.#part.toggle();
    this.setClick();
    this.show();
  }

  /** @param {number} from the frame of the part at which it begins @returns {import("./unwritten.js").Taken} */
  #fresh(from) {
    const grid = box("grid")?.value ?? "off";
    const { turn } = this.#part;
    this.#stood = new Map(this.#stands);
    this.#keptAt = -Infinity;
    return this.#unwritten.begun({
      ...(turn ? { loop: turn } : {}), span: [from, from],
      name: crypto.randomUUID(), part: this.#part.model.id, rate: this.#engine.rate, hits: [], said: [], replace: Boolean(box("replace-notes")?.checked),
      strength: Number(box("record-strength")?.value) || 0, grid: grid === "off" ? "1/16" : grid, swing: Number(box("swing")?.value) || 50,
    }); // prettier-ignore
  }

  // What is played ----------------------------------------------------------------------------------------------------

  async struck({ pads: [pad], isOwn, note: came, velocity, channel = 9, from, frame }) {
    if (this.latency.isRunning) return this.#tapped(frame);
    if (!this.isOn() || !this.#rounds.length || NOT_PLAYED.includes(from)) return;
    if (isOwn && !pad) return; // an empty cell
    const note = (isOwn ? this.#ways.noteOf(pad) : this.#ways.writes(came)) ?? (pad ? await this.#giveNote(pad) : null);
    if (note === null || !this.#taken) return;
    if (box("only-selected")?.checked && !this.#session.pads.includes(pad)) return;
    const at = this.#inPart(frame);
    if (at === null || at < -this.#engine.rate * EARLY_SECONDS) return; // while it is counted in
    /** @type {import("./unwritten.js").Played} */ const hit = [Math.max(0, at), note, velocity, channel, 0];
    this.#taken.hits.push(hit);
    this.#held.set(keyOf({ pad, isOwn, note: came }), hit);
    this.#taken.span[1] = Math.max(this.#taken.span[1], hit[0] + 1);
    this.#unwritten.keep(this.#taken);
    this.#part.model.play(this.#unwritten.hits); // it sounds on the next time round, written or not
    this.#sayReplaced();
  }

  /** What a pedal or a hand said, as it is played: it stands in the part beside the hits. */
  said({ kind, number, value, channel, frame }) {
    if (kind === CONTROLLER) this.#stands.set(`${number} ${channel}`, [kind, number, value, channel]);
    if (!this.isOn() || !this.#rounds.length || !this.#taken) return;
    const own = kind === KEY_PRESSURE ? this.#ways.writes(number) : number;
    const at = this.#inPart(frame);
    if (own === null || at === null || at < 0) return;
    this.#taken.said.push([at, kind, own, value, channel]);
    this.#taken.span[1] = Math.max(this.#taken.span[1], at + 1);
    if (at - this.#keptAt < this.#engine.rate / 2 && at >= this.#keptAt) return; // a pedal says a hundred values a second
    this.#keptAt = at;
    this.#unwritten.keep(this.#taken);
  }

  /** How the feet stood when the pass began: of what it moves itself, and of what the part says nothing yet. @param {import("./unwritten.js").Taken} taken */
  #withStanding({ said = [], hits, span: [from] }) {
    const of = (/** @type {number[]} */ [kind, number, , channel]) => `${kind} ${number} ${channel}`;
    const moved = new Set(said.map(([, ...row]) => of(row)));
    const known = new Set((this.#part.model.about?.controls ?? []).map(([, , ...row]) => of(row)));
    const channels = new Set(hits.map(([, , , channel]) => channel));
    const standing = [...this.#stood.values()].filter((row) => moved.has(of(row)) || (channels.has(row[3]) && !known.has(of(row))));
    return [...standing.map((row) => [from, ...row]), ...said];
  }

  /** How many hits this pass takes away, before it does. */
  #sayReplaced() {
    const says = box("replaced-says");
    if (!says) return;
    const { replace, hits, span } = this.#taken ?? { replace: false, hits: [], span: [0, 0] };
    const notes = new Set(hits.map((hit) => hit[1]));
    const gone = (hit) => hit.velocity && notes.has(hit.note) && hit.frame >= span[0] && hit.frame < span[1];
    const count = replace ? this.#part.model.hits.filter(gone).length : 0;
    says.textContent = replace && this.isOn() ? `takes away ${count} hit${count === 1 ? "" : "s"}` : "";
  }

  released({ pads: [pad], isOwn, note, frame }) {
    const key = keyOf({ pad, isOwn, note });
    const hit = this.#held.get(key);
    this.#held.delete(key);
    const at = hit && this.#inPart(frame);
    if (at > hit?.[0]) hit[4] = at - hit[0];
  }

  /** A free note for a pad that has none; asked for once, however often it is struck meanwhile. */
  #giveNote(pad) {
    if (!this.#asked.has(pad)) this.#asked.set(pad, this.#ways.giveNote(this.#session, pad).finally(() => this.#asked.delete(pad)));
    return this.#asked.get(pad);
  }

  /** Frame of the part at which the context's frame stands, in the round it fell into. */
  #inPart(frame) {
    const at = frame - this.#engine.clock.constant - latencyFrames(this.#engine.rate);
    const early = this.#engine.rate * EARLY_SECONDS;
    const round = this.#rounds.findLast(({ origin, from }) => at >= origin + from - early) ?? this.#rounds[0];
    return round ? at - round.origin : null;
  }

  #tapped(frame) {
    const round = this.#rounds.at(-1);
    if (round) this.latency.tapped(frame - this.#engine.clock.constant - round.origin);
  }

  turned({ origin, from, isFirst }) {
    const before = this.#rounds.at(-1);
    this.#rounds = [...this.#rounds, { origin, from }].slice(-MOST_ROUNDS);
    if (isFirst && this.#taken) this.#taken.span = [from, from];
    if (this.isOn() && !isFirst) this.#finishPass(before ? origin + from - before.origin : 0, from);
  }

  /** @param {number} at the frame of the part that was reached @param {number} from where the next one begins */
  #finishPass(at, from = 0) {
    const taken = this.#taken;
    if (taken && isPlayed(taken)) {
      taken.span[1] = Math.max(taken.span[1], at);
      taken.said = /** @type {import("./unwritten.js").Said[]} */ (this.#withStanding(taken));
      this.#unwritten.keep(taken);
    } else if (taken) this.#unwritten.dropped(taken);
    this.#held = new Map();
    this.#taken = this.isOn() ? this.#fresh(from) : null;
    this.#sayReplaced();
    if (taken && isPlayed(taken)) this.send();
  }

  send() {
    return this.#unwritten.send(() => this.#taken);
  }

  get unwrittenSaid() {
    return this.#unwritten.said;
  }

  // What is heard and seen --------------------------------------------------------------------------------------------

  setClick() {
    const isHeard = Boolean(box("click")?.checked) || this.isOn() || this.latency.isRunning;
    this.#engine.setClick(isHeard, (Number(box("click-level")?.value ?? 35) / 100) ** 1.5);
  }

  show() {
    const latency = box("latency");
    if (latency && !latency.dataset.known) {
      latency.dataset.known = "";
      showLatency();
    }
    const button = box("record");
    if (!button) return;
    button.setAttribute("aria-pressed", String(this.isOn()));
    button.lastChild.textContent = this.isOn() ? " Recording" : " Record";
    document.body.classList.toggle("recording", this.isOn());
  }
}

const isPlayed = ({ hits, said = [] }) => hits.length > 0 || said.length > 0;

/** What tells a strike and its release: the pad where the input found it by a way of its own, else what came in. */
const keyOf = ({ pad, isOwn, note }) => (isOwn ? pad : `n${note}`);
