/** The waveform of the open take: start, end and fades by drag and by keys, from the whole file to single frames. */
import { isResting, tellLater, tellNow } from "../page/resting.js";
import { paintTake } from "./take_paint.js";
import { nearestZero, TakeView } from "./take_view.js";

const NAMES = { start: "Start", end: "End" };
const HEIGHT = 92;
const REST_MS = 350; // after the last key what it changed is sent
const AROUND_ZERO = 512; // frames before and after an edge in which a crossing is looked for
const MOST_KEPT = 60; // answers of peaks
const MOST_OTHERS = 8; // takes that are laid over this one

const canvas = () => /** @type {HTMLCanvasElement} */ (document.getElementById("take-canvas"));

export function startWave(session, engine) {
  const wave = new Wave(session, engine);
  const isOnCanvas = (event) => event.target === canvas();

  new ResizeObserver(() => wave.resized()).observe(document.getElementById("card"));
  document.addEventListener("click", ({ target }) => wave.act(target.closest?.("[data-wave]")?.dataset.wave));
  document.addEventListener("pointerdown", (event) => isOnCanvas(event) && !event.button && wave.grip(event));
  document.addEventListener("pointermove", (event) => isOnCanvas(event) && wave.drag(event));
  for (const end of ["pointerup", "pointercancel"]) document.addEventListener(end, () => wave.drop());
  document.addEventListener("wheel", (event) => isOnCanvas(event) && wave.turn(event), { passive: false });
  engine.addEventListener("report", ({ detail }) => wave.played(detail.heads));
  session.addEventListener("marked", () => wave.open());
  document.addEventListener("theme", () => wave.draw());
  wave.open();

  /** Keys while the canvas has the focus; true where one was used. */
  return (event) => isOnCanvas(event) && !event.ctrlKey && !event.metaKey && !event.altKey && wave.key(event);
}

class Wave {
  #session;
  #engine;
  #peaks = new Peaks();
  /** The take that is open: its element, its number among those of the pad. @type {{ box: HTMLElement, take: string, number: number } | null} */ #of = null;
  /** @type {TakeView | null} */ #view = null;
  #isOverlaid = false;
  /** @type {import("./take_view.js").Grip | null} */ #held = null;

  constructor(session, engine) {
    this.#session = session;
    this.#engine = engine;
  }

  // What is seen ------------------------------------------------------------------------------------------------------

