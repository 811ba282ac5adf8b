import "../../js/sound/tables.js";
import { equal, settled, test } from "../harness.js";

const RATE = 48_000;
const asked = [];
const out = [];
const given = []; // what the audio thread was handed
const audio = { onmessage: null, postMessage: (message) => given.push(message) };
let answers = [];
let members = [];
window.fetch = /** @type {any} */ (async (url) => {
  asked.push(url);
  const { status = 200 } = answers.shift() ?? {};
  if (!status) throw new TypeError("no network");
  return { ok: status < 300, status, json: async () => ({ of: asked.length, members }) };
});
window.postMessage = /** @type {any} */ ((message) => out.push(message)); // as a worker it tells its page
const tell = (data) => self.onmessage(/** @type {any} */ ({ data }));
const want = (number, pads, more = {}) => tell({ kit: 3, rate: RATE, pads, notes: false, auditioned: "", number, ...more });
const took = () => audio.onmessage(); // the audio thread plays by them
const numbers = () => out.splice(0).map(({ number, isLost, book }) => (isLost ? "lost" : [number, book?.of ?? null]));

function fresh(statuses = []) {
  answers = statuses.map((status) => ({ status }));
  asked.length = out.length = given.length = 0;
}

test("tables that are asked for before the audio thread is there wait for it, and are told once it plays by them", async () => {
  fresh();
  want(1, [7]);
  await settled();
  equal([asked, out], [[], []]);
  tell({ audio });
  await settled();
  equal([asked, given, out], [["/kits/3/playbook/48000/?pads=7"], [{ type: "playbook", book: { of: 1, members: [] } }], []]);
  took();
  await settled();
  equal(numbers(), [[1, 1]]);
});

test("what is asked for meanwhile is asked for together, so that older tables never replace newer ones", async () => {
  fresh();
  want(2, [1]);
  await settled();
  want(3, [2, 3]);
  want(4, [3, 4], { notes: true });
  await settled();
  equal(asked.length, 1);
  took();
  await settled();
  took();
  await settled();
  equal([asked.map((url) => decodeURIComponent(url.split("?")[1])), numbers()], [["pads=1", "pads=2,3,4&notes=1"], [[2, 1], [4, 2]]]); // prettier-ignore
});

test("the whole kit is asked for where anything wants it, with what is auditioned or swapped in", async () => {
  fresh();
  want(5, [1], { auditioned: "77:12" });
  await settled();
  took();
  await settled();
  want(6, null, { auditioned: "7.1.11-70." });
  await settled();
  took();
  await settled();
  equal(asked.map((url) => decodeURIComponent(url.split("?")[1])), ["pads=1&try=77:12", "swap=7.1.11-70."]);
  out.length = 0;
});

test("tables that do not come are asked for again and again, and that is said once", async () => {
  fresh([0, 500, 500]);
  want(7, [1]);
  await settled(250);
  equal([asked.length, numbers()], [2, ["lost"]]);
  await settled(1600);
  took();
  await settled();
  equal([asked.length, numbers()], [4, [[7, 4]]]); // prettier-ignore
});

test("an audition that can't be made stops no edit from being heard", async () => {
  fresh([500, 500, 200]);
  want(9, [1], { auditioned: "7.1.11-70." });
  await settled(900);
  took();
  await settled();
  equal([asked.map((url) => decodeURIComponent(url.split("?")[1])), numbers()], [["pads=1&swap=7.1.11-70.", "pads=1&swap=7.1.11-70.", "pads=1"], ["lost", [9, 3]]]); // prettier-ignore
});

test("a large playbook goes a few pads at a time, and is played by from one moment on", async () => {
  fresh();
  members = [{ key: "", pads: [1, 2, 3, 4, 5] }, { key: "7", pads: [6] }];
  want(10, null);
  for (let steps = 0; steps < 4; steps++) {
    await settled();
    took();
  }
  const told = given.map(({ type, member, pads, book }) => [type, member ?? null, pads ?? book.members.map((one) => one.pads.length)]);
  equal(told, [["stage", 0, [1, 2, 3, 4]], ["stage", 0, [5]], ["stage", 1, [6]], ["playbook", null, [0, 0]]]);
  await settled();
  equal(numbers(), [[10, 1]]);
  members = [];
});

test("a kit that is gone is told without tables", async () => {
  fresh([404]);
  want(8, null);
  await settled();
  equal([numbers(), given], [[[8, null]], []]); // prettier-ignore
});
