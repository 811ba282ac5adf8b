/** The computer keyboard: pads by physical position, and the keys listed under "?". */
import { typedInto } from "../page/fields.js";
import { keyVelocity } from "../sheet/surface.js";

const SOFT = 0.4;
const COPIED = "copied-pads"; // in the browser's storage, so that other kits' tabs know of it

/** @param {object} page what there is on it; `first` are asked for every key before the rest, each true where it used one */
export function startKeys({ session, engine, input, part, shelf, sheet, trying, recorder, editor, first = [] }) {
  const commands = {
    Space: () => part?.toggle(),
    KeyY: () => session.sweep?.(),
    KeyB: () => shelf.toggle(),
    Slash: ({ shiftKey }) => (shiftKey ? document.getElementById("keys").showModal() : shelf.search()),
    KeyG: () => sheet?.jump(),
    KeyM: () => document.getElementById(`mute-${session.selected}`)?.click(),
    KeyN: () => session.toggleSolo(session.selected),
    KeyT: () => trying?.begin(),
    KeyX: () => recorder?.begin(),
    KeyC: () => document.getElementById("click")?.click(),
    BracketLeft: () => session.showBank?.(-1),
    BracketRight: () => session.showBank?.(1),
  };

  let isTabbed = false; // whether the focus was led by Tab to where it is: Space presses there what it stands on, else it plays
  document.addEventListener("pointerdown", () => (isTabbed = false), { capture: true });
  const isForFocus = (target) => target.matches?.("[type=checkbox], [type=radio], summary") || (isTabbed && target.matches?.("button, [role=button]"));

  document.addEventListener("keydown", (event) => {
    const { code, key, target, repeat } = event;
    if (key === "Tab") isTabbed = true;
    if (trying?.key(event)) return event.preventDefault();
    if (key === "Escape" && recorder?.isOn()) return recorder.end();
    if (key === "Escape" && editor?.key(event)) return event.preventDefault();
    if (key === "Escape" && !typedInto(target) && first.some((use) => use(event))) return event.preventDefault();
    if (key === "Escape") return escape(event);
    const isTyping = typedInto(target);
    const isTyped = isTyping && target.value !== target.defaultValue; // its own undo comes first
    if (!isTyped && !isTyping && !document.querySelector("dialog[open]") && editor?.key(event)) return event.preventDefault();
    if ((event.ctrlKey || event.metaKey) && code === "KeyZ" && !isTyped) {
      event.preventDefault();
      document.getElementById(event.shiftKey ? "redo" : "undo")?.click();
      return;
    }
    if (target.closest?.("#samples") && shelf.key(event)) return event.preventDefault();
    if (!isTyping && first.some((use) => use(event))) return event.preventDefault();
    if (!isTyping && session.kit && withControl(event)) return event.preventDefault();
    if (event.ctrlKey || event.metaKey || event.altKey || document.querySelector("dialog[open]")) return;
    if (isTyping || (code === "Space" && isForFocus(target))) return;
    if (input && playPad(event)) return event.preventDefault();
    if (commands[code] && !repeat) {
      event.preventDefault();
      return commands[code](event);
    }
    if (target.closest?.(".row[data-pad]") === target || target === document.body) onRow(event);
  });

  /** Copy, paste and duplicate the selected pad, and move its piece. */
  function withControl({ code, key, ctrlKey, metaKey, altKey, target }) {
    const isControl = ctrlKey || metaKey;
    const url = (action) => `/kits/${session.kit}/pads/${session.selected}/${action}/`;
    if (document.querySelector("dialog[open]") || !session.selected) return false;
    if (isControl && code === "KeyC" && !String(getSelection())) copyPads(session.pads);
    else if (isControl && code === "KeyV" && copied()) paste(url("paste"));
    else if (isControl && code === "KeyD") session.post(url("duplicate"));
    else if (isControl && code === "KeyA" && document.querySelector(".sheet")) session.selectAll();
    else if (altKey && target.closest?.(".row") && (key === "ArrowUp" || key === "ArrowDown")) session.post(url("move"), { by: key === "ArrowUp" ? "-1" : "1" });
    else return false;
    return true;
  }

  /** The pads that were copied last, in this tab or another, and their kit. @returns {{ kit: string, pads: number[] } | null} */
  const copied = () => JSON.parse(localStorage.getItem(COPIED) ?? "null");

  function copyPads(pads) {
    session.clipboard = null;
    localStorage.setItem(COPIED, JSON.stringify({ kit: session.kit, pads }));
    const what = pads.length > 1 ? `${pads.length} pads` : "The pad";
    session.say(`${what} copied. Ctrl V here gives the ${pads.length > 1 ? "first one's " : ""}settings to the selected pads; in another kit it brings ${pads.length > 1 ? "them" : "it"} there.`);
    session.dispatchEvent(new Event("marked"));
  }

  /** Here the settings of the first, in another kit the pads themselves. @param {string} url of pasted settings */
  function paste(url) {
    const { kit, pads } = copied();
    if (kit === session.kit) session.post(url, { source: String(pads[0]) });
    else session.post(`/kits/${session.kit}/pieces/add/`, { pads: pads.join(",") });
  }
  document.addEventListener("click", ({ target }) => {
    const copy = target.closest?.("[data-copy-settings]");
    if (copy) copyPads([Number(copy.dataset.copySettings)]);
    const pasted = target.closest?.("[data-paste]");
    if (pasted) paste(pasted.dataset.paste);
    const replace = target.closest?.("[data-replace-samples]");
    if (replace) session.post(replace.dataset.replaceSamples, { samples: shelf.picked().join(",") });
    const choice = target.closest?.("[data-post-choice]");
    if (choice) session.post(document.getElementById(choice.dataset.postChoice).value, { value: choice.dataset.value });
  });
  const markPaste = () => {
    const button = /** @type {HTMLButtonElement} */ (document.querySelector("[data-paste]"));
    if (!button) return;
    const held = copied();
    button.disabled = !held;
    button.firstChild.textContent = held && held.kit !== session.kit ? "Paste from another kit " : "Paste settings ";
  };
  session.addEventListener("marked", markPaste);
  window.addEventListener("storage", markPaste);

  const held = new Map(); // key -> the pad it holds
  document.addEventListener("keyup", ({ code, timeStamp }) => {
    if (held.has(code)) input.release(held.get(code), timeStamp);
    held.delete(code);
  });
  window.addEventListener("blur", ({ timeStamp }) => {
    for (const pad of held.values()) input?.release(pad, timeStamp); // their keys come up where this page hears nothing of it
    held.clear();
  });

  function playPad({ code, shiftKey, repeat, timeStamp }) {
    const pad = document.querySelector(`#surface .bank:not([hidden]) .pad[data-code="${code}"]`);
    if (!pad) return false;
    if (repeat || "empty" in pad.dataset) return true;
    held.set(code, Number(pad.dataset.pad));
    input.pad(Number(pad.dataset.pad), keyVelocity() * (shiftKey ? SOFT : 1), "key", timeStamp);
    return true;
  }

  function onRow(event) {
    const moves = { ArrowDown: 1, ArrowUp: -1, PageDown: 8, PageUp: -8, Home: -1000, End: 1000 };
    if (event.key in moves) session.step(moves[event.key], { range: event.shiftKey });
    else if (event.key === "Enter") document.querySelector("#card [role=tab][aria-selected=true], #card input, #card button")?.focus();
    else if (event.key === "Delete") document.getElementById("clear-pad")?.click();
    else return;
    event.preventDefault();
  }

  function escape(event) {
    if (document.querySelector("dialog[open]")) return; // the dialog closes by itself
    const field = typedInto(event.target);
    if (field) {
      field.value = field.defaultValue ?? field.value;
      field.blur();
    }
    engine.silence();
    part?.stopped();
  }
}
