import { firstFrom, RecordingView } from "../../js/recording/layout.js";
import { equal, near, test } from "../harness.js";

const STROKES = [[3, -10, true], [3.04, -10, false], [4, -40, false], [4.02, -8, true], [6, -40, true]].map(([time, level, isTaken]) => ({ time, level, isTaken })); // prettier-ignore

/** Four tracks of ten seconds, looked at from the second on, a hundredth for each pixel. */
function view() {
  const shown = new RecordingView();
  Object.assign(shown, { seconds: 10 });
  shown.fit();
  shown.arrange(4);
  shown.secondsPerPixel = 0.01;
  shown.scrollTo(2);
  return shown;
}

test("a level and its height are each other's, and a row is found at its foot", () => {
  const shown = view();
  equal([-60, -33, -3].map((level) => Math.round(shown.levelAt(shown.foot(2) - shown.rise(level), 2))), [-60, -33, -3]); // prettier-ignore
  equal([0, 3].map((row) => shown.rowAt(shown.foot(row))), [0, 3]); // prettier-ignore
});

test("of strokes in reach the taken one is met, and none above its height", () => {
  const shown = view();
  const at = (time, y) => shown.strokeAt(STROKES, shown.x(time), y, 1)?.time ?? null;
  equal([3, 3.03, 3.06, 4, 5].map((time) => at(time, shown.foot(1) - 2)), [3, 3, 3.04, 4.02, null]); // prettier-ignore
  equal(at(6, shown.foot(1) - shown.rise(-40) - 12), null);
});

test("a threshold is held at the left of its line", () => {
  const shown = view();
  const y = shown.foot(0) - shown.rise(-20);
  equal([[10, -20], [80, -20], [10, -50]].map(([x, softest]) => shown.isOnThreshold(x, y, 0, softest)), [true, false, false]); // prettier-ignore
});

test("the first stroke from a time on is found, and the view ends at the recording's end", () => {
  const shown = view();
  equal([2.9, 3, 3.01, 99].map((time) => firstFrom(STROKES, time)), [0, 0, 1, 5]); // prettier-ignore
  shown.scrollTo(99);
  near(shown.time(shown.width - 20), 10, 1e-9);
});
