/** Pieces put in another order by dragging a row at its glyph; the whole piece goes, before the piece it is let go over. */
const DRAG_PX = 6;

export function startOrder(session) {
  let held = null; // { row, y, isMoved, before }
  const rows = () => /** @type {HTMLElement[]} */ ([...document.querySelectorAll(".sheet .row[data-pad]")]);
  const firsts = () => rows().filter((row) => row.matches(".first, :not(.tied)"));
  const clear = () => {
    for (const row of document.querySelectorAll(".drop-before, .drop-after, .lifted")) row.classList.remove("drop-before", "drop-after", "lifted");
  };

  document.addEventListener("pointerdown", (event) => {
    const target = /** @type {HTMLElement} */ (event.target);
    const row = target.closest?.(".c-glyph")?.closest(".row[data-pad]");
    if (row && !event.button) held = { row, y: event.clientY, isMoved: false, before: null };
  });
  document.addEventListener("pointermove", ({ clientY }) => {
    if (!held || (!held.isMoved && Math.abs(clientY - held.y) < DRAG_PX)) return;
    held.isMoved = true;
    clear();
    held.row.classList.add("lifted");
    const places = firsts();
    held.before = places.find((row) => row.getBoundingClientRect().top + row.offsetHeight / 2 > clientY) ?? null;
    if (held.before) held.before.classList.add("drop-before");
    else rows().at(-1)?.classList.add("drop-after");
  });
  document.addEventListener("pointerup", () => {
    const done = held;
    held = null;
    clear();
    if (!done?.isMoved || done.before === done.row) return;
    session.post(`/kits/${session.kit}/pads/${done.row.dataset.pad}/move/`, done.before ? { before: done.before.dataset.pad } : {});
  });
  document.addEventListener("pointercancel", () => {
    held = null;
    clear();
  });
}
