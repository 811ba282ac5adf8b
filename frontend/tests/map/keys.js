import { startMap } from "../../js/map/keys.js";
import { equal, notingTarget, pointer, press, settled, taken, test } from "../harness.js";

const PX = 8; // of a note
const posts = [];
let answers = [];
const session = notingTarget({ kit: "3", pads: [1], post: (url, values) => (posts.push([url, values.value ?? values.notes]), new Promise((resolve) => answers.push(() => resolve(undefined)))) });
const input = notingTarget();
const hits = [{ note: 50, velocity: 90, tick: 0, frame: 0 }, { note: 50, velocity: 80, tick: 480, frame: 100 }, { note: 52, velocity: 70, tick: 960, frame: 200 }]; // prettier-ignore
const part = { model: { hits: [], about: { name: "Pulse", loopTicks: 1920, rate: 48_000 } } };
startMap(session, input, part);

function draw(/** @type {Record<number, number[]>} */ rows = { 1: [36, 35], 2: [38] }) {
  const mark = (note) => `<rect class="mark" x="${note}" width="1" height="1" data-note="${note}"></rect>`;
  const row = (/** @type {any} */ [pad, notes]) => `<div class="map-row" data-map-pad="${pad}"><p class="map-name"><span>Pad ${pad}</span></p><button
    data-learn="${pad}"></button><svg class="map-line" tabindex="0" style="display:block;width:${128 * PX}px;height:20px" viewBox="0 0 128 1"
    preserveAspectRatio="none">${notes.map(mark).join("")}</svg></div>`;
  document.body.innerHTML = `<div id="map" style="position:absolute;left:0;top:0">${Object.entries(rows).map(row).join("")}</div><p id="learning"
    hidden></p><button id="learn-row"></button>
    <svg class="keyboard">${[36, 37, 50, 52].map((note) => `<g class="key"
    data-key="${note}"><title>Note ${note}</title></g>`).join("")}</svg><svg><path data-thread="1"></path></svg>`;
  for (const line of document.querySelectorAll(".map-line")) Object.assign(line, { setPointerCapture() {} });
  posts.length = 0;
  answers = [];
  part.model.hits = [];
  session.dispatchEvent(new Event("marked"));
}
const line = (pad) => /** @type {any} */ (document.querySelector(`[data-map-pad="${pad}"] .map-line`));
const at = (note) => ({ button: 0, clientX: (note + 0.5) * PX });
const drag = (from, pad, note, to, keys = {}) => {
  pointer("pointerdown", from ?? line(pad), { ...at(note), ...keys });
  pointer("pointermove", document.body, at(to));
  pointer("pointerup", document.body);
};
const mark = (note) => document.querySelector(`.mark[data-note="${note}"]`);

test("a press on an empty key gives it to the pad, sounds it and selects it", () => {
  draw();
  drag(null, 2, 40, 40);
  equal([posts, taken(input, "pad"), taken(session, "select").map(([pad]) => pad)], [[["/kits/3/pads/2/notes/", "38, 40"]], [[2, 96, "map"]], [2]]); // prettier-ignore
});

test("a mark is dragged to another key, with its line, and a press that does not move it changes nothing", () => {
  draw();
  drag(mark(35), 1, 35, 35);
  pointer("pointerdown", mark(35), at(35));
  pointer("pointermove", document.body, at(47));
  equal([mark(35).getAttribute("x"), document.querySelector("[data-thread]").getAttribute("d")], ["47", "M0 0.5H36.5V0M0 0.5H47.5V0"]);
  pointer("pointerup", document.body);
  equal(posts, [["/kits/3/pads/1/notes/", "36, 47"]]);
});

test("with Shift a drag gives all keys between, on either side, within the 128 notes", () => {
  draw();
  drag(null, 2, 42, 40, { shiftKey: true });
  mark(42).remove(); // the answer draws the row anew
  drag(null, 2, 125, 300, { shiftKey: true });
  equal(posts.map(([, notes]) => notes), ["38, 40, 41, 42", "38, 125, 126, 127"]); // prettier-ignore
});

