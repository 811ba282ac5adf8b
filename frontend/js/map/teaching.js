import { button } from "./learning.js";

/**
 * Teaching a device: its cells are struck one after another, from the lower left, whatever notes they send; the next cell
 * is lit. Nothing sounds meanwhile, and nothing is kept before the end.
 */
const AGAIN_MS = 120; // the same note within it is one strike
const LONGEST_NAME = 60; // of a device

export function startTeaching(session, input) {
  let teaching = null; // { cells: [place], at, notes: Map, port, channel, last: [note, ms], laysOut: whether the pads are laid out at the end }
  /** @type {object[] | null} */ let early = null; // strikes that came while a device is being added for them
  const box = () => document.getElementById("teaching");
  const field = (place) => /** @type {HTMLElement} */ (document.querySelector(`.device-cells [data-place="${place}"]`));

  function begin({ laysOut = false } = {}) {
    const cells = [...document.querySelectorAll(".device-cells [data-place]")].map(({ dataset }) => Number(dataset.place)).sort((a, b) => a - b);
    teaching = { cells, at: 0, notes: new Map(), port: "", channel: null, last: [-1, 0], laysOut };
    input.isMuted = true;
    show();
    box().scrollIntoView({ block: "nearest" });
  }

  function show() {
    const place = box();
    if (!place) return stop();
    place.hidden = !teaching;
    for (const each of document.querySelectorAll(".device-cells [data-place]")) each.classList.toggle("next", Boolean(teaching) && Number(each.dataset.place) === teaching.cells[teaching.at]);
    if (!teaching) return place.replaceChildren();
    const { cells, at, notes } = teaching;
    const words = document.createElement("span");
    const which = Object.assign(document.createElement("b"), { textContent: `${at + 1} of ${cells.length}` });
    words.append("Strike the lit cell: ", which, at ? ` · the last sent ${notes.get(cells[at - 1]) ?? "nothing"}` : ", the lower left one");
    place.replaceChildren(words, button("Skip", () => go(1)), button("Back", () => go(-1)), button("Finish", finish), button("Cancel", stop));
  }

  input.addEventListener("raw", ({ detail }) => (teaching ? strike(detail) : firstStrike(detail)));

  function strike(detail, now = performance.now()) {
    const [note, ms] = teaching.last;
    teaching.last = [detail.note, now];
    if (note === detail.note && now - ms < AGAIN_MS) return; // a pad that bounced
    const place = teaching.cells[teaching.at];
    teaching.notes.set(place, detail.note);
    teaching.port = detail.from;
    teaching.channel = detail.channel;
    const shown = field(place)?.querySelector("input");
    if (shown) shown.value = String(detail.note);
    go(1);
  }

  /** Where no device is known, the first strike of any makes one, and is its first cell's; a quick hand loses none. */
  async function firstStrike(detail) {
    const struck = { detail, at: performance.now() };
    if (early) return void early.push(struck);
    const first = document.getElementById("strike-any");
    if (!first) return;
    early = [struck];
    try {
      const shape = /** @type {HTMLSelectElement} */ (document.getElementById("first-shape")).value;
      await window.htmx.ajax("POST", first.dataset.post, { target: "#view", values: { name: detail.from.slice(0, LONGEST_NAME), shape } });
      if (!document.getElementById("teach")) return;
      begin({ laysOut: true });
      for (const one of early) if (teaching) strike(one.detail, one.at);
    } finally {
      early = null;
    }
  }

  function go(by) {
    if (teaching.at + by >= teaching.cells.length) return finish();
    teaching.at = Math.max(0, teaching.at + by);
    show();
  }
  function finish() {
    const { notes, port, channel, laysOut } = teaching;
    stop();
    if (!notes.size) return;
    const value = [...notes].map(([place, note]) => `${place}:${note}`).join(",");
    const url = /** @type {HTMLElement} */ (document.querySelector(".device-cells")).dataset.post.replace("WHAT", "taught");
    const taught = window.htmx.ajax("POST", url, { target: "#view", values: { value, port, channel: String(channel) } });
    if (laysOut) taught.then(() => document.getElementById("lay-pads-out")?.click());
  }
  function stop() {
    teaching = null;
    input.isMuted = false;
    if (box()) show();
  }

  document.addEventListener("click", ({ target }) => {
    if (target.closest?.("#teach")) begin();
    if (target.closest?.("#first-connect")) document.getElementById("midi-connect").click();
    if (target.closest?.("#first-practice")) document.getElementById("inputs").toggleAttribute("open", true);
  });
  const heard = document.getElementById("midi-state"); // which devices there are
  const tell = () => {
    const place = document.getElementById("first-midi");
    if (place && heard?.textContent) place.textContent = heard.textContent;
  };
  if (heard) new MutationObserver(tell).observe(heard, { childList: true, characterData: true, subtree: true });
  document.body.addEventListener("htmx:afterSettle", tell);
  document.addEventListener("keydown", (event) => {
    if (!teaching || !["Escape", "Backspace", "Enter"].includes(event.key)) return;
    if (event.key === "Escape") stop();
    else if (event.key === "Enter") finish();
    else go(-1);
    event.preventDefault();
    event.stopPropagation();
  }, true);
  // A device that plays lights the cells it sends; which it is shows when nothing is taught, too.
  input.addEventListener("raw", ({ detail }) => {
    for (const each of document.querySelectorAll(".device-cells .cell-of")) {
      const number = each.querySelector("input").value.split(" · ").at(-1);
      if (number !== String(detail.note)) continue;
      each.classList.add("sounding");
      setTimeout(() => each.classList.remove("sounding"), 160);
    }
  });
  session.addEventListener("marked", () => {
    if (teaching && !box()) stop();
    else if (teaching && box().hidden) show();
  });
}
