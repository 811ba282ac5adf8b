import { startSwap } from "../../js/kit/swap.js";
import { equal, notingTarget, press, settled, taken, test } from "../harness.js";

const gets = [];
const session = notingTarget({ kit: "3", selected: 11, show: async (...given) => (gets.push(given), true), headers: { "X-Kit-Version": "1" } });
const engine = notingTarget({ auditioned: "", isPartPlaying: false, books: [], loadPlaybook: async (pads) => void engine.books.push([engine.auditioned, pads]), arrival: () => arrives });
let arrives = Promise.resolve(true);
const input = notingTarget();
const key = startSwap(session, engine, input);

/** A snare of two pads, and three drums for its place; the first is its own. */
function draw() {
  const drum = (number, theirs, pairs) => `<li class="drum" id="drum-${number}" data-drum="${number}" data-kit="5" data-name="Low" data-theirs='${JSON.stringify(theirs)}'
    data-pairs="${pairs}"></li>`;
  const fields = ["gain", "tune", "delay"].map((name) => `<input id="thicken-${name}" value="0">`).join("");
  const beside = `<select id="swap-how"><option>place</option><option>with</option></select><div id="thicken">${fields}<input type="checkbox" id="thicken-flip"><span
    id="thicken-phase"></span><button id="thicken-use"></button><button id="thicken-alongside" data-add="/kits/3/alongside/add/"></button></div>
    <h3 id="swap-pairs-title"></h3>`;
  document.body.innerHTML = `<section id="swap" data-thicken="/kits/3/pads/11/thickened/" data-phase="/phase/" data-keep="/kits/3/pads/11/swapped/" data-back="/kits/3/#swapped"><ul id="drums"
    tabindex="0">${drum(0, [], "")}${drum(7, [[70, "Head"], [71, "Rim"]], "11-70_12-71")}${drum(8, [[80, "Only"]], "11-80")}</ul>
    <table id="swap-pairs">${[11, 12].map((pad) => `<tr data-own="${pad}"><td><select></select><button
    data-strike="40"></button></td></tr>`).join("")}</table><input type="checkbox" id="swap-levelled" checked><button id="swap-keep"></button><button
    id="swap-add" data-add="/kits/3/pieces/add/"></button><p id="swap-said"></p><a id="swap-leave"></a>${beside}</section>`;
  for (const stand of [session, engine, input]) stand.calls.length = 0;
  gets.length = engine.books.length = 0;
  engine.auditioned = "";
  arrives = Promise.resolve(true);
  session.dispatchEvent(new Event("marked"));
}
const typed = (...chords) => chords.map((chord) => key(press(chord, "", document.getElementById("drums"))));
const selects = () => [...document.querySelectorAll("#swap-pairs select")];
const strikes = () => taken(input, "pad").map(([pad, velocity]) => [pad, velocity]);

test("drums are walked, each is heard in the piece's place, soft, middle and hard, once its sound is here", async () => {
  draw();
  equal([document.activeElement.id, typed("ArrowDown"), engine.auditioned], ["drums", [true], "7.1.11-70_12-71."]);
  await settled();
  equal(engine.books, [["7.1.11-70_12-71.", [11, 12]]]);
  await settled(500);
  equal(strikes(), [[11, 40], [11, 80], [11, 120]]); // prettier-ignore
  typed("End", "PageUp", "ArrowUp");
  equal([engine.auditioned, document.getElementById("swap-keep").hasAttribute("disabled"), document.getElementById("swap-said").textContent], ["", true, "As it is in this kit."]);
});

test("a drum that was walked past is not struck, and none while the part plays", async () => {
  draw();
  typed("ArrowDown", "ArrowDown");
  await settled(1000);
  equal([strikes().length, engine.auditioned], [3, "8.1.11-80."]);
  engine.isPartPlaying = true;
  typed("ArrowUp");
  await settled(1000);
  engine.isPartPlaying = false;
  equal(strikes(), []);
});

test("a sound that does not come is struck all the same after a while", async () => {
  draw();
  arrives = new Promise(() => {});
  typed("ArrowDown");
  await settled(1400);
  equal(strikes(), []);
  await settled(700);
  equal(strikes().length, 3);
});

