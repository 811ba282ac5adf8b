import { TimeMap } from "../../js/part/time.js";
import CASES from "../cases/time.json" with { type: "json" };
import { equal, near, test } from "../harness.js";

const GRIDS = { "1/4": [1, 4], "1/8": [1, 8], "1/16": [1, 16], "1/8T": [1, 12] };
const { ticks_per_beat: ticksPerBeat, meters, tempos, rate, bars, frames, nearest } = /** @type {any} */ (CASES);
const map = () => new TimeMap({ ticksPerBeat, meters, tempos, rate, tempoFrames: [0, 96_000], tempoTimes: [0, tempos[1][0] * tempos[0][1]], loopTicks: 10_080 }, /** @type {any} */ (GRIDS));

test("bars, frames and places of the grid are those of the cases that the core reads too", () => {
  equal(bars.map(([tick]) => [tick, map().barAt(tick).bar, map().barAt(tick).start]), bars); // prettier-ignore
  equal(frames.map(([tick]) => [tick, map().frameAt(tick)]), frames);
  for (const [tick, frame] of frames) near(map().timeAt(tick), frame, 0.5);
  equal(nearest.map(([tick, grid, swing]) => [tick, grid, swing, map().snap(tick, grid, swing)]), nearest);
});
