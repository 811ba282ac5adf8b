/**
 * What a quick hand has made of things that the page shows only once the server has answered: its next step goes on from
 * there, so that a key that is held down loses none.
 * @template V
 */
export class Ahead {
  /** @type {Map<unknown, V>} */ #values = new Map();

  /** What `key` will be once all is answered, else what is shown. @param {unknown} key @param {V} shown */
  of(key, shown) {
    return this.#values.get(key) ?? shown;
  }

  /** @param {unknown} key @param {V} value @param {Promise<unknown>} answered when the server has it, or has refused it */
  async put(key, value, answered) {
    this.#values.set(key, value);
    await answered.catch(() => {});
    if (this.#values.get(key) === value) this.#values.delete(key);
  }
}
