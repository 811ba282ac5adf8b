import { startMatch } from "../../js/recording/match.js";
import { equal, settled, taken, noting, test } from "../harness.js";

/** The comparison of a track; each answer comes after its ms. */
function stand(answers) {
  document.body.setAttribute("hx-headers", "{}");
  document.body.innerHTML = `<button id="match"></button><ul id="matches"></ul><p id="match-says"></p>`;
  window.fetch = /** @type {any} */ (async () => {
    const [pad, ms] = answers.shift();
    await new Promise((resolve) => setTimeout(resolve, ms));
    if (!pad) throw new TypeError("no network");
    const rows = [{ what: "level", words: `${pad} is louder`, why: "measured", isSure: pad !== "Tom" }];
    return { ok: true, headers: new Headers({ "Content-Type": "application/json" }), json: async () => ({ pad, rows }) };
  });
  const session = noting({ post: async (url) => void session.calls.push(["post", url]) });
  const editor = { track: { id: 1 }, session, root: { dataset: { url: "/recordings/of/1/2/" }, isConnected: true } };
  const match = startMatch(editor, new AbortController().signal);
  return { session, match, press: () => document.getElementById("match").click(), shown: () => ["match-says", "matches"].map((id) => document.getElementById(id).textContent) };
}

test("what was measured is listed with its evidence, and given to the pad when that is pressed, then compared anew", async () => {
  const { press, shown, session } = stand([["Tom", 1], ["Tom", 1]]); // prettier-ignore
  press();
  await settled(9);
  equal(shown(), ["Tom", "Tom is louder△ measuredGive"]);
  /** @type {HTMLElement} */ (document.querySelector("[data-give]")).click();
  await settled(9);
  equal([taken(session, "post"), shown()[0]], [[["/recordings/of/1/2/tracks/1/give/level/"]], "Tom"]);
});

test("of two comparisons the later is shown, whichever answer comes first", async () => {
  const { press, shown } = stand([["Snare", 40], ["Tom", 5]]); // prettier-ignore
  press();
  press();
  await settled(90);
  equal(shown(), ["Tom", "Tom is louder△ measuredGive"]);
});

test("one that was cleared is not shown any more, and a server that is away is said", async () => {
  const { press, shown, match } = stand([["Snare", 10], ["", 1]]); // prettier-ignore
  press();
  await settled();
  match.clear();
  await settled(20);
  equal([shown(), match.track], [["", ""], 0]);
  press();
  await settled(9);
  equal(shown(), ["The server does not answer.", ""]);
});
