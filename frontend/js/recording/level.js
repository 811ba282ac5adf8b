/**
 * Fill the area under a track's levels, the highest of each pixel.
 * @param {{ levels: Float32Array, seconds: number } | undefined} peaks a level for each so many seconds
 * @param {{ width: number, foot: number, timeAt: (x: number) => number, rise: (level: number) => number }} place
 */
export function fillLevels(ctx, peaks, place) {
  if (!peaks) return;
  const { width, foot, timeAt, rise } = place;
  const { levels, seconds } = peaks;
  ctx.beginPath();
  ctx.moveTo(0, foot);
  for (let x = 0, from = Math.floor(timeAt(0) / seconds); x <= width; x++) {
    const next = Math.floor(timeAt(x + 1) / seconds);
    const to = Math.max(from + 1, next);
    let high = -Infinity;
    for (let n = Math.max(0, from); n < to && n < levels.length; n++) if (levels[n] > high) high = levels[n];
    ctx.lineTo(x, foot - rise(high));
    from = next;
  }
  ctx.lineTo(width, foot);
  ctx.fill();
}
