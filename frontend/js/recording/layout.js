/** Where the tracks of a recording, their hits and thresholds stand on the canvas. Pure; in CSS pixels and seconds. */
export const RULER = 34;
export const FLOOR_DB = -66;
const ROWS = [46, 132]; // how low and how high a track may be
const REACH = 5;
const HANDLE = 64; // width of the place at the left where a threshold is taken hold of

export class RecordingView {
  left = 0; // seconds at the left edge
  secondsPerPixel = 0.1;
  top = 0;
  rowHeight = 80;
  width = 800;
  height = 500;
  seconds = 1;

  x(time) {
    return (time - this.left) / this.secondsPerPixel;
  }

  time(x) {
    return this.left + x * this.secondsPerPixel;
  }

  arrange(count) {
    const [low, high] = ROWS;
    this.rowHeight = Math.max(low, Math.min(high, Math.floor((this.height - RULER) / Math.max(1, count))));
    this.scrollRows(0, count);
  }

  foot(row) {
    return RULER - this.top + (row + 1) * this.rowHeight - 1;
  }

  rowAt(y) {
    return Math.floor((y - RULER + this.top) / this.rowHeight);
  }

  /** Height of a level over the foot of its row. */
  rise(level) {
    return Math.max(0, Math.min(1, 1 - level / FLOOR_DB)) * (this.rowHeight - 8);
  }

  levelAt(y, row) {
    return Math.max(FLOOR_DB, Math.min(0, FLOOR_DB * (1 - (this.foot(row) - y) / (this.rowHeight - 8))));
  }

  zoom(factor, x) {
    const time = this.time(x);
    this.secondsPerPixel = Math.min(this.seconds / Math.max(100, this.width - 20), Math.max(2e-5, this.secondsPerPixel * factor));
    this.scrollTo(time - x * this.secondsPerPixel);
  }

  fit() {
    this.secondsPerPixel = this.seconds / Math.max(100, this.width - 20);
    this.left = 0;
  }

  scrollTo(left) {
    this.left = Math.max(0, Math.min(left, this.seconds - (this.width - 20) * this.secondsPerPixel));
  }

  scrollRows(by, count) {
    this.top = Math.max(0, Math.min(this.top + by, count * this.rowHeight - (this.height - RULER)));
  }

  /** Whether a press takes hold of a track's threshold. */
  isOnThreshold(x, y, row, softest) {
    const line = Math.min(this.foot(row) - 8, this.foot(row) - this.rise(softest ?? FLOOR_DB));
    return x < HANDLE && Math.abs(y - line) < 9;
  }

  /** The stroke that a press meets; those that are taken before others. */
  strokeAt(strokes, x, y, row) {
    let best = null;
    for (const stroke of between(strokes, this.time(x - REACH), this.time(x + REACH))) {
      if (y < this.foot(row) - this.rise(stroke.level) - 9) continue;
      const away = Math.abs(this.x(stroke.time) - x) + (stroke.isTaken ? 0 : REACH);
      if (!best || away < best.away) best = { stroke, away };
    }
    return best?.stroke ?? null;
  }
}

/** Those of strokes in time order that lie in a stretch. */
export function between(strokes, from, to) {
  return strokes.slice(firstFrom(strokes, from), firstFrom(strokes, to));
}

export function firstFrom(strokes, time) {
  let [low, high] = [0, strokes.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (strokes[middle].time < time) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** Index of the value nearest to another. */
export function nearest(values, wanted) {
  let best = 0;
  values.forEach((value, n) => {
    if (Math.abs(value - wanted) < Math.abs(values[best] - wanted)) best = n;
  });
  return best;
}
