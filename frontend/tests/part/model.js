import { lanesOf } from "../../js/part/lanes.js";
import { PartModel } from "../../js/part/model.js";
import { tableOf } from "../../js/part/table.js";
import { equal, settled, test } from "../harness.js";

const about = (version) => ({
  id: 4, version, ticksPerBeat: 480, tempos: [[0, 500_000]], meters: [[0, 4, 4]], tempoFrames: [0], loopTicks: 1920, loopFrames: 96_000,
  rate: 48_000, passes: [[2, "second", true]], curves: [], writtenFor: "",
}); // prettier-ignore
const row = (id, tick, pass = 0) => [id, tick, 0, 38, 90, 9, 120, tick, pass, tick * 50, tick * 50 + 6000];

/** A part of two hits, the second of a muted pass; each edit adds one and takes the first away. */
async function open() {
  const server = { sent: [], version: 1, mode: "well" };
  document.body.setAttribute("hx-headers", "{}");
  const answers = {
    refused: () => ({ ok: false, json: async () => ({ said: "No." }) }),
    stale: () => ({ ok: false, json: async () => ({ ...about(9), isStale: true, isWhole: true, events: [row(1, 0)], said: "Changed elsewhere" }) }),
    well: () => ({ ok: true, json: async () => ({ ...about(++server.version), events: [row(10 + server.version, 960)], removed: [1], said: "Done" }) }),
  };
  window.fetch = /** @type {any} */ (async (url, asked) => {
    const id = Number(url.match(/parts\/(\d+)/)[1]);
    if (!asked.method) {
      server.sent.push(["open", id]);
      if (server.mode === "away") throw new TypeError("no network");
      return { ok: id < 6, status: id < 6 ? 200 : 404, json: async () => ({ ...about(server.version), id, events: [row(1, 0), row(2, 480, 2)], said: "" }) };
    }
    server.sent.push([url, asked.headers["X-Part-Version"]]);
    if (server.mode === "away") throw new TypeError("no network");
    return answers[server.mode]();
  });
  const [said, played] = [[], []];
  const ways = Object.assign(new EventTarget(), { load() {}, isTranslated: false });
  const model = new PartModel({ rate: 48_000, grids: {}, engine: { setPart: (part) => played.push(part && [...part.frames]) }, ways: /** @type {any} */ (ways), say: (...words) => said.push(words) });
  await model.open(4);
  server.sent = [];
  return { server, said, played, model, state: () => [model.hits.map(({ id }) => id), [...model.selected], model.about.version] };
}

test("what is opened is played, without the passes that are muted", async () => {
  const { played } = await open();
  equal(played, [[0, 6000]]);
});

test("edits follow one another, each with the version that the one before it left, and select what they made", async () => {
  const { model, server, state } = await open();
  model.select([1]);
  await Promise.all([model.edit("add", {}, { selects: true }), model.edit("undo")]);
  equal([state(), server.sent], [[[2, 12, 13], [12], 3], [["/parts/4/edit/add/", "1"], ["/parts/4/undo/", "2"]]]);
});

test("an edit that goes on from the one before is made when its turn comes, and not sent where nothing is left to do", async () => {
  const { model, server } = await open();
  const made = [];
  const latest = () => (made.push(model.hits.at(-1).id), { of: made.at(-1) });
  await Promise.all([model.edit("strike", latest), model.edit("strike", latest), model.edit("strike", () => null)]);
  equal([made, server.sent.length], [[2, 12], 2]);
});

test("what is refused, or does not come, changes nothing; a stale page is shown as it is now", async () => {
  const { model, server, said, state } = await open();
  for (server.mode of ["away", "refused"]) equal([await model.edit("move"), state()], [null, [[1, 2], [], 1]]); // prettier-ignore
  server.mode = "stale";
  equal([await model.edit("move"), state()], [null, [[1], [], 9]]); // prettier-ignore
  equal(said, [["The server does not answer. Is it running? Nothing was changed.", true], ["No.", true], ["Changed elsewhere", true]]);
});

