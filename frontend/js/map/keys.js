import { Ahead } from "../page/ahead.js";
import { typedInto } from "../page/fields.js";
import { startLearning } from "./learning.js";

/**
 * The map: a mark for each note in the row of its pad. Press on an empty key and the pad has it, drag a mark to move it,
 * press it twice to take it away; with Shift a drag gives it all keys between. Arrow keys move all notes of a pad.
 */
const NOTES = 128;

export function startMap(session, input, part) {
  const rowOf = (target) => target?.closest?.("[data-map-pad]");
  const padOf = (row) => Number(row.dataset.mapPad);
  const notesOf = (row) => [...row.querySelectorAll(".mark")].map(({ dataset }) => Number(dataset.note));
  const keep = (row, notes) => session.post(`/kits/${session.kit}/pads/${padOf(row)}/notes/`, { value: [...new Set(notes)].sort((a, b) => a - b).join(", ") });
  const noteAt = (line, clientX) => {
    const { left, width } = line.getBoundingClientRect();
    return Math.min(NOTES - 1, Math.max(0, Math.floor((NOTES * (clientX - left)) / width)));
  };
  const hear = (pad) => input.pad(pad, 96, "map");

  // The hand ------------------------------------------------------------------------------------------------------------

  let held = null; // { row, line, mark, note, isMoved, isNew }
  document.addEventListener("pointerdown", (event) => {
    const line = /** @type {Element} */ (event.target).closest?.(".map-line");
    if (!line || event.button) return;
    const row = rowOf(line);
    const mark = /** @type {SVGElement} */ (event.target).closest(".mark");
    session.select(padOf(row), { scroll: false });
    hear(padOf(row));
    const note = mark ? Number(mark.dataset.note) : noteAt(line, event.clientX);
    held = { row, line, mark: mark ?? newMark(line, note), note, from: note, isRange: event.shiftKey, isMoved: false, isNew: !mark };
    line.setPointerCapture(event.pointerId);
    say(note);
  });
  document.addEventListener("pointermove", (event) => {
    if (!held) return;
    const note = noteAt(held.line, event.clientX);
    if (note === held.note) return;
    held.note = note;
    held.isMoved = true;
    held.mark.setAttribute("x", String(held.isRange ? Math.min(note, held.from) : note));
    if (!held.isRange) thread(held.row, [...notesOf(held.row).filter((other) => other !== held.from), note]);
    if (held.isRange) held.mark.setAttribute("width", String(Math.abs(note - held.from) + 1));
    say(note);
  });
  const drop = () => {
    if (!held) return;
    const { row, mark, note, from, isRange, isMoved, isNew } = held;
    held = null;
    if (!isMoved && !isNew) return;
    if (isRange) return keep(row, [...notesOf(row), ...Array.from({ length: Math.abs(note - from) + 1 }, (_, n) => Math.min(note, from) + n)]);
    const others = notesOf(row).filter((other) => other !== Number(mark.dataset.note));
    keep(row, [...others, note]);
  };
  document.addEventListener("pointerup", drop);
  document.addEventListener("pointercancel", () => {
    if (held?.isNew) held.mark.remove();
    else held?.mark.setAttribute("x", held.mark.dataset.note);
    held = null;
  });
  document.addEventListener("dblclick", (event) => {
    const mark = /** @type {HTMLElement} */ (event.target).closest?.(".mark");
    if (mark) keep(rowOf(mark), notesOf(rowOf(mark)).filter((note) => note !== Number(mark.dataset.note)));
  });
  function newMark(line, note) {
    const mark = document.createElementNS("http://www.w3.org/2000/svg", "rect");
    for (const [name, value] of Object.entries({ class: "mark", x: note, y: 0.12, width: 1, height: 0.76, "data-note": note })) mark.setAttribute(name, String(value));
    line.append(mark);
    return mark;
  }
  /** The lines from a pad to its keys, as the server draws them, while a mark is dragged. */
  function thread(row, notes) {
    const place = [...document.querySelectorAll(".map-row")].indexOf(row);
    document.querySelector(`[data-thread="${padOf(row)}"]`)?.setAttribute("d", notes.map((note) => `M0 ${place + 0.5}H${note + 0.5}V0`).join(""));
  }
  const say = (note) => session.say(labelOf(note));
  const labelOf = (note) => document.querySelector(`.key[data-key="${note}"] title`)?.textContent ?? String(note);

  // A press on a drawn key is a strike, for learning too.
  document.addEventListener("pointerdown", (event) => {
    const key = /** @type {Element} */ (event.target).closest?.(".keyboard .key");
    if (key) input.midi([0x99, Number(/** @type {SVGElement} */ (key).dataset.key), 96], "drawn keys");
  });

  // The keyboard --------------------------------------------------------------------------------------------------------

  /** Notes of a pad that keys have moved. @type {Ahead<number[]>} */ const ahead = new Ahead();
  document.addEventListener("keydown", (event) => {
    const { key, shiftKey, target } = event;
    if (!typedInto(target) && learning.key(event)) {
      event.preventDefault();
      return event.stopPropagation();
    }
    const line = /** @type {Element} */ (target).closest?.(".map-line");
    if (!line || event.ctrlKey || event.metaKey || event.altKey) return;
    const row = rowOf(line);
    const by = { ArrowRight: 1, ArrowLeft: -1 }[key];
    const rows = [...document.querySelectorAll(".map-line")];
    if (by) {
      const notes = ahead.of(padOf(row), notesOf(row)).map((note) => note + by * (shiftKey ? 12 : 1));
      if (notes.length && notes.every((note) => note >= 0 && note < NOTES)) moveTo(row, notes);
    } else if (key === "ArrowUp" || key === "ArrowDown") /** @type {SVGElement} */ (rows[rows.indexOf(line) + (key === "ArrowUp" ? -1 : 1)] ?? line).focus();
    else if (key === "Enter") learning.begin([padOf(row)]);
    else if (key === "Delete" || key === "Backspace") keep(row, []);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }, true);

  /** The row is drawn anew by the answer; the focus stays on it. */
  function moveTo(row, notes) {
    const pad = padOf(row);
    hear(pad);
    ahead.put(pad, notes, keep(row, notes)).then(() => /** @type {SVGElement} */ (document.querySelector(`[data-map-pad="${pad}"] .map-line`))?.focus());
  }

  // Learning ------------------------------------------------------------------------------------------------------------

  const learning = startLearning({
    place: "learning",
    session,
    input,
    part,
    labelOf,
    nameOf: (pad) => document.querySelector(`[data-map-pad="${pad}"] .map-name span`)?.textContent ?? "",
    show(pad) {
      for (const row of document.querySelectorAll("[data-map-pad]")) row.classList.toggle("learns", padOf(row) === pad);
      document.querySelector(".map-row.learns")?.scrollIntoView({ block: "nearest" });
    },
  });
  document.addEventListener("click", ({ target }) => {
    const one = /** @type {HTMLElement} */ (target).closest?.("[data-learn]");
    if (one) learning.begin([Number(one.dataset.learn)]);
    if (/** @type {Element} */ (target).closest?.("#learn-row")) learning.begin([...document.querySelectorAll(".map-row")].map(padOf));
  });
  document.addEventListener("change", ({ target }) => showAmounts(target));
  function showAmounts(target) {
    if (/** @type {Element} */ (target).id !== "arrange-how") return;
    for (const field of document.querySelectorAll("#arrange [data-how]")) /** @type {HTMLElement} */ (field).hidden = /** @type {HTMLElement} */ (field).dataset.how !== target.value;
  }
  session.addEventListener("marked", () => {
    for (const row of document.querySelectorAll("[data-map-pad]")) row.classList.toggle("selected", session.pads.includes(padOf(row)));
    for (const line of /** @type {NodeListOf<SVGElement>} */ (document.querySelectorAll("[data-thread]"))) line.classList.toggle("selected", session.pads.includes(Number(line.dataset.thread)));
    learning.redraw(Boolean(document.getElementById("map")));
  });
}
