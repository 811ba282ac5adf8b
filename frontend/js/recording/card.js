/** Beside the canvas: the tracks with what each goes to, and the card of the chosen track and hit. */
import { FLOOR_DB } from "./layout.js";
import { SURE } from "./model.js";

const BINS = 44;

export function startCard(editor, signal) {
  const by = (id) => /** @type {HTMLInputElement} */ (document.getElementById(id));
  const { model } = editor;
  const on = (id, name, act) => by(id)?.addEventListener(name, act, { signal });
  const number = (id) => Number(by(id).value.replace(",", ".").replace("−", "-"));

  on("track-pad", "change", () => model.setTrack(editor.track.id, { pad: Number(by("track-pad").value) }));
  on("track-softest", "change", () => model.setTrack(editor.track.id, by("track-softest").value.trim() ? { softest: number("track-softest") } : {}));
  on("track-sure", "input", () => model.try(editor.track.id, { sure: number("track-sure") / 100 }));
  on("track-sure", "change", () => model.setTrack(editor.track.id, { sure: number("track-sure") / 100 }));
  for (const id of ["track-soft", "track-hard"]) on(id, "change", () => model.setTrack(editor.track.id, { soft: number("track-soft"), hard: number("track-hard") }));
  on("track-same", "change", () => model.setTrack(editor.track.id, { velocity: by("track-same").value.trim() ? Math.min(127, Math.max(1, number("track-same"))) : 0 }));
  on("hit-take", "click", () => model.selected && editor.mending.take(model.selected, !model.selected.isTaken));
  on("hit-flam", "click", () => model.selected && editor.mending.flam(model.selected));
  on("hit-loop", "click", () => (editor.isLooping ? editor.endLoop() : model.selected && editor.loop(model.selected)));
  on("hit-time", "change", () => model.selected && editor.mending.move(model.selected, { to: number("hit-time") / 1000, isFree: true }));
  on("hit-velocity", "change", () => model.selected && editor.mending.strike(model.selected, Math.min(127, Math.max(1, number("hit-velocity")))));
  startHandles(editor, by("track-histogram"), signal);

  editor.onChanged = () => {
    if (!model.about) return;
    drawTracks(editor);
    sayHistory(model);
    const unsure = model.unsure().length;
    const next = document.getElementById("next-unsure");
    next.textContent = unsure ? `Next unsure (${unsure})` : "All are sure";
    drawCard(editor, by);
  };
  model.addEventListener("selected", () => drawHit(editor, by), { signal });
}

function sayHistory({ about }) {
  const undo = /** @type {HTMLButtonElement} */ (document.getElementById("recording-undo"));
  const redo = /** @type {HTMLButtonElement} */ (document.getElementById("recording-redo"));
  undo.disabled = !about.undoes;
  undo.title = about.undoes ? `Undo: ${about.undoes}` : "Nothing to undo";
  undo.querySelector("span:last-child").textContent = about.undoes || "Nothing to undo";
  redo.disabled = !about.redoes;
  redo.title = about.redoes ? `Redo: ${about.redoes}` : "Nothing to do again";
}

/** The names beside the rows; drawn anew only where something they show changed. */
function drawTracks({ model, view, chosen, recorded }) {
  const box = document.getElementById("recording-tracks");
  box.style.setProperty("--row", `${view.rowHeight}px`);
  const template = /** @type {HTMLTemplateElement} */ (document.getElementById("track-row"));
  while (box.children.length < model.tracks.length) box.append(template.content.cloneNode(true));
  model.tracks.forEach((track, row) => {
    const element = /** @type {HTMLElement} */ (box.children[row]);
    element.dataset.trackRow = String(row);
    element.classList.toggle("chosen", row === chosen);
    const taken = model.taken(track.id);
    const unsure = taken.filter(({ sure }) => sure < SURE).length;
    set(element.querySelector("strong"), track.name);
    set(element.querySelector("small"), `${taken.length}${unsure ? ` △${unsure}` : ""} ${track.role}${track.heard ? "?" : ""}`);
    element.querySelector("small").title = track.heard ? `By its sound it is ${track.role}; its name does not say. Another role: in the menu of the recording.` : "";
    for (const button of /** @type {NodeListOf<HTMLElement>} */ (element.querySelectorAll("[data-listen]"))) {
      button.dataset.track = String(track.id);
      button.setAttribute("aria-pressed", String((button.dataset.listen === "solo" ? recorded.solo : recorded.muted).has(track.id)));
      button.setAttribute("aria-label", `${button.dataset.listen === "solo" ? "Hear alone" : "Mute"}: ${track.name}`);
    }
  });
  box.scrollTop = view.top;
}

