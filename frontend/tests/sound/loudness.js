import { Loudness } from "../../js/sound/loudness.js";
import { equal, near, test } from "../harness.js";

const RATE = 48_000;
/** ITU-R BS.1770-4, tables 1 and 2, at 48 kHz; and a value halfway between two samples of a sine below a quarter of the rate. */
const FILTERS = /** @type {import("../../js/sound/loudness.js").Filters} */ ({
  sections: [
    [1.53512485958697, -2.69169618940638, 1.19839281085285, -1.69065929318241, 0.73248077421585],
    [1.0, -2.0, 1.0, -1.99004745483398, 0.99007225036621],
  ],
  phases: [[-1 / 16, 9 / 16, 9 / 16, -1 / 16]],
});

/** Seconds of a sine at a level, on both sides or on the left alone. */
function feed(meter, seconds, db, { hz = 997, both = true } = {}) {
  const gain = 10 ** (db / 20);
  for (let at = 0; at < seconds * RATE; at += 128) {
    const left = Float32Array.from({ length: 128 }, (_, i) => gain * Math.sin((2 * Math.PI * hz * (at + i)) / RATE));
    meter.feed([left, both ? left : new Float32Array(128)], 128);
  }
}

test("a sine of 997 Hz on one side is 3.01 LU below its level, on both sides at it", () => {
  for (const [both, wanted] of /** @type {[boolean, number][]} */ ([[false, -23.01], [true, -20]])) {
    const meter = new Loudness(FILTERS, RATE);
    feed(meter, 2, -20, { both });
    near(meter.measured.integrated, wanted, 0.05);
    near(meter.measured.momentary, wanted, 0.05);
  } // prettier-ignore
});

test("what is far softer than the rest is not counted; silence is not measured", () => {
  const meter = new Loudness(FILTERS, RATE);
  equal(meter.measured, { momentary: null, integrated: null, truePeak: null });
  feed(meter, 3, -20);
  feed(meter, 3, -50);
  near(meter.measured.integrated, -20, 0.4);
  near(meter.measured.momentary, -50, 0.1);
});

test("a peak between two samples is found", () => {
  const meter = new Loudness(FILTERS, RATE);
  const side = Float32Array.from({ length: 1024 }, (_, i) => Math.sin((Math.PI / 2) * i + Math.PI / 4)); // a quarter of the rate: samples at ±0.707
  for (let at = 0; at < 1024; at += 128) meter.feed([side.subarray(at, at + 128), side.subarray(at, at + 128)], 128);
  near(meter.measured.truePeak, 20 * Math.log10((0.7071 * 20) / 16), 0.1);
});
