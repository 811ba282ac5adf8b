/** The part's editor: what is seen and where the hand is. Gestures, keys and the card act through it; paint.js shows it. */
import { besideRecording } from "./beside.js";
import { startCard } from "./card.js";
import { startGestures } from "./gestures.js";
import { startKeys } from "./keys.js";
import { CurveStrip } from "./curve_strip.js";
import { LaneHits, PartView, RULER } from "./layout.js";
import { inks, paint, watchInks } from "./paint.js";
import { DRUMS, LaneIndex, lanesOf, withOthers } from "./lanes.js";
import { Takes } from "./takes.js";

const AGAIN_MS = 2000;
const CLOSE_PX = 18; // hits further apart than this have room for the number of their take

export function startEditor(session, engine, input, part, ways, recorded) {
  const takes = new Takes();
  let editor = null;
  engine.addEventListener("playbook", ({ detail }) => takes.setPlaybook(detail.book));

  const shown = () => document.getElementById("part-editor");
  /** The editor of the part that is shown: not the one of a part shown before, while its successor is still on its way. */
  const current = () => (editor && editor.root === shown() ? editor : null);
  const attach = () => {
    const root = shown();
    document.getElementById("part-history").hidden = !root;
    if (current()) return;
    editor?.close();
    const isOpen = root && root.dataset.part === String(part.model?.id);
    editor = isOpen ? new Editor({ root, session, engine, input, part, takes, ways, recorded }) : null;
  };
  session.addEventListener("marked", attach);
  part.ready.then(() => {
    part.model.addEventListener("loaded", attach);
    attach();
  });
  const undoes = ({ code, ctrlKey, metaKey }) => code === "KeyZ" && (ctrlKey || metaKey);
  return {
    get current() {
      return current();
    },
    /** A part that is still on its way takes undoing for itself: the kit's is not meant. */
    key: (event) => (shown() ? (current()?.key(event) ?? undoes(event)) : false),
  };
}

export class Editor {
  /** @type {HTMLElement} */ root;
  /** @type {import("../page/session.js").Session} */ session;
  /** @type {import("../sound/engine.js").Engine} */ engine;
  /** @type {import("../input/hits.js").HitInput} */ input;
  /** @type {import("../input/ways.js").Ways} */ ways;
  /** What playing.js offers. */ part;
  /** @type {import("./model.js").PartModel} */ model;
  view = new PartView();
  /** @type {import("./lanes.js").Lane[]} */ lanes = [];
  /** Which lane a hit is drawn in. */
  laneOf = new LaneIndex([]);
  laneHits = new LaneHits([], this.laneOf, 0);
  /** Where the keyboard is. @type {{ tick: number, lane: number } | null} */ cursor = null;
  isKeyed = false; // whether the keyboard is what moves
  /** The lane whose velocities stand below. */ strip = 0;
  lastVelocity = 96;
  /** What is drawn behind the hits: the levels of a recording. @type {{ zero: number, levelOf: (pad: number) => { levels: Float32Array, seconds: number } | undefined } | null} */ under = null;
  /** What a hand is just drawing, moving, framing, ramping. */ drawn = [];
  moving = new Map();
  frame = null;
  ramp = null;
  preview = null;
  noteNames = [];
  grid = "1/16";
  swing = 50;
  /** The kit's pads as lanes; null until they have come: a note is not called unanswered before. */ #all = null;
  #asked = 0; // how often lanes were asked for
  /** The last of them. @type {Promise<void> | undefined} */ #loading;
  #life = new AbortController();
  #canvas;
  #pending = 0;
  #takes;
  #ink = inks();
  #fitted = 0; // the part whose whole was shown
  /** Called when the lanes changed. */ onLanes = () => {};
  /** @type {(event: KeyboardEvent) => boolean} */ key;
  /** What moves, in the strip. @type {CurveStrip} */ curves;

