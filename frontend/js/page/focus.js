/**
 * An answer that draws a view anew leaves the focus where the hand is: on the control that stands in the place of the one
 * that had it. htmx does so for controls with an id; this does it for all.
 */
const TELLING = ["name", "type", "href", "role"]; // attributes that tell controls of one kind apart, beside data-*

export function startFocus() {
  /** @type {{ element: Element, find: () => HTMLElement | null } | null} */ let held = null;
  const remember = () => {
    const element = document.activeElement;
    if (element && element !== document.body) held = { element, find: placeOf(/** @type {HTMLElement} */ (element)) };
  };
  const giveBack = () => {
    if (!held || held.element.isConnected || document.activeElement !== document.body) return;
    held.find()?.focus({ preventScroll: true }); // what is still hidden takes none: it is tried again once all is settled
    if (document.activeElement !== document.body) held = null;
  };
  for (const name of ["htmx:beforeSwap", "htmx:oobBeforeSwap"]) document.addEventListener(name, remember);
  for (const name of ["htmx:afterSwap", "htmx:oobAfterSwap", "htmx:afterSettle"]) document.addEventListener(name, giveBack);
}

/** How to find what stands in the place of a control once it is drawn anew. @param {HTMLElement} element */
function placeOf(element) {
  if (element.id) return () => document.getElementById(element.id);
  const root = element.closest("[id]");
  const exact = selectorOf(element, true);
  const alike = selectorOf(element, false);
  const place = root ? [...root.querySelectorAll(alike)].indexOf(element) : -1;
  return () => {
    const now = document.getElementById(root?.id ?? "");
    const same = /** @type {NodeListOf<HTMLElement> | undefined} */ (now?.querySelectorAll(exact));
    if (same?.length === 1) return same[0];
    const near = /** @type {HTMLElement[]} */ ([...(now?.querySelectorAll(alike) ?? [])]);
    return near[Math.min(place, near.length - 1)] ?? null;
  };
}

function selectorOf(element, withValues) {
  const names = element.getAttributeNames().filter((name) => name.startsWith("data-") || TELLING.includes(name));
  const parts = names.map((name) => (withValues ? `[${name}="${CSS.escape(element.getAttribute(name))}"]` : `[${name}]`));
  return element.tagName.toLowerCase() + parts.join("");
}
