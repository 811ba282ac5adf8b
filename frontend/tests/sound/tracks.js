import { Tracks } from "../../js/sound/tracks.js";
import { equal, test } from "../harness.js";

const bus = () => [new Float32Array(128), new Float32Array(128)];

/** Two blocks of 64 frames whose values are their places, behind a zero of ten frames; faded in. */
function stand() {
  const tracks = new Tracks(48_000);
  tracks.set({ rows: [{ id: 7, channels: 1, gain: 1 }], blockFrames: 64, fullScale: 32_767, zero: 10 });
  for (const block of [0, 1]) tracks.add(7, block, Int16Array.from({ length: 64 }, (_, n) => 64 * block + n));
  for (let n = 0; n < 4; n++) tracks.mix(bus(), [[0, 128, 10]], true, 128); // prettier-ignore
  return tracks;
}

test("tracks are played to the frame, round the loop in the middle of a call", () => {
  const turned = bus();
  stand().mix(turned, [[0, 30, 70], [30, 98, 20]], true, 128); // prettier-ignore
  const range = (from, to) => Array.from({ length: to - from }, (_, n) => from + n);
  equal([...turned[0].slice(0, 90)].map(Math.round), [...range(60, 90), ...range(10, 70)]);
});

test("at the stop they fade", () => {
  const [tracks, stopped] = [stand(), bus()];
  tracks.mix(bus(), [[0, 30, 70], [30, 98, 20]], true, 128); // prettier-ignore
  tracks.mix(stopped, [], false, 128);
  const [first, last] = [stopped[0][0], stopped[0][127]];
  equal([first > last, Math.max(...stopped[0]) <= 128], [true, true]);
});
