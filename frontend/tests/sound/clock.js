import { StampClock } from "../../js/sound/clock.js";
import { equal, near, test } from "../harness.js";

test("stamps become frames without jitter, and follow a clock that drifts", () => {
  const clock = new StampClock(48_000, 100);
  const late = (n) => 1 + ((n * 7919) % 13); // frames that a report comes late
  const steps = new Set();
  let off = 0;
  for (let n = 0; n < 4000; n++) {
    const now = n * 40;
    const context = (now * (1 + 30e-6) - 5) / 1000;
    clock.observe(context - late(n) / 48_000, now);
    if (n < 200 || n % 50) continue;
    steps.add(clock.frameOf(now + 10) - clock.frameOf(now));
    off = clock.frameOf(now) - 100 - Math.round(context * 48_000);
  }
  equal([...steps], [480]);
  near(off, 0, 20);
});
