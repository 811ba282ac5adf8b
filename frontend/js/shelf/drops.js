/** Samples dragged from the shelf to pads, and files dropped anywhere. */
import { dropMark } from "../page/drop_mark.js";
import { filesOf } from "./upload.js";

const DRAG_TYPE = "application/x-dactyl-samples";

/** @param {object} way `take(id)`: the samples that go with one; `give(pad, samples)`; `giveCell(place, samples)`: to a new pad in an empty cell; `bringIn(files)` */
export function startDrops({ shelf, take, give, giveCell, bringIn }) {
  document.addEventListener("dragstart", (event) => {
    const option = event.target.closest?.(".sample");
    if (!option) return;
    event.dataTransfer.setData(DRAG_TYPE, take(Number(option.dataset.sample)).join(","));
    event.dataTransfer.effectAllowed = "copy";
  });
  // The list is not drawn anew under a hand that is about to drag out of it.
  let isHeld = false;
  let isDue = false;
  const letGo = () => {
    isHeld = false;
    if (isDue) document.body.dispatchEvent(new Event("shelf-changed"));
    isDue = false;
  };
  shelf.addEventListener("pointerdown", (event) => (isHeld = Boolean(event.target.closest(".sample"))));
  for (const type of ["pointerup", "dragend"]) document.addEventListener(type, letGo);
  document.body.addEventListener("htmx:beforeSwap", ({ detail }) => {
    if (!isHeld || detail.target.id !== "samples") return;
    detail.shouldSwap = false;
    isDue = true;
  });

  const padUnder = (event) => event.target.closest?.(".row[data-pad], .pad[data-pad], .pad[data-cell], .card-body[data-pad]");
  const showOver = dropMark();
  document.addEventListener("dragover", (event) => {
    const isSamples = event.dataTransfer.types.includes(DRAG_TYPE);
    const isFiles = event.dataTransfer.types.includes("Files");
    if (!isSamples && !isFiles) return;
    const pad = isSamples ? padUnder(event) : null;
    if (pad || isFiles) event.preventDefault();
    showOver(pad ?? null);
    document.body.classList.toggle("files-over", isFiles);
  });
  document.addEventListener("dragleave", (event) => {
    if (!event.relatedTarget) document.body.classList.remove("files-over");
  });
  document.addEventListener("drop", async (event) => {
    showOver(null);
    document.body.classList.remove("files-over");
    const ids = event.dataTransfer.getData(DRAG_TYPE);
    if (ids) {
      event.preventDefault();
      const pad = padUnder(event);
      if (pad?.dataset.pad) give(Number(pad.dataset.pad), ids.split(",").map(Number));
      else if (pad) giveCell(pad.dataset.place, ids.split(",").map(Number));
    } else if (event.dataTransfer.types.includes("Files")) {
      event.preventDefault();
      bringIn(await filesOf(event.dataTransfer));
    }
  });
}