  open() {
    const box = document.getElementById("one-take");
    if (!box || box.dataset.drawn) return;
    box.dataset.drawn = "1";
    const { take } = box.dataset;
    const before = this.#of?.take === take ? this.#view : null; // the same take, drawn anew
    if (!before) tellNow(this);
    this.#of = { box, take, number: Number(box.dataset.number) };
    const isUnderHand = before && (this.#held || isResting(this)); // an answer to what it did before changes nothing
    if (!isUnderHand) this.#view = new TakeView(valuesOf(box));
    if (before) Object.assign(this.#view, { from: before.from, to: before.to, edge: before.edge });
    this.#view.others = [];
    this.#showOverlay();
    this.#refresh();
  }

  async #refresh() {
    const [view, { box }, element] = [this.#view, this.#of, canvas()];
    if (!element?.clientWidth) return; // the card is hidden: it is drawn when it is shown
    element.width = element.clientWidth * devicePixelRatio;
    element.height = HEIGHT * devicePixelRatio;
    if (this.#isOverlaid) this.#loadOthers();
    view.pairs = await this.#peaks.of(box.dataset.url, view.from, view.to, element.width);
    if (view === this.#view) this.draw();
  }

  resized() {
    const element = canvas();
    if (this.#view && element && element.width !== Math.floor(element.clientWidth * devicePixelRatio)) this.#refresh();
  }

  draw() {
    const [element, view] = [canvas(), this.#view];
    if (!element || !view?.pairs) return;
    paintTake(element, view);
    const says = document.getElementById("wave-says");
    says.textContent = `${view.ms(view.start).toFixed(1)}–${view.ms(view.end).toFixed(1)} ms`;
    says.title = `Frames ${view.start} to ${view.end}`;
  }

  /** The other takes of its layer, behind it. */
  async #loadOthers() {
    const [view, { box, take }] = [this.#view, this.#of];
    const layer = document.getElementById(`take-${take}`)?.dataset.layer;
    const others = /** @type {HTMLElement[]} */ ([...document.querySelectorAll(`.take[data-layer="${layer}"]`)]).filter(({ dataset }) => dataset.take !== take);
    const { from, to } = view;
    const urls = others.slice(0, MOST_OTHERS).map(({ dataset }) => box.dataset.url.replace(`/takes/${take}/`, `/takes/${dataset.take}/`));
    const found = await Promise.all(urls.map((url) => this.#peaks.of(url, from, to, canvas()?.width ?? 280)));
    if (!this.#isOverlaid || view.from !== from || view.to !== to) return;
    view.others = found.filter(Boolean);
    if (view === this.#view) this.draw();
  }

  #showOverlay() {
    document.querySelector('[data-wave="overlay"]')?.setAttribute("aria-pressed", String(this.#isOverlaid));
  }

  played(heads) {
    const view = this.#view;
    if (!view || !canvas()) return;
    const head = heads.findLast(([pad, number]) => (pad === this.#session.selected || pad === -1) && number === this.#of.number);
    const before = view.head;
    view.head = head ? view.start + (head[2] * view.rate) / this.#engine.rate : undefined;
    if (view.head !== before) this.draw();
  }

  // The hand ----------------------------------------------------------------------------------------------------------

  #point({ clientX, clientY }) {
    const { left, top, width } = canvas().getBoundingClientRect();
    return { x: clientX - left, y: clientY - top, width };
  }

  grip(event) {
    const { x, y, width } = this.#point(event);
    const view = this.#view;
    const frame = view.frameAt(x, width);
    const grip = view.gripAt(x, y, width);
    this.#held = grip ?? view.nearerEdge(frame);
    if (this.#held === "start" || this.#held === "end") view.edge = this.#held;
    canvas().setPointerCapture(event.pointerId);
    if (!grip) this.#put(this.#held, frame);
  }

  drag(event) {
    if (!this.#held) return;
    const { x, width } = this.#point(event);
    this.#put(this.#held, this.#view.frameAt(x, width));
  }

  drop() {
    if (!this.#held) return;
    this.#held = null;
    this.#send(this.#of.box.dataset.set, this.#view);
  }

  turn(event) {
    event.preventDefault();
    const { x, width } = this.#point(event);
    if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) this.#view.scroll(((event.deltaX || event.deltaY) / 400) * this.#view.span);
    else this.#view.zoom(event.deltaY > 0 ? 1.25 : 0.8, this.#view.frameAt(x, width));
    this.#refresh();
  }

  #put(grip, frame) {
    this.#view.put(grip, frame);
    this.draw();
  }

  // Buttons and keys --------------------------------------------------------------------------------------------------

  /** @param {string | undefined} name of a button */
  act(name) {
    if (!name || !this.#view) return;
    if (name === "in" || name === "out") this.#zoom(name === "in" ? 0.5 : 2);
    else if (name === "onset") this.#putSoon("start", this.#view.onset);
    else if (name === "zero") this.#toZero();
    else this.#overlay();
  }

  #zoom(factor) {
    this.#view.zoom(factor);
    this.#refresh();
  }

  #overlay() {
    this.#isOverlaid = !this.#isOverlaid;
    this.#showOverlay();
    if (this.#isOverlaid) this.#loadOthers();
    else this.#view.others = [];
    this.draw();
  }

  /** The nearest frame at which the sound crosses zero; asks for single frames around the edge. */
  async #toZero() {
    const [view, { box, take }] = [this.#view, this.#of];
    const { edge } = view;
    const at = view[edge];
    const from = Math.max(0, at - AROUND_ZERO);
    const near = await this.#peaks.of(box.dataset.url, from, Math.min(view.frames, at + AROUND_ZERO), 2 * AROUND_ZERO);
    if (!near || this.#of.take !== take || this.#view[edge] !== at) return; // another take by now, or moved on
    const zero = nearestZero(near, from, at);
    if (zero !== null) this.#putSoon(edge, zero);
  }

  key({ key, code, shiftKey }) {
    const view = this.#view;
    if (key === "ArrowLeft" || key === "ArrowRight") {
      const step = shiftKey ? 1 : view.step;
      this.#putSoon(view.edge, view[view.edge] + (key === "ArrowLeft" ? -step : step));
    } else if (code === "KeyS" || code === "KeyE") {
      view.edge = code === "KeyS" ? "start" : "end";
      this.#session.say(`${NAMES[view.edge]}: arrow keys move it, with Shift by single frames`);
      this.draw();
    } else if (key === "+" || key === "=") this.#zoom(0.5);
    else if (key === "-") this.#zoom(2);
    else if (code === "KeyO") this.act("onset");
    else if (code === "KeyZ") this.act("zero");
    else if (key === "Enter") this.#engine.hearTake(this.#session.selected, this.#of.number);
    else return false;
    return true;
  }

  // Sending -----------------------------------------------------------------------------------------------------------

  #putSoon(grip, frame) {
    this.#put(grip, frame);
    const [url, view] = [this.#of.box.dataset.set, this.#view];
    tellLater(this, REST_MS, () => this.#send(url, view));
  }

  /** @param {TakeView} view */
  #send(url, view) {
    this.#session.post(url, { values: JSON.stringify(view.values) });
  }
}

/** @returns {import("./take_view.js").TakeValues} */
function valuesOf({ dataset }) {
  const { frames, rate, start, end, onset, fadeIn, fadeOut } = dataset;
  return { frames: Number(frames), rate: Number(rate), start: Number(start), end: Number(end), onset: Number(onset), fadeIn: Number(fadeIn), fadeOut: Number(fadeOut) };
}

/** Lowest and highest of stretches of takes, of which the last answers are kept; one that failed is asked for again. */
class Peaks {
  /** @type {Map<string, Promise<Int8Array | null>>} */ #kept = new Map();

  /** Of so many columns, of a frame each at least. @returns {Promise<Int8Array | null>} */
  async of(url, from, to, columns) {
    const [first, last] = [Math.floor(from), Math.ceil(to)];
    const address = `${url}from=${first}&to=${last}&columns=${Math.min(columns, last - first)}`;
    if (!this.#kept.has(address)) {
      if (this.#kept.size > MOST_KEPT) this.#kept.delete(this.#kept.keys().next().value);
      this.#kept.set(address, this.#ask(address));
    }
    return this.#kept.get(address);
  }

  async #ask(address) {
    const answer = await fetch(address).catch(() => null);
    if (answer?.ok) return new Int8Array(await answer.arrayBuffer());
    this.#kept.delete(address);
    return null;
  }
}
