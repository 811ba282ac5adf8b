/** The view of a recording: its tracks with what was found in them, heard beside the kit, and mended. */
import { inks, watchInks } from "../part/paint.js";
import { startBars } from "./bars.js";
import { startCard } from "./card.js";
import { startGestures } from "./gestures.js";
import { startKeys } from "./keys.js";
import { startMatch } from "./match.js";
import { nearest, RecordingView } from "./layout.js";
import { Mending } from "./mending.js";
import { RecordingModel, playedTable } from "./model.js";
import { paint } from "./paint.js";
import { Waves } from "./waves.js";

const AROUND_SECONDS = [0.3, 0.5]; // of a hit that is heard in a loop

export function startRecordings({ session, engine, input, part, ways, recorded }) {
  let editor = null;
  const shown = () => document.getElementById("recording-editor");
  const current = () => (editor && editor.root === shown() ? editor : null);
  const attach = () => {
    const root = shown();
    if (current()) return;
    editor?.close();
    editor = root ? new RecordingEditor({ root, session, engine, input, part, ways, recorded }) : null;
  };
  session.addEventListener("marked", attach);
  attach();
  return {
    get current() {
      return current();
    },
    key: (event) => current()?.key(event) ?? false,
  };
}

export class RecordingEditor {
  /** @type {HTMLElement} */ root;
  session;
  engine;
  input;
  /** What part/playing.js offers. */ part;
  /** @type {import("../input/ways.js").Ways} */ ways;
  /** @type {import("../sound/recorded.js").RecordedSound} */ recorded;
  view = new RecordingView();
  /** @type {RecordingModel} */ model;
  /** @type {Mending} */ mending;
  /** Row of the chosen track. */ chosen = 0;
  cursor = 0; // seconds: where the keyboard is
  range = [0, 0];
  /** Track whose threshold is held. */ held = null;
  /** Seconds to which the selected hit is being moved. */ moving = null;
  /** Bars that the strokes propose, where none are set. @type {{ bars: [number, number][], beats: number, bpm: number, words: string, lines: number[] } | null} */ offered = null;
  /** Bar lines as a hand is just moving them; null: as they are. @type {number[] | null} */ lines = null;
  key = (_event) => false;
  onChanged = () => {};
  #how;
  #match;
  #waves;
  #life = new AbortController();
  #canvas;
  #pending = 0;
  #ink = inks();
  #loop = null; // what was looped and soloed before a hit was

