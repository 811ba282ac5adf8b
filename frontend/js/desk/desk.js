/**
 * The Desk view: marks on a scale that all rows share, dragged or moved with the arrow keys; what is dragged is heard at once,
 * and told when it is let go. Which outputs are selected, and which are heard alone, only the page knows.
 */
import { Ahead } from "../page/ahead.js";
import { between } from "../page/ranges.js";
import { tellLater } from "../page/resting.js";
import { KINDS } from "../part/curves.js";

const [LOW_DB, HIGH_DB, SILENT_DB] = [-60, 12, -96]; // dactyl/desk/picture.py; core/desk/tables.py
const [STEP_DB, FINE_DB] = [0.5, 0.1];
const [STEP_BALANCE, FINE_BALANCE] = [5, 1];
const NEAR_PX = 6; // of the end of a line that shows a width
const FALL_DB = 1.6; // of a meter, for each report
const REST_MS = 350; // after the last arrow key a value is told

const isLineup = () => "lineup" in document.body.dataset;

/**
 * An output as it sounds louder or softer. isMaster: behind what goes to the buses; isBehind: by the desk over several kits, behind
 * the kit's own. @param {import("../sound/desk.js").OutputRow} output @param {{ by: number, isMaster: boolean, isBehind: boolean }} change
 */
function louder(output, { by, isMaster, isBehind }) {
  const scaled = (matrix, isChanged = true) => (isChanged && matrix?.map((value) => value * by)) || (matrix ?? null);
  const { strip: [level, amount, ...still], behind } = output; // prettier-ignore
  return {
    ...output,
    matrix: scaled(output.matrix),
    toBus: scaled(output.toBus, !isMaster && !isBehind),
    toShared: scaled(output.toShared, !isMaster),
    strip: [isBehind && behind ? level : level * by, isMaster || isBehind ? amount : amount * by, ...still],
    behind: isBehind && behind ? { matrix: scaled(behind.matrix), toShared: scaled(behind.toShared, !isMaster) } : behind,
  };
}

/** @typedef {{ kind: "level" | "balance" | "width", key: string }} What a value of a row */

