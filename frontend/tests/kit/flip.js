import { startFlip } from "../../js/kit/flip.js";
import { equal, near, notingTarget, press, settled, taken, test } from "../harness.js";

const session = notingTarget({ kit: "3" });
const engine = notingTarget({ rate: 48_000, ahead: new Map(), loadAhead: async (books) => void (engine.ahead = books) });
const SETS = { 7: [[3, "Own"], [4, "Loft"], [5, "Attic"]], 8: [[3, "Own"]] };
const missing = new Set(); // addresses of tables that do not come
const asked = [];
window.fetch = /** @type {any} */ (async (url) => {
  asked.push(url);
  const set = SETS[url.match(/sets\/(\d+)/)?.[1]];
  if (url.includes("/sets/")) return { ok: Boolean(set), json: async () => ({ kits: set }) };
  return { ok: !missing.has(url), json: async () => ({ of: url }) };
});
const key = startFlip(session, engine);

function draw() {
  document.body.innerHTML = `<p id="hearing"><b id="hearing-says"></b><button data-flip-by="1"></button><button id="flip-end"></button></p><p
    id="flip-bar" data-set="7"><button id="flip-use"></button>${["equal", "cuts", "blind"].map((name) => `<input type="checkbox"
    id="flip-${name}">`).join("")}</p>
    ${[3, 4, 5].map((kit) => `<p data-set-kit="${kit}" data-flip="${kit}"><i data-gain-of="${kit}"></i></p>`).join("")}<button
    data-hear-version="/kits/3/versions/9/tables/44100/" data-name="Monday"></button>`;
  session.dispatchEvent(new Event("marked"));
  asked.length = engine.calls.length = session.calls.length = 0;
}
const press_ = (selector) => /** @type {HTMLElement} */ (document.querySelector(selector)).click();
const tick = (id, is) => {
  const box = /** @type {HTMLInputElement} */ (document.getElementById(id));
  box.checked = is;
  box.dispatchEvent(new Event("change", { bubbles: true }));
};
const says = () => document.getElementById("hearing-says").textContent;
const said = () => taken(session, "say").map(([words]) => words);
const flips = () => taken(engine, "flip").map(([which]) => which);
const use = async () => (press_("#flip-use"), settled()); // prettier-ignore
const end = () => press_("#flip-end");
const report = (own, frames) => engine.dispatchEvent(new CustomEvent("report", { detail: { power: [own, 0, frames], voices: 1 } }));

test("a set is loaded whole, begun with this kit, and flipped through round and round", async () => {
  draw();
  await use();
  equal([says(), flips(), asked.length, said()], ["1/3 Own", ["3"], 4, ["Loading 3 kits…"]]);
  equal([key(press("Shift+BracketRight")), says(), key(press("BracketRight"))], [true, "2/3 Loft", false]);
  key(press("Shift+BracketLeft"));
  key(press("Shift+BracketLeft"));
  press_("[data-flip='3']");
  equal([flips(), document.querySelector(".heard").getAttribute("data-set-kit")], [["4", "3", "5", "3"], "3"]);
  end();
  equal([engine.ahead.size, document.getElementById("hearing").hidden, taken(engine, "measure")], [0, true, [[true], [false]]]); // prettier-ignore
});

test("a kit that is changed while it is loaded is loaded anew", async () => {
  draw();
  press_("#flip-use");
  for (let steps = 0; asked.length < 4 && steps < 20; steps++) await Promise.resolve();
  equal([asked.length, document.getElementById("hearing").hidden], [4, true]);
  document.body.dispatchEvent(new CustomEvent("kit-changed", { detail: { refused: false } }));
  await settled();
  equal([asked.length, says(), flips()], [7, "1/3 Own", ["3"]]);
  end();
});

test("a kit that does not come is named and left out; with one left there is nothing to flip", async () => {
  draw();
  missing.add("/kits/3/flipped/5/48000/");
  await use();
  equal([says(), said()[1]], ["1/2 Own", "Attic did not come and is left out; begin again to hear all."]);
  end();
  missing.add("/kits/3/flipped/4/48000/");
  await use();
  equal([said()[1], document.getElementById("hearing").hidden], ["Loft, Attic did not come and are left out; begin again to hear all.", true]);
  missing.clear();
});

test("a set of one kit, one that does not come, and a kit before any set are said", async () => {
  draw();
  press_("[data-flip='4']");
  for (const set of ["8", "99"]) {
    document.getElementById("flip-bar").dataset.set = set;
    await use();
  }
  equal([said(), flips()], [["Press “Flip through this set” first.", "A set of one kit can't be flipped through. Add another.", "The set does not come; is the server running?"], []]);
});

test("kits are made as loud as the first that was heard, over what was played of each", async () => {
  draw();
  await use();
  tick("flip-equal", true);
  report(4, 100);
  report(4, 100);
  press_("[data-flip-by]");
  report(0.4, 100);
  near(taken(engine, "setKitGain").at(-1)[0], 10 ** 0.5, 1e-9);
  equal([...document.querySelectorAll("[data-gain-of]")].map(({ textContent }) => textContent), ["+0.0 dB", "+10.0 dB", ""]);
  tick("flip-equal", false);
  report(0.4, 100);
  equal(taken(engine, "setKitGain"), [[1]]);
  end();
});

test("a flip cuts what sounds only where that is wanted", async () => {
  draw();
  await use();
  press_("[data-flip-by]");
  equal(taken(engine, "hush").length, 0);
  tick("flip-cuts", true);
  press_("[data-flip-by]");
  equal(taken(engine, "hush").length, 1);
  tick("flip-cuts", false);
  end();
});

test("blind, names and marks are hidden until they are asked for", async () => {
  draw();
  tick("flip-blind", true);
  await use();
  equal([says(), document.querySelector(".heard"), document.getElementById("flip-use").textContent], ["1/3 kit A", null, "Say which is which"]);
  said();
  press_("#flip-use");
  const name = said()[0].match(/^You hear (\w+)\.$/)[1];
  equal([says(), document.getElementById("flip-use").textContent], [`1/3 ${name}`, "End flipping"]);
  press_("#flip-use");
  equal(document.getElementById("hearing").hidden, true);
});

test("a version is flipped with the kit as it is, at the rate of the page, blind too", async () => {
  draw();
  press_("[data-hear-version]");
  await settled();
  equal([says(), asked], ["1/2 Monday", ["/kits/3/versions/9/tables/48000/", "/kits/3/flipped/3/48000/"]]);
  tick("flip-blind", true);
  await settled();
  equal([says(), said().includes("The set does not come; is the server running?")], ["1/2 kit A", false]);
  tick("flip-blind", false);
  end();
});

test("an edit of this kit ends it: what is changed is to be heard", async () => {
  draw();
  await use();
  const changed = (refused) => document.body.dispatchEvent(new CustomEvent("kit-changed", { detail: { refused } }));
  changed(true);
  equal(says(), "1/3 Own");
  changed(false);
  equal([document.getElementById("hearing").hidden, said().at(-1)], [true, "This kit was changed, so it is heard again itself."]);
});

test("of two sets that are begun one after the other the last is heard", async () => {
  draw();
  press_("#flip-use");
  press_("[data-hear-version]");
  await settled();
  equal([says(), flips()], ["1/2 Monday", ["version"]]);
  end();
});
