/** Paints the waveform of a take as take_view.js lays it out. */
const TALL = 0.94; // of the half height, a full sound
const FEW = [3, 8]; // with so many pixels for a column they are joined by a line, and each has a dot

/** @param {HTMLCanvasElement} canvas @param {import("./take_view.js").TakeView} view */
export function paintTake(canvas, view) {
  const context = canvas.getContext("2d");
  const style = getComputedStyle(document.documentElement);
  const ink = (name) => style.getPropertyValue(name).trim();
  const { width, height } = canvas;
  const x = (frame) => view.x(frame, width);
  context.clearRect(0, 0, width, height);
  context.fillStyle = ink("--paper-2");
  context.fillRect(x(view.start), 0, x(view.end) - x(view.start), height);
  for (const pairs of view.others) paintPairs(context, pairs, ink("--t1"), 0.45); // behind: seen where they differ
  paintPairs(context, view.pairs, ink("--ink"), 1);
  context.fillStyle = ink("--paper");
  context.globalAlpha = 0.65;
  context.fillRect(0, 0, x(view.start), height);
  context.fillRect(x(view.end), 0, width, height);
  context.globalAlpha = 1;
  paintEdges(context, view, ink);
}

/** Fades as lines that rise and fall, edges as lines, the one that keys move a thick one, and where it plays. */
function paintEdges(context, view, ink) {
  const { width, height } = context.canvas;
  const x = (frame) => view.x(frame, width);
  const line = (thick, ...points) => {
    context.lineWidth = thick * devicePixelRatio;
    context.beginPath();
    for (const [across, down] of points) context.lineTo(across, down);
    context.stroke();
  };
  const upright = (frame, thick) => line(thick, [x(frame), 0], [x(frame), height]);
  const perMs = view.rate / 1000;
  context.strokeStyle = ink("--ink");
  line(1, [x(view.start), height], [x(view.start + view.fadeIn * perMs), 2]);
  line(1, [x(view.end - view.fadeOut * perMs), 2], [x(view.end), height]);
  for (const edge of ["start", "end"]) upright(view[edge], edge === view.edge && document.activeElement === context.canvas ? 3 : 1.6);
  if (view.head === undefined) return;
  context.strokeStyle = ink("--sound");
  upright(view.head, 2);
}

/** @param {CanvasRenderingContext2D} context @param {Int8Array} pairs lowest and highest of each column, ±127 */
function paintPairs(context, pairs, colour, alpha) {
  const { width, height } = context.canvas;
  const columns = pairs.length / 2;
  const across = (n) => ((n + 0.5) / columns) * width;
  const down = (value) => height / 2 - (value / 127) * (height / 2) * TALL;
  const [joined, dotted] = FEW;
  context.globalAlpha = alpha;
  context.fillStyle = context.strokeStyle = colour;
  if (columns < width / joined) {
    context.lineWidth = devicePixelRatio;
    context.beginPath();
    for (let n = 0; n < columns; n++) context.lineTo(across(n), down(pairs[2 * n + 1]));
    context.stroke();
    for (let n = 0; n < columns && columns < width / dotted; n++) context.fillRect(across(n) - 2, down(pairs[2 * n + 1]) - 2, 4, 4);
  } else
    for (let n = 0; n < columns; n++) {
      const top = down(pairs[2 * n + 1]);
      context.fillRect((n / columns) * width, top, Math.max(1, width / columns), Math.max(1, down(pairs[2 * n]) - top));
    }
  context.globalAlpha = 1;
}
