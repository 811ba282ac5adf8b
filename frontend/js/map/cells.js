import { between } from "../page/ranges.js";
import { startCellDrops } from "./cell_drops.js";
import { startCellKeys } from "./cell_keys.js";
import { blockOf } from "./cell_block.js";
import { startLearning } from "./learning.js";

const PLAIN = { shiftKey: false, ctrlKey: false, metaKey: false };

/**
 * A surface, large: played, or arranged. While it is arranged, cells are selected by press, Shift (to there) and Ctrl (one
 * more); dragged to move, with Ctrl to copy; pads come from the list by drag, or by press on a cell and then on a pad.
 */
export function startCells(session, input, part) {
  const cells = new Cells(session);
  const learning = startCellLearning(cells, session, input, part);
  startCellDrops(cells);
  startCellKeys(cells, learning);

  document.addEventListener("click", (event) => {
    const { target } = event;
    const cell = target.closest?.("#surfaces .cell-of");
    if (cell && cells.isArranging) cells.press(Number(cell.dataset.place), event);
    else if (cell && !cell.dataset.pad) askFor(cells.view.dataset.shown, cell.dataset.place);
    if (target.closest?.("[data-learn-cells]")) learning.beginCells();
    const tool = target.closest?.("[data-cells]")?.dataset.cells;
    if (tool) cells.post(tool, tool === "spread" ? { pads: [...cells.laid].join(",") } : {});
    const bank = target.closest?.("[data-cell-bank]");
    if (bank) cells.showBank(Number(bank.dataset.cellBank));
    const row = target.closest?.("#cell-pads [data-lay]");
    if (row) cells.lay(row.dataset.lay, event);
  });
  document.addEventListener("change", ({ target }) => {
    if (target.id === "arrange-cells") cells.arrange(target.checked);
    if (target.id === "cells-bank" && target.value) cells.post("bank", { bank: target.value });
    if (target.id === "fixed-velocity") cells.show();
  });
  session.addEventListener("marked", () => {
    learning.redraw(Boolean(cells.view));
    cells.drawn();
  });
  session.addEventListener("fill-cell", ({ detail }) => askFor(detail.surface, detail.place));

  async function askFor(surface, place) {
    const came = await session.get(`/kits/${session.kit}/map/surfaces/${surface}/fill/?place=${place}`, "#ask");
    const ask = /** @type {HTMLDialogElement} */ (document.getElementById("ask"));
    if (came && !ask.open) ask.showModal();
  }
}

/** What is selected on the surface that is shown, and what a person is arranging. */
export class Cells {
  /** Where the keyboard is. */ cursor = 0;
  /** @type {Set<number>} */ selected = new Set();
  /** Pads selected in the list, in the order of selecting. @type {Set<string>} */ laid = new Set();
  /** As the box says; null: not known yet. @type {boolean | null} */ isArranging = null;
  isInList = false; // where the hand is: in the list of pads, also while an answer draws it anew
  #session;
  #anchor = 0; // where selecting with Shift began
  /** @type {number[]} */ #copied = [];
  #bank = 0;
  /** The surface as the page drew it last. @type {HTMLElement | null} */ #drawn = null;

  constructor(session) {
    this.#session = session;
  }

  get view() {
    return /** @type {HTMLElement | null} */ (document.getElementById("surfaces"));
  }

  get columns() {
    return Number(this.#banks.dataset.columns);
  }

  get #banks() {
    return /** @type {HTMLElement} */ (this.view.querySelector(".cell-banks"));
  }

  /** Places of the bank that is shown. */
  get places() {
    return /** @type {HTMLElement[]} */ ([...this.view.querySelectorAll(".cells:not([hidden]) .cell-of")]).map(({ dataset }) => Number(dataset.place));
  }

  at(place) {
    return /** @type {HTMLElement | null} */ (this.view?.querySelector(`.cell-of[data-place="${place}"]`) ?? null);
  }

  /** Whether an answer has just drawn the cells anew, and the page has not shown yet what only it knows. */
  get isBetween() {
    return this.#drawn !== null && !this.#drawn.isConnected;
  }

  post(what, values = {}) {
    return this.#session.post(this.#banks.dataset.post.replace("WHAT", what), { places: [...this.selected].join(","), to: String(this.cursor), ...values });
  }

  // Selecting ---------------------------------------------------------------------------------------------------------

  press(place, { shiftKey, ctrlKey, metaKey } = PLAIN) {
    if (shiftKey) this.#selectTo(place);
    else {
      if (!(ctrlKey || metaKey)) this.selected = new Set([place]);
      else if (!this.selected.delete(place)) this.selected.add(place);
      this.cursor = this.#anchor = place;
    }
    this.show();
  }

