/**
 * What a hand steps by keys is told once it rests: one edit for many steps. It is told at once before anything else is done,
 * so that nothing is lost by leaving, and an undo takes back what was stepped and not the edit before it.
 */
/** @type {Map<unknown, { timer: number, tell: () => void }>} */ const resting = new Map();
let isTelling = false;

/** Tell it after so many ms, in the place of what was to be told under this key. @param {unknown} key @param {() => void} tell */
export function tellLater(key, ms, tell) {
  forget(key);
  resting.set(key, { tell, timer: setTimeout(() => tellNow(key), ms) });
}

/** It is not to be told after all. */
export function forget(key) {
  clearTimeout(resting.get(key)?.timer);
  return resting.delete(key);
}

/** @returns {boolean} whether there was something to tell under this key */
export function tellNow(key) {
  const rest = resting.get(key);
  forget(key);
  const wasTelling = isTelling;
  isTelling = true;
  rest?.tell();
  isTelling = wasTelling;
  return Boolean(rest);
}

export const isResting = (key) => resting.has(key);

export const isAnyResting = () => resting.size > 0;

/** In the order in which it was stepped: what is told just now is asked of the server too, and nothing goes ahead of it. */
export function tellAllNow() {
  if (isTelling) return;
  for (const key of [...resting.keys()]) tellNow(key);
}

/** Whatever else is asked of the server, and undo by its key, comes behind what rests. */
export function startResting() {
  document.addEventListener("htmx:confirm", tellAllNow, { capture: true });
  document.addEventListener("keydown", ({ code, ctrlKey, metaKey }) => (ctrlKey || metaKey) && ["KeyZ", "KeyY"].includes(code) && tellAllNow(), { capture: true });
  document.addEventListener("pointerdown", tellAllNow, { capture: true });
}
