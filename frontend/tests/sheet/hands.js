import { startArcs } from "../../js/sheet/arcs.js";
import { startBorders } from "../../js/sheet/borders.js";
import { startOrder } from "../../js/sheet/order.js";
import { startSheet } from "../../js/sheet/sheet.js";
import { equal, pointer, test } from "../harness.js";

const session = Object.assign(
  new EventTarget(),
  {
    kit: "3", selected: 0, sent: [], words: [], selects: [], post: (url, values) => session.sent.push([url, values]),
    say: (words) => session.words.push(words), select: (pad) => session.selects.push(pad),
  },
); // prettier-ignore
document.body.innerHTML = "<select id=jump></select>";
startOrder(session);
startBorders(session);
startArcs(session);
const sheet = startSheet(session);

const sent = () => session.sent.splice(0);

/** Three pieces, the second of two pads, in rows of 30 pixels. */
function rows() {
  const row = (pad, classes, more = "") => `<div class="row ${classes}" id="row-${pad}" tabindex="-1" data-pad="${pad}" data-name="p${pad}" ${more}
    style="height:30px;position:relative"><span class="c-glyph">g</span><span class="c-cuts"></span></div>`;
  const rows = [row(1, "", 'data-choke="A"'), row(2, "tied first", 'data-silences="1 2"'), row(3, "tied last", 'data-choke="A" data-silenced-by="1 3"')];
  document.body.innerHTML = `<div class="sheet" style="position:absolute;top:0">${rows.join("")}${row(4, "", 'data-silenced-by="2"')}</div>`;
}
const glyph = (pad) => document.querySelector(`#row-${pad} .c-glyph`);
const classes = (name) => [...document.querySelectorAll(`.${name}`)].map(({ id }) => id);

test("a piece is dragged by its glyph before another piece, which shows where it will stand", () => {
  rows();
  pointer("pointerdown", glyph(4), { button: 0, clientY: 105 });
  pointer("pointermove", document.body, { clientY: 50 });
  equal([classes("lifted"), classes("drop-before"), classes("drop-after")], [["row-4"], ["row-4"], []], "between the pads of a piece it can't stand");
  pointer("pointermove", document.body, { clientY: 40 });
  equal(classes("drop-before"), ["row-2"]);
  pointer("pointerup", document.body);
  equal([sent(), classes("lifted"), classes("drop-before")], [[["/kits/3/pads/4/move/", { before: "2" }]], [], []]);
});

test("below all it goes to the end", () => {
  rows();
  pointer("pointerdown", glyph(1), { button: 0, clientY: 10 });
  pointer("pointermove", document.body, { clientY: 150 });
  equal(classes("drop-after"), ["row-4"]);
  pointer("pointerup", document.body);
  equal(sent(), [["/kits/3/pads/1/move/", {}]]);
});

test("a piece that is let go where it stands, hardly moved, or broken off stays", () => {
  rows();
  for (const [to, end] of /** @type {[number, string][]} */ ([[12, "pointerup"], [2, "pointerup"], [150, "pointercancel"]])) {
    pointer("pointerdown", glyph(1), { button: 0, clientY: 10 });
    pointer("pointermove", document.body, { clientY: to });
    pointer(end, document.body);
  }
  pointer("pointerdown", glyph(1), { button: 2, clientY: 10 });
  pointer("pointermove", document.body, { clientY: 150 });
  pointer("pointerup", document.body);
  equal(sent(), []);
});

/** A staircase of three layers, 254 pixels wide: a velocity is two pixels. */
function staircase() {
  document.body.innerHTML = `<div data-borders="7:40,8:90,9:127" style="position:absolute;left:0;top:0"><svg class="steps"
    style="width:254px;height:42px;display:block"></svg></div>`;
  return document.querySelector("svg");
}

test("a border follows the pointer between its neighbours, and is told where it was let go", () => {
  const svg = staircase();
  pointer("pointermove", svg, { clientX: 82 });
  equal(svg.getAttribute("class"), "steps on-border");
  pointer("pointerdown", svg, { button: 0, clientX: 82 });
  pointer("pointermove", document.body, { clientX: 120 });
  equal([session.words.at(-1), svg.querySelector(".dragged").getAttribute("d")], ["Layer 1 ends at 60, layer 2 begins at 61", "M60 0V42"]);
  pointer("pointermove", document.body, { clientX: 250 });
  pointer("pointerup", document.body);
  equal([sent(), svg.querySelector(".dragged")], [[["/kits/3/layers/7/border/", { value: "89" }]], null]);
});

test("a press beside a border, or one that is not moved, changes none", () => {
  const svg = staircase();
  for (const clientX of [130, 180]) {
    pointer("pointerdown", svg, { button: 0, clientX });
    pointer("pointerup", document.body);
  }
  pointer("pointermove", svg, { clientX: 130 });
  equal([sent(), svg.getAttribute("class")], [[], "steps"]);
});

test("arcs go from the selected pad to all that it cuts, by choke letter and by mute number", () => {
  rows();
  const arcsFrom = (pad) => {
    session.selected = pad;
    session.dispatchEvent(new Event("marked"));
    return [...document.querySelectorAll(".cut-arcs path")].map((path) => Number(path.getAttribute("d").match(/ 0 (-?[\d.]+)m/)[1]) - 15);
  };
  equal([arcsFrom(1), arcsFrom(2), arcsFrom(3), arcsFrom(4), arcsFrom(77)], [[60], [30, 60], [-60], [], []]); // prettier-ignore
});

test("the list of pieces is filled when it is opened, and a choice goes there", () => {
  rows();
  document.body.insertAdjacentHTML("beforeend", `<select id="jump"><option value="">Go to</option></select><button id="density"></button>`);
  const jump = /** @type {HTMLSelectElement} */ (document.getElementById("jump"));
  sheet.jump();
  equal([...jump.options].map(({ text }) => text), ["Go to", "p1", "p2", "p4"]); // prettier-ignore
  jump.value = "4";
  jump.dispatchEvent(new Event("change", { bubbles: true }));
  equal([session.selects, document.activeElement.id, jump.value], [[4], "row-4", ""]);
  document.getElementById("density").click();
  equal([document.documentElement.dataset.density, localStorage.getItem("density"), document.getElementById("density").getAttribute("aria-pressed")], ["dense", "dense", "true"]);
  localStorage.clear();
});