  constructor({ root, session, engine, input, part, takes, ways, recorded }) {
    Object.assign(this, { root, session, engine, input, part, ways, model: part.model });
    this.#takes = takes;
    this.#canvas = /** @type {HTMLCanvasElement} */ (document.getElementById("part-canvas"));
    const { signal } = this.#life;
    startGestures(this.#canvas, this, signal);
    startCard(this, signal);
    this.key = startKeys(this.#canvas, this, signal);
    this.curves = new CurveStrip(this, signal);
    this.#listen(signal);
    this.#recall();
    this.#loadLanes().then(() => this.#opened());
    besideRecording(this, recorded, signal);
    new ResizeObserver(() => this.#resize()).observe(this.#canvas.parentElement);
    this.#resize();
  }

  close() {
    this.#remember();
    this.#life.abort();
  }

  #listen(signal) {
    this.engine.addEventListener("report", () => this.part.isPlaying && this.repaint(), { signal }); // the playhead moves
    this.session.addEventListener("part-stopped", () => this.repaint(), { signal });
    const { model } = this;
    model.addEventListener("loaded", () => this.#opened(), { signal });
    model.addEventListener("changed", () => this.#changed(), { signal });
    model.addEventListener("selected", () => this.repaint(), { signal });
    this.engine.addEventListener("playbook", () => this.repaint(), { signal });
    document.body.addEventListener("kit-changed", () => this.#loadLanes().then(() => this.#changed()), { signal });
    this.ways.addEventListener("changed", () => this.ways.isTranslated && this.#loadLanes().then(() => this.#changed()), { signal });
    watchInks((ink) => {
      this.#ink = ink;
      this.repaint();
    }, signal);
    const on = (id, name, act) => document.getElementById(id)?.addEventListener(name, act, { signal });
    on("grid", "change", ({ target }) => this.setGrid(target.value));
    on("swing", "change", ({ target }) => this.#set({ swing: Math.min(75, Math.max(50, Number(target.value) || 50)) }));
    on("stem-shows", "change", ({ target }) => this.#setView({ showsLevel: target.value === "level" }));
    on("lanes-used", "change", () => this.#arrange());
    this.root.addEventListener("click", ({ target }) => this.#zoomButton(target.closest("[data-zoom]")?.dataset.zoom), { signal });
    document.getElementById("part-lanes").addEventListener("click", ({ target }) => this.#pressLane(target.closest("[data-lane]")), { signal });
    document.getElementById("part-lanes").addEventListener("wheel", (event) => this.scroll(0, event.deltaY), { signal, passive: true });
    document.getElementById("part-undo").addEventListener("click", () => model.edit("undo"), { signal });
    document.getElementById("part-redo").addEventListener("click", () => model.edit("redo"), { signal });
  }

  // What is seen ------------------------------------------------------------------------------------------------------

  /** Of several answers the last one asked for counts; whoever waits for an earlier one waits for it too. */
  #loadLanes() {
    return (this.#loading = this.#askForLanes(++this.#asked));
  }

  async #askForLanes(asked) {
    const asks = [`${this.root.dataset.lanes}?part=${this.root.dataset.part}`, `/kits/${this.session.kit}/alongside/lanes/`];
    const [answer, others] = await Promise.all(asks.map((address) => fetch(address).catch(() => null)));
    if (asked !== this.#asked) return this.#loading;
    if (!answer?.ok || !others?.ok) {
      if (this.#all || this.#life.signal.aborted) return;
      this.session.say("The server does not answer; the lanes are asked for again.", true);
      await new Promise((resolve) => setTimeout(resolve, AGAIN_MS));
      return this.#loadLanes();
    }
    const [{ lanes, notes, outputs, groups }, alongside] = await Promise.all([answer.json(), others.json()]);
    if (asked !== this.#asked) return this.#loading;
    this.noteNames = notes;
    this.#all = withOthers(lanes, alongside);
    this.curves.offer([...new Set([...outputs, ...alongside.outputs])], [...new Set([...groups, ...alongside.groups])]);
  }

  #opened() {
    if (!this.model.time || !this.#all) return;
    this.#arrange();
    const isNew = this.#fitted !== this.model.id;
    if (isNew) this.view.fit(this.model.about.loopTicks);
    this.#fitted = this.model.id;
    this.#changed();
    if (isNew) this.#showUsed();
  }

  /** Of more lanes than there is room for, those where something stands. */
  #showUsed() {
    const used = this.model.hits.map((hit) => this.laneOf.of(hit) ?? 0);
    if (used.length) this.scroll(0, used.reduce((a, b) => Math.min(a, b)) * this.view.laneHeight - this.view.top);
  }

  #changed() {
    if (!this.model.time || !this.#all) return;
    this.#takes.forget();
    this.#arrange();
    this.#sayHistory();
    this.repaint();
  }

  #arrange() {
    if (!this.model.time || !this.#all || !this.root.isConnected) return;
    const usedOnly = document.getElementById("lanes-used").checked;
    this.lanes = lanesOf(this.#all, this.model.hits, usedOnly, this.noteNames);
    this.laneOf = new LaneIndex(this.lanes);
    this.view.arrange(this.lanes.length);
    this.laneHits = new LaneHits(this.model.hits, this.laneOf, this.lanes.length);
    this.strip = Math.min(this.strip, Math.max(0, this.lanes.length - 1));
    this.#drawLanes();
    this.repaint();
  }

  #drawLanes() {
    const box = document.getElementById("part-lanes");
    const moves = new Set(this.model.about.curves.map(([of]) => of));
    box.replaceChildren(...this.lanes.map((lane, number) => lane.element(number, number === this.strip, lane.notes.some((note) => moves.has(`lane:${note}`)))));
    this.curves.changed();
    box.style.setProperty("--lane", `${this.view.laneHeight}px`);
    box.scrollTop = this.view.top;
    this.onLanes();
  }

  #pressLane(row) {
    if (!row) return;
    this.strip = Number(row.dataset.lane);
    const { pad, notes, channels } = this.lanes[this.strip];
    if (pad) this.input.pad(pad, 100, "lane");
    else this.hear({ note: notes[0], channel: channels?.[0] ?? DRUMS }, 100);
    this.#drawLanes();
    this.repaint();
  }

  #resize() {
    const box = this.#canvas.getBoundingClientRect();
    if (!box.width) return;
    const scale = devicePixelRatio || 1;
    Object.assign(this.view, { width: Math.floor(box.width), height: Math.floor(box.height) });
    this.#canvas.width = Math.floor(box.width * scale);
    this.#canvas.height = Math.floor(box.height * scale);
    this.#canvas.getContext("2d").setTransform(scale, 0, 0, scale, 0, 0);
    if (!this.model.time) return;
    this.view.scrollTo(this.view.left, this.model.about.loopTicks);
    this.#arrange();
  }

  zoom(factor, x = this.view.width / 2) {
    if (!this.model.time) return;
    this.view.zoom(factor, x, this.model.about.loopTicks);
    this.repaint();
  }

  fit() {
    this.view.fit(this.model.about.loopTicks);
    this.repaint();
  }

  scroll(x, y) {
    if (!this.model.time) return;
    if (x) this.view.scrollTo(this.view.left + x * this.view.ticksPerPixel, this.model.about.loopTicks);
    if (y) {
      this.view.scrollLanes(y, this.lanes.length);
      document.getElementById("part-lanes").scrollTop = this.view.top;
    }
    this.repaint();
  }

  #zoomButton(how) {
    if (how === "fit") this.fit();
    else if (how) this.zoom(how === "in" ? 1 / 1.5 : 1.5);
  }

  repaint() {
    this.#pending ||= requestAnimationFrame(() => this.paintNow());
  }

  #playhead() {
    const { frame, isPlaying } = this.part;
    return isPlaying && frame !== null && this.model.time ? this.model.time.tickAt(Math.max(0, frame)) : null;
  }

  paintNow() {
    this.#pending = 0;
    if (this.#life.signal.aborted || !this.model.time || !this.root.isConnected) return;
    const { view, model } = this;
    const playhead = this.#playhead();
    if (playhead !== null && document.getElementById("follow-part").checked && !this.moving.size && !this.drawn.length) this.#followTo(playhead);
    const isClose = this.spacing / view.ticksPerPixel >= CLOSE_PX;
    paint(this.#canvas.getContext("2d"), {
      view, model, lanes: this.lanes, laneHits: this.laneHits, laneOf: this.laneOf, grid: this.grid, swing: this.swing, cursor: this.isKeyed ? this.cursor : null,
      range: this.part.range, playhead, start: this.part.start, drawn: this.drawn, moving: this.moving, frame: this.frame, ramp: this.ramp, strip: this.strip, ink: this.#ink,
      curves: this.curves, preview: this.preview, under: this.under, muted: model.muted, takes: isClose ? this.#takes.upTo(model.heard(), view.tick(view.width)) : new Map(),
    }); // prettier-ignore
  }

  #followTo(tick) {
    const x = this.view.x(tick);
    if (x < 0 || x > this.view.width - 30) this.view.scrollTo(tick - 40 * this.view.ticksPerPixel, this.model.about.loopTicks);
  }

  takeOf(hit) {
    return this.#takes.upTo(this.model.heard(), hit.tick).get(hit.id) ?? "";
  }

  // Grid and notes ----------------------------------------------------------------------------------------------------

  get spacing() {
    return this.grid === "off" ? this.model.about.ticksPerBeat / 4 : this.model.time.spacing(this.grid);
  }

  setGrid(grid) {
    this.#set({ grid });
    document.getElementById("grid").value = grid;
  }

  #set(values) {
    Object.assign(this, values);
    this.#remember();
    this.repaint();
  }

  #setView(values) {
    Object.assign(this.view, values);
    this.#remember();
    this.repaint();
  }

  snap(tick) {
    return this.model.time.snap(tick, this.grid, this.swing);
  }

  /** The place that a press means: the nearest of the grid; Alt leaves it. */
  snapDown(tick, isFree) {
    const wanted = isFree ? Math.round(tick) : this.snap(tick);
    return Math.max(0, Math.min(this.model.about.loopTicks - 1, wanted >= this.model.about.loopTicks ? this.stepBy(this.model.about.loopTicks, -1) : wanted));
  }

  stepBy(tick, by) {
    return this.model.time.step(tick, by, this.grid, this.swing);
  }

  /** Note and channel of the lane so many lanes below that of a hit. */
  placeBy({ note, channel }, lanes) {
    const lane = this.laneOf.of({ note, channel });
    if (lane === undefined || !lanes) return { note, channel };
    const to = this.lanes[Math.max(0, Math.min(this.lanes.length - 1, lane + lanes))];
    return { note: to.note ?? note, channel: to.channels && !to.channels.includes(channel) ? to.channels[0] : channel };
  }

  /** The channel of what is drawn in a lane. */
  channelOf(lane) {
    return this.lanes[lane]?.channels?.[0] ?? DRUMS;
  }

  levelsOf = (lane) => this.lanes[lane]?.levels;

  /** @param {{ note: number, channel?: number }} hit */
  hear({ note, channel }, velocity, event = undefined) {
    const lane = this.lanes[this.laneOf.of({ note, channel })];
    if (lane?.pad) this.input.pad(lane.pad, velocity, "part", event?.timeStamp);
    else this.engine.hitAsPart(this.ways.played(note) ?? note, velocity, channel);
  }

  needsNote(lane) {
    const { name, pad } = this.lanes[lane];
    this.session.say(`${name} has no note yet, and a part holds notes: it gets a free one. Draw the hit again.`);
    this.ways.giveNote(this.session, pad);
  }

  moveCursor(tick, lane) {
    this.cursor = { tick, lane };
    if (this.strip !== lane) {
      this.strip = lane;
      this.#drawLanes();
    }
  }

  /** Bring a place into view. */
  reveal({ tick, lane }) {
    const { view } = this;
    const x = view.x(tick);
    if (x < 10 || x > view.width - 20) view.scrollTo(tick - (view.width / 3) * view.ticksPerPixel, this.model.about.loopTicks);
    const foot = view.foot(lane);
    if (foot - view.laneHeight < RULER) this.scroll(0, foot - view.laneHeight - RULER);
    else if (foot > view.lanesBottom) this.scroll(0, foot - view.lanesBottom + 2);
  }

  setStart(tick) {
    this.part.start = Math.max(0, Math.min(tick, this.model.about.loopTicks - 1));
    this.repaint();
  }

  setRange(range) {
    this.part.setRange(range);
    this.part.start = range[0];
    this.repaint();
  }

  clearRangeAt(tick) {
    const [from, to] = this.part.range;
    if (tick < from || tick > to) this.part.setRange([0, 0]);
  }

  clearPassing() {
    this.drawn = [];
    this.moving = new Map();
    this.frame = this.ramp = null;
    this.curves.ended();
  }

  // History and memory ------------------------------------------------------------------------------------------------

  #sayHistory() {
    const { undoes, redoes } = this.model.about;
    const [undo, redo] = ["part-undo", "part-redo"].map((id) => document.getElementById(id));
    undo.disabled = !undoes;
    undo.textContent = undoes ? `↶ ${undoes}` : "Nothing to undo";
    undo.title = undoes ? `Undo: ${undoes}` : "Nothing to undo";
    undo.setAttribute("aria-label", undo.title);
    redo.disabled = !redoes;
    redo.title = redoes ? `Redo: ${redoes}` : "Nothing to do again";
    redo.setAttribute("aria-label", redo.title);
  }

  #remember() {
    const { left, ticksPerPixel, showsLevel } = this.view;
    sessionStorage.setItem("part-view", JSON.stringify({ id: this.model.id, left, ticksPerPixel, showsLevel, grid: this.grid, swing: this.swing }));
  }

  #recall() {
    const kept = JSON.parse(sessionStorage.getItem("part-view") ?? "{}");
    if (kept.grid) Object.assign(this, { grid: kept.grid, swing: kept.swing ?? 50 });
    this.view.showsLevel = Boolean(kept.showsLevel);
    document.getElementById("grid").value = this.grid;
    document.getElementById("swing").value = String(this.swing);
    document.getElementById("stem-shows").value = this.view.showsLevel ? "level" : "velocity";
    if (kept.id !== this.model.id || !kept.ticksPerPixel) return;
    Object.assign(this.view, { left: kept.left, ticksPerPixel: kept.ticksPerPixel });
    this.#fitted = kept.id;
  }
}
