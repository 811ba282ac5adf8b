/** Where the keyboard is in a part: a lane and a place of the grid, and the hit that stands there. */
export class Cursor {
  #editor;
  #canvas;
  #says = document.getElementById("part-cursor");

  /** @param {HTMLCanvasElement} canvas @param {import("./editor.js").Editor} editor */
  constructor(canvas, editor, signal) {
    this.#canvas = canvas;
    this.#editor = editor;
    canvas.addEventListener("focus", () => this.#show(true), { signal });
    canvas.addEventListener("blur", () => this.#show(false), { signal });
    canvas.addEventListener("pointerdown", () => this.#show(false), { signal });
  }

  #show(isKeyed) {
    this.#editor.isKeyed = isKeyed && this.#canvas.matches(":focus-visible");
    if (isKeyed) this.#editor.cursor ??= { tick: 0, lane: 0 };
    this.#editor.repaint();
  }

  /** @returns {{ tick: number, lane: number }} */
  get place() {
    return (this.#editor.cursor ??= { tick: 0, lane: 0 });
  }

  get isShown() {
    return this.#editor.isKeyed && Boolean(this.#editor.cursor);
  }

  /** The hit at the cursor: the nearest within half a place of the grid. */
  get hit() {
    const { tick, lane } = this.place;
    const reach = Math.max(1, this.#editor.spacing / 2);
    const near = this.#editor.laneHits.between(lane, tick - reach, tick + reach);
    return near.sort((a, b) => Math.abs(a.tick - tick) - Math.abs(b.tick - tick))[0] ?? null;
  }

  get lastTick() {
    return this.#editor.stepBy(this.#editor.model.about.loopTicks, -1);
  }

  /** Some places of the grid on, and some lanes down. */
  go(places, lanes) {
    let { tick } = this.place;
    for (let n = 0; n < Math.abs(places); n++) tick = Math.min(this.#editor.stepBy(tick, Math.sign(places)), this.lastTick);
    this.goTo(tick, Math.max(0, Math.min(this.#editor.lanes.length - 1, this.place.lane + lanes)));
  }

  /** There, where it is heard and said what stands. */
  goTo(tick, lane = this.place.lane) {
    const editor = this.#editor;
    editor.isKeyed = true;
    editor.moveCursor(tick, lane);
    editor.reveal(editor.cursor);
    const { hit } = this;
    const { bar, beat, tick: inBeat } = editor.model.time.placeOf(tick);
    this.#says.textContent = `${editor.lanes[lane]?.name}, bar ${bar}, beat ${beat}${inBeat ? `, tick ${inBeat}` : ""}: ${hit ? `hit, velocity ${hit.velocity}` : "empty"}`;
    if (hit) editor.hear(hit, hit.velocity);
    editor.repaint();
  }
}
