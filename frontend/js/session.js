/** What the page knows of the kit: which pad is selected, which are heard alone, and the version it shows. */
export class Session extends EventTarget {
  #body;
  #engine;
  #solo = new Set();
  #cardTimer = 0;

  constructor(body, engine) {
    super();
    this.#body = body;
    this.#engine = engine;
    body.addEventListener("htmx:configRequest", ({ detail }) => Object.assign(detail.headers, this.headers));
    body.addEventListener("kit-changed", ({ detail }) => this.#changed(detail));
    body.addEventListener("htmx:afterSettle", () => this.mark());
    body.addEventListener("htmx:sendError", () => this.say("The server does not answer. Is it running? Nothing was changed.", true));
    body.addEventListener("htmx:responseError", ({ detail }) => this.say(detail.xhr.responseText.slice(0, 300), true));
    engine.addEventListener("broken", ({ detail }) => this.say(detail[0], true));
    engine.addEventListener("state", () => this.#showSound());
    for (const type of ["pointerdown", "keydown"]) body.addEventListener(type, () => engine.wake(), { capture: true });
    body.addEventListener("click", ({ target }) => this.#click(target));
    body.addEventListener("focusin", ({ target }) => this.#focused(target));
    this.#showSound();
    this.mark();
  }

  get kit() {
    return this.#body.dataset.kit;
  }

  get selected() {
    return Number(this.#body.dataset.selected) || null;
  }

  get headers() {
    const headers = { "X-View": document.querySelector("#view > [data-view]")?.dataset.view ?? "" };
    const version = document.getElementById("history")?.dataset.version;
    if (version) headers["X-Kit-Version"] = version;
    if (this.selected) headers["X-Selected-Pad"] = String(this.selected);
    const part = sessionStorage.getItem("part");
    if (part) headers["X-Part"] = part;
    return headers;
  }

  /** Select a pad; its card follows. @param {number} pad @param {{ scroll?: boolean, delay?: number }} how */
  select(pad, { scroll = true, delay = 0 } = {}) {
    if (!pad || pad === this.selected) return;
    this.#body.dataset.selected = String(pad);
    this.mark();
    if (scroll) document.getElementById(`row-${pad}`)?.scrollIntoView({ block: "nearest" });
    clearTimeout(this.#cardTimer);
    this.#cardTimer = setTimeout(() => {
      if (document.getElementById("card").contains(document.activeElement) && delay) return;
      window.htmx.ajax("GET", `/kits/${this.kit}/card/`, { target: "#card", swap: "innerHTML" });
    }, delay);
  }

  /** Move the selection along the sheet. */
  step(by) {
    const pads = [...document.querySelectorAll(".row[data-pad], .pad[data-pad]")].map((row) => Number(row.dataset.pad));
    const order = [...new Set(pads)];
    const place = order.indexOf(this.selected);
    const next = order[Math.min(order.length - 1, Math.max(0, place + by))];
    this.select(next, { delay: 60 });
    document.getElementById(`row-${next}`)?.focus({ preventScroll: true });
  }

  toggleSolo(pad) {
    if (!this.#solo.delete(pad)) this.#solo.add(pad);
    this.#engine.setSolo([...this.#solo]);
    this.mark();
  }

  say(text, isWarning = false) {
    const status = document.getElementById("status");
    if (!status) return;
    status.textContent = text;
    status.classList.toggle("warning", isWarning);
    this.#fade(status);
  }

  /** Show on freshly drawn rows and pads what only the page knows. */
  mark() {
    for (const row of document.querySelectorAll(".row[data-pad]")) {
      const isSelected = Number(row.dataset.pad) === this.selected;
      row.setAttribute("aria-selected", String(isSelected));
      row.tabIndex = isSelected ? 0 : -1;
    }
    for (const pad of document.querySelectorAll(".pad[data-pad]"))
      pad.classList.toggle("selected", Number(pad.dataset.pad) === this.selected);
    for (const button of document.querySelectorAll("[data-solo]")) {
      const isSolo = this.#solo.has(Number(button.dataset.solo));
      button.setAttribute("aria-pressed", String(isSolo));
    }
    document.getElementById("view")?.classList.toggle("soloing", this.#solo.size > 0);
    const status = document.getElementById("status");
    if (status?.textContent) this.#fade(status);
    this.dispatchEvent(new Event("marked"));
  }

  #fade(status) {
    status.classList.add("shown");
    clearTimeout(this.fadeTimer);
    this.fadeTimer = setTimeout(() => status.classList.remove("shown"), status.classList.contains("warning") ? 12000 : 4000);
  }

  #changed({ pads, refused }) {
    if (!refused || pads === null) this.#engine.loadPlaybook(pads);
    if (refused) return;
    const open = document.querySelector("#ask[open]");
    open?.close();
  }

  #click(target) {
    const solo = target.closest("[data-solo]");
    if (solo) return this.toggleSolo(Number(solo.dataset.solo));
    const chosen = target.closest("[data-select]");
    if (chosen) {
      this.select(Number(chosen.dataset.select));
      document.getElementById(`card-${chosen.dataset.focus}`)?.select();
      return;
    }
    const row = target.closest(".row[data-pad]");
    if (row) this.select(Number(row.dataset.pad));
  }

  #focused(target) {
    const row = target.closest(".row[data-pad]");
    if (row) this.select(Number(row.dataset.pad), { scroll: false, delay: 60 });
  }

  #showSound() {
    const state = document.getElementById("sound-state");
    if (!state) return;
    const isOn = this.#engine.state === "running";
    state.textContent = isOn ? `Sound on · ${this.#engine.rate / 1000} kHz` : "Sound is off: press any key";
    this.#body.classList.toggle("sound-off", !isOn);
  }
}
