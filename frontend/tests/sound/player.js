import { Player } from "../../js/sound/player.js";
import { lastFrame } from "../../js/sound/voice.js";
import { equal, test } from "../harness.js";

const RATE = 48_000;
/** A pad that answers every velocity with one sound of its own; what it does is in `more`. */
const pad = (id, more = {}) => ({
  id, gains: [Array(127).fill(1)], regions: [{ gains: 0, counter: Number(String(id).split(":").at(-1)), length: 1, places: [0], sounds: [[`s${id}`, 9000, 1, 1, 0, 1, null]] }],
  cutsItself: false, maxVoices: 8, limitFade: 64, ...more,
}); // prettier-ignore
const member = (key, pads, notes, more = {}) => ({ key, outputs: [], pads, notes, channels: null, low: 0, high: 127, playedAs: {}, delay: 0, ...more });
const book = (members, whole = true) => /** @type {any} */ ({ whole, members });

/** A player of some members, whose sounds are all there. */
function played(...members) {
  const player = new Player(RATE);
  player.setPlaybook(book(members));
  player.addSounds(members.flatMap(({ pads }) => pads).map(({ id }) => ({ key: `s${id}`, channels: 1, frames: 9000, of: 9000, scale: 1, data: [new Int16Array(9000)] })));
  return player;
}
const told = (player) => player.voices.map(({ pad: { id }, start, velocity }) => [id, start, velocity]);
const cuts = (player) => player.voices.map(({ pad: { id }, fades }) => [id, fades.length]);

test("a kit that is flipped to comes in pieces, and this one is edited meanwhile", () => {
  const player = played(member("", [pad(1)], { 38: [1] }));
  const hit = (note) => player.hit(0, note, 90);
  for (const [n, id] of [7, 8].entries()) player.addOther("other", /** @type {any} */ ({ ...member("", [pad(id)], { 38: [7], 40: [8] }), allNotes: true, lights: { 7: 1 } }), n === 0);
  equal(hit(38), [1]);
  player.flip("other");
  equal([hit(38), hit(40)], [[1], [8]], "the pad of this kit is lit");
  player.setPlaybook(book([member("", [pad(1)], { 40: [1] })], false));
  equal(hit(40), [8], "what is heard stays");
  equal(player.hitPad(0, 1, 90), [8], "a pad of this kit strikes its note's there");
  player.flip(null);
  equal([hit(38), hit(40)], [[], [1]]);
  player.flip("gone");
  equal(hit(40), [1]);
});

const two = (more = {}, links = []) => played(
  member("", [pad(1, { emits: ["own choke A"], companions: links }), pad(2)], { 36: [1], 38: [2] }),
  member("7", [pad("7:1", { listens: [["own choke A", 64]] }), pad("7:2", { companions: [["7:1", 1]] })], { 40: ["7:2"], 38: ["7:2"] }, { delay: 100, ...more }),
); // prettier-ignore

test("each member hears the hits of its channels and notes, as its own notes and velocities, and later", () => {
  const player = two({ channels: [9], curve: Array(127).fill(50), playedAs: { 41: 40 } });
  equal(player.hit(0, 38, 90, 0), [2]);
  equal(player.hit(0, 38, 90, 9), [2, "7:2", "7:1"]);
  equal(player.hit(0, 41, 90, 9), ["7:2", "7:1"]);
  equal(told(player).slice(1, 4), [[2, 0, 90], ["7:2", 100, 50], ["7:1", 100, 50]]); // prettier-ignore
  equal(player.hit(0, 38, 90, 0, { only: ["7"] }), ["7:2", "7:1"], "what is meant for one reaches that one");
});

test("a linked pad sounds along at its own kit's delay, once, and is released with what struck it", () => {
  const player = two({}, [["7:2", 0.5]]);
  equal(player.hit(1000, 36, 90), [1, "7:2"], "without its own companions");
  equal(told(player), [[1, 1000, 90], ["7:2", 1100, 45]]); // prettier-ignore
  equal(cuts(player), [[1, 0], ["7:2", 0]], "and cuts nothing of its own hit"); // prettier-ignore
  const held = played(member("", [pad(1, { companions: [["7:2", 1]] })], { 36: [1] }), member("7", [pad("7:2", { held: true })], {}));
  held.hitPad(0, 1, 90);
  held.releasePad(500, 1);
  equal(cuts(held), [[1, 0], ["7:2", 1]]); // prettier-ignore
});

test("choke groups that are joined cut each other's pads; a muted member, and one that is not heard, cut and count", () => {
  for (const silence of [(player) => player.alone.add("7"), (player) => (player.setPlaybook(book([member("", [pad(1, { emits: ["own choke A"], muted: true })], { 36: [1] })], false)))]) {
    const player = two();
    player.hit(0, 40, 90);
    silence(player);
    player.hit(500, 36, 90);
    equal(cuts(player), [["7:2", 0], ["7:1", 1]]); // prettier-ignore
  }
  const turns = played(member("", [{ ...pad(1), regions: [0, 1].map((n) => ({ gains: 0, counter: 5, length: 2, places: [n], sounds: [["s1", 10 + n, 1, 1, 0, 1, null]] })) }], { 36: [1] }));
  turns.alone.add("none");
  turns.hit(0, 36, 90);
  turns.alone.clear();
  turns.hit(0, 36, 90);
  equal(turns.voices.map(({ end }) => end), [11], "the second take"); // prettier-ignore
});

test("a member that goes fades, one that stays rings on, and tables come at one moment", () => {
  const player = two();
  player.hit(0, 38, 90);
  player.setPlaybook(book([member("", [pad(2)], { 38: [2] })]), 50);
  equal(player.voices.map(({ pad: { id }, ...voice }) => [id, lastFrame(/** @type {any} */ ({ ...voice })) < 9000]), [[2, false], ["7:2", true], ["7:1", true]]); // prettier-ignore
  equal(player.hit(100, 38, 90), [2]);
});
