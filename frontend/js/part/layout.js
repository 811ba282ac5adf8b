/** Where a part's lanes and hits stand on the canvas, and what stands at a point of it. Pure; all in CSS pixels. */
import { lowerBound } from "../sound/transport.js";

export const RULER = 40;
export const STRIP = 84;
const LANES = [24, 50]; // how low and how high a lane may be
const GUTTER = 10; // before the part's first tick, so that its hit is seen whole
const HEAD = 9; // how close to its head a press takes hold of it
const REACH = 5; // how close to its stem a press meets a hit
const FLOOR_DB = -48; // the foot of a stem that shows a level

/** What is seen of the part: the tick at the left edge, the ticks of a pixel, how far the lanes are scrolled. */
export class PartView {
  left = 0;
  ticksPerPixel = 4;
  top = 0;
  laneHeight = 36;
  showsLevel = false;
  width = 800;
  height = 500;

  x(tick) {
    return GUTTER + (tick - this.left) / this.ticksPerPixel;
  }

  tick(x) {
    return this.left + (x - GUTTER) * this.ticksPerPixel;
  }

  /** Lanes as high as there is room for. */
  arrange(count) {
    const [low, high] = LANES;
    this.laneHeight = Math.max(low, Math.min(high, Math.floor((this.lanesBottom - RULER) / Math.max(1, count))));
    this.scrollLanes(0, count);
  }

  /** Foot of a lane. */
  foot(lane) {
    return RULER - this.top + (lane + 1) * this.laneHeight - 1;
  }

  get lanesBottom() {
    return this.height - STRIP;
  }

  laneAt(y) {
    return Math.floor((y - RULER + this.top) / this.laneHeight);
  }

  /** How high a stem is, 0..1. */
  value(velocity, levels) {
    if (!this.showsLevel || !levels?.length) return velocity / 127;
    return Math.min(1, Math.max(0.04, 1 - levels[velocity - 1] / FLOOR_DB));
  }

  stem(velocity, levels) {
    return Math.max(3, this.value(velocity, levels) * (this.laneHeight - 6));
  }

  /** The velocity of a height over a lane's foot. */
  velocityAt(y, lane) {
    return Math.min(127, Math.max(0, Math.round(((this.foot(lane) - y) / (this.laneHeight - 6)) * 127)));
  }

  zoom(factor, x, loopTicks) {
    const tick = this.tick(x);
    const widest = Math.max(1, loopTicks / Math.max(100, this.width - 24));
    this.ticksPerPixel = Math.min(widest, Math.max(0.02, this.ticksPerPixel * factor));
    this.scrollTo(tick - (x - GUTTER) * this.ticksPerPixel, loopTicks);
  }

  fit(loopTicks) {
    this.ticksPerPixel = Math.max(0.02, loopTicks / Math.max(100, this.width - 24));
    this.left = 0;
  }

  scrollTo(left, loopTicks) {
    const seen = this.width * this.ticksPerPixel;
    this.left = Math.max(0, Math.min(left, loopTicks - seen + 24 * this.ticksPerPixel));
  }

  scrollLanes(by, count) {
    const room = this.lanesBottom - RULER;
    this.top = Math.max(0, Math.min(this.top + by, count * this.laneHeight - room));
  }
}

/** Hits of all lanes, each lane's own in order, so that what is seen is found by two searches. */
export class LaneHits {
  /** @type {{ hits: import("./table.js").Hit[], ticks: Float64Array }[]} */ lanes = [];

  /** @param {import("./table.js").Hit[]} hits @param {import("./lanes.js").LaneIndex} laneOf @param {number} count */
  constructor(hits, laneOf, count) {
    const own = Array.from({ length: count }, () => []);
    for (const hit of hits) if (hit.velocity && laneOf.of(hit) !== undefined) own[laneOf.of(hit)].push(hit);
    this.lanes = own.map((some) => ({ hits: some, ticks: Float64Array.from(some, ({ tick }) => tick) }));
  }

  between(lane, from, to) {
    const { hits, ticks } = this.lanes[lane] ?? { hits: [], ticks: [] };
    return hits.slice(lowerBound(ticks, from), lowerBound(ticks, to));
  }

  /** What a press at a point meets. @returns {{ hit: object, isHead: boolean, lane: number, away: number } | null} */
  at(view, x, y, levelsOf) {
    const lane = view.laneAt(y);
    if (lane < 0 || lane >= this.lanes.length || y < RULER || y > view.lanesBottom) return null;
    let best = null;
    for (const hit of this.between(lane, view.tick(x - REACH - 3), view.tick(x + REACH + 3))) {
      const head = view.foot(lane) - view.stem(hit.velocity, levelsOf(lane));
      const away = Math.abs(view.x(hit.tick) - x);
      if (away > REACH + 1 || y < head - HEAD) continue;
      if (!best || away < best.away) best = { hit, lane, away, isHead: Math.abs(y - head) <= HEAD - 2 };
    }
    return best;
  }
}
