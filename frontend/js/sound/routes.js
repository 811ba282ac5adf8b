/**
 * Where outputs leave a device of many channels: each to a pair, or to one channel, or with the main mix. Pure; channels count
 * from 0. @typedef {[first: number, count: 1 | 2]} Route
 */
export const MOST_CHANNELS = 32;
/** @type {Route} */ export const MAIN = [0, 2];

/** What can be chosen on a device of so many channels: pairs first, then single ones. @returns {Route[]} */
export function offered(channels) {
  const pairs = Array.from({ length: channels >> 1 }, (_, n) => /** @type {Route} */ ([2 * n, 2]));
  return [...pairs, ...Array.from({ length: channels }, (_, n) => /** @type {Route} */ ([n, 1]))];
}

/** @param {Route} route */
export const named = ([first, count]) => (count === 2 ? `${first + 1}–${first + 2}` : String(first + 1));

/** @param {string} name as `named` says it @returns {Route | null} */
export function routeOf(name) {
  const found = /^(\d+)(–(\d+))?$/.exec(name ?? "");
  return found ? [Number(found[1]) - 1, found[3] ? 2 : 1] : null;
}

/** The routes of outputs by their names that a device has room for; the others leave with the main mix. @param {Record<string, string>} chosen */
export function fitting(names, chosen, channels) {
  const routes = names.map((name) => routeOf(chosen[name]));
  return routes.map((route) => (route && route[0] + route[1] <= channels ? route : null));
}

/**
 * Add a pair of sides to where a route leads: both to a pair, their mean to one channel.
 * @param {Float32Array[]} channels @param {Route} route @param {Float32Array[]} sides @param {number} frames
 */
export function send(channels, [first, count], sides, frames) {
  const [left, right] = sides;
  if (count === 2)
    for (let i = 0; i < frames; i++) {
      channels[first][i] += left[i];
      channels[first + 1][i] += right[i];
    }
  else for (let i = 0; i < frames; i++) channels[first][i] += (left[i] + right[i]) / 2;
}
