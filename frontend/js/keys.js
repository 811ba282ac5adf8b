/** The computer keyboard: pads by physical position, and the keys listed under "?". */
import { keyVelocity } from "./surface.js";

const SOFT = 0.4;
const TYPING = "input:not([type=checkbox]):not([type=radio]), select, textarea";

export function startKeys({ session, engine, input, part, shelf }) {
  const commands = {
    Space: () => part?.toggle(),
    KeyY: () => session.sweep?.(),
    KeyB: () => shelf.toggle(),
    Slash: ({ shiftKey }) => (shiftKey ? document.getElementById("keys").showModal() : shelf.search()),
    KeyM: () => document.getElementById(`mute-${session.selected}`)?.click(),
    KeyN: () => session.toggleSolo(session.selected),
    BracketLeft: () => session.showBank?.(-1),
    BracketRight: () => session.showBank?.(1),
  };

  document.addEventListener("keydown", (event) => {
    const { code, key, target, repeat } = event;
    if (key === "Escape") return escape(event);
    const isTyping = target.closest?.(TYPING);
    if ((event.ctrlKey || event.metaKey) && code === "KeyZ" && !isTyping) {
      event.preventDefault();
      document.getElementById(event.shiftKey ? "redo" : "undo")?.click();
      return;
    }
    if (target.closest?.("#samples") && shelf.key(event)) return event.preventDefault();
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

  const held = new Map(); // key -> the pad it holds
  document.addEventListener("keyup", ({ code }) => {
    if (held.has(code)) input.release(held.get(code));
    held.delete(code);
  });

  function playPad({ code, shiftKey, repeat }) {
    const pad = document.querySelector(`#surface .bank:not([hidden]) .pad[data-code="${code}"]`);
    if (!pad) return false;
    if (repeat || "empty" in pad.dataset) return true;
    held.set(code, Number(pad.dataset.pad));
    input.pad(Number(pad.dataset.pad), keyVelocity() * (shiftKey ? SOFT : 1), "key");
    return true;
  }

  function onRow(event) {
    const moves = { ArrowDown: 1, ArrowUp: -1, PageDown: 8, PageUp: -8, Home: -1000, End: 1000 };
    if (event.key in moves) session.step(moves[event.key]);
    else if (event.key === "Enter") document.querySelector("#card input, #card button")?.focus();
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