export function startDesk(session, engine, part) {
  const view = () => /** @type {HTMLElement} */ (document.getElementById("the-desk"));
  const rows = () => /** @type {HTMLElement[]} */ ([...(view()?.querySelectorAll("[data-strip]") ?? [])]);
  const row = (key) => /** @type {HTMLElement} */ (view()?.querySelector(`[data-strip="${key}"]`));
  const keyOf = (element) => element.closest("[data-strip]").dataset.strip;
  /** Values that hands have set and the server has not answered yet. @type {Ahead<number>} */ const ahead = new Ahead();
  let picked = [];
  let open = "";
  let solo = new Set();
  let outputs = []; // as the kit has them
  let held = null;
  /** Rows that were there when a group was asked for: its name is under the cursor once it is there. @type {Set<string> | null} */ let ungrouped = null;

  // What is heard ------------------------------------------------------------------------------------------------------

  engine.addEventListener("playbook", ({ detail }) => {
    const before = outputs;
    outputs = detail.outputs;
    hearAgain();
    const isOther = (n) => outputs[n]?.name !== before[n]?.name || outputs[n]?.member !== before[n]?.member;
    if (![...solo].some(isOther)) return void (solo.size && engine.setSoloOutputs([...solo])); // a kit may have come
    solo = new Set(); // its number is another's now, or nobody's
    engine.setSoloOutputs([]);
    mark();
  });
  /** What was tried is not to be: it sounds as the kit has it. */
  const asItIs = () => engine.setDesk(outputs);
  document.body.addEventListener("kit-changed", (event) => /** @type {CustomEvent} */ (event).detail.refused && asItIs());

  /** Hear a row as if it were already told: its outputs' matrices, louder or softer. */
  function hear(key, byDb) {
    if (key.startsWith("parallel")) return;
    const isOf = outputsOf(key);
    const change = { by: 10 ** (byDb / 20), isMaster: key.startsWith("master"), isBehind: isLineup() || key.startsWith("alongside") };
    engine.setDesk(outputs.map((output, n) => (isOf.includes(n) ? louder(output, change) : output)));
  }

  /** The outputs that a row stands for, in the order of all. @returns {number[]} */
  function outputsOf(key) {
    const { number, members } = row(key).dataset;
    if (number) return [Number(number)];
    if (members) return members.split(" ").filter(Boolean).map(Number);
    const kit = key.startsWith("alongside") ? key.split("-")[1] : isLineup() ? null : "";
    return outputs.flatMap(({ member }, n) => (kit === null || member === kit ? [n] : []));
  }

  /** Tables that came meanwhile know nothing of what the hand is at: that is heard over them. */
  function hearAgain() {
    const steps = /** @type {string[]} */ (ahead.keys()).filter((name) => name.startsWith("level ")).map((name) => name.slice("level ".length));
    for (const key of held?.what?.kind === "level" && held.value !== null ? [...steps, held.what.key] : steps) {
      if (!view() || !row(key)) continue;
      const byDb = (held?.what?.key === key ? held.value : shown({ kind: "level", key })) - toldDb(key);
      if (byDb) hear(key, byDb); // what is drawn already is on its way in tables, and is heard so until they are here
    }
  }

  const toldDb = (key) => Number(/** @type {HTMLElement} */ (row(key).querySelector(".axis")).dataset.db);

  function hearAlone(key) {
    const { number, members } = row(key).dataset;
    const all = number ? [Number(number)] : members.split(" ").filter(Boolean).map(Number);
    const isOn = all.every((n) => solo.has(n));
    for (const n of all) if (isOn) solo.delete(n); else solo.add(n); // prettier-ignore
    engine.setSoloOutputs([...solo]);
    mark();
  }

  // What is shown ------------------------------------------------------------------------------------------------------

  /** @param {What} what */
  function shown({ kind, key }) {
    const name = kind === "level" ? ".axis" : ".place";
    const { db, balance, width } = /** @type {HTMLElement} */ (row(key).querySelector(name)).dataset;
    return ahead.of(`${kind} ${key}`, Number({ level: db, balance, width }[kind]));
  }

  /** @param {What} what @param {number} value */
  function show({ kind, key }, value) {
    if (!row(key)) return;
    if (kind === "level") return showLevel(row(key), value);
    const place = row(key).querySelector(".place");
    const [balance, width] = kind === "balance" ? [value, shown({ kind: "width", key })] : [shown({ kind: "balance", key }), value];
    const [middle, half] = [50 + balance / 2, width / 4];
    place.querySelector(".mark").setAttribute("cx", `${middle}%`);
    place.querySelector(".wide").setAttribute("x1", `${Math.max(0, middle - half)}%`);
    place.querySelector(".wide").setAttribute("x2", `${Math.min(100, middle + half)}%`);
    const side = Math.round(balance) === 0 ? "C" : `${balance < 0 ? "L" : "R"}${Math.abs(Math.round(balance))}`;
    place.setAttribute("aria-valuenow", String(balance));
    place.setAttribute("aria-valuetext", `${side}, ${Math.round(width)} % wide`);
  }

  function showLevel(of, db) {
    const at = `${(100 * (Math.min(HIGH_DB, Math.max(LOW_DB, db)) - LOW_DB)) / (HIGH_DB - LOW_DB)}%`;
    const axis = of.querySelector(".axis");
    axis.querySelector(".mark").setAttribute("cx", at);
    for (const end of ["x1", "x2"]) axis.querySelector(".stem").setAttribute(end, at);
    const text = db <= SILENT_DB ? "−∞" : db.toFixed(1).replace("-", "−");
    of.querySelector(".strip-db").textContent = text;
    axis.setAttribute("aria-valuenow", String(db));
    axis.setAttribute("aria-valuetext", `${text} dB`);
  }

  function mark() {
    if (!view()) return;
    picked = picked.filter((key) => row(key));
    if (!row(open)) open = picked[0] ?? rows()[0].dataset.strip;
    if (!picked.length) picked = [open];
    for (const one of rows()) {
      const isPicked = picked.includes(one.dataset.strip);
      one.classList.toggle("picked", isPicked);
      one.querySelector("[data-pick]").setAttribute("aria-pressed", String(isPicked));
      const { number, members } = one.dataset;
      const all = number ? [Number(number)] : (members?.split(" ").filter(Boolean).map(Number) ?? []);
      const isAlone = all.length > 0 && all.every((n) => solo.has(n));
      one.querySelector("[data-solo-output]")?.setAttribute("aria-pressed", String(isAlone));
      one.classList.toggle("aside", solo.size > 0 && all.length > 0 && !all.some((n) => solo.has(n)));
    }
    for (const channel of /** @type {NodeListOf<HTMLElement>} */ (view().querySelectorAll("[data-channel]"))) channel.hidden = channel.dataset.channel !== open;
    document.getElementById("bring-here").hidden = isLineup() || !open.startsWith("output");
    const several = /** @type {HTMLElement} */ (view().querySelector(`[data-channel="${open}"] .all-selected`));
    several.hidden = pickedOutputs().length < 2 || !open.startsWith("output");
    several.textContent = `${pickedOutputs().length} outputs are selected: a number is set for all of them.`;
  }
  session.addEventListener("marked", mark);
  session.addEventListener("marked", nameGroup);
  session.addEventListener("marked", showMoving);
  part.ready.then(() => ["loaded", "changed"].forEach((name) => part.model.addEventListener(name, showMoving)));

  /** What of each channel moves along the part that is open, and the way to where it is drawn. */
  function showMoving() {
    for (const box of view()?.querySelectorAll("[data-moves-of]") ?? []) {
      const of = /** @type {HTMLElement} */ (box).dataset.movesOf;
      const { about } = part.model ?? {};
      const own = (about?.curves ?? []).filter(([other]) => other === of).map(([, what]) => what);
      const whats = of.startsWith("group:") ? ["gain_db"] : ["gain_db", "balance", "width"];
      const link = (what) => {
        const a = Object.assign(document.createElement("a"), { textContent: `${KINDS[what].name}${own.includes(what) ? " ~" : ""}` });
        a.href = `/parts/of/${session.kit}/?part=${about.id}&moves=${encodeURIComponent(`${of}|${what}`)}`;
        return a;
      };
      box.replaceChildren();
      if (!about) continue;
      const line = document.createElement("p");
      line.append(own.length ? `Moves along ${about.name}: ` : `Let it move along ${about.name}: `, ...whats.flatMap((what, n) => (n ? [", ", link(what)] : [link(what)])));
      box.append(line);
    }
  }

  function groupPicked() {
    ungrouped = new Set(rows().map((one) => one.dataset.strip));
    session.post(view().dataset.group, { outputs: pickedOutputs().join(",") }).catch(() => (ungrouped = null));
  }

  /** The name of a group that was just made is where the keys go. */
  function nameGroup() {
    const made = ungrouped && rows().find((one) => one.classList.contains("group") && !ungrouped.has(one.dataset.strip));
    if (!made) return;
    ungrouped = null;
    pick(made.dataset.strip);
    const name = /** @type {HTMLInputElement} */ (view().querySelector(`[data-channel="${made.dataset.strip}"] h2 input`));
    name.focus();
    name.select();
  }

  const pickedOutputs = () => picked.filter((key) => key.startsWith("output")).map((key) => key.split("-")[1]);

  function pick(key, { more = false, range = false } = {}) {
    ungrouped = null; // the hand is elsewhere by now
    const order = rows().map((one) => one.dataset.strip);
    if (range) picked = between(order, open, key);
    else if (more && picked.length === 1 && picked[0] === key) picked = [key]; // the first of several: it was current already
    else if (more) picked = picked.includes(key) ? picked.filter((other) => other !== key) : [...picked, key];
    else picked = [key];
    if (!range) open = picked.includes(key) ? key : (picked[0] ?? key);
    mark();
  }

  // What is told -------------------------------------------------------------------------------------------------------

  /** Where a value goes: known before it is told, which may be when another view is shown. @param {What} what */
  const urlOf = ({ kind, key }) => row(key).dataset.url.replace("/_/", `/${kind === "level" ? row(key).dataset.level : kind}/`);

  /** @param {What} what @param {number} value */
  function tell({ kind, key }, value, url = urlOf({ kind, key })) {
    const told = session.post(url, { value: String(value) });
    ahead.put(`${kind} ${key}`, value, told);
    told.catch(asItIs);
  }

  /** Move by keys: told once they rest. @param {What} what @param {number} value */
  function step(what, value) {
    const name = `${what.kind} ${what.key}`;
    show(what, value);
    if (what.kind === "level") hear(what.key, value - toldDb(what.key));
    const url = urlOf(what);
    const rest = new Promise((done) => tellLater(`desk ${name}`, REST_MS, () => done(tell(what, value, url))));
    ahead.put(name, value, rest);
  }

  const round = (value, to) => Math.round(value / to) * to;
  const limited = (kind, value) => Math.min({ level: HIGH_DB, balance: 100, width: 200 }[kind], Math.max({ level: SILENT_DB, balance: -100, width: 0 }[kind], value));

  // The hand -----------------------------------------------------------------------------------------------------------

  document.addEventListener("pointerdown", (event) => {
    const target = /** @type {Element} */ (event.target);
    if (event.button || !view()?.contains(target)) return;
    const piece = /** @type {HTMLElement} */ (target.closest(".piece-in"));
    const slider = /** @type {HTMLElement} */ (target.closest("svg[role=slider]"));
    if (!piece && !slider) return;
    event.preventDefault();
    if (piece) return void (held = { piece: piece.dataset.piece, from: keyOf(piece) });
    slider.focus({ preventScroll: true });
    const key = keyOf(slider);
    if (!picked.includes(key)) pick(key);
    const box = slider.getBoundingClientRect();
    const kind = slider.classList.contains("axis") ? "level" : isAtEnd(slider, event.clientX) ? "width" : "balance";
    /** @type {What} */ const what = { kind, key };
    held = { what, box, x: event.clientX, from: shown(what), value: null };
  });

  const isAtEnd = (place, x) => {
    const { left, right } = place.querySelector(".wide").getBoundingClientRect();
    return right - left > 3 * NEAR_PX && Math.min(Math.abs(x - left), Math.abs(x - right)) < NEAR_PX;
  };

  document.addEventListener("pointermove", (event) => {
    if (!held || !view() || (held.what && !row(held.what.key))) return;
    if (held.piece) return markDrop(event);
    const { what, box, x, from } = held;
    const by = event.clientX - x;
    if (!by && held.value === null) return;
    if (what.kind === "level") {
      const db = Math.max(LOW_DB, from) + (by / box.width) * (HIGH_DB - LOW_DB);
      held.value = db <= LOW_DB ? SILENT_DB : limited("level", Number(round(db, FINE_DB).toFixed(1)));
      hear(what.key, held.value - toldDb(what.key));
    } else if (what.kind === "balance") held.value = limited("balance", Math.round(from + (by / box.width) * 200));
    else held.value = limited("width", Math.round(from + (by / box.width) * 400 * (x < box.left + box.width / 2 + shown({ kind: "balance", key: what.key }) * (box.width / 200) ? -1 : 1)));
    show(what, held.value);
  });

  document.addEventListener("pointerup", (event) => {
    const done = held;
    held = null;
    if (!done) return;
    if (!view() || (done.what && !row(done.what.key))) return asItIs();
    if (done.piece) return drop(done, event);
    if (done.value !== null && done.value !== done.from) tell(done.what, done.value);
  });
  document.addEventListener("pointercancel", () => letGo());

  /** As it was: nothing is told. */
  function letGo() {
    const { what, from } = held ?? {};
    held = null;
    asItIs();
    if (what) show(what, from);
  }

  const under = ({ clientX, clientY }) => /** @type {HTMLElement} */ (document.elementFromPoint(clientX, clientY)?.closest?.(".desk-row.output"));

  function markDrop(event) {
    for (const one of rows()) one.classList.toggle("drop-here", one === under(event) && one.dataset.strip !== held.from);
  }

  function drop({ piece, from }, event) {
    const to = under(event);
    for (const one of rows()) one.classList.remove("drop-here");
    if (to && to.dataset.strip !== from) bring(piece, to);
  }

  /** @param {string} piece @param {HTMLElement} to */
  const bring = (piece, to) => session.post(to.dataset.url.replace("set/_/", "pieces/"), { pieces: piece });

  document.addEventListener("click", (event) => {
    const target = /** @type {HTMLElement} */ (event.target);
    if (!view()?.contains(target)) return;
    const isPick = target.closest("[data-pick], .strip-name");
    if (isPick) pick(keyOf(isPick), { more: event.ctrlKey || event.metaKey, range: event.shiftKey });
    if (target.closest("[data-solo-output]")) hearAlone(keyOf(target));
    if (target.closest("[data-mute]")) mute(keyOf(target));
    if (target.id === "group-outputs") groupPicked();
  });

  function mute(key) {
    const isMuted = row(key).querySelector("[data-mute]").getAttribute("aria-pressed") === "true";
    session.post(row(key).dataset.url.replace("/_/", "/muted/"), { value: isMuted ? "0" : "1" });
  }

  document.addEventListener("dblclick", ({ target }) => {
    const slider = /** @type {Element} */ (target).closest?.("#the-desk svg[role=slider]");
    if (slider) reset(slider);
  });

  function reset(slider) {
    const key = keyOf(slider);
    if (slider.classList.contains("axis")) return tell({ kind: "level", key }, 0);
    tell({ kind: "balance", key }, 0);
    tell({ kind: "width", key }, 100);
  }

  // Numbers typed beside it: of all that are selected, where it is one of these.
  document.addEventListener("change", ({ target }) => {
    const field = /** @type {HTMLInputElement} */ (target);
    if (field.id === "bring-piece" && field.value) bring(field.value, row(open));
    if (!field.dataset?.channelUrl) return;
    const [kind, key] = [open.split("-")[0], open.split("-")[1]];
    const several = kind === "output" && pickedOutputs().includes(key) ? pickedOutputs() : [];
    session.post(field.dataset.channelUrl.replace("/_/", `/${field.dataset.name}/`), { value: field.value, outputs: several.join(",") });
  });

  // Meters -------------------------------------------------------------------------------------------------------------

  engine.addEventListener("report", ({ detail }) => {
    if (!view()) return;
    for (const one of rows()) {
      const peak = peakOf(one, detail);
      if (peak !== undefined) meter(one, peak > 0 ? 20 * Math.log10(peak) : -Infinity);
    }
    if (detail.loudness) showLoudness(detail.loudness);
    const reduction = document.getElementById("reduction");
    if (reduction) reduction.textContent = (detail.parallel?.reduction ?? 0).toFixed(1).replace("-", "−");
  });

  function showLoudness(measured) {
    for (const place of /** @type {NodeListOf<HTMLElement>} */ (view().querySelectorAll("[data-loud]"))) {
      const value = measured[place.dataset.loud];
      const unit = place.dataset.loud === "truePeak" ? "dBTP" : "LUFS";
      place.textContent = value === null ? "—" : `${value.toFixed(1).replace("-", "−")} ${unit}`;
    }
  }
  session.addEventListener("marked", () => engine.setLoudness(Boolean(view())));

  function peakOf({ dataset, classList }, { peaks, parallel, main, alongside }) {
    if (classList.contains("alongside")) return alongside.find(([key]) => key === dataset.strip.split("-")[1])?.[1];
    if (dataset.number) return peaks[Number(dataset.number)];
    if (classList.contains("parallel")) return parallel?.peak ?? 0;
    return classList.contains("master") ? main : undefined;
  }

  const meters = new Map(); // key of a row -> its level now, its top, and for how many reports that has stood
  function meter(of, db) {
    const key = of.dataset.strip;
    const was = meters.get(key) ?? { now: LOW_DB, top: LOW_DB, stood: 0 };
    const now = Math.max(LOW_DB, db, was.now - FALL_DB);
    const isTop = db >= was.top || was.stood > 40;
    const top = isTop ? Math.max(LOW_DB, db) : was.top;
    meters.set(key, { now, top, stood: isTop ? 0 : was.stood + 1 });
    if (now === was.now && top === was.top && now === LOW_DB) return;
    const at = (level) => `${(100 * (Math.min(HIGH_DB, level) - LOW_DB)) / (HIGH_DB - LOW_DB)}%`;
    of.querySelector(".meter").setAttribute("x2", at(now));
    for (const end of ["x1", "x2"]) of.querySelector(".hold").setAttribute(end, top > LOW_DB ? at(top) : "-9");
    of.classList.toggle("over", top > 0);
  }

  // Keys ---------------------------------------------------------------------------------------------------------------

  return (event) => {
    const slider = /** @type {HTMLElement} */ (event.target.closest?.("#the-desk svg[role=slider]"));
    if (held && event.key === "Escape") {
      letGo();
      return true;
    }
    if (!slider || event.ctrlKey || event.metaKey || event.altKey) return false;
    const key = keyOf(slider);
    /** @type {What} */ const what = { kind: slider.classList.contains("axis") ? "level" : "balance", key };
    const along = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
    const across = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    const wide = { PageUp: 10, PageDown: -10 }[event.key];
    if (along) {
      const [plain, fine] = what.kind === "level" ? [STEP_DB, FINE_DB] : [STEP_BALANCE, FINE_BALANCE];
      step(what, limited(what.kind, Number((shown(what) + along * (event.shiftKey ? fine : plain)).toFixed(1))));
    } else if (across) {
      const order = rows().filter((one) => one.querySelector(`svg.${slider.classList[0]}`));
      const to = order[order.indexOf(row(key)) + across];
      if (!to) return true;
      if (event.shiftKey) pick(to.dataset.strip, { range: true });
      else pick(to.dataset.strip);
      /** @type {HTMLElement} */ (to.querySelector(`svg.${slider.classList[0]}`)).focus();
    } else if (wide && what.kind === "balance") step({ kind: "width", key }, limited("width", shown({ kind: "width", key }) + wide));
    else if (event.key === "Delete") reset(slider);
    else if (event.code === "KeyM" && row(key).querySelector("[data-mute]")) mute(key);
    else if (event.code === "KeyN" && row(key).querySelector("[data-solo-output]")) hearAlone(key);
    else if (event.code === "KeyN" && row(key).querySelector("[data-solo-kit]")) /** @type {HTMLElement} */ (row(key).querySelector("[data-solo-kit]")).click();
    else return false;
    return true;
  };
}
