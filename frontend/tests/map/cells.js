import { blockOf, cornerOf } from "../../js/map/cell_block.js";
import { startCells } from "../../js/map/cells.js";
import { equal, notingTarget, press, taken, test } from "../harness.js";

const [ROWS, COLUMNS] = [3, 4];
const session = notingTarget({ kit: "3", get: async () => true });
const [input, part] = [notingTarget(), { model: { hits: [] } }];
startCells(session, input, part);
const mark = () => session.dispatchEvent(new Event("marked"));

/** A surface of three rows of four, two banks, pads in the lower left four cells; and a list of five pads. */
function draw({ shown = "8", isNew = true, arranging = true } = {}) {
  const cell = (place) => `<button class="cell-of" id="cell-${place}" data-place="${place}"${place < 4 ? ` data-pad="${place + 11}"` : ""}><span
    class="cell-name">n${place}</span></button>`;
  const bank = (number) => `<div class="cells" data-cells-of="${number}">${Array.from({ length: ROWS * COLUMNS }, (_, n) => cell(n + number * ROWS * COLUMNS)).join("")}</div>`;
  document.body.innerHTML = `<div id="surfaces" data-shown="${shown}"><input type="checkbox" id="arrange-cells"${arranging ? " checked" : ""}><p
    class="cells-tools"><button data-cells="mirror"></button><button data-cells="spread"></button></p><p id="cells-said"></p><button
    data-learn-cells></button>
    <div class="cell-banks" data-columns="${COLUMNS}" data-post="/kits/3/map/surfaces/${shown}/WHAT/">${bank(0)}${bank(1)}</div><button
    data-cell-bank="0"></button><button data-cell-bank="1"></button><p id="cells-learning" hidden></p>
    <ul id="cell-pads">${[1, 2, 3, 4, 5].map((pad, n) => `<li data-lay="${pad}" id="lay-${pad}" tabindex="${n ? -1 : 0}"></li>`).join("")}</ul></div><dialog
    id="ask"></dialog>`;
  if (isNew) session.calls.length = 0;
  mark();
}
/** A page without a surface forgets all. */
function fresh(how = {}) {
  document.body.replaceChildren();
  mark();
  draw(how);
}
const at = (id) => document.getElementById(id);
const click = (id, keys = {}) => at(id).dispatchEvent(new MouseEvent("click", { bubbles: true, ...keys }));
const selected = () => [...document.querySelectorAll(".cell-of[aria-selected=true]")].map(({ id }) => Number(id.slice(5)));
const posts = () => taken(session, "post").map(([url, values]) => [url.split("/").at(-2), values]);

test("the rectangle between two cells is found whichever corners they are", () => {
  const places = Array.from({ length: 12 }, (_, n) => n);
  equal([blockOf(places, 1, 6, 4), blockOf(places, 6, 1, 4), blockOf(places, 5, 2, 4), blockOf(places, 7, 7, 4)], [[1, 2, 5, 6], [1, 2, 5, 6], [1, 2, 5, 6], [7]]); // prettier-ignore
});

test("a block goes where the cell lands that was taken hold of, and not below the first", () => {
  equal([cornerOf([5, 6, 9, 10], 10, 11, 4), cornerOf([5, 6, 9, 10], 5, 0, 4), cornerOf([5, 9], 9, 1, 4)], [6, 0, 0]);
});

test("cells are selected by press, to there with Shift, one more with Ctrl, and counted", () => {
  fresh();
  click("cell-1");
  click("cell-6", { shiftKey: true });
  equal([selected(), at("cells-said").textContent], [[1, 2, 5, 6], "4 cells selected."]);
  click("cell-11", { ctrlKey: true });
  click("cell-2", { ctrlKey: true });
  equal(selected(), [1, 5, 6, 11]);
  click("cell-3");
  equal([selected(), at("cells-said").textContent], [[3], "1 cell selected."]);
});

test("while it is played a press selects nothing, and an empty cell asks for a pad", async () => {
  fresh({ arranging: false });
  const asked = [];
  session.get = async (url) => (asked.push(url), true); // prettier-ignore
  click("cell-1");
  click("cell-7");
  session.dispatchEvent(new CustomEvent("fill-cell", { detail: { surface: 5, place: 2 } }));
  await null;
  equal([selected(), asked], [[], ["/kits/3/map/surfaces/8/fill/?place=7", "/kits/3/map/surfaces/5/fill/?place=2"]]);
});

test("arrows walk the cells of the bank, with Shift they select, with Ctrl the selection stays", () => {
  fresh();
  at("cell-0").focus();
  for (const chord of ["ArrowRight", "ArrowUp", "ArrowLeft", "ArrowLeft", "ArrowDown", "ArrowDown"]) press(chord);
  equal([document.activeElement.id, selected()], ["cell-0", [0]]);
  for (const chord of ["Shift+ArrowRight", "Shift+ArrowUp"]) press(chord);
  equal([document.activeElement.id, selected()], ["cell-5", [0, 1, 4, 5]]);
  press("Control+ArrowUp");
  press("Space", " ");
  equal([document.activeElement.id, selected()], ["cell-9", [0, 1, 4, 5, 9]]);
});

