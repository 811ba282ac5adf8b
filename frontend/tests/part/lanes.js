import { LaneIndex, lanesOf, movesOf } from "../../js/part/lanes.js";
import { equal, test } from "../harness.js";

const pad = (/** @type {number} */ note, more = {}) => ({ pad: note, name: `pad ${note}`, kind: "other", piece: note, notes: [note], ...more });
const hit = (/** @type {number} */ note, channel = 9, velocity = 90) => ({ note, channel, velocity });

test("a hit stands in the lane of its note, and of its channel where a lane hears its own", () => {
  const index = new LaneIndex([pad(36), pad(38, { channels: [9] }), pad(38, { channels: [10, 11] })]);
  equal([hit(36), hit(36, 3), hit(38), hit(38, 11), hit(38, 3)].map((one) => index.of(one)), [0, 0, 1, 2, undefined]);
  equal(index.of({ note: 38 }), 1, "of no channel it is a drum");
});

test("notes that nothing answers on their channel have a lane of their own, and lanes without hits can be left out", () => {
  const pads = [pad(36, { channels: [9] }), pad(36, { pad: null, kitName: "Metal", channels: [10] }), pad(40, { channels: [9] })];
  const names = (usedOnly) => lanesOf(pads, [hit(36, 9), hit(36, 12), hit(41, 10)], usedOnly, []).map(({ name, kitName = "", notes }) => [name, kitName, ...notes]);
  equal(names(false), [["pad 36", "", 36], ["pad 36", "Metal", 36], ["pad 40", "", 40], ["note 36", "", 36], ["note 41", "", 41]]); // prettier-ignore
  equal(names(true), [["pad 36", "", 36], ["note 36", "", 36], ["note 41", "", 41]]); // prettier-ignore
});

test("moving to a lane of another kit takes the channel along, else notes alone are told", () => {
  const to = (note, channel) => () => ({ note, channel });
  equal(movesOf([hit(36), hit(36)], to(38, 9)), { notes: [[36, 38]] });
  equal(movesOf([hit(36)], to(40, 10)), { to: [[36, 9, 40, 10]] });
  equal(movesOf([hit(36, 9), hit(36, 10)], (one) => one), { to: [[36, 9, 36, 9], [36, 10, 36, 10]] }); // prettier-ignore
});
