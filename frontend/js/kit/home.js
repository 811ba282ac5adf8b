/** The first page: kits found by words, sorted, heard by pointing at their drums or by number; and where one was before. */
import { Engine } from "../sound/engine.js";

export function startHome() {
  const home = document.getElementById("home");
  if (!home) return;
  const list = document.getElementById("kit-cards");
  const by = (id) => /** @type {HTMLInputElement} */ (document.getElementById(id));
  const cards = () => /** @type {HTMLElement[]} */ ([...(list?.children ?? [])]);
  let engine = null;

  goOn();
  by("kit-words")?.addEventListener("input", find);
  by("kit-sort")?.addEventListener("change", () => {
    localStorage.setItem("kit-sort", by("kit-sort").value);
    sort();
  });
  if (list) {
    by("kit-sort").value = localStorage.getItem("kit-sort") ?? "changed";
    sort();
  }

  function find() {
    const words = by("kit-words").value.toLowerCase().split(/\s+/).filter(Boolean);
    for (const card of cards()) card.hidden = !words.every((word) => `${card.dataset.name} ${card.dataset.words}`.includes(word));
  }

  function sort() {
    const orders = {
      changed: (a, b) => Number(a.dataset.changed) - Number(b.dataset.changed),
      name: (a, b) => a.dataset.name.localeCompare(b.dataset.name),
      pads: (a, b) => Number(b.dataset.pads) - Number(a.dataset.pads),
    };
    list.append(...cards().sort(orders[by("kit-sort").value] ?? orders.changed));
  }

  /** The page that was open last, if it was a kit's. */
  function goOn() {
    const was = JSON.parse(localStorage.getItem("was-at") ?? "null");
    const place = document.getElementById("go-on");
    if (!was?.url?.startsWith("/")) return;
    const link = place.querySelector("a");
    link.href = was.url;
    link.textContent = `Go on with ${was.name}`;
    place.querySelector("span").textContent = was.view;
    place.hidden = false;
  }

  const hear = (sample) => {
    engine ??= new Engine({ rate: Number(home.dataset.rate), worklet: home.dataset.worklet, tables: "", kit: undefined, soundBytes: 64 << 20 });
    engine.wake();
    engine.hear(Number(sample));
  };
  document.addEventListener("pointerover", ({ target }) => {
    const drum = /** @type {HTMLElement} */ (target).closest?.("[data-hear]");
    if (drum && navigator.userActivation?.hasBeenActive) hear(drum.getAttribute("data-hear"));
  });
  document.addEventListener("keydown", ({ key, target }) => {
    const card = /** @type {HTMLElement} */ (target).closest?.(".kit-card");
    const drum = card && /^[1-9]$/.test(key) && card.querySelectorAll("[data-hear]")[Number(key) - 1];
    if (drum) hear(drum.getAttribute("data-hear"));
  });
}

/** Remember where one is, for the first page. */
export function rememberPlace(session) {
  const name = () => /** @type {HTMLInputElement} */ (document.getElementById("kit-name"))?.value;
  session.addEventListener("marked", () => {
    const view = document.querySelector("[aria-current=page]")?.textContent ?? "";
    localStorage.setItem("was-at", JSON.stringify({ url: location.pathname + location.search, name: name() ?? "a kit", view }));
  });
}
