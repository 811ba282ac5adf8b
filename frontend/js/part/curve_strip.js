/**
 * The strip below the lanes, where it shows what moves: a curve of the lane, of an output or of a group. A press puts a point,
 * a drag moves it, two presses take it away; with Shift a drag draws a ramp, with Ctrl it takes points away. By keys: arrows
 * walk and lift, Enter puts a point, Delete takes it.
 */
import { DRAG_PX } from "../page/hand.js";
import { clipped, heightOf, KINDS, valueOf } from "./curves.js";
import { STRIP } from "./layout.js";

const NEAR_PX = 8;
const TWICE_MS = 400;
const ROOM = STRIP - 14;
const LINES = { gain_db: [0, -12, -24], balance: [0.5, 0, -0.5], width: [1.5, 1, 0.5], pan: [0.5, 0, -0.5], tune_cents: [600, 0, -600] };
const VELOCITY = "lane|velocity";
const OF_LANE = [["velocity", "velocity"], ["gain_db", "level"], ["pan", "pan"], ["tune_cents", "tuning"]]; // prettier-ignore

export class CurveStrip {
  #editor;
  #choice = /** @type {HTMLSelectElement} */ (document.getElementById("strip-shows"));
  #keys = document.getElementById("strip-keys");
  #says = document.getElementById("strip-says");
  /** What keys and hand have made of the curve, until the server has it. @type {[number, number][] | null} */ #draft = null;
  #sent = 0; // edits that are not answered
  #at = 0; // the tick where the keys are
  #pressed = { tick: -1, time: 0 };
  #outputs = [];
  #groups = [];

