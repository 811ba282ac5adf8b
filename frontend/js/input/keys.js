/** The computer keyboard: pads by physical position, and the keys listed under "?". */
import { keyVelocity } from "../sheet/surface.js";

const SOFT = 0.4;
const TYPING = "input:not([type=checkbox]):not([type=radio]), select, textarea";

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

  document.addEventListener("keydown", (event) => {
    const { code, key, target, repeat } = event;
    if (trying?.key(event)) return event.preventDefault();
    if (key === "Escape" && recorder?.isOn()) return recorder.end();
    if (key === "Escape" && editor?.key(event)) return event.preventDefault();
    if (key === "Escape" && !target.closest?.(TYPING) && first.some((use) => use(event))) return event.preventDefault();
    if (key === "Escape") return escape(event);
    const isTyping = target.closest?.(TYPING);
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
    if (isTyping || (code === "Space" && target.matches?.("[type=checkbox], [type=radio], summary"))) return;
    if (input && playPad(event)) return event.preventDefault();
    if (key === "?") return document.getElementById("keys").showModal();
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
    if (isControl && code === "KeyC" && !String(getSelection())) copySettings(session.selected);
    else if (isControl && code === "KeyV" && session.clipboard?.pad) session.post(url("paste"), { source: String(session.clipboard.pad) });
    else if (isControl && code === "KeyD") session.post(url("duplicate"));
    else if (altKey && target.closest?.(".row") && (key === "ArrowUp" || key === "ArrowDown")) session.post(url("move"), { by: key === "ArrowUp" ? "-1" : "1" });
    else return false;
    return true;
  }

  function copySettings(pad) {
    session.clipboard = { pad };
    session.say("Settings copied; Ctrl V gives them to the selected pads.");
    session.dispatchEvent(new Event("marked"));
  }
  document.addEventListener("click", ({ target }) => {
    const copy = target.closest?.("[data-copy-settings]");
    if (copy) copySettings(Number(copy.dataset.copySettings));
    const replace = target.closest?.("[data-replace-samples]");
    if (replace) session.post(replace.dataset.replaceSamples, { samples: shelf.picked().join(",") });
    const choice = target.closest?.("[data-post-choice]");
    if (choice) session.post(document.getElementById(choice.dataset.postChoice).value, { value: choice.dataset.value });
  });
  session.addEventListener("marked", () => {
    const paste = document.querySelector("[data-paste-settings]");
    if (!paste) return;
    const source = session.clipboard?.pad;
    paste.disabled = !source;
    if (source) paste.setAttribute("hx-vals", JSON.stringify({ source: String(source) }));
  });

  const held = new Map(); // key -> the pad it holds
  document.addEventListener("keyup", ({ code, timeStamp }) => {
    if (held.has(code)) input.release(held.get(code), timeStamp);
    held.delete(code);
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
    const field = event.target.closest?.(TYPING);
    if (field) {
      field.value = field.defaultValue ?? field.value;
      field.blur();
    }
    engine.silence();
    part?.stopped();
  }
}
