/**
 * A surface by keyboard alone. On cells: arrows walk, with Shift they select; Space selects one more; Enter goes to the
 * list; Delete clears; M mirrors; Ctrl C and V copy the selected cells to where one is. In the list: arrows walk, Enter
 * lays a pad, Space one more, Escape goes back.
 */
const TOOLS = { Delete: "clear", Backspace: "clear", m: "mirror", a: "across", x: "swap" };

/** @param {import("./cells.js").Cells} cells @param {{ key: (event: KeyboardEvent) => boolean }} learning */
export function startCellKeys(cells, learning) {
  document.addEventListener("keydown", (event) => {
    if (!isUsed(event)) return;
    event.preventDefault();
    event.stopPropagation();
  }, { capture: true }); // prettier-ignore

  document.addEventListener("focusin", ({ target }) => {
    const row = target.closest?.("#cell-pads [data-lay]");
    if (!row && target !== document.body) return void (cells.isInList = false);
    cells.isInList = true;
    for (const each of cells.view?.querySelectorAll("#cell-pads [data-lay]") ?? []) each.tabIndex = each === row ? 0 : -1;
  });

  function isUsed(event) {
    const { target, altKey } = event;
    if (!cells.view) return false;
    if (!target.closest?.("input, select") && learning.key(event)) return true;
    if (altKey) return false;
    const isBetween = target === document.body && cells.isBetween && !cells.isInList; // an answer has just drawn the cells anew
    const cell = isBetween ? cells.at(cells.cursor) : target.closest?.("#surfaces .cell-of");
    const row = target.closest?.("#cell-pads [data-lay]");
    if (cell) cells.cursor = Number(cell.dataset.place);
    return cell ? cellKey(event) : Boolean(row) && listKey(event, row);
  }

  function cellKey(event) {
    const { key, ctrlKey, metaKey } = event;
    const by = { ArrowRight: [1, 0], ArrowLeft: [-1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[key];
    if (by) cells.walk(by, event);
    else if (!cells.isArranging) return false;
    else if (ctrlKey || metaKey) return copyKey(key.toLowerCase());
    else if (key === " ") cells.press(cells.cursor, { shiftKey: false, ctrlKey: true, metaKey: false });
    else if (key === "Enter") /** @type {HTMLElement} */ (cells.view.querySelector("#cell-pads [tabindex='0']"))?.focus();
    else if (key in TOOLS) cells.post(TOOLS[key]);
    else return false;
    return true;
  }

  function copyKey(key) {
    if (key === "c") cells.copy();
    else return key === "v" && cells.paste();
    return true;
  }

  function listKey(event, row) {
    const { key, shiftKey } = event;
    const by = { ArrowDown: 1, ArrowUp: -1 }[key];
    if (by) walkList(row, by, shiftKey);
    else if (key === "Enter") cells.lay(row.dataset.lay, event);
    else if (key === " ") cells.lay(row.dataset.lay, { shiftKey: false, ctrlKey: true, metaKey: false });
    else if (key === "Escape") cells.at(cells.cursor)?.focus();
    else return false;
    return true;
  }

  function walkList(row, by, shiftKey) {
    const rows = /** @type {HTMLElement[]} */ ([...cells.view.querySelectorAll("#cell-pads [data-lay]")]);
    const next = rows[Math.min(rows.length - 1, Math.max(0, rows.indexOf(row) + by))];
    next.focus();
    if (!shiftKey) return;
    if (!cells.laid.size) cells.laid = new Set([row.dataset.lay]);
    cells.lay(next.dataset.lay, { shiftKey: true, ctrlKey: false, metaKey: false });
  }
}
