/**
 * A press of a button, link or choice of a list is kept when an answer draws it anew between going down and coming up: the browser tells
 * no click of an element that is gone, so its successor, the one of the same id in the same place, is clicked.
 */
const PRESSED = "a[id], button[id], [role=option][id]";

export function startPresses() {
  let pressed = null;
  document.addEventListener("pointerdown", ({ target, button, isPrimary }) => (pressed = isPrimary && button === 0 ? target.closest?.(PRESSED) : null), { capture: true });
  document.addEventListener("pointercancel", () => (pressed = null), { capture: true });
  document.addEventListener(
    "pointerup",
    ({ target, shiftKey, ctrlKey, metaKey }) => {
      const before = pressed;
      pressed = null;
      const now = before && !before.isConnected && target.closest?.(PRESSED);
      if (now && now.id === before.id) now.dispatchEvent(new MouseEvent("click", { bubbles: true, cancelable: true, shiftKey, ctrlKey, metaKey }));
    },
    { capture: true },
  );
}
