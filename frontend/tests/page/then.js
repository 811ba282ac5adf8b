import { startThen } from "../../js/page/then.js";
import { equal, notingTarget, settled, taken, test } from "../harness.js";

const session = notingTarget({ headers: { "X-View": "stack" }, show: async (url) => (session.calls.push(["show", url]), true) });
startThen(session);

/** An edit is answered that leads to the kit's sheet. */
async function answered({ successful = true, from = "stack" } = {}) {
  const elt = Object.assign(document.createElement("button"));
  elt.dataset.then = "/kits/3/";
  document.body.dispatchEvent(new CustomEvent("htmx:afterRequest", { detail: { elt, successful, requestConfig: { headers: { "X-View": from } } } }));
  await settled();
  return [taken(session, "show"), taken(session, "selectTouched").length];
}

test("what an edit leads to is shown, with what it made selected", async () => {
  equal(await answered(), [[["/kits/3/"]], 1]);
});

test("one that was refused, or that comes after its view was left, leads nowhere", async () => {
  equal(await answered({ successful: false }), [[], 0]);
  equal(await answered({ from: "map" }), [[], 0]);
});