test("a mark pressed twice goes, a drag that is broken off leaves all as it was", () => {
  draw();
  mark(36).dispatchEvent(new MouseEvent("dblclick", { bubbles: true }));
  equal(posts.splice(0), [["/kits/3/pads/1/notes/", "35"]]);
  pointer("pointerdown", mark(38), at(38));
  pointer("pointermove", document.body, at(60));
  pointer("pointercancel", document.body);
  pointer("pointerdown", line(2), at(70));
  pointer("pointercancel", document.body);
  equal([posts, mark(38).getAttribute("x"), document.querySelectorAll(".mark").length], [[], "38", 3]);
});

test("arrows move all notes of a pad by each press, however slow the server is, within the keys", async () => {
  draw();
  line(1).focus();
  for (const chord of ["ArrowRight", "ArrowRight", "Shift+ArrowLeft", "ArrowDown"]) press(chord);
  equal([posts.map(([, notes]) => notes), document.activeElement === line(2)], [["36, 37", "37, 38", "25, 26"], true]); // prettier-ignore
  answers.forEach((answer) => answer());
  await settled();
  draw({ 1: [0, 5] });
  line(1).focus();
  press("ArrowLeft");
  press("Delete");
  equal(posts.map(([, notes]) => notes), [""], "not below the first note"); // prettier-ignore
});

const learningLine = () => document.getElementById("learning");
const words = () => learningLine().firstElementChild?.textContent;
const strike = (note) => input.dispatchEvent(new CustomEvent("raw", { detail: { note } }));
const pressed = (text) => /** @type {HTMLElement} */ ([...learningLine().querySelectorAll("button")].find((button) => button.textContent.includes(text))).click();

test("what is struck is learned for the pad that waits, once nothing else came with it", async () => {
  draw();
  /** @type {HTMLElement} */ (document.querySelector("[data-learn='2']")).click();
  equal([words(), document.querySelector(".learns").getAttribute("data-map-pad")], ["Strike what plays Pad 2", "2"]);
  strike(50);
  equal(posts, []);
  press("Enter");
  equal([posts, learningLine().hidden], [[["/kits/3/map/learned/", "2:50"]], true]);
});

test("of several that come together a person chooses", async () => {
  draw();
  line(1).focus();
  press("Enter");
  strike(50);
  strike(52);
  strike(50);
  await settled(920);
  equal(words(), "Strike what plays Pad 1; several came. Which one is it?");
  pressed("Note 52");
  equal(posts, [["/kits/3/map/learned/", "1:52"]]);
});

test("pads are learned in a row, passed over, gone back to, and kept or given up", () => {
  draw();
  document.getElementById("learn-row").click();
  pressed("Skip");
  equal(words(), "Strike what plays Pad 2 (2 of 2)");
  pressed("Back");
  strike(50);
  press("Enter");
  equal(words(), "Strike what plays Pad 2 (2 of 2)");
  pressed("Finish");
  equal(posts.splice(0), [["/kits/3/map/learned/", "1:50"]]);
  document.getElementById("learn-row").click();
  press("Escape");
  equal([learningLine().hidden, posts], [true, []]);
});

test("notes of the part that is open are offered, those that come most first", () => {
  draw();
  part.model.hits = hits;
  /** @type {HTMLElement} */ (document.querySelector("[data-learn='1']")).click();
  equal(learningLine().querySelector(".of-part").textContent.replace(/\s+/g, " "), "or which note of Pulse is it?Note 50 2▶Note 52 1▶");
  pressed("Note 50");
  equal(posts, [["/kits/3/map/learned/", "1:50"]]);
});

test("a drawn key strikes as a device would", () => {
  draw();
  pointer("pointerdown", document.querySelector(".key"), { button: 0 });
  equal(taken(input, "midi"), [[[0x99, 36, 96], "drawn keys"]]);
});