test("keys of the tools act on what is selected", () => {
  fresh();
  click("cell-1");
  at("cell-1").focus();
  for (const key of ["m", "a", "x", "Delete"]) press(`Key${key}`, key);
  click("cell-2", { shiftKey: true });
  press("Control+KeyC", "c");
  at("cell-8").focus();
  press("Control+KeyV", "v");
  equal(posts().map(([what, { places, to }]) => [what, places, to]), [["mirror", "1", "1"], ["across", "1", "1"], ["swap", "1", "1"], ["clear", "1", "1"], ["copy", "1,2", "8"]]); // prettier-ignore
  equal(press("KeyQ", "q").defaultPrevented, false);
});

test("a pad of the list goes into the selected cell; several, in the order of selecting, are spread", () => {
  fresh();
  click("cell-6");
  click("lay-3");
  click("lay-1", { ctrlKey: true });
  click("lay-5", { shiftKey: true });
  document.querySelector("[data-cells=spread]").dispatchEvent(new MouseEvent("click", { bubbles: true }));
  equal(posts(), [["place", { places: "6", to: "6", pad: "3" }], ["spread", { places: "6", to: "6", pads: "3,1,2,4,5" }]]);
  equal(at("cells-said").textContent, "1 cell selected, 5 pads to lay.");
});

test("the list is walked and laid by keys, and left for the cell", () => {
  fresh();
  click("cell-6");
  at("cell-6").focus();
  press("Enter");
  for (const chord of ["ArrowDown", "Shift+ArrowDown"]) press(chord);
  equal([document.activeElement.id, [...document.querySelectorAll("[data-lay][aria-selected=true]")].map(({ id }) => id)], ["lay-3", ["lay-2", "lay-3"]]);
  press("Space", " ");
  press("Enter");
  press("Escape");
  equal([posts().map(([what, { pad }]) => [what, pad]), document.activeElement.id], [[["place", "3"]], "cell-6"]); // prettier-ignore
});

/** As the browser tells a drag from one element to another. */
function dragTo(from, to, keys = {}) {
  const dataTransfer = new DataTransfer();
  const tell = (name, on) => on.dispatchEvent(new DragEvent(name, { bubbles: true, cancelable: true, dataTransfer, ...keys }));
  tell("dragstart", at(from));
  tell("dragover", at(to));
  const lit = [...document.querySelectorAll(".drop-here")].map(({ id }) => id);
  tell("drop", at(to));
  tell("dragend", at(from));
  return [lit, document.querySelectorAll(".drop-here").length];
}

test("a block is dragged by any of its cells, with Ctrl it is copied, another cell is dragged alone", () => {
  fresh();
  click("cell-0");
  click("cell-5", { shiftKey: true });
  equal(dragTo("cell-5", "cell-10"), [["cell-10"], 0]);
  dragTo("cell-3", "cell-7", { ctrlKey: true });
  equal(posts().map(([what, { places, to }]) => [what, places, to]), [["move", "0,1,4,5", "5"], ["copy", "3", "7"]]); // prettier-ignore
});

test("pads are dragged from the list onto a cell, several from there on", () => {
  fresh();
  dragTo("lay-2", "cell-9");
  click("lay-4", { ctrlKey: true });
  dragTo("lay-4", "cell-8");
  equal(posts().map(([what, { pad, pads, to }]) => [what, pad ?? pads, to]), [["place", "2", "9"], ["spread", "2,4", "8"]]); // prettier-ignore
});

test("banks are turned, and what is played is not arranged", () => {
  fresh({ arranging: false });
  const shown = () => [...document.querySelectorAll(".cells")].map((bank) => [bank.hidden, bank.classList.contains("played")]); // prettier-ignore
  document.querySelector("[data-cell-bank='1']").dispatchEvent(new MouseEvent("click", { bubbles: true }));
  equal([shown(), at("cell-12").tabIndex, at("cell-pads").hidden], [[[true, true], [false, true]], 0, true]); // prettier-ignore
});

test("the same surface drawn anew keeps its selection and the focus, another begins anew", () => {
  fresh();
  click("cell-5");
  at("cell-5").focus();
  draw({ isNew: false });
  equal([selected(), document.activeElement.id], [[5], "cell-5"]);
  draw({ isNew: false, shown: "9" });
  equal(selected(), []);
});

test("the pads of the surface are learned in the order of their cells, or those of the cells that are selected", () => {
  fresh();
  const learn = () => document.querySelector("[data-learn-cells]").dispatchEvent(new MouseEvent("click", { bubbles: true }));
  const words = () => at("cells-learning").firstElementChild.textContent;
  learn();
  equal([words(), document.querySelector(".next").id], ["Strike what plays n0 (1 of 4)", "cell-0"]);
  press("Escape", "Escape", document.body);
  click("cell-2");
  learn();
  equal(words(), "Strike what plays n2");
  press("Escape", "Escape", document.body);
  for (const cell of document.querySelectorAll(".cell-of")) cell.removeAttribute("data-pad");
  learn();
  equal(taken(session, "say").at(-1), ["No pad stands here yet. Place some first.", true]);
});
