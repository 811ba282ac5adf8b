import { forget, isAnyResting, startResting, tellLater } from "../../js/page/resting.js";
import { startLeaving } from "../../js/page/leaving.js";
import { equal, notingTarget, press, settled, test } from "../harness.js";

const told = [];
startResting();
startLeaving(notingTarget({ isEditing: () => told.length > 0, inTurn: async (send) => send() }));
const fresh = () => told.splice(0);

test("many steps are one edit, told once they rest", async () => {
  for (const value of [1, 2, 3]) tellLater("level", 350, () => told.push(value));
  await settled(349);
  equal([fresh(), isAnyResting()], [[], true]); // prettier-ignore
  await settled(1);
  equal([fresh(), isAnyResting()], [[3], false]); // prettier-ignore
  tellLater("level", 350, () => told.push(4));
  forget("level");
  await settled(400);
  equal(fresh(), []);
});

test("undo, a press of the hand and any other edit come behind what rests", () => {
  for (const act of [
    () => press("Control+KeyZ"),
    () => document.body.dispatchEvent(new PointerEvent("pointerdown", { bubbles: true })),
    () => document.body.dispatchEvent(new CustomEvent("htmx:confirm", { bubbles: true })),
  ]) {
    tellLater("level", 350, () => told.push("level"));
    act();
    equal(fresh(), ["level"]);
  }
});

test("leaving the page tells what rests, and waits for it", () => {
  tellLater("level", 350, () => told.push("level"));
  equal(!window.dispatchEvent(new Event("beforeunload", { cancelable: true })), true);
  equal(fresh(), ["level"]);
});
