/** What the tests of single scripts stand on: cases with a name, comparisons that say what they met, and stand-ins. */

/** @type {[name: string, run: () => unknown][]} */ const cases = [];

/** @param {string} name one fact @param {() => unknown} run throws, at once or later, where it is none */
export const test = (name, run) => void cases.push([name, run]);

/** Of all cases that were named, in their order. @returns {Promise<[name: string, problem: string][]>} */
export async function outcomes() {
  /** @type {[name: string, problem: string][]} */ const all = [];
  for (const [name, run] of cases) {
    document.body.replaceChildren();
    timers.clear();
    try {
      await run();
      all.push([name, ""]);
    } catch (problem) {
      all.push([name, problem.stack]);
    }
  }
  return all;
}

const shown = (value) => JSON.stringify(value, (_, one) => (one instanceof Map || one instanceof Set ? [...one] : one === undefined ? "undefined" : one));

export function equal(is, wanted, what = "") {
  if (shown(is) !== shown(wanted)) throw new Error(`${what}\n  is     ${shown(is)}\n  wanted ${shown(wanted)}`);
}

export function near(is, wanted, within, what = "") {
  if (!(Math.abs(is - wanted) <= within)) throw new Error(`${what}\n  is     ${is}\n  wanted ${wanted} ± ${within}`);
}

/** Something of which all calls are noted: `calls` has [name, ...arguments]. @param {object} known what it has itself */
export function noting(known = {}) {
  const calls = [];
  const stand = (name) => (...given) => void calls.push([name, ...given]);
  return new Proxy(known, { get: (of, name) => (name === "calls" ? calls : name in of ? of[name] : stand(name)) });
}

/** The same of something that fires events: they are real. */
export function notingTarget(known = {}) {
  const events = new EventTarget();
  const real = ["addEventListener", "dispatchEvent"].map((name) => [name, events[name].bind(events)]);
  return noting(Object.assign(known, Object.fromEntries(real)));
}

/** The calls of one name, without it, and forgets them. */
export function taken(noted, name) {
  const found = noted.calls.filter(([called]) => called === name).map(([, ...given]) => given);
  noted.calls.splice(0, noted.calls.length, ...noted.calls.filter(([called]) => called !== name));
  return found;
}

/** A canvas at the page's corner, so that its pixels are the page's. */
export function canvasAt(width, height) {
  const canvas = Object.assign(document.createElement("canvas"), { width, height, tabIndex: 0 });
  canvas.style.cssText = `position: fixed; left: 0; top: 0; width: ${width}px; height: ${height}px`;
  canvas.setPointerCapture = () => {};
  document.body.append(canvas);
  return canvas;
}

/** A press at the first of some points, a way through the others, and the end at the last. @param {number[][]} points */
export function drag(canvas, points, keys = {}) {
  const send = (kind, /** @type {number[]} */ [clientX, clientY]) => canvas.dispatchEvent(new PointerEvent(kind, { bubbles: true, clientX, clientY, ...keys }));
  send("pointerdown", points[0]);
  for (const point of points.slice(1)) send("pointermove", point);
  send("pointerup", points.at(-1));
}

/** A key pressed where the focus is. @param {string} chord such as "Control+Shift+KeyZ" */
export function press(chord, key = "", on = document.activeElement) {
  const code = chord.split("+").at(-1);
  const held = { ctrlKey: chord.includes("Control+"), shiftKey: chord.includes("Shift+"), altKey: chord.includes("Alt+") };
  const event = new KeyboardEvent("keydown", { bubbles: true, cancelable: true, code, key: key || code, ...held });
  on.dispatchEvent(event);
  return event;
}

/** What a person clicks, types or moves at, as it comes to the page. */
export const pointer = (kind, on, more = {}) => on.dispatchEvent(new PointerEvent(kind, { bubbles: true, cancelable: true, isPrimary: true, ...more }));

// Time goes only where a test lets it: timers come due in their order, however busy the machine is.

const breath = ((wait) => () => new Promise((resolve) => wait(resolve)))(window.setTimeout.bind(window));
/** @type {Map<number, { at: number, act: () => void }>} */ const timers = new Map();
let now = 0;
let lastTimer = 1e6; // above the browser's own
window.setTimeout = /** @type {any} */ ((act, ms = 0, ...given) => {
  timers.set(++lastTimer, { at: now + Math.max(0, ms), act: () => act(...given) });
  return lastTimer;
});
window.clearTimeout = (id) => void timers.delete(/** @type {number} */ (id));

/** All that is under way is done, and what comes due within so many ms. */
export async function settled(ms = 0) {
  const until = now + ms;
  await breath();
  for (let due = nextTimer(until); due; due = nextTimer(until)) {
    const [id, { at, act }] = due;
    timers.delete(id);
    now = Math.max(now, at);
    act();
    await breath();
  }
  now = Math.max(now, until);
}

const nextTimer = (until) => [...timers].filter(([, { at }]) => at <= until).sort(([a, one], [b, other]) => one.at - other.at || a - b)[0];
