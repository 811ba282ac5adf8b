/** Chips of a proposal, each a recording: selected, heard and keyed from layer to layer before anything is made of them. */
const CHIPS = ".chip";

const chips = () => /** @type {HTMLElement[]} */ ([...document.querySelectorAll(CHIPS)]);
const isSelected = (chip) => chip.getAttribute("aria-selected") === "true";
const mark = (chip, is) => chip.setAttribute("aria-selected", String(is));

/** @returns {(event: KeyboardEvent) => boolean} whether the key was one of a chip's */
export function startChips(engine) {
  const hear = (chip) => engine.hear(Number(chip.dataset.sample));

  document.addEventListener("click", ({ target, ctrlKey, metaKey, shiftKey }) => {
    if (target.closest?.("[data-next-doubt]")) nextDoubt();
    const chip = target.closest?.(CHIPS);
    if (!chip) return;
    const isMore = ctrlKey || metaKey || shiftKey;
    if (!isMore) for (const other of chips()) mark(other, false);
    mark(chip, !isMore || !isSelected(chip));
    chip.focus();
    hear(chip);
  });

  function chipKey(key, chip) {
    const all = chips();
    const at = all.indexOf(chip);
    const [pad, layer] = chip.dataset.place.split(".").map(Number);
    if (key === "ArrowLeft" || key === "ArrowRight") all[at + (key === "ArrowLeft" ? -1 : 1)]?.focus();
    else if (key === "ArrowUp") change(chip, "move", { pad, layer: layer + 1 });
    else if (key === "ArrowDown" && layer > 0) change(chip, "move", { pad, layer: layer - 1 });
    else if (key === "Delete" || key === "Backspace") change(chip, "leave-out");
    else if (key === "Enter") hear(chip);
    else if (key === " ") mark(chip, !isSelected(chip));
    else return false;
    return true;
  }

  return ({ key, target }) => target.matches?.(CHIPS) && chipKey(key, target);
}

/** The chips that are selected with one, or it alone. */
export function chosenWith(chip) {
  const chosen = chips().filter(isSelected);
  return chosen.includes(chip) ? chosen : [chip];
}

export const placesOf = (some) => some.map(({ dataset }) => dataset.place).join(",");

/** @param {string} what "move" or "leave-out" @returns {Promise<void> | undefined} */
export function changeProposal(what, values) {
  const base = document.getElementById("apply-proposal")?.getAttribute("hx-post").replace(/apply\/$/, "");
  return base && window.htmx.ajax("POST", `${base}${what}/`, { source: document.body, target: "#proposal", swap: "innerHTML", values });
}

/** Chips stand elsewhere once they were changed: the focus and the selection go with them, or stay where they were taken from. */
function change(chip, what, values = {}) {
  const chosen = chosenWith(chip);
  const at = chips().indexOf(chip);
  const samples = chosen.map(({ dataset }) => dataset.sample);
  changeProposal(what, { takes: placesOf(chosen), ...values })?.then(() => {
    const now = chips();
    for (const one of now) mark(one, samples.length > 1 && samples.includes(one.dataset.sample));
    (now.find(({ dataset }) => dataset.sample === chip.dataset.sample) ?? now[Math.min(at, now.length - 1)])?.focus();
  });
}

/** The pads of a proposal that are in doubt, one after another. */
function nextDoubt() {
  const pads = [...document.querySelectorAll(".proposed:has(.doubt)")];
  const at = pads.findIndex((pad) => pad.contains(document.activeElement) || pad.classList.contains("looked-at"));
  const next = pads[(at + 1) % pads.length];
  if (!next) return;
  for (const pad of pads) pad.classList.toggle("looked-at", pad === next);
  next.scrollIntoView({ block: "start" });
  /** @type {HTMLElement} */ (next.querySelector(".proposed-name")).focus({ preventScroll: true });
}
