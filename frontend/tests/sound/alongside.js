import { Alongside } from "../../js/sound/alongside.js";
import { Player } from "../../js/sound/player.js";
import { equal, test } from "../harness.js";

/** @param {object} more */
const pad = (id, more = {}) => {
  const regions = [{ gains: 0, counter: id, length: 1, places: [0], sounds: [["s", 9000, 1, 1, 0, 1, null]] }];
  return { id, gains: [Array(127).fill(1)], regions, cutsItself: false, maxVoices: 8, limitFade: 0, ...more };
};
const book = (pads, notes) => /** @type {any} */ ({ outputs: [], notes, pads, whole: true });
const way = (more = {}) => ({ channels: null, low: 0, high: 127, notes: {}, curve: Array.from({ length: 127 }, (_, n) => n + 1), delay: 0, muted: false, ...more });
const sound = /** @type {any} */ ({ key: "s", channels: 1, frames: 9000, of: 9000, scale: 1, data: [new Int16Array(9000)] });

/** A kit with two pads, and another with two, on notes 36 and 38; what is struck of each is written down. */
function together(links, chokes) {
  const main = new Player();
  const alongside = new Alongside(main, 48_000);
  main.addSounds([sound]);
  main.setPlaybook(book([pad(1, { emits: ["choke A"] }), pad(2)], { 36: [1], 38: [2] }));
  alongside.set([["k", way({ delay: 100 })]], 0);
  alongside.add("k", book([pad(1, { listens: [["0 choke B", 64]] }), pad(2, { companions: [[1, 1]] })], { 40: [2], 38: [2] }));
  alongside.cross(links, chokes);
  return {
    alongside,
    main,
    /** @returns {[number, number, number][]} pad, frame and velocity of what sounds in the other kit from there on */
    hit(frame, note, velocity = 90) {
      main.hit(frame, note, velocity);
      alongside.hit(frame, note, velocity);
      alongside.settle();
      return alongside.voicesOf("k").map(({ pad: { id }, start, velocity: struck }) => [id, start, struck]);
    },
  };
}

test("a linked pad sounds along at its own kit's delay and strength, alone, and once where the hit strikes it too", () => {
  const { hit } = together([["", 1, "k", 2, 0.5], ["", 2, "k", 2, 1]], []); // prettier-ignore
  equal(hit(1000, 36), [[2, 1100, 45]], "without its own companions");
  equal(hit(2000, 38).slice(1), [[2, 2100, 90], [1, 2100, 90]], "struck by its note: with them, and not twice"); // prettier-ignore
});

test("choke groups that are joined cut each other's pads, with the fade of who is cut", () => {
  const { hit, alongside } = together([], [["", "choke A", "k", "0 choke B"]]);
  hit(0, 40);
  equal(alongside.voicesOf("k").map(({ fades }) => fades.length), [0, 0]); // prettier-ignore
  hit(500, 36);
  equal(alongside.voicesOf("k").map(({ pad: { id }, fades }) => [id, fades.length]), [[2, 0], [1, 1]]); // prettier-ignore
});

test("what is meant for one kit reaches that one", () => {
  const { alongside } = together([], []);
  equal([alongside.hit(0, 38, 90, 0, null, ["k"]).length, alongside.hit(0, 38, 90, 0, null, ["other"]).length], [1, 0]);
});

test("a kit that is heard alone is, links or not", () => {
  const { hit, alongside } = together([["", 1, "k", 1, 1]], []);
  alongside.hearAlone([""]);
  equal([hit(0, 36), alongside.isMainHeard], [[], true]);
  alongside.hearAlone(["k"]);
  equal([hit(0, 38).length, alongside.isMainHeard], [2, false]);
});
