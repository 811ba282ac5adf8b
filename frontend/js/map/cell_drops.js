/** Cells dragged over a surface, and pads from the list onto it. */
import { dropMark } from "../page/drop_mark.js";
import { cornerOf } from "./cell_block.js";

const DRAG_TYPE = "application/x-dactyl-pad";
const PADS = "pads"; // what is dragged: those laid, or the cell of a place

/** @param {import("./cells.js").Cells} cells */
export function startCellDrops(cells) {
  const cellOf = ({ target }) => target.closest?.("#surfaces .cell-of");
  const showOver = dropMark();

  document.addEventListener("dragstart", (event) => {
    const cell = cellOf(event);
    const row = event.target.closest?.("#cell-pads [data-lay]");
    if (!cell && !row) return;
    if (cell && !cells.selected.has(Number(cell.dataset.place))) cells.press(Number(cell.dataset.place));
    if (row && !cells.laid.has(row.dataset.lay)) cells.laid = new Set([row.dataset.lay]);
    event.dataTransfer.setData(DRAG_TYPE, cell?.dataset.place ?? PADS);
    event.dataTransfer.effectAllowed = "copyMove";
  });
  document.addEventListener("dragover", (event) => {
    if (!event.dataTransfer.types.includes(DRAG_TYPE)) return;
    const cell = cellOf(event) ?? null;
    showOver(cell);
    if (!cell) return;
    event.preventDefault();
    event.dataTransfer.dropEffect = event.ctrlKey ? "copy" : "move";
  });
  document.addEventListener("dragend", () => showOver(null));
  document.addEventListener("drop", (event) => {
    const what = event.dataTransfer.getData(DRAG_TYPE);
    const cell = cellOf(event);
    if (!what || !cell) return;
    event.preventDefault();
    showOver(null);
    if (what === PADS) dropPads(Number(cell.dataset.place));
    else dropCells(Number(what), Number(cell.dataset.place), event.ctrlKey);
  });

  function dropPads(place) {
    const pads = [...cells.laid];
    cells.cursor = place;
    if (pads.length === 1) cells.post("place", { pad: pads[0] });
    else cells.post("spread", { pads: pads.join(",") });
  }

  /** The cell that was taken hold of lands where it is dropped, and the block with it. */
  function dropCells(held, place, isCopy) {
    const to = cornerOf([...cells.selected], held, place, cells.columns);
    cells.post(isCopy ? "copy" : "move", { to: String(to) });
    cells.selected = new Set([place]);
    cells.cursor = place;
  }
}
