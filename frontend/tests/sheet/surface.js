import { startMeters } from "../../js/sheet/meters.js";
import { keyVelocity, startSurface } from "../../js/sheet/surface.js";
import { equal, notingTarget, pointer, settled, taken, test } from "../harness.js";

/** A surface of two banks beside one row of the sheet. */
function draw() {
  const pads = [1, 2, 3].map((pad) => `<button class="pad" data-pad="${pad}" style="height:100px"><kbd></kbd><i class="did"></i></button>`).join("");
  document.body.innerHTML = `<div id="surface" data-played="8" style="position:absolute;left:0;top:0"><div class="bank"
    data-bank-pads="0">${pads}<button class="pad" data-pad="9" data-empty></button><button class="pad" data-cell data-place="4"></button></div>
    <div class="bank" data-bank-pads="1"><button class="pad" data-pad="11" data-place="7"><kbd></kbd></button></div></div><div id="meters"></div>
    <button data-bank="0"></button><button data-bank="1"></button><button data-sweep></button><button data-hear-take="6"></button><input
    type="checkbox" id="follow" checked>
    <input type="checkbox" id="fixed-velocity"><input id="key-velocity" value="77"><select id="surface-choice"><option value=""></option><option
    value="5"></option></select><div class="row" data-pad="2"></div>`;
  session.dispatchEvent(new Event("marked"));
}

const session = notingTarget({ kit: "3", selected: 2 });
const [engine, input] = [notingTarget(), notingTarget()];
Element.prototype.releasePointerCapture = () => {}; // no real pointer is down
localStorage.clear();
localStorage.setItem("surface-3", "5");
document.body.innerHTML = `<div id="surface"></div><select id="surface-choice"><option value="5"></select><div id="meters"></div>`;
const meters = document.getElementById("meters");
startSurface(session, engine, input);
startMeters(engine);
const report = (detail) => engine.dispatchEvent(new CustomEvent("report", { detail: { played: [], peaks: [], ...detail } }));
const pad = (number) => document.querySelector(`#surface .pad[data-pad="${number}"]`);
const strikes = () => taken(input, "pad").map(([which, velocity, from]) => [which, Math.round(velocity), from]);

test("the surface that was chosen before for this kit is asked for", () => {
  equal(taken(session, "get"), [["/kits/3/surface/?played=5", "#surface", "outerHTML"]]);
});

test("a pad is struck as loud as it is met high, and let go where the pointer is", () => {
  draw();
  const { top, height } = pad(2).getBoundingClientRect();
  for (const share of [0.02, 0.5, 1]) pointer("pointerdown", pad(2), { button: 0, pointerId: 4, clientY: top + height * share });
  pointer("pointerup", document.body, { pointerId: 4 });
  pointer("pointerup", document.body, { pointerId: 4 });
  equal([strikes(), taken(input, "release").map(([which]) => which)], [[[2, 127, "pointer"], [2, 69, "pointer"], [2, 1, "pointer"]], [2]]); // prettier-ignore
});

test("with one velocity for all it is that of the keys, which stays within what notes can be", () => {
  draw();
  const box = /** @type {HTMLInputElement} */ (document.getElementById("fixed-velocity"));
  const field = /** @type {HTMLInputElement} */ (document.getElementById("key-velocity"));
  const turn = (isOn) => {
    box.checked = isOn;
    box.dispatchEvent(new Event("change", { bubbles: true }));
  };
  turn(true);
  pointer("pointerdown", pad(3), { button: 0 });
  equal([strikes(), ["500", "-4", "", "64"].map((value) => (field.value = value, keyVelocity()))], [[[3, 77, "pointer"]], [127, 1, 100, 64]]); // prettier-ignore
  turn(false);
  equal(localStorage.getItem("fixed-velocity"), null);
});

test("an empty pad and an empty cell do not sound: a click fills them", () => {
  draw();
  const filled = [];
  for (const name of ["fill", "fill-cell"]) session.addEventListener(name, ({ detail }) => filled.push(detail), { once: true });
  for (const one of [pad(9), document.querySelector("[data-cell]")]) {
    pointer("pointerdown", one, { button: 0 });
    one.dispatchEvent(new MouseEvent("click", { bubbles: true, detail: 1 }));
  }
  equal([strikes(), filled], [[], [9, { surface: "8", place: "4" }]]);
  taken(session, "select");
});

