/** A hand on a canvas: a press begins a gesture, which takes what the pointer does until it is let go; the wheel scrolls and zooms. */
export const DRAG_PX = 4; // further than this a press is a drag

/**
 * @typedef {{ move?: (x: number, y: number, event: PointerEvent) => void, up?: (event: PointerEvent) => void }} Gesture
 * @param {HTMLCanvasElement} canvas
 * @param {{ isReady: () => boolean, begin: (x: number, y: number, event: PointerEvent) => Gesture | null, cursorAt: (x: number, y: number) => string,
 *   ended: () => void, repaint: () => void, zoom: (by: number, x: number) => void, scroll: (x: number, y: number) => void, zoomStep: number }} does
 * @param {AbortSignal} signal ends it
 */
export function startHand(canvas, does, signal) {
  /** The gesture under way. @type {Gesture | null} */ let hold = null;
  const point = (event) => {
    const box = canvas.getBoundingClientRect();
    return [event.clientX - box.left, event.clientY - box.top];
  };
  const on = (name, act, options = {}) => canvas.addEventListener(name, act, { signal, ...options });

  on("pointerdown", (event) => {
    if (event.button || !does.isReady()) return;
    canvas.setPointerCapture(event.pointerId);
    canvas.focus({ preventScroll: true });
    const [x, y] = point(event);
    hold = does.begin(x, y, event);
    does.repaint();
  });
  on("pointermove", (event) => {
    const [x, y] = point(event);
    if (!hold) return void (canvas.style.cursor = does.cursorAt(x, y));
    hold.move?.(x, y, event);
    does.repaint();
  });
  for (const name of ["pointerup", "pointercancel"])
    on(name, (event) => {
      const done = hold;
      hold = null;
      if (name === "pointerup") done?.up?.(event);
      does.ended();
      does.repaint();
    });
  on(
    "wheel",
    (event) => {
      event.preventDefault();
      const [x] = point(event);
      if (event.ctrlKey || event.metaKey) does.zoom(event.deltaY > 0 ? does.zoomStep : 1 / does.zoomStep, x);
      else does.scroll(event.shiftKey ? event.deltaY : event.deltaX, event.shiftKey ? 0 : event.deltaY);
      does.repaint();
    },
    { passive: false },
  );
}