const set = (element, text) => {
  if (element.textContent !== text) element.textContent = text;
};
const fill = (field, value) => {
  if (document.activeElement !== field) field.value = String(value);
};

function drawCard(editor, by) {
  const { model } = editor;
  const track = model.shown(editor.track.id);
  const strokes = model.strokes.get(track.id);
  const taken = strokes.filter(({ isTaken }) => isTaken);
  const unsure = taken.filter(({ sure }) => sure < SURE).length;
  set(by("track-name"), track.name);
  set(by("track-count"), `${taken.length} hit${taken.length === 1 ? "" : "s"}${unsure ? `, ${unsure} of them unsure` : ""}; ${strokes.length - taken.length} left out`);
  fill(by("track-pad"), track.pad);
  fill(by("track-softest"), track.softest === null ? "" : track.softest.toFixed(1));
  fill(by("track-sure"), Math.round(track.sure * 100));
  set(by("track-sure-says"), `${Math.round(track.sure * 100)} %`);
  fill(by("track-soft"), track.soft.toFixed(1));
  fill(by("track-hard"), track.hard.toFixed(1));
  fill(by("track-same"), track.velocity ?? "");
  by("track-histogram").replaceChildren(...histogram(taken, track));
  drawHit(editor, by);
}

function drawHit({ model, isLooping }, by) {
  const one = model.selected;
  by("hit-none").hidden = Boolean(one);
  by("hit-about").hidden = !one;
  if (!one) return;
  fill(by("hit-time"), (one.time * 1000).toFixed(2));
  fill(by("hit-velocity"), one.velocity);
  set(by("hit-level"), `${one.level?.toFixed(1).replace("-", "−") ?? "–"} dB · ${one.isByHand ? "decided by hand" : `${Math.round(one.sure * 100)} % sure`}`);
  set(by("hit-why"), one.why ?? "");
  set(by("hit-take"), one.isTaken ? "Leave out" : "Take");
  by("hit-loop").setAttribute("aria-pressed", String(isLooping));
}

const SVG = "http://www.w3.org/2000/svg";
function svg(name, attributes, text = "") {
  const element = document.createElementNS(SVG, name);
  for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, String(value));
  element.textContent = text;
  return element;
}

/** How many hits are how loud, in 240 × 74; where a soft and a hard stroke stand. */
function histogram(taken, track) {
  const counts = new Array(BINS).fill(0);
  for (const { level } of taken) counts[Math.max(0, Math.min(BINS - 1, Math.floor((1 - level / FLOOR_DB) * BINS)))] += 1;
  const most = Math.max(1, ...counts);
  const bars = counts.map((count, n) => (count ? `M${(n * 240) / BINS + 1} 60v${-Math.max(2, (count / most) * 46)}h${240 / BINS - 1.5}V60z` : "")).join("");
  const x = (level) => 240 * Math.max(0, Math.min(1, 1 - level / FLOOR_DB));
  const handle = (name, level) => [
    svg("path", { class: `handle ${name}`, d: `M${x(level)} 8V60`, "data-handle": name }),
    svg("text", { x: Math.max(12, Math.min(226, x(level))), y: 72, "text-anchor": "middle" }, name),
  ];
  return [svg("path", { d: bars }), svg("path", { class: "base", d: "M0 60H240" }), ...handle("soft", track.soft), ...handle("hard", track.hard)];
}

/** Soft and hard are dragged in the picture. */
function startHandles(editor, picture, signal) {
  let held = null;
  const level = ({ clientX }) => {
    const { left, width } = picture.getBoundingClientRect();
    return FLOOR_DB * (1 - Math.max(0, Math.min(1, (clientX - left) / width)));
  };
  picture.addEventListener(
    "pointerdown",
    (event) => {
      const { soft, hard } = editor.track;
      const at = level(event);
      held = Math.abs(at - soft) < Math.abs(at - hard) ? "soft" : "hard";
      picture.setPointerCapture(event.pointerId);
    },
    { signal },
  );
  picture.addEventListener("pointermove", (event) => held && editor.model.try(editor.track.id, bent(held, level(event), editor.track)), { signal });
  picture.addEventListener(
    "pointerup",
    (event) => {
      if (held) editor.model.setTrack(editor.track.id, bent(held, level(event), editor.track));
      held = null;
    },
    { signal },
  );
}

const bent = (held, level, { soft, hard }) => (held === "soft" ? { soft: Math.min(level, hard - 1), hard } : { soft, hard: Math.max(level, soft + 1) });
