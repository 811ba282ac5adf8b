/**
 * The window of acts and keys: what is typed finds whatever can be pressed on this page, by what it is called there, the keys
 * of the list, and kits, parts and recordings by their names. Enter does it.
 */
import { typedInto } from "./fields.js";

const ACTS = "button, a[href], [role=tab], summary, label[for], input:not([type=hidden], [type=file]), select, textarea";
const MOST = 40;
const AFTER_MS = 120;

export function startActs() {
  const window_ = /** @type {HTMLDialogElement} */ (document.getElementById("keys"));
  const words = /** @type {HTMLInputElement} */ (document.getElementById("act-words"));
  const list = document.getElementById("act-list");
  const none = document.getElementById("act-none");
  const columns = window_?.querySelector(".keys-columns");
  if (!window_ || !words) return;
  let acts = [];
  let shown = [];
  let at = 0;
  let asked = 0;

  new MutationObserver(() => window_.open && open()).observe(window_, { attributes: true, attributeFilter: ["open"] });
  document.addEventListener("keydown", (event) => {
    const field = typedInto(event.target);
    if (event.key !== "?" || (field && field.type !== "range") || document.querySelector("dialog[open]")) return;
    event.preventDefault();
    event.stopPropagation();
    window_.showModal();
  }, { capture: true });
  words.addEventListener("input", () => {
    find();
    clearTimeout(asked);
    asked = setTimeout(ask, AFTER_MS, words.value);
  });
  words.addEventListener("keydown", (event) => {
    const by = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (by && shown.length) mark((at + by + shown.length) % shown.length);
    else if (event.key === "Enter" && shown[at]) run(shown[at]);
    else return;
    event.preventDefault();
  });
  list.addEventListener("click", ({ target }) => {
    const row = /** @type {HTMLElement} */ (target).closest?.("[role=option]");
    if (row) run(shown[[...list.children].indexOf(row)]);
  });

  function open() {
    words.value = "";
    acts = [...actsOf(document, window_), ...keysOf(columns)];
    find();
    words.focus();
  }

  /** What is stored is asked for while what is on the page is shown already. */
  async function ask(value) {
    const kit = document.getElementById("workshop")?.dataset.kit ?? "";
    const answer = value.trim() && (await fetch(`/find/?${new URLSearchParams({ words: value, kit })}`).catch(() => null));
    if (!answer?.ok || words.value !== value) return;
    const { found } = await answer.json();
    acts = [...acts.filter((act) => !act.url), ...found.map(({ what, name, url }) => ({ name, where: what, url }))];
    find();
  }

  function find() {
    const wanted = words.value.toLowerCase().split(/\s+/).filter(Boolean);
    const named = wanted.length ? acts.map((act) => /** @type {[number, any]} */ ([rank(act, wanted), act])).filter(([score]) => score > 0) : [];
    shown = named.sort(([a], [b]) => b - a).slice(0, MOST).map(([, act]) => act);
    list.replaceChildren(...shown.map(row));
    list.hidden = !shown.length;
    none.hidden = !wanted.length || shown.length > 0;
    columns.toggleAttribute("hidden", wanted.length > 0);
    words.setAttribute("aria-expanded", String(shown.length > 0));
    mark(0);
  }

  function mark(to) {
    at = to;
    [...list.children].forEach((item, number) => item.setAttribute("aria-selected", String(number === at)));
    list.children[at]?.scrollIntoView({ block: "nearest" });
    words.setAttribute("aria-activedescendant", list.children[at]?.id ?? "");
  }

  function run(act) {
    if (!act || (!act.url && !act.element)) return;
    window_.close();
    if (act.url) location.assign(act.url);
    else doIt(act.element);
  }
}

function row(act, number) {
  const item = document.createElement("li");
  item.id = `act-${number}`;
  item.setAttribute("role", "option");
  const parts = [["span", act.name, ""], ["small", act.where, "faint"], ["kbd", act.key, ""]];
  for (const [tag, text, name] of parts) {
    if (!text) continue;
    const part = document.createElement(tag);
    part.textContent = text;
    if (name) part.className = name;
    item.append(part, " ");
  }
  item.classList.toggle("told", !act.url && !act.element);
  return item;
}

/** Press a button or follow a link, a menu that holds it opened before; go into a field. @param {HTMLElement} element */
function doIt(element) {
  for (let at = element.parentElement?.closest("details:not([open])"); at; at = at.parentElement?.closest("details:not([open])")) at.setAttribute("open", "");
  if (element.matches("input, select, textarea") && !element.matches("[type=checkbox], [type=radio], [type=submit], [type=button]")) {
    element.focus();
    /** @type {HTMLInputElement} */ (element).select?.();
  } else {
    element.focus();
    element.click();
  }
}

/** @returns {{ name: string, where: string, key: string, element: HTMLElement }[]} */
export function actsOf(root, except) {
  const found = [];
  const known = new Set();
  for (const element of /** @type {NodeListOf<HTMLElement>} */ (root.querySelectorAll(ACTS))) {
    if (except.contains(element) || /** @type {HTMLButtonElement} */ (element).disabled || !isThere(element)) continue;
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

/** Shown, or in a menu that is folded but shown itself. */
function isThere(element) {
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

function keysOf(columns) {
  return [...columns.querySelectorAll("section")].flatMap((section) =>
    [...section.querySelectorAll("dl > div")].map((one) => ({
      name: one.querySelector("dd").textContent.trim(),
      where: section.querySelector("h3").textContent,
      key: one.querySelector("dt").textContent.trim(),
    })),
  );
}

/**
 * How well a name meets all words; 0: not at all. Beginnings of words before what stands within, acts before keys.
 * @param {{ name: string, where?: string, url?: string, element?: HTMLElement }} act
 */
export function rank({ name, where, url, element }, wanted) {
  const own = name.toLowerCase();
  const all = `${own} ${(where ?? "").toLowerCase()}`;
  let score = url || element ? 1 : 0.5;
  for (const word of wanted) {
    if (!all.includes(word)) return 0;
    const begins = new RegExp(`(^|[^\\p{L}\\p{N}])${word.replace(/[.*+?^${}()|[\]\\]/g, "\\$&")}`, "u");
    score += begins.test(own) ? 3 : own.includes(word) ? 2 : 0.5;
  }
  if (own === wanted.join(" ")) score += 4;
  return score - Math.min(0.9, own.length / 200);
}
