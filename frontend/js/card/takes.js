/** Takes on the card: selected and heard, and keyed from place to place. */
import { betweenWithFirst } from "../page/ranges.js";

const TAKES = "#card .take[data-take]";

const idOf = (element) => Number(element.dataset.take);
const isControl = (event) => event.ctrlKey || event.metaKey;

/** Where one take goes, or what becomes of it. @param {import("../page/session.js").Session} session */
export const takeUrl = (session, id, action) => `/kits/${session.kit}/takes/${id}/${action}/`;

/** @returns {(event: KeyboardEvent) => boolean} whether the key was one of a take's */
export function startTakes(session, engine) {
  document.addEventListener("click", (event) => {
    const take = event.target.closest?.(TAKES);
    if (take) {
      take.focus({ preventScroll: true });
      selectTake(session, take, { more: isControl(event), range: event.shiftKey });
      hear(take);
    }
    const layer = event.target.closest?.("[data-open-layer]");
    if (layer?.dataset.openLayer) {
      session.takes = [Number(layer.dataset.openLayer)];
      session.loadCard();
    }
  });

  const hear = (take) => engine.hearTake(session.selected, Number(take.dataset.number));
  const post = (take, action, values = {}) => session.post(takeUrl(session, idOf(take), action), values);

  function takeKey(event, take) {
    const { key, code, altKey, shiftKey } = event;
    if (altKey && (key === "ArrowUp" || key === "ArrowDown")) post(take, "move", { by: key === "ArrowUp" ? "-1" : "1" });
    else if (altKey && (key === "ArrowLeft" || key === "ArrowRight")) post(take, "move", { by: key === "ArrowLeft" ? "softer" : "louder" });
    else if (key === "ArrowUp" || key === "ArrowDown") walk(take, key === "ArrowUp" ? -1 : 1, shiftKey);
    else if (key === "Enter") hear(take);
    else if (key === "Delete" || key === "Backspace") post(take, "remove");
    else if (isControl(event) && (code === "KeyC" || code === "KeyX")) lift(take, code === "KeyC");
    else if (code === "KeyX" && !isControl(event)) post(take, "set/is_enabled", { value: take.classList.contains("off") ? "1" : "0" });
    else return false;
    return true;
  }

  function walk(take, by, range) {
    const all = /** @type {HTMLElement[]} */ ([...document.querySelectorAll(TAKES)]);
    const next = all[Math.min(all.length - 1, Math.max(0, all.indexOf(take) + by))];
    if (range && !session.takes.length) session.takes = [idOf(take)];
    next.focus();
    selectTake(session, next, { range });
    hear(next);
  }

  /** Takes on their way to another layer or pad. */
  function lift(take, isCopy) {
    if (!session.takes.includes(idOf(take))) session.takes = [idOf(take)];
    session.clipboard = { takes: session.takes, copy: isCopy ? "1" : "" };
    const count = session.takes.length;
    session.say(`${count} take${count > 1 ? "s" : ""} ${isCopy ? "copied" : "cut"}; Ctrl V puts ${count > 1 ? "them" : "it"} into the layer or onto the pad that has the focus.`);
  }

  function put(event) {
    const lifted = session.clipboard;
    if (!lifted || !isControl(event) || event.code !== "KeyV") return false;
    const layer = event.target.closest?.("#card li[data-layer]")?.dataset.layer;
    const pad = event.target.closest?.(".row[data-pad]")?.dataset.pad;
    if (!layer && !pad) return false;
    session.takes = lifted.takes; // the server moves what is selected
    session.post(takeUrl(session, lifted.takes[0], "move"), layer ? { layer, copy: lifted.copy } : { pad, copy: lifted.copy });
    if (!lifted.copy) session.clipboard = null;
    return true;
  }

  return (event) => {
    if (put(event)) return true;
    return event.target.matches?.(TAKES) ? takeKey(event, event.target) : false;
  };
}

/** Select a take alone, as one more, or with all up to it; the card opens one that is alone. */
export function selectTake(session, take, { more = false, range = false } = {}) {
  const id = idOf(take);
  if (range && session.takes.length) {
    const order = /** @type {HTMLElement[]} */ ([...document.querySelectorAll(TAKES)]).map(idOf);
    const [first] = session.takes;
    session.takes = betweenWithFirst(order, { first, from: first, to: id });
  } else if (more) session.takes = session.takes.includes(id) ? session.takes.filter((other) => other !== id) : [...session.takes, id];
  else session.takes = [id];
  session.mark();
  if (!more && !range) session.loadCard(120, { fromCard: true });
}
