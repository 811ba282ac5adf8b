import { notesIn } from "../../js/input/practice.js";
import { Ways } from "../../js/input/ways.js";
import { equal, settled, test } from "../harness.js";

const DEVICE = { surface: null, rows: 1, columns: 1, notes: [], cells: {} };
const WAYS = {
  notes: { 36: [1, 2], 40: [3] }, written: { 60: 36, 61: 36, 62: 40 }, translation: 7,
  devices: [
    { ...DEVICE, id: 1, port: "", channel: null, through: true, pads: { 36: [9] } },
    { ...DEVICE, id: 2, port: "grid", channel: null, through: false, pads: { 36: [4] } },
    { ...DEVICE, id: 3, port: "grid", channel: 9, through: true, pads: null },
    { ...DEVICE, id: 4, port: "", channel: 5, through: true, pads: { 36: [6] } },
  ],
}; // prettier-ignore

async function ways() {
  const urls = [];
  window.fetch = /** @type {any} */ (async (url) => (urls.push(url), { ok: true, json: async () => WAYS }));
  const known = new Ways("5");
  await known.load("standard ä");
  return { known, urls };
}

test("the most exact device finds the pads, and the rest falls through where it may", async () => {
  const { known, urls } = await ways();
  equal(urls, ["/kits/5/ways/?source=standard%20%C3%A4"]);
  equal(([["pads", 0], ["grid", 0], ["grid", 9], ["pads", 5]]).map(([port, channel]) => known.device(/** @type {any} */ (port), channel).id), [1, 2, 3, 4]); // prettier-ignore
  const asked = [["pads", 0, 36], ["pads", 0, 40], ["grid", 0, 36], ["grid", 0, 40], ["grid", 9, 36], ["pads", 5, 36]]; // prettier-ignore
  equal(asked.map((one) => known.padsOf(.../** @type {[any, any, any]} */ (one))), [[9], null, [4], [], null, [6]]); // prettier-ignore
});

test("what is written is the first note that is played as the pad's, and what has no counterpart is silent", async () => {
  const { known } = await ways();
  equal([known.noteOf(1), known.noteOf(3), known.noteOf(8), known.ownNoteOf(3), known.writes(50)], [60, 62, null, 40, null]);
  equal([[60, 61, 62, 36].map((note) => known.played(note)), known.isTranslated], [[36, 36, 40, null], true]);
});

test("of loads that overlap each is done when the last is here, and one that fails is tried again", async () => {
  const answers = [20, 5, 0];
  window.fetch = /** @type {any} */ (async () => {
    const ms = answers.shift();
    await new Promise((resolve) => setTimeout(resolve, ms));
    if (!ms) throw new TypeError("no network");
    return { ok: true, json: async () => ({ ...WAYS, notes: { [ms]: [1] } }) };
  });
  const known = new Ways("5");
  const done = [];
  known.load().then(() => done.push(known.ownNoteOf(1)));
  known.load().then(() => done.push(known.ownNoteOf(1)));
  await settled(30);
  equal(done, [5, 5]);
  known.load().then(() => done.push(known.ownNoteOf(1)));
  answers.push(9);
  await settled(30);
  equal(done.length, 2);
  await settled(2600);
  equal(done, [5, 5, 9]);
});

test("the practice controller sends each note once in every order", () => {
  const [standard, rising, falling, scrambled] = ["standard drum notes", "rising", "falling", "scrambled"].map((order) => notesIn(order, 16, 5));
  const plain = Array.from({ length: 16 }, (_, n) => 36 + n);
  equal([rising, falling, [...scrambled].sort((a, b) => a - b)], [plain, [...plain].reverse(), plain]);
  equal([scrambled.join() === plain.join(), new Set(standard).size], [false, 16]);
});