test("Enter on a pad plays it, and a pad that was pressed is selected", () => {
  draw();
  pad(3).dispatchEvent(new MouseEvent("click", { bubbles: true, detail: 0 }));
  pad(1).dispatchEvent(new MouseEvent("click", { bubbles: true, detail: 1 }));
  equal([strikes(), taken(session, "select")], [[[3, 77, "key"]], [[3], [1]]]);
});

test("what is played is followed by the selection, unless that is turned off", () => {
  draw();
  const hit = (pads) => input.dispatchEvent(new CustomEvent("hit", { detail: { pads } }));
  hit([2]);
  hit([]);
  /** @type {HTMLInputElement} */ (document.getElementById("follow")).checked = false;
  hit([3]);
  equal(taken(session, "select"), [[2, { delay: 250 }]]);
});

test("what sounds is lit on the surface and on the sheet, with its velocity, for a moment", async () => {
  draw();
  report({ played: [[2, 101]] });
  const lit = () => [...document.querySelectorAll(".sounding")].map(({ className }) => className.split(" ")[0]);
  equal([lit(), pad(2).querySelector(".did").textContent], [["pad", "row"], "101"]);
  await settled(240);
  equal(lit(), []);
});

test("banks are turned by their buttons and by keys within what there is, each place with its key", async () => {
  draw();
  await settled();
  const shown = () => [...document.querySelectorAll("#surface .bank")].map(({ hidden }) => !hidden);
  document.querySelector("[data-bank='1']").dispatchEvent(new MouseEvent("click", { bubbles: true }));
  equal([shown(), [...document.querySelectorAll("[data-bank]")].map((one) => one.getAttribute("aria-pressed"))], [[false, true], ["false", "true"]]);
  session.showBank(5);
  equal(shown(), [false, true]);
  session.showBank(-9);
  equal([shown(), pad(1).dataset.code, pad(3).dataset.code, pad(11).dataset.code], [[true, false], "KeyA", "KeyD", "KeyA"]);
  equal(pad(1).querySelector("kbd").textContent, "A");
});

test("a sweep strikes from soft to hard, and ends when all is silenced", async () => {
  draw();
  document.querySelector("[data-sweep]").dispatchEvent(new MouseEvent("click", { bubbles: true }));
  await settled(300);
  session.dispatchEvent(new Event("part-stopped"));
  await settled(300);
  equal(strikes(), [[2, 8, "sweep"], [2, 20, "sweep"]]); // prettier-ignore
});

test("a take is heard by its button, and another surface asked for by its name", () => {
  draw();
  document.querySelector("[data-hear-take]").dispatchEvent(new MouseEvent("click", { bubbles: true }));
  const choice = /** @type {HTMLSelectElement} */ (document.getElementById("surface-choice"));
  for (const value of ["5", ""]) {
    choice.value = value;
    choice.dispatchEvent(new Event("change", { bubbles: true }));
  }
  equal(
    [taken(engine, "hearTake"), taken(session, "get").map(([url]) => url), localStorage.getItem("surface-3")],
    [[[2, 6]], ["/kits/3/surface/?played=5", "/kits/3/surface/?played="], null],
  ); // prettier-ignore
});

test("a meter shows the peak of each output, falls slowly, keeps the highest and marks what is too loud", () => {
  document.body.replaceChildren(meters);
  engine.dispatchEvent(new CustomEvent("playbook", { detail: { outputs: [{ name: "Main" }, { name: "Drums" }] } }));
  const shown = () => [...meters.children].map((row) => [row.querySelector(".level").getAttribute("d"), row.querySelector("output").textContent, row.classList.contains("over")]);
  equal([...meters.querySelectorAll(".meter-name")].map(({ textContent }) => textContent), ["Main", "Drums"]);
  report({ peaks: [0.5, 2, 9] });
  equal(shown(), [["M0 4H42.0", "−6.0", false], ["M0 4H54.0", "6.0", true]]); // prettier-ignore
  report({ peaks: [0, 0] });
  equal(shown()[0], ["M0 4H40.4", "−6.0", false]);
  meters.click();
  equal(shown().map(([, top, isOver]) => [top, isOver]), [["", false], ["", false]]); // prettier-ignore
  for (let n = 0; n < 60; n++) report({ peaks: [0, 0] });
  equal(shown().map(([level]) => level), ["M0 4H0.0", "M0 4H0.0"]); // prettier-ignore
});
