/**
 * Edits of parts and recordings go to the server one after another. What is asked of it about them meanwhile, by a
 * quick hand, goes once they are there: it is asked of what the page shows.
 */
const underWay = new Set();

export class Sending {
  #last = Promise.resolve();

  /** Send once all that came before is answered. @template T @param {() => Promise<T>} send @returns {Promise<T>} */
  next(send) {
    const answered = this.#last.then(send, send);
    this.#last = answered.then(() => {}, () => {}); // prettier-ignore
    underWay.add(answered);
    this.#last.then(() => underWay.delete(answered));
    return answered;
  }
}

/** @returns {Promise<Response | null>} null where the server was not reached */
export function post(url, values, headers = {}) {
  const own = JSON.parse(document.body.getAttribute("hx-headers"));
  return fetch(url, {
    method: "POST",
    body: JSON.stringify(values),
    headers: { ...own, ...headers, Accept: "application/json", "Content-Type": "application/json" },
  }).catch(() => null);
}

export const isSending = () => underWay.size > 0;

/** Resolves once all edits that are under way are answered. */
export const allSent = () => Promise.allSettled([...underWay]);

export function startSending() {
  document.body.addEventListener("htmx:confirm", (event) => {
    const { verb, path, issueRequest } = /** @type {CustomEvent} */ (event).detail;
    if (!underWay.size || verb !== "post" || path.startsWith("/kits/")) return; // edits of kits have an order of their own
    event.preventDefault();
    allSent().then(() => issueRequest(true));
  });
}
