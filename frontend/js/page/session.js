import { Fetching } from "./fetching.js";
import { asHeaders } from "./headers.js";
import { betweenWithFirst } from "./ranges.js";
import { Saying } from "./saying.js";

const ON_GOING_BACK = { htmx: true }; // by which htmx knows the entries of the browser's history that it draws again

/** What the page knows of the kit: which pads and takes are selected, which are heard alone, the version it shows. */
export class Session extends EventTarget {
  /** Selected pads; the first is the one on the card. @type {number[]} */ pads = [];
  /** Selected takes; the first is the one whose waveform is open. @type {number[]} */ takes = [];
  /** Takes that Ctrl C or Ctrl X took. @type {{ takes: number[], copy: string } | null} */ clipboard = null;
  #touched = []; // the pads that the last edit touched
  #body;
  #engine;
  #solo = new Set();
  #cardTimer = 0;
  #isCardAskedThere = false;
  #frame = 0;
  #scrollTo = null;
  #fetching;
  #saying;

  constructor(body, engine) {
    super();
    this.#body = body;
    this.#engine = engine;
    this.#saying = new Saying(body);
    this.#fetching = new Fetching(body);
    this.pads = Number(body.dataset.selected) ? [Number(body.dataset.selected)] : [];
    body.addEventListener("htmx:configRequest", ({ detail }) => Object.assign(detail.headers, this.headers));
    body.addEventListener("kit-changed", ({ detail, target }) => this.#changed(detail, target));
    body.addEventListener("htmx:afterSettle", () => this.mark());
    body.addEventListener("htmx:responseError", () => (this.#touched = []));
    body.addEventListener("htmx:beforeSwap", (event) => this.#guardCard(event));
    body.addEventListener("htmx:beforeSend", ({ detail }) => this.#saying.waitFor(detail.xhr));
    engine.addEventListener("broken", ({ detail }) => this.say(detail[0], true));
    engine.addEventListener("state", () => this.#saying.showSound(engine));
    for (const type of ["pointerdown", "keydown"]) body.addEventListener(type, () => engine.wake(), { capture: true });
    body.addEventListener("click", (event) => this.#click(event));
    body.addEventListener("focusin", ({ target }) => this.#focused(target));
    this.#saying.showSound(engine);
    this.mark();
  }

  get kit() {
    return this.#body.dataset.kit;
  }

  get selected() {
    return this.pads[0] ?? null;
  }

  get cardTab() {
    return sessionStorage.getItem("card-tab") ?? "layers";
  }

  set cardTab(name) {
    sessionStorage.setItem("card-tab", name);
  }

  get headers() {
    const shown = /** @type {HTMLElement} */ (document.querySelector("#view > [data-view]"))?.dataset;
    return asHeaders({
      view: shown?.view ?? "",
      shown: shown?.shown || undefined,
      card_tab: this.cardTab,
      level_axis: /** @type {HTMLElement} */ (document.querySelector(".sheet[data-axis]"))?.dataset.axis || undefined,
      played_surface: document.getElementById("surface")?.dataset.played || undefined,
      selected_pads: this.pads.join(",") || undefined,
      selected_takes: this.takes.join(",") || undefined,
      part: sessionStorage.getItem("part") || undefined,
      kit_version: document.getElementById("history")?.dataset.version || undefined,
      device_version: shown?.deviceVersion || undefined,
      proposal_version: document.getElementById("proposal-head")?.dataset.version || undefined,
    });
  }

  /** Send an edit behind those that are under way; resolves once it is answered. @type {<T>(send: () => Promise<T>) => Promise<T>} */
  inTurn = (send) => send();
  /** Whether edits of the kit are under way, or wait for their turn. */ isEditing = () => false;

  /** Post to the server as a form would; the answer swaps itself in. @param {Record<string, string | string[]>} values */
  post(url, values = {}) {
    const send = () => window.htmx.ajax("POST", url, { source: document.body, swap: "none", values });
    return url.startsWith(`/kits/${this.kit}/`) ? this.inTurn(send) : send();
  }

  /** Fetch a part of the page; a later call for the same place takes over. @returns {Promise<boolean>} whether it came */
  get(url, target, swap = "innerHTML") {
    return this.#fetching.get(url, target, swap);
  }

  /**
   * Show another view of the kit, as a link to it does: going back shows the one before. @param {string} url
   * @param {{ isNew?: boolean }} how not new: it takes the place of the one that is shown
   * @returns {Promise<boolean>} whether it came
   */
  async show(url, { isNew = true } = {}) {
    if (!(await this.get(url, "#view"))) return false;
    history.replaceState(ON_GOING_BACK, "", isNew ? location.href : url);
    if (isNew) history.pushState(ON_GOING_BACK, "", url);
    return true;
  }

  /** Select a pad; its card follows. @param {number} pad */
  select(pad, { scroll = true, delay = 0, more = false, range = false } = {}) {
    if (!pad) return;
    const before = this.pads.join();
    if (range && this.selected) this.pads = this.#between(this.pads.at(-1), pad);
    else if (more) this.pads = this.pads.includes(pad) ? this.pads.filter((other) => other !== pad) : [...this.pads, pad];
    else this.pads = [pad];
    if (!this.pads.length) this.pads = [pad];
    if (this.pads.join() === before) return;
    this.takes = [];
    if (scroll) this.#scrollTo = pad;
    this.mark();
    this.loadCard(delay);
  }

  /** Every pad of the sheet; the one selected first stays first. */
  selectAll() {
    const first = this.selected;
    this.pads = [...(first ? [first] : []), ...this.#order().filter((pad) => pad !== first)];
    this.takes = [];
    this.mark();
    this.loadCard(0);
  }

  /** The pads from one to another in the order of the sheet; the one selected first stays first. */
  #between(from, to) {
    return betweenWithFirst(this.#order(), { first: this.selected, from, to });
  }

  #order() {
    return [...new Set([...document.querySelectorAll(".row[data-pad], .pad[data-pad]")].map((row) => Number(row.dataset.pad)))];
  }

  /** Select the first of the pads that the last edit touched, unless one of them is selected. @returns {boolean} whether there is one */
  selectTouched() {
    if (!this.#touched.includes(this.selected)) this.select(this.#order().find((pad) => this.#touched.includes(pad)));
    return this.#touched.includes(this.selected);
  }

  /** Draw the card anew; not under the hands of a person who works in it, unless it was asked for there. */
  loadCard(delay = 0, { fromCard = delay === 0 } = {}) {
    clearTimeout(this.#cardTimer);
    this.#cardTimer = setTimeout(() => {
      if (this.#isInCard() && !fromCard) return;
      this.#isCardAskedThere = fromCard;
      this.get(`/kits/${this.kit}/card/`, "#card");
    }, delay);
  }

  #isInCard() {
    return document.getElementById("card").contains(document.activeElement);
  }

  /** An answer that comes when the focus has gone into the card meanwhile waits until it leaves: it would lose it. */
  #guardCard({ detail }) {
    const isLate = detail.target.id === "card" && detail.requestConfig.verb === "get" && !this.#isCardAskedThere && this.#isInCard();
    if (!isLate) return;
    detail.shouldSwap = false;
    document.getElementById("card").addEventListener("focusout", () => setTimeout(() => this.loadCard(0, { fromCard: false })), { once: true });
  }

  /** Move the selection along the sheet. */
  step(by, { range = false } = {}) {
    const order = this.#order();
    const at = range ? this.pads.at(-1) : this.selected;
    const next = order[Math.min(order.length - 1, Math.max(0, order.indexOf(at) + by))];
    this.select(next, { delay: 60, range });
    document.getElementById(`row-${next}`)?.focus({ preventScroll: true });
  }

  toggleSolo(pad) {
    if (pad && !this.#solo.delete(pad)) this.#solo.add(pad);
    this.#engine.setSolo([...this.#solo]);
    this.mark();
  }

  say(text, isWarning = false) {
    this.#saying.say(text, isWarning);
  }

  /** Show on freshly drawn rows, pads and takes what only the page knows: once before the page is next painted. */
  mark() {
    this.#frame ||= requestAnimationFrame(() => this.#mark());
  }

  #mark() {
    this.#frame = 0;
    const view = document.querySelector("#view > [data-view]")?.dataset.view;
    if (view) this.#body.dataset.shows = view;
    if (this.#scrollTo) document.getElementById(`row-${this.#scrollTo}`)?.scrollIntoView({ block: "nearest" });
    this.#scrollTo = null;
    for (const row of document.querySelectorAll(".row[data-pad]")) {
      const pad = Number(row.dataset.pad);
      row.setAttribute("aria-selected", String(this.pads.includes(pad)));
      row.tabIndex = pad === this.selected ? 0 : -1;
    }
    for (const pad of document.querySelectorAll(".pad[data-pad]"))
      pad.classList.toggle("selected", this.pads.includes(Number(pad.dataset.pad)));
    for (const take of document.querySelectorAll(".take[data-take]"))
      take.setAttribute("aria-selected", String(this.takes.includes(Number(take.dataset.take))));
    for (const button of document.querySelectorAll("[data-solo]"))
      button.setAttribute("aria-pressed", String(this.#solo.has(Number(button.dataset.solo))));
    document.getElementById("view")?.classList.toggle("soloing", this.#solo.size > 0);
    this.#saying.drawn();
    this.dispatchEvent(new Event("marked"));
  }

  #changed({ pads, touched, refused, ways }, source) {
    this.#touched = refused ? [] : touched;
    if (!refused || pads === null) this.#engine.loadPlaybook(pads, ways);
    if (ways) this.dispatchEvent(new Event("ways"));
    if (!refused) source.closest("#ask[open]")?.close(); // one that was opened since an edit was sent stays
  }

  #click(event) {
    const { target } = event;
    const solo = target.closest("[data-solo]");
    if (solo) return this.toggleSolo(Number(solo.dataset.solo));
    const tab = target.closest("[data-card-tab]");
    if (tab) this.#openTab(tab);
    const row = target.closest(".row[data-pad]");
    if (row && !tab && !target.closest("input, button")) {
      const how = { more: event.ctrlKey || event.metaKey, range: event.shiftKey };
      this.select(Number(row.dataset.pad), how);
    }
  }

  /** Open a tab of the card, for another pad where the button names one, with the focus on a field. */
  #openTab({ dataset }) {
    this.cardTab = dataset.cardTab;
    if (dataset.select) {
      this.pads = [Number(dataset.select)];
      this.mark();
    }
    this.loadCard();
    const field = dataset.focus ?? `card-tab-${dataset.cardTab}`;
    document.body.addEventListener("htmx:afterSettle", () => document.getElementById(field)?.focus(), { once: true });
  }

  #focused(target) {
    const row = target.closest(".row[data-pad]");
    if (row && !this.pads.includes(Number(row.dataset.pad))) this.select(Number(row.dataset.pad), { scroll: false, delay: 60 });
  }
}
