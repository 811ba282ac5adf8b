/**
 * What a quick hand has made of things that the page shows only once the server has answered: its next step goes on from
 * there, so that a key that is held down loses none.
 * @template V
 */
export class Ahead {
  /** @type {Map<unknown, { value: V }>} */ #steps = new Map();

  /** What `key` will be once all is answered, else what is shown. @param {unknown} key @param {V} shown */
  of(key, shown) {
    return this.#steps.get(key)?.value ?? shown;
  }

  /** What is not answered yet. */
  keys() {
    return [...this.#steps.keys()];
  }

  /** @param {unknown} key @param {V} value @param {Promise<unknown>} answered when the server has it, or has refused it */
  async put(key, value, answered) {
    const step = { value }; // of equal values each is a step of its own: an earlier one's end is not the later one's
    this.#steps.set(key, step);
    await answered.catch(() => {});
    if (this.#steps.get(key) === step) this.#steps.delete(key);
  }
}