  /** @param {import("./editor.js").Editor} editor */
  constructor(editor, signal) {
    this.#editor = editor;
    this.#choice.addEventListener("change", () => this.#chosen(), { signal });
    this.#keys.addEventListener("keydown", (event) => this.#key(event), { signal });
    for (const name of ["focus", "blur"]) this.#keys.addEventListener(name, () => editor.repaint(), { signal });
    document.getElementById("strip-numbers").addEventListener("change", ({ target }) => this.#typed(target), { signal });
    document.getElementById("strip-numbers").addEventListener("click", ({ target }) => target.closest("[data-take-point]") && this.#take(Number(target.dataset.takePoint)), { signal });
    document.getElementById("curves-file").addEventListener("change", ({ target }) => this.#bringIn(target), { signal });
    document.getElementById("strip-clear").addEventListener("click", () => this.#send([]), { signal });
  }

  /** Outputs and groups of the kit that is open. @param {string[]} outputs @param {string[]} groups */
  offer(outputs, groups) {
    [this.#outputs, this.#groups] = [outputs, groups];
    const asked = new URLSearchParams(location.search).get("moves"); // the desk leads here
    this.showChoice(asked ?? sessionStorage.getItem("part-strip") ?? VELOCITY);
  }

  /** What can stand here, with what moves marked. */
  showChoice(wanted = this.#choice.value) {
    const lane = this.#editor.lanes[this.#editor.strip];
    const moves = new Set((this.#editor.model.about?.curves ?? []).map(([of, what]) => `${of}|${what}`));
    const option = (value, text, isMoving) => Object.assign(document.createElement("option"), { value, textContent: `${text}${isMoving ? " ~" : ""}` });
    const group = (label, options) => {
      const one = Object.assign(document.createElement("optgroup"), { label });
      one.append(...options);
      return one;
    };
    const ofLane = OF_LANE.map(([what, text]) => option(`lane|${what}`, text, (lane?.notes ?? []).some((note) => moves.has(`lane:${note}|${what}`))));
    const foreign = [...moves].filter((key) => !key.startsWith("lane:") && !this.#isOfKit(key));
    const named = (kind, names, whats) => names.flatMap((name) => whats.map((what) => option(`${kind}:${name}|${what}`, `${name}, ${KINDS[what].name}`, moves.has(`${kind}:${name}|${what}`))));
    this.#choice.replaceChildren(
      group(lane?.name ?? "Lane", ofLane),
      group("Outputs", named("output", this.#outputs, ["gain_db", "balance", "width"])),
      ...(this.#groups.length ? [group("Groups", named("group", this.#groups, ["gain_db"]))] : []),
      ...(foreign.length ? [group("Not in this kit", foreign.map((key) => option(key, key.replace(/^\w+:/, "").replace(/\|(\w+)$/, (_, what) => `, ${KINDS[what].name}`), true)))] : []),
    );
    this.#choice.value = [...this.#choice.options].some(({ value }) => value === wanted) ? wanted : VELOCITY;
    this.#show();
  }

  #isOfKit(key) {
    const [, kind, name] = key.match(/^(\w+):(.*)\|\w+$/);
    return (kind === "output" ? this.#outputs : this.#groups).includes(name);
  }

  #chosen() {
    this.#draft = null;
    sessionStorage.setItem("part-strip", this.#choice.value);
    this.#show();
    this.#editor.repaint();
  }

  /** Whether a curve stands here, not velocities. */
  get isCurve() {
    return !["", VELOCITY].includes(this.#choice.value); // empty: what can stand here has not come yet
  }

  get what() {
    return this.#choice.value.split("|").at(-1);
  }

  /** What moves: every note of the lane, or one output or group. @returns {string[]} */
  get #of() {
    const of = this.#choice.value.replace(/\|\w+$/, "");
    return of === "lane" ? (this.#editor.lanes[this.#editor.strip]?.notes ?? []).map((note) => `lane:${note}`) : [of];
  }

  get #name() {
    const of = this.#choice.value.replace(/\|\w+$/, "");
    return of === "lane" ? (this.#editor.lanes[this.#editor.strip]?.name ?? "") : of.replace(/^\w+:/, "");
  }

  /** @returns {[number, number][]} tick and value, in order */
  get points() {
    if (this.#draft) return this.#draft;
    const [of] = this.#of;
    const own = (this.#editor.model.about?.curves ?? []).find(([other, what]) => other === of && what === this.what);
    return (own?.[2] ?? []).map(([tick, value]) => [tick, value]);
  }

  valueAt(tick, points = this.points) {
    if (!points.length) return KINDS[this.what].still;
    const next = points.findIndex(([at]) => at >= tick);
    if (next < 0) return points.at(-1)[1];
    const [end, high] = points[next];
    if (!next || end === tick) return high;
    const [start, low] = points[next - 1];
    return low + ((high - low) * (tick - start)) / (end - start);
  }

  /** The part or the lane is another. */
  changed() {
    if (!this.#sent) this.#draft = null;
    this.showChoice();
  }

  // What is told -------------------------------------------------------------------------------------------------------

  async #send(points) {
    const of = this.#of;
    if (!of.length) return this.#editor.session.say(`${this.#name} has no note yet, so nothing of it can move.`);
    this.#draft = points;
    this.#sent += 1;
    this.#show();
    const name = this.#name;
    const answer = await this.#editor.model.edit("curves", { curves: of.map((one) => ({ of: one, what: this.what, points, name })) });
    this.#sent -= 1;
    if (!this.#sent) this.#draft = null;
    if (!answer) this.#editor.model.tryCurves(null); // what was refused is heard no longer
    this.#show();
    this.#editor.repaint();
  }

  /** A file of curves, as a part is exported with: each takes the place of the one that was there. */
  async #bringIn(input) {
    const [file] = input.files;
    input.value = "";
    const found = await file?.text().then(JSON.parse).catch(() => null);
    if (!Array.isArray(found?.curves)) return file && this.#editor.session.say(`${file.name} holds no curves. Choose a file that a part was exported with.`, true);
    await this.#editor.model.edit("curves", { curves: found.curves, ticks_per_beat: found.ticks_per_beat });
  }

  #with(points, tick, value) {
    return [...points.filter(([at]) => at !== tick), [tick, clipped(this.what, value)]].sort((a, b) => a[0] - b[0]);
  }

  #put(tick, value) {
    this.#at = tick;
    this.#send(this.#with(this.points, tick, value));
    this.#say(tick, value);
  }

  #take(tick) {
    const left = this.points.filter(([at]) => at !== tick);
    if (left.length < this.points.length) this.#send(left);
  }

  #say(tick, value) {
    const { bar, beat, tick: inBeat } = this.#editor.model.time.placeOf(tick);
    const text = `${this.#name}: ${KINDS[this.what].name} ${KINDS[this.what].say(value)} at bar ${bar}, beat ${beat}${inBeat ? `, tick ${inBeat}` : ""}`;
    this.#says.textContent = text;
    this.#editor.session.say(text);
  }

  // The hand -----------------------------------------------------------------------------------------------------------

  #y(value) {
    return this.#editor.view.height - 6 - heightOf(this.what, value) * ROOM;
  }

  #valueAtY(y) {
    return valueOf(this.what, (this.#editor.view.height - 6 - y) / ROOM);
  }

  #near(x, y) {
    const { view } = this.#editor;
    return this.points.find(([tick, value]) => Math.abs(view.x(tick) - x) <= NEAR_PX && Math.abs(this.#y(value) - y) <= NEAR_PX);
  }

  #tickAt(x, event) {
    const { view, model } = this.#editor;
    const tick = Math.max(0, Math.min(model.about.loopTicks, Math.round(view.tick(x))));
    return event.altKey ? tick : Math.min(model.about.loopTicks, this.#editor.snap(tick));
  }

  /** @returns {import("../page/hand.js").Gesture} */
  begin(x, y, event) {
    const before = this.points;
    if (event.shiftKey) return this.#drag(before, x, y, event, (from, to) => [...before.filter(([tick]) => tick < from[0] || tick > to[0]), from, to]);
    if (event.ctrlKey || event.metaKey) return this.#drag(before, x, y, event, (from, to) => before.filter(([tick]) => tick < from[0] || tick > to[0]));
    const met = this.#near(x, y);
    const isTwice = met && met[0] === this.#pressed.tick && event.timeStamp - this.#pressed.time < TWICE_MS;
    if (isTwice) {
      this.#take(met[0]);
      return {};
    }
    const from = met ? before.filter((point) => point !== met) : before;
    let [tick, value] = met ?? [this.#tickAt(x, event), this.#valueAtY(y)];
    const show = () => {
      this.#at = tick;
      this.#draft = this.#with(from, tick, value);
      this.#hear();
      this.#say(tick, value);
    };
    if (!met) show();
    this.#pressed = { tick, time: event.timeStamp };
    let isMoved = !met;
    return {
      move: (toX, toY, now) => {
        if (!isMoved && Math.hypot(toX - x, toY - y) < DRAG_PX) return;
        isMoved = true;
        if (!met || Math.abs(toX - x) >= DRAG_PX) tick = this.#tickAt(toX, now);
        if (!met || Math.abs(toY - y) >= DRAG_PX / 2) value = clipped(this.what, this.#valueAtY(toY));
        show();
      },
      up: () => isMoved && this.#send(this.#draft),
    };
  }

  /** A drag over a stretch. @param {(from: [number, number], to: [number, number]) => [number, number][]} make */
  #drag(before, x, y, event, make) {
    const start = [this.#tickAt(x, event), this.#valueAtY(y)];
    const show = (end) => {
      const [from, to] = start[0] <= end[0] ? [start, end] : [end, start];
      const made = new Map(make(from, to).map((point) => [point[0], point]));
      this.#draft = [...made.values()].sort((a, b) => a[0] - b[0]);
      this.#hear();
    };
    show(start);
    return {
      move: (toX, toY, now) => show([this.#tickAt(toX, now), this.#valueAtY(toY)]),
      up: () => JSON.stringify(this.#draft) !== JSON.stringify(before) && this.#send(this.#draft),
    };
  }

  /** What is drawn is heard before it is told. */
  #hear() {
    const { model } = this.#editor;
    const of = this.#of;
    const kept = model.about.curves.filter(([other, what]) => !(of.includes(other) && what === this.what));
    const rows = this.#draft.map(([tick, value]) => [tick, value, model.time.frameAt(tick)]);
    model.tryCurves([...kept, ...(rows.length ? of.map((one) => [one, this.what, rows]) : [])]);
  }

  /** A drag ended nowhere: what was heard is as it was. */
  ended() {
    if (this.#draft && !this.#sent) {
      this.#draft = null;
      this.#editor.model.tryCurves(null);
    }
  }

  // Keys and numbers ---------------------------------------------------------------------------------------------------

  #key(event) {
    const { view, model } = this.#editor;
    if (!this.isCurve || !model.time || event.ctrlKey || event.metaKey) return;
    const [coarse, fine] = KINDS[this.what].steps;
    const by = event.shiftKey ? fine : coarse;
    const near = (direction) => this.points.map(([tick]) => tick).filter((tick) => (direction > 0 ? tick > this.#at : tick < this.#at)).at(direction > 0 ? 0 : -1); // prettier-ignore
    const go = (tick) => {
      this.#at = Math.max(0, Math.min(model.about.loopTicks, tick ?? this.#at));
      const x = view.x(this.#at);
      if (x < 0 || x > view.width) view.scrollTo(this.#at - (view.width / 3) * view.ticksPerPixel, model.about.loopTicks);
      this.#say(this.#at, this.valueAt(this.#at));
      this.#editor.repaint();
    };
    const acts = {
      ArrowLeft: () => go(event.altKey ? near(-1) : this.#editor.stepBy(this.#at, -1)),
      ArrowRight: () => go(event.altKey ? near(1) : this.#editor.stepBy(this.#at, 1)),
      Home: () => go(0),
      End: () => go(model.about.loopTicks),
      ArrowUp: () => this.#put(this.#at, this.valueAt(this.#at) + by),
      ArrowDown: () => this.#put(this.#at, this.valueAt(this.#at) - by),
      Enter: () => this.#put(this.#at, this.valueAt(this.#at)),
      Delete: () => this.#take(this.#at),
      Backspace: () => this.#take(this.#at),
    };
    if (!acts[event.key]) return;
    event.preventDefault();
    event.stopPropagation();
    acts[event.key]();
  }

  #typed(field) {
    const { tick } = field.dataset;
    const value = Number(field.value.replace(",", ".").replace("−", "-"));
    if (tick === undefined) return;
    if (field.value.trim() && Number.isFinite(value)) this.#put(Number(tick), value / KINDS[this.what].shown);
    else this.#show();
  }

  /** The strip's head and the numbers of its points. */
  #show() {
    const { model, root } = this.#editor;
    if (!root.isConnected) return;
    this.#keys.hidden = !this.isCurve;
    const box = document.getElementById("strip-of-curve");
    box.hidden = !this.isCurve;
    if (!this.isCurve || !model.time) return;
    const { points } = this;
    const kind = KINDS[this.what];
    this.#keys.setAttribute("aria-label", `${kind.name} of ${this.#name}, along the part: arrows walk and lift, Enter puts a point, Delete takes it`);
    document.getElementById("strip-title").textContent = `${kind.name[0].toUpperCase()}${kind.name.slice(1)} of ${this.#name}`;
    /** @type {HTMLElement} */ (document.getElementById("strip-clear")).hidden = !points.length;
    const list = document.getElementById("strip-numbers");
    if (list.contains(document.activeElement)) return; // it is typed in
    list.replaceChildren(...points.slice(0, MOST_LISTED).map(([tick, value]) => this.#row(tick, value)));
    document.getElementById("strip-none").hidden = points.length > 0;
  }

  #row(tick, value) {
    const { bar, beat, tick: inBeat } = this.#editor.model.time.placeOf(tick);
    const place = `${bar}.${beat}.${String(inBeat).padStart(3, "0")}`;
    const line = document.createElement("tr");
    line.insertCell().textContent = place;
    const field = Object.assign(document.createElement("input"), { className: "cell mono num", defaultValue: String(Number((value * KINDS[this.what].shown).toFixed(2))), id: `point-${tick}` });
    field.dataset.tick = String(tick);
    field.setAttribute("aria-label", `${KINDS[this.what].name} at ${place}`);
    line.insertCell().append(field);
    line.insertCell().textContent = KINDS[this.what].unit;
    const take = Object.assign(document.createElement("button"), { type: "button", className: "quiet small", textContent: "×" });
    take.dataset.takePoint = String(tick);
    take.setAttribute("aria-label", `Take the point at ${place} away`);
    line.insertCell().append(take);
    return line;
  }

  // How it looks -------------------------------------------------------------------------------------------------------

  paint(ctx, { view, ink, playhead }) {
    const top = view.height - STRIP;
    ctx.fillStyle = ink.paper;
    ctx.fillRect(0, top, view.width, STRIP);
    ctx.fillStyle = ink.ink;
    ctx.fillRect(0, top, view.width, 1);
    ctx.font = '11px "Hyper Mono", monospace';
    for (const value of LINES[this.what]) {
      const y = Math.round(this.#y(value));
      ctx.fillStyle = value === KINDS[this.what].still ? ink.line : ink.hair;
      ctx.fillRect(0, y, view.width, 1);
      ctx.fillStyle = ink.ink2;
      const text = KINDS[this.what].say(value);
      ctx.fillText(text, view.width - ctx.measureText(text).width - 6, y - 2);
    }
    const { points } = this;
    this.#line(ctx, view, points, points.length ? ink.ink : ink.ink2);
    ctx.fillStyle = ink.ink;
    for (const [tick, value] of points) {
      const x = view.x(tick);
      if (x > -6 && x < view.width + 6) ctx.fillRect(Math.round(x) - 3, Math.round(this.#y(value)) - 3, 7, 7);
    }
    if (document.activeElement === this.#keys) {
      ctx.strokeStyle = ink.ink;
      ctx.lineWidth = 1.5;
      ctx.strokeRect(Math.round(view.x(this.#at)) - 6.5, Math.round(this.#y(this.valueAt(this.#at))) - 6.5, 14, 14);
    }
    if (playhead !== null && points.length) {
      ctx.fillStyle = ink.sound;
      ctx.beginPath();
      ctx.arc(view.x(playhead), this.#y(this.valueAt(playhead)), 4, 0, 7);
      ctx.fill();
    }
  }

  #line(ctx, view, points, style) {
    ctx.strokeStyle = style;
    ctx.lineWidth = points.length ? 2 : 1;
    ctx.setLineDash(points.length ? [] : [4, 4]);
    ctx.beginPath();
    ctx.moveTo(0, this.#y(this.valueAt(view.tick(0), points)));
    for (const [tick, value] of points) if (view.x(tick) >= 0) ctx.lineTo(view.x(tick), this.#y(value));
    ctx.lineTo(view.width, this.#y(this.valueAt(Math.max(view.tick(view.width), points.at(-1)?.[0] ?? 0), points)));
    ctx.stroke();
    ctx.setLineDash([]);
  }
}

const MOST_LISTED = 200;

/** A curve over its lane, thin: that something of it moves. */
export function paintOverLane(ctx, { view, ink }, lane, [, what, points]) {
  const foot = view.foot(lane);
  const y = (value) => foot - 3 - heightOf(what, value) * (view.laneHeight - 8);
  ctx.strokeStyle = ink.ink2;
  ctx.lineWidth = 1;
  ctx.setLineDash({ gain_db: [], pan: [5, 3], tune_cents: [1.5, 2.5] }[what]);
  ctx.beginPath();
  ctx.moveTo(0, y(points[0][1]));
  for (const [tick, value] of points) ctx.lineTo(Math.max(0, view.x(tick)), y(value));
  ctx.lineTo(view.width, y(points.at(-1)[1]));
  ctx.stroke();
  ctx.setLineDash([]);
}
