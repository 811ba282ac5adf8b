/**
 * Ticks, frames, bars and grid places of a part, for drawing it and for where a hand puts hits. Pure.
 * The places are those of dactyl/core/parts/meter.py; frames of hits come from the server, exact.
 *
 * @typedef {{ ticksPerBeat: number, tempos: [number, number][], tempoFrames: number[], meters: [number, number, number][],
 *   tempoTimes: number[], loopTicks: number, rate: number }} TimeTables
 * tempoTimes: microseconds up to each tempo change, times ticks a beat: whole numbers
 */
export class TimeMap {
  /** @type {number} */ ticksPerBeat;
  /** @type {[number, number][]} */ tempos;
  /** @type {number[]} */ tempoFrames;
  /** @type {number[]} */ tempoTimes;
  /** @type {[number, number, number][]} */ meters;
  /** @type {number} */ loopTicks;
  /** @type {number} */ rate;

  /** @param {TimeTables} tables @param {Record<string, [number, number]>} grids spacing in whole notes, as fractions */
  constructor(tables, grids) {
    Object.assign(this, tables);
    this.grids = grids;
  }

  /** The nearest frame of a tick; good for drawing, not for playing. */
  frameAt(tick) {
    const at = lastAt(this.tempos, tick);
    return this.tempoFrames[at] + Math.round(((tick - this.tempos[at][0]) * this.tempos[at][1] * this.rate) / (this.ticksPerBeat * 1e6));
  }

  /** The exact time of a tick in frames, not rounded: what curves are read at (core/parts/part.py, `seconds_at`). */
  timeAt(tick) {
    const at = lastAt(this.tempos, tick);
    return ((this.tempoTimes[at] + (tick - this.tempos[at][0]) * this.tempos[at][1]) / (this.ticksPerBeat * 1e6)) * this.rate;
  }

  tickAt(frame) {
    let at = this.tempoFrames.length - 1;
    while (at > 0 && this.tempoFrames[at] > frame) at--;
    return this.tempos[at][0] + ((frame - this.tempoFrames[at]) * this.ticksPerBeat * 1e6) / (this.tempos[at][1] * this.rate);
  }

  msAt(tick) {
    return (this.frameAt(tick) / this.rate) * 1000;
  }

  #barTicks([, beats, unit]) {
    return Math.max(1, Math.floor((this.ticksPerBeat * 4 * beats) / unit));
  }

  beatTicks(tick) {
    return Math.max(1, Math.floor((this.ticksPerBeat * 4) / this.meters[lastAt(this.meters, tick)][2]));
  }

  /** @returns {{ bar: number, start: number, end: number }} the bar of a tick, from 0 */
  barAt(tick) {
    let bar = 0;
    for (let n = 0; n < this.meters.length; n++) {
      const [from] = this.meters[n];
      const length = this.#barTicks(this.meters[n]);
      const until = this.meters[n + 1]?.[0] ?? Infinity;
      if (tick < until) {
        const inside = Math.max(0, Math.floor((tick - from) / length));
        const start = from + inside * length;
        return { bar: bar + inside, start, end: Math.min(start + length, until) };
      }
      bar += Math.ceil((until - from) / length);
    }
    return { bar: 0, start: 0, end: this.loopTicks };
  }

  /** Bar, beat and tick as musicians count, from 1. */
  placeOf(tick) {
    const { bar, start } = this.barAt(tick);
    const beat = this.beatTicks(tick);
    return { bar: bar + 1, beat: Math.floor((tick - start) / beat) + 1, tick: Math.round((tick - start) % beat) };
  }

  /** Ticks between two places of a grid. */
  spacing(grid) {
    const [over, under] = this.grids[grid];
    return (4 * this.ticksPerBeat * over) / under;
  }

  /** Places of the grid in a bar. */
  #places(start, end, grid, swing) {
    const spacing = this.spacing(grid);
    const places = [];
    for (let n = 0; ; n++) {
      const place = start + Math.floor(spacing * n + (n % 2 ? (spacing * (swing - 50)) / 50 : 0) + 0.5);
      if (place >= end) return places;
      places.push(place);
    }
  }

  /** The grid place nearest to a tick. @param {string} grid "off": the tick itself */
  snap(tick, grid, swing) {
    if (grid === "off") return Math.max(0, Math.round(tick));
    const { start, end } = this.barAt(Math.max(0, tick));
    return [...this.#places(start, end, grid, swing), end].reduce((best, place) => (Math.abs(place - tick) <= Math.abs(best - tick) ? place : best), start);
  }

  /** The place after (1) or before (-1) a tick. */
  step(tick, by, grid, swing) {
    if (grid === "off") return Math.max(0, tick + by);
    const { start, end } = this.barAt(tick);
    const places = [...this.#places(start, end, grid, swing), end];
    if (by > 0) return places.find((place) => place > tick) ?? end;
    const before = places.filter((place) => place < tick).at(-1);
    if (before !== undefined) return before;
    if (!start) return 0;
    const previous = this.barAt(start - 1);
    return this.#places(previous.start, previous.end, grid, swing).at(-1);
  }

  /** Lines to draw between two ticks: of bars, beats and the grid, no closer than `least` ticks. */
  lines(from, to, grid, swing, least) {
    const lines = [];
    let tick = Math.max(0, from);
    for (let count = 0; tick < to && count < 4000; count++) {
      const { bar, start, end } = this.barAt(tick);
      const skip = Math.max(1, 2 ** Math.ceil(Math.log2(least / (end - start))));
      if (bar % skip === 0) lines.push({ tick: start, kind: "bar", bar: bar + 1 });
      const beat = this.beatTicks(start);
      if (beat >= least && skip === 1) for (let at = start + beat; at < end; at += beat) lines.push({ tick: at, kind: "beat" });
      if (grid !== "off" && this.spacing(grid) >= least && skip === 1)
        for (const place of this.#places(start, end, grid, swing)) if ((place - start) % beat) lines.push({ tick: place, kind: "grid" });
      tick = end;
    }
    return lines;
  }

  /** The beats of the whole part in frames, with their accents: 2 the first of a bar, 1 another. */
  clicks(most = 200_000) {
    const frames = [];
    const accents = [];
    for (let tick = 0; tick < this.loopTicks && frames.length < most; ) {
      const { start, end } = this.barAt(tick);
      const beat = this.beatTicks(start);
      for (let at = start; at < end; at += beat) {
        frames.push(this.frameAt(at));
        accents.push(at === start ? 2 : 1);
      }
      tick = end;
    }
    return { clicks: Int32Array.from(frames), accents: Uint8Array.from(accents) };
  }

  /** Clicks of some bars before a tick, as frames before it. @returns {[number, number][]} */
  countIn(tick, bars) {
    const { start, end } = this.barAt(tick);
    const beat = this.beatTicks(start);
    const beatFrames = this.frameAt(start + beat) - this.frameAt(start);
    const perBar = Math.round((end - start) / beat);
    const count = bars * perBar;
    return Array.from({ length: count }, (_, n) => [-(count - n) * beatFrames, n % perBar ? 1 : 2]);
  }
}

function lastAt(changes, tick) {
  let at = changes.length - 1;
  while (at > 0 && changes[at][0] > tick) at--;
  return at;
}
