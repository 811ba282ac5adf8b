import { LaneIndex } from "../../js/part/lanes.js";
import { LaneHits, PartView } from "../../js/part/layout.js";
import { equal, near, test } from "../harness.js";

const LOOP = 9600;

function view(lanes = 3) {
  const shown = new PartView();
  shown.fit(LOOP);
  shown.arrange(lanes);
  return shown;
}

/** Numbers that are the same each time (Park and Miller's generator). */
function dice(seed) {
  let state = seed;
  return (below) => Math.floor(((state = (state * 48_271) % 2_147_483_647) / 2_147_483_647) * below);
}

test("all of a part is seen, and what is zoomed stays under the pointer", () => {
  const shown = view();
  equal([shown.x(0) > 0, shown.x(LOOP) < 800], [true, true]);
  shown.zoom(0.4, 300, LOOP);
  for (const [factor, x] of [[0.5, 120], [1.7, 640], [0.9, 401]]) {
    const tick = shown.tick(x);
    shown.zoom(factor, x, LOOP);
    near(shown.tick(x), tick, 1e-6);
  }
});

test("a lane is found between its top and its foot, and a velocity at its height", () => {
  const shown = view();
  equal([0, 1, 2].map((lane) => [shown.laneAt(shown.foot(lane)), shown.laneAt(shown.foot(lane) - shown.laneHeight + 1)]), [[0, 0], [1, 1], [2, 2]]); // prettier-ignore
  equal([1, 30, 64, 127].map((velocity) => shown.velocityAt(shown.foot(1) - (velocity / 127) * (shown.laneHeight - 6), 1)), [1, 30, 64, 127]); // prettier-ignore
});

test("lanes are as high as there is room for, and scrolled no further than to the last", () => {
  const shown = view(64);
  const low = shown.laneHeight;
  shown.scrollLanes(1e6, 64);
  equal([low < view(3).laneHeight, Math.round(shown.foot(63)) <= shown.lanesBottom], [true, true]);
  shown.scrollLanes(-1e6, 64);
  equal(shown.top, 0);
});

test("a press meets the nearest hit within reach, by its head or by its stem, and none outside", () => {
  const roll = dice(3);
  const hits = Array.from({ length: 300 }, (_, id) => ({ id, tick: roll(LOOP), note: [36, 38, 42][roll(3)], velocity: 1 + roll(127) })).sort((a, b) => a.tick - b.tick); // prettier-ignore
  const laneOf = new LaneIndex([{ notes: [36] }, { notes: [38] }, { notes: [42] }]);
  const shown = view();
  shown.zoom(0.4, 300, LOOP);
  const lanes = new LaneHits(/** @type {any} */ (hits), laneOf, 3);
  let met = 0;
  for (let n = 0; n < 400; n++) {
    const [x, y] = [roll(800), 30 + roll(400)];
    const close = hits.flatMap((hit) => {
      const lane = laneOf.of(hit);
      const head = shown.foot(lane) - shown.stem(hit.velocity, null);
      const away = Math.abs(shown.x(hit.tick) - x);
      const isMet = away <= 6 && y >= head - 9 && y < shown.foot(lane) + 1 && y >= 40 && y <= shown.lanesBottom;
      return isMet ? [{ id: hit.id, away, isHead: Math.abs(y - head) <= 7 }] : [];
    });
    const found = lanes.at(shown, x, y, () => null);
    equal(Boolean(found), close.length > 0, `at ${x}, ${y}`);
    if (!found) continue;
    met++;
    const nearest = Math.min(...close.map(({ away }) => away));
    equal(close.some(({ id, away, isHead }) => id === found.hit.id && away === nearest && isHead === found.isHead), true, `at ${x}, ${y}`);
  }
  equal(met > 10, true);
});
