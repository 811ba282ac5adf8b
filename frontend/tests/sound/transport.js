import { Transport } from "../../js/sound/transport.js";
import { equal, test } from "../harness.js";

const part = (frames) => ({
  frames: Int32Array.from(frames), packed: Int32Array.from(frames, (_, n) => 36 + n + (100 << 7)), loopFrames: 1000,
  clicks: Int32Array.from([0, 500]), accents: Uint8Array.from([2, 1]),
}); // prettier-ignore

/** A transport, and what it says while it goes from block to block of 128 frames. */
function stand(frames) {
  const transport = new Transport();
  const said = [];
  const to = {
    hit: (frame, packed) => said.push(["hit", frame, packed & 127]), click: (frame, accent) => said.push(["click", frame, accent]),
    turn: (origin, from) => said.push(["turn", origin, from]), said: ({ value, frame }) => said.push(["said", frame, value]), end: () => said.push(["end"]),
  }; // prettier-ignore
  const advance = (from, until) => {
    for (let at = from; at < until; at += 128) transport.advance(at, to);
    return said.splice(0);
  };
  transport.setPart(part(frames), 0);
  return { transport, advance };
}

test("a part is counted in, begins and turns at its loop to the frame", () => {
  const { transport, advance } = stand([0, 300, 999]);
  transport.start(50, 0, [[-200, 2], [-100, 1]]); // prettier-ignore
  equal(advance(128, 1400), [["click", 50, 2], ["click", 150, 1], ["hit", 250, 36], ["hit", 550, 37], ["hit", 1249, 38], ["turn", 1250, 0], ["hit", 1250, 36]]); // prettier-ignore
});

test("an edit while it plays keeps its place, and a range is played round and round", () => {
  const { transport, advance } = stand([0, 300, 999]);
  transport.start(250, 0, []);
  advance(128, 1400);
  transport.setPart(part([0, 100, 700]), 1408);
  transport.setRange([100, 400]);
  transport.isClicking = true;
  const turns = advance(1408, 2500).filter(([what]) => what === "turn").map(([, origin]) => origin); // prettier-ignore
  equal([turns.length > 2, turns.slice(2).every((origin, n) => origin - turns[n + 1] === 300)], [true, true]);
});

test("without a loop it ends behind its last frame, once", () => {
  const { transport, advance } = stand([0]);
  transport.isLooping = false;
  transport.start(0, 0, []);
  equal(advance(0, 4000).filter(([what]) => what === "end").length, 1); // prettier-ignore
});

test("a loop that is put before the playhead is entered at once, with one turn and none of what was passed", () => {
  const { transport, advance } = stand([0, 300, 999]);
  transport.start(0, 0, []);
  advance(128, 768); // 640 frames are handed out
  transport.setRange([100, 120]);
  equal(advance(768, 769), [["turn", 540, 100], ...Array.from({ length: 6 }, (_, n) => ["turn", 560 + 20 * n, 100])]); // prettier-ignore
  transport.setRange([0, 0]);
  advance(896, 897);
  transport.setPart({ ...part([0, 100]), loopFrames: 400 }, 896); // bars were taken away
  transport.setRange([500, 600]); // behind the end: the whole is looped
  equal(advance(1024, 2400).filter(([what]) => what === "turn").map(([, origin]) => origin % 400).every((at, _, all) => at === all[0]), true); // prettier-ignore
});

test("controllers come before the hits that they stand before, and what holds where a part begins is known", () => {
  const { transport, advance } = stand([0, 300, 300]);
  const said = { frames: Int32Array.from([0, 300, 300, 400]), before: Int32Array.from([0, 1, 2, 3]), packed: Int32Array.from([1, 2, 3, 4]) };
  transport.setPart({ ...part([0, 300, 300]), said }, 0);
  transport.start(0, 0, []);
  const expected = [["said", 0, 1], ["hit", 0, 36], ["said", 300, 2], ["hit", 300, 37], ["said", 300, 3], ["hit", 300, 38], ["said", 400, 4]]; // prettier-ignore
  equal(advance(0, 640).filter(([what]) => what !== "click"), expected);
  equal([[350, 100], [350, 10]].map(([at, recent]) => transport.saidUntil(at, recent).map(({ value, frame }) => [value, frame])), [[[1, 0], [2, 300], [3, 300]], [[3, 300]]]); // prettier-ignore
});
