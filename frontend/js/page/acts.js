/**
 * The window of acts and keys: what is typed finds whatever can be pressed on this page, by what it is called there, the keys
 * of the list, and kits, parts and recordings by their names. Enter does it.
 */
import { actsOf, doIt, rank } from "./acts_found.js";
import { goThere, readElsewhere } from "./acts_elsewhere.js";
import { typedInto } from "./fields.js";

const MOST = 40;
const AFTER_MS = 120;

export function startActs() {
  const window_ = /** @type {HTMLDialogElement} */ (document.getElementById("keys"));
  const words = /** @type {HTMLInputElement} */ (document.getElementById("act-words"));
  const list = document.getElementById("act-list");
  const none = document.getElementById("act-none");
  const columns = window_?.querySelector(".keys-columns");
  if (!window_ || !words) return;
  let acts = []; // of this page, and the keys
  let shown = [];
  let at = 0;
  let asked = 0;
  let stored = []; // kits, parts and recordings that are called so
  let elsewhere = []; // acts of views that are not open
  let readAt = null; // the version of the kit for which those were read

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
    stored = [];
    acts = [...actsOf(document, window_), ...keysOf(columns)];
    find();
    words.focus();
  }

  /** What is stored is asked for while what is on the page is shown already. */
  async function ask(value) {
    const kit = document.getElementById("workshop")?.dataset.kit ?? "";
    const answer = value.trim() && (await fetch(`/find/?${new URLSearchParams({ words: value, kit })}`).catch(() => null));
    if (!answer?.ok || words.value !== value) return;
    const { found, views } = await answer.json();
    stored = found.map(({ what, name, url }) => ({ name, where: what, url }));
    find({ isSame: true });
    const version = document.getElementById("history")?.dataset.version ?? "";
    if (readAt === version) return;
    [readAt, elsewhere] = [version, []];
    readElsewhere(views, (more) => {
      if (readAt !== version) return;
      elsewhere = [...elsewhere, ...more];
      find({ isSame: true });
    });
  }

  /** @param {{ isSame?: boolean }} [what] whether the words are those of before, so that what is marked stays so */
  function find({ isSame = false } = {}) {
    const marked = isSame && at > 0 ? shown[at] : null;
    const wanted = words.value.toLowerCase().split(/\s+/).filter(Boolean);
    const all = [...acts, ...stored, ...elsewhere.filter(({ url }) => url !== location.pathname)];
    const named = wanted.length ? all.map((act) => /** @type {[number, any]} */ ([rank(act, wanted), act])).filter(([score]) => score > 0) : [];
    shown = named.sort(([a], [b]) => b - a).slice(0, MOST).map(([, act]) => act);
    list.replaceChildren(...shown.map(row));
    list.hidden = !shown.length;
    none.hidden = !wanted.length || shown.length > 0;
    columns.toggleAttribute("hidden", wanted.length > 0);
    words.setAttribute("aria-expanded", String(shown.length > 0));
    mark(Math.max(0, shown.indexOf(marked)));
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
    if (act.url) goThere(act.url, act.does);
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

function keysOf(columns) {
  return [...columns.querySelectorAll("section")].flatMap((section) =>
    [...section.querySelectorAll("dl > div")].map((one) => ({
      name: one.querySelector("dd").textContent.trim(),
      where: section.querySelector("h3").textContent,
      key: one.querySelector("dt").textContent.trim(),
    })),
  );
}
