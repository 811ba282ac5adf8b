/** What the page says of itself: the last sentence, for a while; that something takes long; whether sound is on. */
const SLOW_MS = 300;
const SHOWN_MS = 4000;
const WARNED_MS = 12_000;

export class Saying {
  #body;
  #timer = 0;
  /** What says it, as it was shown last. @type {HTMLElement | null} */ #shown = null;
  #slow = new Set();

  /** @param {HTMLElement} body whose requests are told of where they fail */
  constructor(body) {
    this.#body = body;
    body.addEventListener("htmx:sendError", () => this.say("The server does not answer. Is it running? Nothing was changed.", true));
    body.addEventListener("htmx:responseError", ({ detail }) => this.say(detail.xhr.responseText.slice(0, 300), true));
    body.addEventListener("htmx:afterRequest", ({ detail }) => this.#sayRefusal(detail.xhr));
  }

  say(text, isWarning = false) {
    const status = document.getElementById("status");
    if (!status) return;
    status.textContent = text;
    status.classList.toggle("warning", isWarning);
    this.#fade(status);
  }

  /** An answer may have drawn the sentence anew. */
  drawn() {
    const status = document.getElementById("status");
    if (status?.textContent && status !== this.#shown) this.#fade(status);
  }

  /** A refusal that is a sentence alone, with nothing to be drawn. */
  #sayRefusal(xhr) {
    if (xhr?.status !== 422 || !xhr.getResponseHeader("Content-Type")?.startsWith("text/plain")) return;
    this.say(xhr.responseText.slice(0, 300), true);
  }

  #fade(status) {
    this.#shown = status;
    status.classList.add("shown");
    clearTimeout(this.#timer);
    this.#timer = setTimeout(() => status.classList.remove("shown"), status.classList.contains("warning") ? WARNED_MS : SHOWN_MS);
  }

  /** What takes longer than a blink shows that it is under way. @param {XMLHttpRequest} request */
  waitFor(request) {
    const timer = setTimeout(() => {
      this.#slow.add(request);
      this.#body.classList.add("busy");
    }, SLOW_MS);
    request.addEventListener("loadend", () => {
      clearTimeout(timer);
      this.#slow.delete(request);
      this.#body.classList.toggle("busy", this.#slow.size > 0);
    });
  }

  /** @param {{ state: string, rate: number }} engine */
  showSound({ state, rate }) {
    const place = document.getElementById("sound-state");
    if (!place) return;
    const isOn = state === "running";
    place.textContent = isOn ? `Sound on · ${rate / 1000} kHz` : "Sound is off: press any key";
    this.#body.classList.toggle("sound-off", !isOn);
  }
}
