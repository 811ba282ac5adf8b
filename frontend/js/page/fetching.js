/** Parts of the page that are fetched: a later call for a place takes over, and no answer is lost since its source was drawn anew. */
const ASIDE_MS = 1000;

export class Fetching {
  #body;
  #sources = new Map();

  /** @param {HTMLElement} body */
  constructor(body) {
    this.#body = body;
    body.addEventListener("htmx:beforeSend", ({ detail: { xhr, elt, target, requestConfig } }) => {
      if (target === elt && requestConfig.verb === "get") return; // what it looked for itself goes with it
      // Before htmx looks at the answer: events of a source that was drawn anew meanwhile would not come here.
      xhr.addEventListener("readystatechange", () => xhr.readyState === XMLHttpRequest.DONE && this.#keepInPage(elt));
    });
    // A request that another took over from, or that the page's end cut short, is rejected with nothing: its events told.
    window.addEventListener("unhandledrejection", (event) => event.reason === undefined && event.preventDefault());
  }

  /**
   * Fetch a part of the page. A later call for the same place takes over from an earlier one, and none waits for another:
   * each place has a source of its own, where htmx keeps the requests of one source in line.
   * @returns {Promise<boolean>} whether it came
   */
  get(url, target, swap = "innerHTML") {
    if (!this.#sources.has(target)) {
      const source = document.createElement("i");
      source.hidden = true;
      source.setAttribute("hx-sync", "this:replace");
      this.#body.append(source);
      this.#sources.set(target, source);
    }
    const answer = window.htmx.ajax("GET", url, { source: this.#sources.get(target), target, swap });
    return answer.then(
      () => true,
      () => false,
    );
  }

  /**
   * An answer is laid out by where its source stands: one whose source was drawn anew meanwhile would be lost but for its
   * main part. Such a source is put aside, without name and content.
   */
  #keepInPage(source) {
    if (!source || source.isConnected) return;
    source.removeAttribute("id");
    source.replaceChildren();
    source.hidden = true;
    this.#body.append(source);
    setTimeout(() => source.remove(), ASIDE_MS);
  }
}
