import { startLeaving } from "../../js/page/leaving.js";
import { Sending } from "../../js/page/sending.js";
import { equal, notingTarget, settled, taken, test } from "../harness.js";

const waiting = [];
const inTurn = (send) => (session.isBusy ? new Promise((resolve) => waiting.push(() => resolve(send()))) : send());
const session = notingTarget({ isBusy: false, isEditing: () => session.isBusy, inTurn });
startLeaving(session);

/** A page of a link and of a form, of which is noted when they are followed: nothing is left by them here. */
function draw() {
  document.body.innerHTML = `<a href="#there">There</a><a href="#view" hx-get="/view/">View</a>
    <form method="post"><button value="1"></button></form><form id="own"><button></button></form>`;
  const went = [];
  document.body.onclick = (event) => void (event.target instanceof HTMLAnchorElement && (went.push(event.target.textContent), event.preventDefault()));
  document.body.onsubmit = (event) => void (went.push(event.target.id || event.submitter.value), event.preventDefault());
  const press = (how = {}) => {
    for (const each of document.querySelectorAll("a, button")) each.dispatchEvent(new MouseEvent("click", { bubbles: true, cancelable: true, ...how }));
  };
  return { went, press };
}
const asks = () => !window.dispatchEvent(new Event("beforeunload", { cancelable: true }));

test("where nothing is under way, links and forms go at once, and leaving is not asked about", () => {
  const { went, press } = draw();
  press();
  equal([went, asks(), session.calls], [["There", "View", "1", "own"], false, []]); // prettier-ignore
});

test("they wait for edits of the kit, and for those of parts, the one that was pressed last; what leaves nothing does not", async () => {
  const { went, press } = draw();
  const sending = new Sending();
  session.isBusy = true;
  const sent = sending.next(() => new Promise((resolve) => setTimeout(resolve, 500)));
  press();
  equal([went.splice(0), asks(), taken(session, "say").length], [["View", "own"], true, 2]); // prettier-ignore
  session.isBusy = false;
  for (const go of waiting.splice(0)) go();
  await settled(400);
  equal([went, asks()], [[], true]);
  await settled(200);
  await sent;
  equal([went, asks()], [["1"], false]); // prettier-ignore
});

test("a link that is pressed again goes at once: a server may be slow to answer", () => {
  const { went } = draw();
  session.isBusy = true;
  const link = document.querySelector("a");
  for (const pressed of [0, 1]) equal([link.click(), went.length], [undefined, pressed]); // prettier-ignore
  session.isBusy = false;
});

test("a link that opens a window of its own leaves nothing", () => {
  const { went, press } = draw();
  session.isBusy = true;
  press({ ctrlKey: true });
  session.isBusy = false;
  equal(went.includes("There"), true);
});
