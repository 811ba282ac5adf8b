import { playedTable, RecordingModel } from "../../js/recording/model.js";
import CASES from "../cases/hits.json" with { type: "json" };
import { equal, settled, test } from "../harness.js";
import { recordingOf, serve } from "../recording_stand.js";

const times = (strokes) => strokes.map(({ time }) => time);
const CLOSED = () => ({ sentence: "A hit left out", track: 1, place: 0, isHit: false });

test("what is over both thresholds is taken, and the rest is kept to choose from", async () => {
  const { model } = await recordingOf();
  equal([times(model.taken(1)), times(model.strokes.get(1)), times(model.unsure())], [[1, 2, 3], [1, 1.5, 2, 3], [3]]); // prettier-ignore
});

test("what a hand tries is seen at once and not sent, and the next answer ends it", async () => {
  const { model, server } = await recordingOf();
  model.try(1, { softest: -11 });
  equal([times(model.taken(1)), model.shown(1).softest, model.track(1).softest], [[1], -11, null]);
  await model.setTrack(2, { pad: 7 });
  equal([times(model.taken(1)), server.sent], [[1, 2, 3], [["tracks", { pad: 7 }]]]); // prettier-ignore
});

test("edits that are made quickly go one after another, each from what the one before it left", async () => {
  const { model, server } = await recordingOf({ tracks: [{ ...(await recordingOf()).model.track(1), softest: -40 }] });
  const louder = () => ({ softest: model.track(1).softest + 1 });
  await Promise.all([model.setTrack(1, louder), model.setTrack(1, louder), model.setTrack(1, louder)]);
  equal([model.track(1).softest, server.sent.map(([, { softest }]) => softest)], [-37, [-39, -38, -37]]);
});

test("the selected hit stays selected through its own mends, by its place and then by its number", async () => {
  const { model } = await recordingOf();
  model.select(model.taken(1)[1]);
  await model.mend(() => ({ sentence: "Moved", track: 1, place: 2, isHit: true, time: 2.2 }));
  equal([model.selected.time, model.selected.mend, model.selected.isByHand], [2.2, 1, true]);
  await model.mend(() => ({ sentence: "Moved", track: 1, mend: 1, place: 2, isHit: true, time: 2.3 }));
  equal(model.selected.time, 2.3);
});

test("a mend that has nothing to mend any more is not sent", async () => {
  const { model, server } = await recordingOf();
  equal([await model.mend(() => null), server.sent], [false, []]);
});

test("a server that is away, a refusal and a stale page are said, and change nothing that is shown", async () => {
  const { model, server, said } = await recordingOf();
  server.answers = false;
  equal(await model.mend(CLOSED), false);
  server.answers = true;
  server.state.version = 9;
  equal(await model.mend(CLOSED), false);
  equal([said, times(model.taken(1))], [[["The server does not answer. Is it running? Nothing was changed.", true], ["It was changed elsewhere.", true]], [1, 2, 3]]); // prettier-ignore
  equal(await model.mend(CLOSED), true, "at the version just heard of");
  equal(times(model.taken(1)), [2, 3]);
});

test("a recording that does not come is told by false", async () => {
  const server = serve();
  server.answers = false;
  equal(await new RecordingModel("/x/", () => {}).load(), false);
  await settled();
});

test("the hits of all tracks are played in order, on their pads' notes, at the nearest frame", async () => {
  const { model } = await recordingOf();
  const table = playedTable(model, (pad) => (pad === 2 ? 36 : null), 1000, [[0.5, 2], [1, 1]]); // prettier-ignore
  equal([[...table.frames], [...table.packed].map((packed) => packed & 127)], [[1010, 2500], [36, 36]]); // prettier-ignore
  equal([table.loopFrames, [...table.clicks], [...table.accents]], [10_000, [500, 1000], [2, 1]]);
});

test("what is taken, where and how loud is that of the cases that the core reads too", async () => {
  const { softest, sure, soft, hard, found, mends, taken } = CASES;
  const track = { ...(await recordingOf()).model.track(1), softest, sure, soft, hard, velocity: null, mends: mends.map((mend, n) => [n + 1, mend[1], mend[0], ...mend.slice(2)]) };
  const { model } = await recordingOf({ tracks: [track], hits: { 1: found.map((hit) => [...hit, 0]) } });
  equal(model.taken(1).map(({ time, level, velocity }) => [time, level, velocity]), taken); // prettier-ignore
});