  #selectTo(place) {
    this.selected = new Set(blockOf(this.places, this.#anchor, place, this.columns));
  }

  /** To the next cell: with Shift the cells on the way are selected, with Ctrl the selection stays. */
  walk([across, up], { shiftKey, ctrlKey }) {
    const { columns } = this;
    const column = (this.cursor % columns) + across;
    const next = this.cursor + across + up * columns;
    if (column < 0 || column >= columns || !this.places.includes(next)) return;
    if (shiftKey && this.isArranging) this.#selectTo(next);
    else if (!ctrlKey) this.selected = new Set([next]);
    if (!shiftKey) this.#anchor = next;
    this.cursor = next;
    this.show();
    this.at(next).focus();
  }

  /** A press on a pad of the list: into the selected cell, or with Ctrl or Shift to be spread with others. */
  lay(pad, { shiftKey, ctrlKey, metaKey } = PLAIN) {
    if (shiftKey && this.laid.size) {
      const order = /** @type {HTMLElement[]} */ ([...this.view.querySelectorAll("[data-lay]")]).map(({ dataset }) => dataset.lay);
      for (const each of between(order, [...this.laid].at(-1), pad)) this.laid.add(each);
    } else if (ctrlKey || metaKey) {
      if (!this.laid.delete(pad)) this.laid.add(pad);
    } else {
      this.laid = new Set([pad]);
      this.#session.select(Number(pad), { scroll: false });
      if (this.selected.size === 1) this.post("place", { pad });
    }
    this.show();
  }

  copy() {
    this.#copied = [...this.selected];
    this.#session.say(`${counted(this.#copied.length, "cell")} remembered. Ctrl V copies them to where you are.`);
  }

  /** @returns {boolean} whether there was anything to put here */
  paste() {
    if (this.#copied.length) this.post("copy", { places: this.#copied.join(",") });
    return this.#copied.length > 0;
  }

  // What is seen ------------------------------------------------------------------------------------------------------

  arrange(is) {
    this.isArranging = is;
    this.show();
  }

  showBank(bank) {
    this.#bank = bank;
    this.show();
  }

  show() {
    const box = /** @type {HTMLInputElement} */ (document.getElementById("arrange-cells"));
    if (!box) return;
    const { view, selected, laid } = this;
    const isArranging = (this.isArranging ??= box.checked);
    box.checked = isArranging;
    /** @type {HTMLElement} */ (view.querySelector(".cells-tools")).hidden = document.getElementById("cell-pads").hidden = !isArranging;
    const banks = /** @type {HTMLElement[]} */ ([...view.querySelectorAll(".cells")]);
    this.#bank = Math.min(this.#bank, banks.length - 1);
    for (const bank of banks) {
      bank.hidden = Number(bank.dataset.cellsOf) !== this.#bank;
      bank.classList.toggle("played", !isArranging);
    }
    for (const button of /** @type {NodeListOf<HTMLElement>} */ (view.querySelectorAll("[data-cell-bank]")))
      button.setAttribute("aria-pressed", String(Number(button.dataset.cellBank) === this.#bank));
    const { places } = this;
    if (!places.includes(this.cursor)) this.cursor = Math.min(...places);
    for (const cell of /** @type {NodeListOf<HTMLElement>} */ (view.querySelectorAll(".cell-of"))) {
      const place = Number(cell.dataset.place);
      cell.tabIndex = place === this.cursor ? 0 : -1;
      cell.setAttribute("aria-selected", String(isArranging && selected.has(place)));
      cell.draggable = isArranging && Boolean(cell.dataset.pad);
    }
    for (const row of /** @type {NodeListOf<HTMLElement>} */ (view.querySelectorAll("[data-lay]"))) row.setAttribute("aria-selected", String(laid.has(row.dataset.lay)));
    if (selected.size) document.getElementById("cells-said").textContent = `${counted(selected.size, "cell")} selected${laid.size ? `, ${counted(laid.size, "pad")} to lay` : ""}.`;
  }

  /** The page was drawn: another surface begins without a selection, the same one keeps it, and the focus. */
  drawn() {
    const { view } = this;
    const before = this.#drawn;
    this.#drawn = view;
    if (!view) return void (this.isArranging = null);
    const fixed = /** @type {HTMLInputElement} */ (document.getElementById("fixed-velocity"));
    if (fixed) fixed.checked = Boolean(localStorage.getItem("fixed-velocity"));
    if (view === before) return;
    if (before?.dataset.shown !== view.dataset.shown) {
      this.selected = new Set();
      this.laid = new Set();
      this.#copied = [];
      this.#bank = 0;
      this.isArranging = null;
    }
    this.show();
    if (before && document.activeElement === document.body && !this.isInList) this.at(this.cursor)?.focus(); // drawn anew under the hand
  }
}

const counted = (count, thing) => `${count} ${thing}${count === 1 ? "" : "s"}`;

/** Learning: the selected cells, or all of the surface, in the order in which the hands find them. */
function startCellLearning(cells, session, input, part) {
  const all = () => /** @type {HTMLElement[]} */ ([...(cells.view?.querySelectorAll(".cell-of[data-pad]") ?? [])]);
  const learning = startLearning({
    place: "cells-learning",
    session,
    input,
    part,
    labelOf: (note) => `note ${note}`,
    nameOf: (pad) => cells.view?.querySelector(`.cell-of[data-pad="${pad}"] .cell-name`)?.textContent ?? "",
    show(pad) {
      for (const cell of cells.view?.querySelectorAll(".cell-of") ?? []) cell.classList.toggle("next", cell.dataset.pad === String(pad));
    },
  });
  function beginCells() {
    const inOrder = all().sort((a, b) => Number(a.dataset.place) - Number(b.dataset.place));
    const some = cells.isArranging ? inOrder.filter(({ dataset }) => cells.selected.has(Number(dataset.place))) : [];
    const pads = (some.length ? some : inOrder).map(({ dataset }) => Number(dataset.pad));
    if (pads.length) learning.begin([...new Set(pads)]);
    else session.say("No pad stands here yet. Place some first.", true);
  }
  return { ...learning, beginCells };
}
