import { startLearning } from "./learning.js";

/**
 * A surface, large: played, or arranged. While it is arranged, cells are selected by press, Shift (to there) and Ctrl (one
 * more); dragged to move, with Ctrl to copy; pads come from the list by drag, or by press on a cell and then on a pad.
 * Keys: arrows walk, with Shift they select; Space selects one more; Enter goes to the list; Delete clears; M mirrors;
 * Ctrl C and V copy the selected cells to where one is.
 */
const DRAG_TYPE = "application/x-dactyl-pad";

export function startCells(session, input, part) {
  const view = () => document.getElementById("surfaces");
  const banks = () => /** @type {HTMLElement} */ (view()?.querySelector(".cell-banks"));
  const cells = () => [...(view()?.querySelectorAll(".cells:not([hidden]) .cell-of") ?? [])];
  const cellAt = (place) => /** @type {HTMLElement} */ (view()?.querySelector(`.cell-of[data-place="${place}"]`));
  let cursor = 0;
  let anchor = 0; // where selecting with Shift began
  let copied = []; // places that are remembered to be copied
  let bank = 0;
  let selected = new Set();
  let laid = new Set(); // pads selected in the list, in the order of selecting
  let isArranging = null; // as the box says; null: not known yet

  // Learning: the selected cells, or all of the surface, in the order in which the hands find them.
  const learning = startLearning({
    place: "cells-learning",
    session,
    input,
    part,
    labelOf: (note) => `note ${note}`,
    nameOf: (pad) => view()?.querySelector(`.cell-of[data-pad="${pad}"] .cell-name`)?.textContent ?? "",
    show(pad) {
      for (const cell of view()?.querySelectorAll(".cell-of") ?? []) cell.classList.toggle("next", cell.dataset.pad === String(pad));
    },
  });
  function learn() {
    const all = [...view().querySelectorAll(".cell-of[data-pad]")].sort((a, b) => Number(a.dataset.place) - Number(b.dataset.place));
    const some = isArranging ? all.filter(({ dataset }) => selected.has(Number(dataset.place))) : [];
    const pads = (some.length ? some : all).map(({ dataset }) => Number(dataset.pad));
    if (pads.length) learning.begin([...new Set(pads)]);
    else session.say("No pad stands here yet. Place some first.", true);
  }

  const post = (what, values = {}) => session.post(banks().dataset.post.replace("WHAT", what), { places: [...selected].join(","), to: String(cursor), ...values });

  function show() {
    const box = /** @type {HTMLInputElement} */ (document.getElementById("arrange-cells"));
    if (!box) return;
    isArranging ??= box.checked;
    box.checked = isArranging;
    view().querySelector(".cells-tools").hidden = !isArranging;
    document.getElementById("cell-pads").hidden = !isArranging;
    const all = [...view().querySelectorAll(".cells")];
    bank = Math.min(bank, all.length - 1);
    for (const each of all) {
      each.hidden = Number(each.dataset.cellsOf) !== bank;
      each.classList.toggle("played", !isArranging);
    }
    for (const button of view().querySelectorAll("[data-cell-bank]")) button.setAttribute("aria-pressed", String(Number(button.dataset.cellBank) === bank));
    const here = cells().map(({ dataset }) => Number(dataset.place));
    if (!here.includes(cursor)) cursor = Math.min(...here);
    for (const cell of view().querySelectorAll(".cell-of")) {
      const place = Number(cell.dataset.place);
      cell.tabIndex = place === cursor ? 0 : -1;
      cell.setAttribute("aria-selected", String(isArranging && selected.has(place)));
      cell.draggable = isArranging && Boolean(cell.dataset.pad);
    }
    for (const row of view().querySelectorAll("[data-lay]")) row.setAttribute("aria-selected", String(laid.has(row.dataset.lay)));
    const said = document.getElementById("cells-said");
    if (selected.size) said.textContent = `${selected.size} cell${selected.size === 1 ? "" : "s"} selected${laid.size ? `, ${laid.size} pad${laid.size === 1 ? "" : "s"} to lay` : ""}.`;
  }

  function press(place, { shiftKey, ctrlKey, metaKey }) {
    if (shiftKey) selected = block(anchor, place);
    else if (ctrlKey || metaKey) {
      if (!selected.delete(place)) selected.add(place);
      cursor = anchor = place;
    } else {
      selected = new Set([place]);
      cursor = anchor = place;
    }
    show();
  }

  /** All cells of the rectangle between two. */
  function block(from, to) {
    const columns = Number(banks().dataset.columns);
    const at = (place) => [Math.floor(place / columns), place % columns];
    const [[r1, c1], [r2, c2]] = [at(from), at(to)];
    const inside = (place) => {
      const [row, column] = at(place);
      return row >= Math.min(r1, r2) && row <= Math.max(r1, r2) && column >= Math.min(c1, c2) && column <= Math.max(c1, c2);
    };
    return new Set(cells().map(({ dataset }) => Number(dataset.place)).filter(inside));
  }

  document.addEventListener("click", (event) => {
    const { target } = event;
    const cell = target.closest?.("#surfaces .cell-of");
    if (cell && isArranging) press(Number(cell.dataset.place), event);
    else if (cell && !cell.dataset.pad) askFor(view().dataset.shown, cell.dataset.place);
    if (target.closest?.("[data-learn-cells]")) learn();
    const tool = target.closest?.("[data-cells]");
    if (tool) act(tool.dataset.cells);
    const one = target.closest?.("[data-cell-bank]");
    if (one) {
      bank = Number(one.dataset.cellBank);
      show();
    }
    const row = target.closest?.("#cell-pads [data-lay]");
    if (row) lay(row.dataset.lay, event);
  });

  function act(what) {
    if (what === "spread") post("spread", { pads: [...laid].join(",") });
    else post(what);
  }

  /** A press on a pad of the list: into the selected cell, or with Ctrl or Shift to be spread with others. */
  function lay(pad, { shiftKey, ctrlKey, metaKey }) {
    const order = [...view().querySelectorAll("[data-lay]")].map(({ dataset }) => dataset.lay);
    if (shiftKey && laid.size) {
      const [from, to] = [order.indexOf([...laid].at(-1)), order.indexOf(pad)].sort((a, b) => a - b);
      for (const each of order.slice(from, to + 1)) laid.add(each);
    } else if (ctrlKey || metaKey) {
      if (!laid.delete(pad)) laid.add(pad);
    } else {
      laid = new Set([pad]);
      session.select(Number(pad), { scroll: false });
      if (selected.size === 1) post("place", { pad });
    }
    show();
  }

  function askFor(surface, place) {
    session.get(`/kits/${session.kit}/map/surfaces/${surface}/fill/?place=${place}`, "#ask").then((came) => {
      const ask = /** @type {HTMLDialogElement} */ (document.getElementById("ask"));
      if (came && !ask.open) ask.showModal();
    });
  }
  session.addEventListener("fill-cell", ({ detail }) => askFor(detail.surface, detail.place));

  // Dragging ------------------------------------------------------------------------------------------------------------

  document.addEventListener("dragstart", (event) => {
    const { target, dataTransfer } = event;
    const cell = target.closest?.("#surfaces .cell-of");
    const row = target.closest?.("#cell-pads [data-lay]");
    if (!cell && !row) return;
    if (cell && !selected.has(Number(cell.dataset.place))) press(Number(cell.dataset.place), { shiftKey: false, ctrlKey: false, metaKey: false });
    if (row && !laid.has(row.dataset.lay)) laid = new Set([row.dataset.lay]);
    dataTransfer.setData(DRAG_TYPE, cell ? `cell:${cell.dataset.place}` : "pads");
    dataTransfer.effectAllowed = "copyMove";
  });
  document.addEventListener("dragover", (event) => {
    if (!event.dataTransfer.types.includes(DRAG_TYPE)) return;
    const cell = event.target.closest?.("#surfaces .cell-of");
    for (const each of view()?.querySelectorAll(".drop-here") ?? []) each.classList.toggle("drop-here", each === cell);
    if (!cell) return;
    cell.classList.add("drop-here");
    event.preventDefault();
    event.dataTransfer.dropEffect = event.ctrlKey ? "copy" : "move";
  });
  document.addEventListener("drop", (event) => {
    const what = event.dataTransfer.getData(DRAG_TYPE);
    const cell = event.target.closest?.("#surfaces .cell-of");
    if (!what || !cell) return;
    event.preventDefault();
    const place = Number(cell.dataset.place);
    if (what === "pads") {
      const pads = [...laid];
      cursor = place;
      if (pads.length === 1) post("place", { pad: pads[0] });
      else post("spread", { pads: pads.join(",") });
      return;
    }
    // The cell that was taken hold of lands where it is dropped; the block's lower left corner follows.
    const columns = Number(banks().dataset.columns);
    const held = Number(what.slice(5));
    const low = Math.min(...[...selected].map((each) => Math.floor(each / columns)));
    const left = Math.min(...[...selected].map((each) => each % columns));
    const to = place - (Math.floor(held / columns) - low) * columns - ((held % columns) - left);
    post(event.ctrlKey ? "copy" : "move", { to: String(Math.max(0, to)) });
    selected = new Set([place]);
    cursor = place;
  });

  // The keyboard --------------------------------------------------------------------------------------------------------

  document.addEventListener("keydown", (event) => {
    if (view() && !event.target.closest?.("input, select") && learning.key(event)) {
      event.preventDefault();
      return event.stopPropagation();
    }
    const isBetween = event.target === document.body && drawn && !drawn.isConnected; // an answer has just drawn the cells anew
    const cell = isBetween ? cellAt(cursor) : event.target.closest?.("#surfaces .cell-of");
    const row = event.target.closest?.("#cell-pads [data-lay]");
    if ((!cell && !row) || event.altKey) return;
    if (cell) cursor = Number(cell.dataset.place);
    if (!(cell ? cellKey(event) : listKey(event, row))) return;
    event.preventDefault();
    event.stopPropagation();
  }, true);

  function cellKey({ key, shiftKey, ctrlKey, metaKey }) {
    const columns = Number(banks().dataset.columns);
    const by = { ArrowRight: 1, ArrowLeft: -1, ArrowUp: columns, ArrowDown: -columns }[key];
    if (by) {
      const next = cursor + by;
      if (!cellAt(next) || cellAt(next).closest(".cells").hidden) return true;
      if (shiftKey && isArranging) selected = block(anchor, next);
      else if (!ctrlKey) selected = new Set([next]);
      if (!shiftKey) anchor = next;
      cursor = next;
      show();
      cellAt(next).focus();
      return true;
    }
    if (!isArranging) return false;
    if (ctrlKey || metaKey) return copyKey(key.toLowerCase());
    if (key === " ") press(cursor, { shiftKey: false, ctrlKey: true, metaKey: false });
    else if (key === "Enter") /** @type {HTMLElement} */ (view().querySelector("#cell-pads [tabindex='0']"))?.focus();
    else if (key === "Delete" || key === "Backspace") post("clear");
    else if (key === "m") post("mirror");
    else if (key === "a") post("across");
    else if (key === "x") post("swap");
    else return false;
    return true;
  }

  function copyKey(key) {
    if (key === "c") {
      copied = [...selected];
      session.say(`${copied.length} cell${copied.length === 1 ? "" : "s"} remembered. Ctrl V copies them to where you are.`);
    } else if (key === "v" && copied.length) post("copy", { places: copied.join(",") });
    else return false;
    return true;
  }

  function listKey(event, row) {
    const rows = [...view().querySelectorAll("#cell-pads [data-lay]")];
    const by = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (by) {
      const next = rows[Math.min(rows.length - 1, Math.max(0, rows.indexOf(row) + by))];
      for (const each of rows) each.tabIndex = each === next ? 0 : -1;
      next.focus();
      if (event.shiftKey && !laid.size) laid = new Set([row.dataset.lay]);
      if (event.shiftKey) lay(next.dataset.lay, { shiftKey: true, ctrlKey: false, metaKey: false });
      return true;
    }
    if (event.key === "Enter") lay(row.dataset.lay, event);
    else if (event.key === " ") lay(row.dataset.lay, { shiftKey: false, ctrlKey: true, metaKey: false });
    else if (event.key === "Escape") cellAt(cursor)?.focus();
    else return false;
    return true;
  }

  document.addEventListener("change", ({ target }) => {
    if (target.id === "arrange-cells") {
      isArranging = target.checked;
      show();
    }
    if (target.id === "cells-bank" && target.value) post("bank", { bank: target.value });
    if (target.id === "fixed-velocity") show();
  });
  let drawn = null; // the surface that was shown, as the page drew it
  session.addEventListener("marked", () => {
    const now = view();
    learning.redraw(Boolean(now));
    if (!now) return (isArranging = drawn = null);
    const fixed = /** @type {HTMLInputElement} */ (document.getElementById("fixed-velocity"));
    if (fixed) fixed.checked = Boolean(localStorage.getItem("fixed-velocity"));
    if (now === drawn) return;
    const hadFocus = drawn && document.activeElement === document.body;
    if (drawn?.dataset.shown !== now.dataset.shown) {
      selected = new Set();
      laid = new Set();
      copied = [];
      bank = 0;
      isArranging = null;
    }
    drawn = now;
    show();
    if (hadFocus) cellAt(cursor)?.focus(); // the cells were drawn anew under the hand
  });
}
