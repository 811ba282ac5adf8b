/** What the page tells with its requests beside their values: the names that `dactyl/web/headers.py` reads, from one table. */
import TABLE from "../../headers.json" with { type: "json" };

/** @param {keyof typeof TABLE} name */
export const header = (name) => TABLE[name][0];

/** Values by their names in the table; what is undefined is not told. @param {Partial<Record<keyof typeof TABLE, string | number>>} values */
export const asHeaders = (values) =>
  Object.fromEntries(Object.entries(values).flatMap(([name, value]) => (value === undefined ? [] : [[header(/** @type {any} */ (name)), String(value)]])));
