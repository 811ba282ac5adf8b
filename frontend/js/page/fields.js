/** Numbers in the page: arrow keys change them, a double click or Alt Delete resets, a refused value is marked. */
import { forget, tellLater } from "./resting.js";

const REST_MS = 250; // after the last step a number is told
const TYPED = "input:not([type=checkbox], [type=radio], [type=button]), textarea, select, [contenteditable]";

/** The field that a key at this place is typed into, if any; one that was closed over keeps the focus until the next frame, and is none.
 * @returns {HTMLInputElement | null} */
export function typedInto(target) {
  const field = target.closest?.(TYPED);
  return field?.checkVisibility() ? field : null;
}

export function startFields() {
  document.addEventListener("keydown", (event) => {
    const field = event.target.closest?.("input.num");
    if (!field || !["ArrowUp", "ArrowDown"].includes(event.key)) return;
    event.preventDefault();
    const step = Number(field.dataset.step ?? 1) * (event.shiftKey ? 0.2 : 1) * (event.key === "ArrowUp" ? 1 : -1);
    const stepped = (Number((field.value || field.placeholder).replace("−", "-").replace(",", ".")) || 0) + step;
    field.value = String(Math.round(stepped * 100) / 100).replace("-", "−");
    tellLater(`field ${field.id}`, REST_MS, () => told(field.id, field.value));
  });
  for (const told of ["input", "change"]) document.addEventListener(told, ({ target }) => forget(`field ${target.id}`), { capture: true });
  /** The field of this id, which may have been drawn anew meanwhile, has this value now. */
  const told = (id, value) => {
    const field = document.getElementById(id);
    if (!field) return;
    field.value = value;
    field.dispatchEvent(new Event("change", { bubbles: true }));
  };
  const reset = (field) => {
    if (!field) return false;
    field.value = field.dataset.reset;
    field.dispatchEvent(new Event("change", { bubbles: true }));
    return true;
  };
  document.addEventListener("dblclick", ({ target }) => reset(target.closest?.("input[data-reset]")));
  document.addEventListener("keydown", (event) => {
    if (event.altKey && event.key === "Delete" && reset(event.target.closest?.("input[data-reset]"))) event.preventDefault();
  });
  document.addEventListener("focusin", ({ target }) => {
    if (target.matches?.("input.cell")) /** @type {HTMLInputElement} */ (target).select();
  });
  document.addEventListener("htmx:beforeRequest", ({ detail }) => detail.elt.removeAttribute?.("aria-invalid"));
  document.addEventListener("htmx:afterRequest", ({ detail }) => {
    if (detail.xhr?.status === 422 && detail.elt.matches?.("input")) document.getElementById(detail.elt.id)?.setAttribute("aria-invalid", "true");
  });
}