test("which pad stands for which is shown and can be chosen, with silence and itself", async () => {
  draw();
  typed("ArrowDown");
  equal(
    selects().map((select) => [select.value, [...select.options].map(({ text }) => text)]),
    [["70", ["itself", "Head", "Rim", "silence"]], ["71", ["itself", "Head", "Rim", "silence"]]],
  ); // prettier-ignore
  selects()[1].value = "";
  selects()[1].dispatchEvent(new Event("change", { bubbles: true }));
  equal(engine.auditioned, "7.1.11-70.");
  const level = /** @type {HTMLInputElement} */ (document.getElementById("swap-levelled"));
  level.checked = false;
  level.dispatchEvent(new Event("change", { bubbles: true }));
  equal(engine.auditioned, "7.0.11-70.");
});

test("Enter keeps what is heard and goes back, for this kit's own there is nothing to keep", async () => {
  draw();
  typed("Enter");
  await settled();
  equal(session.calls.filter(([name]) => name === "post"), []); // prettier-ignore
  const kept = ["/kits/3/pads/11/swapped/", { value: "7.1.11-70_12-71." }]; // prettier-ignore
  typed("ArrowDown", "Enter");
  await settled();
  equal([taken(session, "post"), engine.auditioned, gets], [[kept], "", []], "refused: the list is shown, and this kit's own is heard"); // prettier-ignore
  typed("ArrowDown", "Enter");
  session.headers = { "X-Kit-Version": "2" };
  await settled();
  equal([taken(session, "post"), engine.auditioned, gets], [[kept], "", [["/kits/3/#swapped", { isNew: false }]]]); // prettier-ignore
});

test("digits strike it, a pad's buttons that pad, and it can be added as a piece of its own", () => {
  draw();
  typed("ArrowDown", "Digit1");
  key(press("Digit2", "2", document.getElementById("drums")));
  document.querySelectorAll("[data-strike]")[1].dispatchEvent(new MouseEvent("click", { bubbles: true }));
  document.getElementById("swap-add").click();
  equal([strikes(), taken(session, "post")], [[[11, 80], [12, 40]], [["/kits/3/pieces/add/", { piece: "7", shown: "70,71" }]]]); // prettier-ignore
});

test("under it a drum sounds with it as it is set, what its phase would win is told and taken over, and it is kept or its kit alongside", async () => {
  draw();
  const asked = [];
  const { fetch } = window;
  window.fetch = /** @type {any} */ (async (url) => (asked.push(decodeURIComponent(url)), new Response('{"isFlipped":true,"delayMs":1.5,"wonDb":3.2}')));
  const at = (id) => /** @type {HTMLInputElement} */ (document.getElementById(id));
  const change = (id, value) => (Object.assign(at(id), { value }), at(id).dispatchEvent(new Event("change", { bubbles: true }))); // prettier-ignore
  change("swap-how", "with");
  typed("ArrowDown");
  await settled();
  equal([engine.auditioned, asked], ["with.0_0_0_0~7.1.11-70_12-71.", ["/phase/?value=0_0_0_0~7.1.11-70_12-71."]]);
  equal([at("thicken-phase").textContent], ["Low end: 3.2 dB more with polarity turned, 1.5 ms later."]);
  change("thicken-gain", "−6");
  at("thicken-use").click();
  equal(engine.auditioned, "with.-6_0_1.5_1~7.1.11-70_12-71.");
  session.calls.length = 0;
  at("thicken-alongside").click();
  await settled();
  typed("ArrowDown", "ArrowUp", "Enter");
  await settled();
  window.fetch = fetch;
  equal(taken(session, "post"), [
    ["/kits/3/alongside/add/", { other: "5", piece: "7", gain_db: "−6", delay_ms: "1.5" }],
    ["/kits/3/pads/11/thickened/", { value: "-6_0_1.5_1~7.1.11-70_12-71." }],
  ]);
});

test("leaving the view gives the kit back what it had", () => {
  draw();
  typed("ArrowDown");
  engine.books.length = 0;
  let left = 0;
  document.getElementById("swap-leave").addEventListener("click", () => left++);
  equal([typed("Escape", "KeyQ"), left], [[true, false], 1]);
  document.body.replaceChildren();
  session.dispatchEvent(new Event("marked"));
  equal([engine.auditioned, engine.books], ["", [["", [11, 12]]]]);
});

test("H opens it for the selected pad, not while a person types", async () => {
  document.body.innerHTML = `<input id="field"><button id="b"></button>`;
  gets.length = 0;
  const at = (id) => key(press("KeyH", "h", document.getElementById(id)));
  equal([at("field"), at("b")], [false, true]);
  await settled();
  equal(gets, [["/kits/3/pads/11/swap/"]]);
});