  constructor(parts) {
    Object.assign(this, parts);
    this.model = new RecordingModel(this.root.dataset.url, (text, isWarning) => this.session.say(text, isWarning));
    this.mending = new Mending(this.model, this.view);
    this.#canvas = /** @type {HTMLCanvasElement} */ (document.getElementById("recording-canvas"));
    const { signal } = this.#life;
    startGestures(this.#canvas, this, signal);
    startCard(this, signal);
    startBars(this, signal);
    this.#match = startMatch(this, signal);
    this.key = startKeys(this.#canvas, this, signal);
    this.#listen(signal);
    new ResizeObserver(() => this.#resize()).observe(this.#canvas.parentElement);
    this.#open();
  }

  async #open() {
    await this.part.ready;
    const isThere = await this.model.load();
    if (this.#life.signal.aborted) return;
    if (!isThere) return this.session.say("The recording does not come; is the server running? Reload the page.", true);
    this.#how = this.model.about.sound;
    this.#waves = new Waves(this.#how, () => this.repaint());
    if (this.#how.rate !== this.engine.rate) this.session.say(`This recording was prepared for ${this.#how.rate} Hz; the page plays at ${this.engine.rate} Hz. Press Listen again to hear it.`, true);
    this.view.seconds = Math.max(...this.model.tracks.map(({ seconds }) => seconds));
    this.view.fit();
    this.#waves.load(this.model.tracks);
    this.recorded.open(this.#how.rate === this.engine.rate ? this.model.tracks : [], this.#how);
    this.part.playInstead({ start: 0, name: `${this.model.tracks.length} tracks` });
    this.engine.setRange([0, 0]);
    this.#resize();
    this.#changed();
  }

  close() {
    this.#life.abort();
    this.recorded.open([]);
    this.session.toggleSolo(null);
    this.part.playInstead(null);
  }

  #listen(signal) {
    this.engine.addEventListener("report", () => this.part.isPlaying && this.repaint(), { signal }); // the playhead moves
    this.session.addEventListener("part-stopped", () => this.repaint(), { signal });
    this.model.addEventListener("changed", () => this.#changed(), { signal });
    this.model.addEventListener("selected", () => this.repaint(), { signal });
    this.ways.addEventListener("changed", () => this.#play(), { signal });
    watchInks((ink) => {
      this.#ink = ink;
      this.repaint();
    }, signal);
    this.root.addEventListener("click", ({ target }) => this.#press(target), { signal });
  }

  #press(target) {
    const zoom = target.closest("[data-zoom]")?.dataset.zoom;
    if (zoom === "fit") this.view.fit();
    else if (zoom) this.view.zoom(zoom === "in" ? 1 / 1.6 : 1.6, this.view.width / 2);
    if (zoom) this.repaint();
    const listen = target.closest("[data-listen]");
    if (listen) this.listen(Number(listen.dataset.track), listen.dataset.listen);
    const row = target.closest("[data-track-row]");
    if (row) this.choose(Number(row.dataset.trackRow));
    if (target.closest("#recording-undo")) this.model.undo();
    if (target.closest("#recording-redo")) this.model.redo();
    if (target.closest("#next-unsure")) this.nextUnsure();
  }

  #changed() {
    if (!this.model.about) return;
    this.view.arrange(this.model.tracks.length);
    this.lines = null;
    this.#play();
    this.onChanged();
    this.repaint();
  }

  /** Hand the hits to the audio thread; what has been tried by hand is heard too. */
  #play() {
    if (!this.model.about || !this.part.instead) return;
    const { beats, lines } = this.model.about;
    const clicks = [];
    for (let n = 0; n + 1 < lines.length; n++) for (let beat = 0; beat < beats; beat++) clicks.push([lines[n] + ((lines[n + 1] - lines[n]) * beat) / beats, beat ? 1 : 2]);
    this.engine.setPart(playedTable(this.model, (pad) => this.ways.ownNoteOf(pad), this.engine.rate, clicks.filter(([time]) => time >= 0)));
  }

  // Choosing and hearing ----------------------------------------------------------------------------------------------

  get track() {
    return this.model.tracks[this.chosen];
  }

  choose(row) {
    this.chosen = Math.max(0, Math.min(this.model.tracks.length - 1, row));
    const foot = this.view.foot(this.chosen);
    if (foot > this.view.height) this.view.scrollRows(foot - this.view.height, this.model.tracks.length);
    else if (foot - this.view.rowHeight < 30) this.view.scrollRows(foot - this.view.rowHeight - 34, this.model.tracks.length);
    if (this.#match.track && this.#match.track !== this.track.id) this.#match.clear();
    this.onChanged();
    this.repaint();
  }

  /** @param {string} how mute or solo */
  listen(track, how) {
    const set = how === "solo" ? this.recorded.solo : this.recorded.muted;
    if (!set.delete(track)) set.add(track);
    this.#heard();
  }

  #heard() {
    this.recorded.sound();
    const pads = this.model.tracks.filter(({ id }) => this.recorded.solo.has(id)).map(({ pad }) => pad);
    this.engine.setSolo(pads.filter(Boolean));
    this.onChanged();
  }

  /** The place of a hit in a loop, its track alone, until it is pressed again. */
  loop(stroke) {
    this.#loop ??= { range: this.range, solo: [...this.recorded.solo] };
    this.setRange([Math.max(0, stroke.time - AROUND_SECONDS[0]), stroke.time + AROUND_SECONDS[1]]);
    this.recorded.solo.clear();
    this.recorded.solo.add(stroke.track);
    this.#heard();
    this.setStart(this.range[0]);
    if (this.part.isPlaying) this.part.toggle();
    this.part.toggle();
  }

  get isLooping() {
    return this.#loop !== null;
  }

  endLoop() {
    if (!this.#loop) return;
    this.setRange(this.#loop.range);
    this.recorded.solo = new Set(this.#loop.solo);
    this.#loop = null;
    this.#heard();
    if (this.part.isPlaying) this.part.toggle();
  }

  nextUnsure() {
    const unsure = this.model.unsure();
    const from = this.model.selected?.time ?? this.cursor - 1e-6;
    const next = unsure.find(({ time }) => time > from + 1e-6) ?? unsure[0];
    if (!next) {
      this.endLoop();
      return this.session.say("Every hit that is taken is sure.");
    }
    this.select(next);
    this.loop(next);
  }

  select(stroke) {
    this.chosen = this.model.tracks.findIndex(({ id }) => id === stroke.track);
    this.cursor = stroke.time;
    this.model.select(stroke);
    this.reveal(stroke.time);
    this.choose(this.chosen);
  }

  reveal(time) {
    const x = this.view.x(time);
    if (this.view.secondsPerPixel > 0.02) this.view.zoom(0.01 / this.view.secondsPerPixel, Math.max(0, Math.min(this.view.width, x)));
    if (this.view.x(time) < 80 || this.view.x(time) > this.view.width - 60) this.view.scrollTo(time - (this.view.width / 3) * this.view.secondsPerPixel);
    this.repaint();
  }

  setRange(range) {
    this.range = range;
    this.engine.setRange([Math.round(range[0] * this.engine.rate), Math.round(range[1] * this.engine.rate)]);
    this.recorded.loopFrom = Math.round(range[0] * this.engine.rate);
    this.repaint();
  }

  setStart(time) {
    this.start = Math.max(0, Math.min(time, this.view.seconds - 0.01));
    if (this.part.instead) this.part.instead.start = Math.round(this.start * this.engine.rate);
    this.recorded.at(Math.round(this.start * this.engine.rate));
    this.repaint();
  }
  start = 0;

  // What is seen ------------------------------------------------------------------------------------------------------

  scroll(x, y) {
    if (x) this.view.scrollTo(this.view.left + x * this.view.secondsPerPixel);
    if (y) {
      this.view.scrollRows(y, this.model.tracks.length);
      document.getElementById("recording-tracks").scrollTop = this.view.top;
    }
    this.repaint();
  }

  #resize() {
    const box = this.#canvas.getBoundingClientRect();
    if (!box.width) return;
    const scale = devicePixelRatio || 1;
    const isFitted = this.view.left === 0 && this.view.secondsPerPixel >= this.view.seconds / Math.max(100, this.view.width - 20) - 1e-9;
    Object.assign(this.view, { width: Math.floor(box.width), height: Math.floor(box.height) });
    this.#canvas.width = Math.floor(box.width * scale);
    this.#canvas.height = Math.floor(box.height * scale);
    this.#canvas.getContext("2d").setTransform(scale, 0, 0, scale, 0, 0);
    if (isFitted) this.view.fit();
    this.view.arrange(this.model.tracks.length);
    this.onChanged();
    this.repaint();
  }

  repaint() {
    this.#pending ||= requestAnimationFrame(() => this.paintNow());
  }

  get playhead() {
    const { frame, isPlaying } = this.part;
    return isPlaying && frame !== null ? frame / this.engine.rate : null;
  }

  paintNow() {
    this.#pending = 0;
    if (this.#life.signal.aborted || !this.#waves) return;
    const { view, model, playhead } = this;
    if (playhead !== null && (view.x(playhead) < 0 || view.x(playhead) > view.width - 20) && !this.range[1] && this.moving === null) view.scrollTo(playhead - 40 * view.secondsPerPixel);
    const isOffered = !this.lines && !model.about.lines.length && this.offered !== null;
    const lines = this.lines ?? (isOffered ? this.offered.lines : model.about.lines);
    paint(this.#canvas.getContext("2d"), {
      view, model, playhead, chosen: this.chosen, cursor: this.cursor, held: this.held, moving: this.moving, range: this.range, start: this.start, ink: this.#ink,
      peaks: this.#waves.peaks, waves: this.#waves, fullScale: this.#how.fullScale, rate: this.#how.rate, lines, isOffered, beats: isOffered ? this.offered.beats : model.about.beats,
      anchors: new Set(model.about.bars.map(([, time]) => nearest(lines, time))),
    }); // prettier-ignore
  }
}