test("another part is opened once the edits of the one before are sent; what comes behind is not for it", async () => {
  const { model, server } = await open();
  const edits = [model.edit("add"), model.edit("move")];
  const opened = model.open(5);
  const late = model.edit("add");
  equal([(await Promise.all(edits)).map(Boolean), await opened, await late, model.id], [[true, true], true, null, 5]);
  equal(server.sent, [["/parts/4/edit/add/", "1"], ["/parts/4/edit/move/", "2"], ["open", 5]]); // prettier-ignore
});

test("of two that are opened, the second stays; one that is gone leaves silence, and takes no edits", async () => {
  const { model, played, server } = await open();
  equal([await Promise.all([model.open(5), model.open(4)]), model.id], [[false, true], 4]); // prettier-ignore
  await model.open(6);
  equal([model.id, played.at(-1), model.hits], [null, null, []]);
  server.sent = [];
  equal([await model.edit("add"), server.sent], [null, []]);
});

test("what was asked about a part that was left is not answered", async () => {
  const { model } = await open();
  const before = window.fetch;
  const answer = { ok: true, headers: new Headers({ "Content-Type": "application/json" }), json: async () => ({ ids: [1] }) };
  const inAWhile = new Promise((resolve) => setTimeout(() => resolve(answer), 20));
  window.fetch = /** @type {any} */ ((url, asked) => (url.endsWith("/choose/") ? inAWhile : before(url, asked)));
  const late = model.ask("choose", {});
  await model.open(5);
  await settled(50);
  equal([await late, await model.ask("choose", {})], [null, { ids: [1] }]); // prettier-ignore
});

test("a part that does not come is asked for again", async () => {
  const { model, server, said } = await open();
  server.mode = "away";
  const opened = model.open(5);
  await settled(5000);
  equal([model.id, server.sent.length, said], [4, 3, [["The part does not come; it is asked for again.", true]]]); // prettier-ignore
  server.mode = "well";
  await settled(2000);
  equal([await opened, model.id], [true, 5]);
});

test("lanes stand as the sheet does, then notes without a pad; on wish those alone that are struck", () => {
  const pads = [[1, 1, [36, 35]], [2, 2, [42]], [3, 2, [46]], [4, 3, []]].map(([pad, piece, notes]) => ({ pad, piece, notes, name: `p${pad}` })); // prettier-ignore
  const struck = [[35, 9], [70, 5], [46, 0], [61, 80]].map(([note, velocity]) => ({ note, velocity })); // prettier-ignore
  const names = /** @type {any} */ ({ 61: "C#3" });
  const row = (/** @type {any} */ lane) => [lane.pad, lane.name, lane.note, lane.isTied, lane.isFirst, lane.isLast];
  const [all, used] = [false, true].map((isUsedOnly) => lanesOf(pads, struck, isUsedOnly, names).map(row));
  const loose = [[null, "C#3", 61, false, true, true], [null, "note 70", 70, false, true, true]]; // prettier-ignore
  equal(used, [[1, "p1", 36, false, true, true], ...loose]);
  equal(all, [[1, "p1", 36, false, true, true], [2, "p2", 42, true, true, false], [3, "p3", 46, true, false, true], [4, "p4", null, false, true, true], ...loose]); // prettier-ignore
});

test("note-offs of one frame are played in the order of their ticks", () => {
  const hit = { order: 0, note: 38, velocity: 100, channel: 0, played: 0, pass: 0 };
  const hits = [{ ...hit, id: 1, tick: 0, length: 5, frame: 0, until: 2 }, { ...hit, id: 2, tick: 4, length: 0, frame: 2, until: 0 }]; // prettier-ignore
  const order = (table) => [...table.packed].map((packed) => (packed >> 7) & 127);
  equal([order(tableOf(hits, new Set())), order(tableOf([hits[0], { ...hits[1], tick: 5 }], new Set()))], [[100, 100, 0], [100, 0, 100]]);
});
