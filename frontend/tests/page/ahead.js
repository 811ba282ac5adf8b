import { Ahead } from "../../js/page/ahead.js";
import { equal, settled, test } from "../harness.js";

test("a value that rests, then is told, stands until what was told is answered", async () => {
  const ahead = new Ahead();
  let rested = (_) => {};
  let answered = (_) => {};
  ahead.put("level kick", -0.5, new Promise((done) => (rested = done)));
  ahead.put("level kick", -0.5, new Promise((done) => (answered = done))); // the same value, on its way now
  rested(true);
  await settled();
  equal(ahead.of("level kick", 0), -0.5, "the next press of a key goes on from there");
  answered(true);
  await settled();
  equal(ahead.of("level kick", 0), 0);
});

test("what was refused is as it is shown", async () => {
  const ahead = new Ahead();
  ahead.put("plan", [1, 2], Promise.reject(new Error("stale")));
  equal(ahead.of("plan", [0, 0]), [1, 2]);
  await settled();
  equal(ahead.of("plan", [0, 0]), [0, 0]);
});
