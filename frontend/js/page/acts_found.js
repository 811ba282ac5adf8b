/** What can be pressed, followed or filled in, by what it is called there. */
const ACTS = "button, a[href], [role=tab], summary, label[for], input:not([type=hidden], [type=file]), select, textarea";

/** Press a button or follow a link, a menu that holds it opened before; go into a field. @param {HTMLElement} element */
export function doIt(element) {
  for (let at = element.parentElement?.closest("details:not([open])"); at; at = at.parentElement?.closest("details:not([open])")) at.setAttribute("open", "");
  if (element.matches("input, select, textarea") && !element.matches("[type=checkbox], [type=radio], [type=submit], [type=button]")) {
    element.focus();
    /** @type {HTMLInputElement} */ (element).select?.();
  } else {
    element.focus();
    element.click();
  }
}

/** @param {Document | Element} root @param {Element | null} except @returns {{ name: string, where: string, key: string, element: HTMLElement }[]} */
export function actsOf(root, except) {
  const found = [];
  const known = new Set();
  for (const element of /** @type {NodeListOf<HTMLElement>} */ (root.querySelectorAll(ACTS))) {
    if (except?.contains(element) || /** @type {HTMLButtonElement} */ (element).disabled || !isThere(element)) continue;
    const key = [...element.querySelectorAll("kbd")].map((one) => one.textContent).join(" ");
    const name = nameOf(element);
    const where = placeOf(element);
    const told = `${name} ${where}`;
    if (!name || known.has(told)) continue;
    known.add(told);
    found.push({ name, where, key, element });
  }
  return found;
}

const textOf = (element) => {
  const copy = element.cloneNode(true);
  for (const one of copy.querySelectorAll("kbd, svg, option, input, .sr-only")) one.remove();
  return copy.textContent.replace(/\s+/g, " ").trim();
};
const nameOf = (element) =>
  (element.getAttribute("aria-label") || (element.matches("input, select, textarea") ? element.labels?.[0] && textOf(element.labels[0]) : textOf(element)) || element.title || "")
    .slice(0, 90);

/** Shown, or in a menu that is folded but shown itself; of a page that is only read, what it does not hide. */
function isThere(element) {
  if (!element.ownerDocument.defaultView) return !element.closest("[hidden], template, dialog:not([open]), [inert]");
  const folded = element.closest("details:not([open])");
  if (folded && element.tagName !== "SUMMARY") {
    const summary = folded.querySelector("summary");
    return Boolean(summary) && isThere(summary);
  }
  return element.checkVisibility({ visibilityProperty: true }) && !element.closest("dialog:not([open]), [inert]");
}

function placeOf(element) {
  const menu = element.closest("details");
  if (menu && element.tagName !== "SUMMARY") return textOf(menu.querySelector("summary"));
  const around = element.parentElement?.closest("[aria-label], section, dialog");
  return (around?.getAttribute("aria-label") || around?.querySelector("h2, h3")?.textContent || "").trim().slice(0, 60);
}

/**
 * How well a name meets all words; 0: not at all. Beginnings of words before what stands within, acts of this page before those of others, these before keys.
 * @param {{ name: string, where?: string, url?: string, element?: HTMLElement }} act
 */
export function rank({ name, where, url, element }, wanted) {
  const own = name.toLowerCase();
  const all = `${own} ${(where ?? "").toLowerCase()}`;
  let score = element ? 1.1 : url ? 1 : 0.5;
  for (const word of wanted) {
    if (!all.includes(word)) return 0;
    const begins = new RegExp(`(^|[^\\p{L}\\p{N}])${word.replace(/[.*+?^${}()|[\]\\]/g, "\\$&")}`, "u");
    score += begins.test(own) ? 3 : own.includes(word) ? 2 : 0.5;
  }
  if (own === wanted.join(" ")) score += 4;
  return score - Math.min(0.9, own.length / 200);
}
