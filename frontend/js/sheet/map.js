/**
 * The map: a mark for each note in the row of its pad. Press on an empty key and the pad has it, drag a mark to move it,
 * press it twice to take it away; arrow keys move all notes of a pad. Learning waits for what is struck.
 */
const NOTES = 128;
const TOGETHER_MS = 900; // what comes within it is one strike, out of which a person chooses
const TYPING = "input, select, textarea";

export function startMap(session, engine, input) {
  const rowOf = (target) => target?.closest?.("[data-map-pad]");
  const padOf = (row) => Number(row.dataset.mapPad);
  const notesOf = (row) => [...row.querySelectorAll(".mark")].map(({ dataset }) => Number(dataset.note));
  const keep = (row, notes) => session.post(`/kits/${session.kit}/pads/${padOf(row)}/set/notes/`, { value: [...new Set(notes)].sort((a, b) => a - b).join(", ") });
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
    held = { row, line, mark: mark ?? newMark(line, note), note, isMoved: false, isNew: !mark };
    line.setPointerCapture(event.pointerId);
    say(note);
  });
  document.addEventListener("pointermove", (event) => {
    if (!held) return;
    const note = noteAt(held.line, event.clientX);
    if (note === held.note) return;
    held.note = note;
    held.isMoved = true;
    held.mark.setAttribute("x", String(note));
    say(note);
  });
  const drop = () => {
    if (!held) return;
    const { row, mark, note, isMoved, isNew } = held;
    held = null;
    if (!isMoved && !isNew) return;
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
  const say = (note) => session.say(labelOf(note));
  const labelOf = (note) => document.querySelector(`.key[data-key="${note}"] title`)?.textContent ?? String(note);

  // The keyboard --------------------------------------------------------------------------------------------------------

  document.addEventListener("keydown", (event) => {
    const { key, shiftKey, target } = event;
    if (waiting && !(/** @type {Element} */ (target).closest(TYPING)) && learnKey(event)) return;
    const line = /** @type {Element} */ (target).closest?.(".map-line");
    if (!line || event.ctrlKey || event.metaKey || event.altKey) return;
    const row = rowOf(line);
    const by = { ArrowRight: 1, ArrowLeft: -1 }[key];
    const rows = [...document.querySelectorAll(".map-line")];
    if (by) {
      const notes = notesOf(row).map((note) => note + by * (shiftKey ? 12 : 1));
      if (notes.length && notes.every((note) => note >= 0 && note < NOTES)) moveTo(row, notes);
    } else if (key === "ArrowUp" || key === "ArrowDown") /** @type {SVGElement} */ (rows[rows.indexOf(line) + (key === "ArrowUp" ? -1 : 1)] ?? line).focus();
    else if (key === "Enter") learn([padOf(row)]);
    else if (key === "Delete" || key === "Backspace") keep(row, []);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }, true);

  /** The row is drawn anew by the answer; the focus stays on it. */
  function moveTo(row, notes) {
    const pad = padOf(row);
    hear(pad);
    keep(row, notes).then(() => /** @type {SVGElement} */ (document.querySelector(`[data-map-pad="${pad}"] .map-line`))?.focus());
  }

  // Learning --------------------------------------------------------------------------------------------------------------

  let waiting = null; // { pads, at, found: [[pad, note]], struck: [note], timer }

  function learn(pads) {
    if (waiting) clearTimeout(waiting.timer);
    waiting = { pads, at: 0, found: new Map(), struck: [], timer: 0 };
    show();
  }
  const box = () => document.getElementById("learning");
  const nameOf = (pad) => document.querySelector(`[data-map-pad="${pad}"] .map-name span`)?.textContent ?? "";

  function show() {
    const place = box();
    if (!place) return;
    place.hidden = !waiting;
    for (const row of document.querySelectorAll("[data-map-pad]")) row.classList.toggle("learns", Boolean(waiting) && padOf(row) === waiting.pads[waiting.at]);
    if (!waiting) return place.replaceChildren();
    const { pads, at, struck } = waiting;
    const words = document.createElement("span");
    words.append("Strike what plays ", Object.assign(document.createElement("b"), { textContent: nameOf(pads[at]) }), pads.length > 1 ? ` (${at + 1} of ${pads.length})` : "");
    const choices = struck.length > 1 ? struck.map((note) => button(labelOf(note), () => take(note))) : [];
    if (struck.length > 1) words.append("; several came. Which one is it?");
    const acts = pads.length > 1 ? [button("Skip", () => go(1)), button("Back", () => go(-1)), button("Finish", finish)] : [];
    place.replaceChildren(words, ...choices, ...acts, button("Cancel", stop));
    document.querySelector(".map-row.learns")?.scrollIntoView({ block: "nearest" });
  }
  function button(text, act) {
    const made = Object.assign(document.createElement("button"), { type: "button", className: "button small", textContent: text });
    made.addEventListener("click", act);
    return made;
  }
  input.addEventListener("hit", ({ detail }) => {
    if (!waiting || detail.note === undefined || detail.from === "part") return;
    if (!waiting.struck.includes(detail.note)) waiting.struck.push(detail.note);
    clearTimeout(waiting.timer);
    waiting.timer = setTimeout(() => (waiting?.struck.length === 1 ? take(waiting.struck[0]) : show()), TOGETHER_MS);
    session.say(`Heard ${labelOf(detail.note)}`);
  });
  function take(note) {
    waiting.found.set(waiting.pads[waiting.at], note);
    waiting.struck = [];
    if (waiting.at + 1 >= waiting.pads.length) return finish();
    go(1);
  }
  function go(by) {
    waiting.struck = [];
    waiting.at = Math.min(waiting.pads.length - 1, Math.max(0, waiting.at + by));
    show();
  }
  function finish() {
    const notes = [...waiting.found].map(([pad, note]) => `${pad}:${note}`).join(",");
    stop();
    if (notes) session.post(`/kits/${session.kit}/map/learned/`, { notes });
  }
  function stop() {
    clearTimeout(waiting?.timer);
    waiting = null;
    show();
  }
  function learnKey(event) {
    const act = { Escape: stop, Enter: () => waiting.struck.length === 1 && take(waiting.struck[0]) }[event.key];
    if (!act) return false;
    act();
    event.preventDefault();
    event.stopPropagation();
    return true;
  }
  document.addEventListener("click", ({ target }) => {
    const one = /** @type {HTMLElement} */ (target).closest?.("[data-learn]");
    if (one) learn([Number(one.dataset.learn)]);
    if (/** @type {Element} */ (target).closest?.("#learn-row")) learn([...document.querySelectorAll(".map-row")].map(padOf));
  });
  document.addEventListener("change", ({ target }) => showAmounts(target));
  function showAmounts(target) {
    if (/** @type {Element} */ (target).id !== "arrange-how") return;
    for (const field of document.querySelectorAll("#arrange [data-how]")) /** @type {HTMLElement} */ (field).hidden = /** @type {HTMLElement} */ (field).dataset.how !== target.value;
  }
  session.addEventListener("marked", () => {
    for (const row of document.querySelectorAll("[data-map-pad]")) row.classList.toggle("selected", session.pads.includes(padOf(row)));
    if (!document.getElementById("map")) waiting = null;
    else if (waiting && box()?.hidden) show();
  });
}
