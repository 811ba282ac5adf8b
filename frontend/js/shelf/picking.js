/** Samples that are selected on the shelf: by press, by keys, or all that a search finds, those not drawn yet too. */
import { between } from "../page/ranges.js";

const ABOUT_MS = 180; // after the last step what is known of a sample is fetched
const NONE = "Click to hear; Shift or Ctrl for several";

const box = (id) => document.getElementById(id);

export class Picking {
  /** The sample the keyboard is at. @type {number | null} */ at = null;
  #session;
  #engine;
  /** @type {Set<number>} */ #picked = new Set();
  /** Where selecting with Shift began. @type {number | null} */ #anchor = null;
  /** May take over what happens at a sample. @type {((sample: number) => boolean)[]} */ #walkers = [];
  #aboutTimer = 0;
  /** Under way. @type {Promise<void> | null} */ #finding = null;
  #choices = 0; // how often something was selected

  constructor(session, engine) {
    this.#session = session;
    this.#engine = engine;
  }

  get count() {
    return this.#picked.size;
  }

  has(id) {
    return this.#picked.has(id);
  }

  /** @param {(sample: number) => boolean} walk true where it took over */
  onWalk(walk) {
    this.#walkers.push(walk);
  }

  /** Samples of the list, as far as it is drawn. */
  get #drawn() {
    return /** @type {HTMLElement[]} */ ([...box("samples").querySelectorAll(".sample")]).map(({ dataset }) => Number(dataset.sample));
  }

  /** Those selected, as they stand in the list; behind them those that it does not show. */
  get inListOrder() {
    const order = new Map(this.#drawn.map((id, place) => [id, place]));
    const place = (id) => order.get(id) ?? Infinity;
    return [...this.#picked].sort((a, b) => place(a) - place(b) || 0);
  }

  pick(id, { more = false, range = false, hear = true } = {}) {
    this.#choices++;
    const drawn = this.#drawn;
    if (range && drawn.includes(this.#anchor)) {
      if (!more) this.#picked.clear();
      for (const each of between(drawn, this.#anchor, id)) this.#picked.add(each);
    } else {
      if (!more) this.#picked = new Set([id]);
      else if (!this.#picked.delete(id)) this.#picked.add(id);
      this.#anchor = id;
    }
    this.at = id;
    this.show();
    box(`sample-${id}`)?.scrollIntoView({ block: "nearest" });
    if (hear && !this.#walkers.some((walk) => walk(id))) this.#engine.hear(id);
    clearTimeout(this.#aboutTimer);
    this.#aboutTimer = setTimeout(() => this.#session.get(`/shelf/samples/${id}/`, "#about"), ABOUT_MS);
  }

  /** Along the list; to its first where the keyboard is nowhere in it. @returns {boolean} whether there is a list */
  step(by, { range = false } = {}) {
    const drawn = this.#drawn;
    if (!drawn.length) return false;
    const place = drawn.indexOf(this.at);
    this.pick(drawn[place < 0 ? 0 : Math.min(drawn.length - 1, Math.max(0, place + by))], { range });
    return true;
  }

  /** Go to the list; where the keyboard is nowhere in it, to its first. */
  enter() {
    box("samples").focus();
    if (!this.#drawn.includes(this.at)) this.step(0);
  }

  /** Every sample that the search finds, or all that an import brought. */
  all(batch = "") {
    const finding = this.#find(batch).finally(() => finding === this.#finding && (this.#finding = null));
    return (this.#finding = finding);
  }

  /** Do something with what is selected: at once, or when all that was asked for is. @template T @param {() => T} act @returns {T | Promise<T>} */
  whenSettled(act) {
    return this.#finding ? this.#finding.then(act) : act();
  }

  async #find(batch) {
    const number = ++this.#choices;
    const query = batch ? `import=${batch}` : new URLSearchParams(/** @type {any} */ (new FormData(/** @type {HTMLFormElement} */ (box("shelf-find")))));
    const answer = await fetch(`/shelf/found/?${query}`).catch(() => null);
    if (!answer?.ok) return this.#session.say("The server does not answer, so not all could be selected. Try again.", true);
    const { samples } = await answer.json();
    if (number !== this.#choices) return; // something else was selected meanwhile
    this.#picked = new Set(samples);
    this.at ??= [...this.#picked][0] ?? null;
    this.show();
  }

  clear() {
    this.#choices++;
    this.#picked.clear();
    this.at = null;
    this.show();
  }

  /** Mark what is selected, and offer what can be done with it. */
  show() {
    for (const option of /** @type {NodeListOf<HTMLElement>} */ (box("samples").querySelectorAll(".sample"))) {
      const id = Number(option.dataset.sample);
      option.setAttribute("aria-selected", String(this.has(id)));
      option.classList.toggle("at", id === this.at);
    }
    const { count } = this;
    const isInKit = Boolean(this.#session.kit);
    const isAway = box("shelf-which").value === "away";
    box("samples").setAttribute("aria-activedescendant", this.at ? `sample-${this.at}` : "");
    box("picked").textContent = count ? `${count} selected` : NONE;
    for (const ways of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll("#shelf :is(.set-kind, .away-ways)"))) ways.hidden = !count;
    box("put-away").hidden = isAway;
    box("bring-back").hidden = box("delete-picked").hidden = !isAway;
    box("give-picked").hidden = !count || !isInKit;
    box("stack-picked").hidden = count < (isInKit ? 2 : 1);
  }
}
