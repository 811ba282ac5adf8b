import { startCuts } from "../../js/kit/cuts.js";
import { equal, notingTarget, pointer, press, taken, test } from "../harness.js";

const CELL = 50; // pixels
const session = notingTarget({ kit: "3" });
const input = notingTarget();
const key = startCuts(session, input);

/** Three pads: the first cuts the second, the third sounds along with the first at a half. */
function draw(dots = "cut") {
  const at = "data-at";
  document.body.innerHTML = `<section id="cuts" data-cut="/kits/3/pads/0/cuts/1/"
    data-link="/kits/3/pads/0/companions/1/">${["cut", "both", "link"].map((name) => `<input type="radio" name="dots" value="${name}"${name === dots ? " checked" : ""}>`).join("")}
    <ol id="matrix-rows" style="position:fixed;left:0;top:0;margin:0;padding:0;width:90px">${["Kick", "Snare", "Hat"].map((name, n) => `<li
    data-pad="${11 + n}" style="height:${CELL}px;display:block"><span>${name}</span></li>`).join("")}</ol><ol
    class="matrix-columns"><li></li><li></li><li></li></ol><svg class="matrix-links"><path class="drawn"></path></svg>
    <div id="matrix" tabindex="0"><svg class="matrix-svg" viewBox="0 0 3 3"
    style="position:fixed;left:100px;top:0;width:${3 * CELL}px;height:${3 * CELL}px"><rect class="cursor"></rect><circle class="cut" ${at}="0 1"
    data-words="Kick cuts Snare"></circle><circle class="link" ${at}="0 2" data-strength="0.5" r="0.2"></circle></svg></div>
    <p class="link-words" ${at}="0 2"></p><input data-link-at="0 2" value="0,75"><p id="cut-says"></p></section>`;
  /** @type {any} */ (document.querySelector(".matrix-svg")).setPointerCapture = () => {};
  session.calls.length = input.calls.length = 0;
  session.dispatchEvent(new Event("marked"));
}
const matrix = () => document.querySelector(".matrix-svg");
const place = (row, column, more = {}) => ({ button: 0, clientX: 100 + (column + 0.5) * CELL, clientY: (row + 0.5) * CELL, ...more });
const click = (row, column, more = {}) => {
  pointer("pointerdown", matrix(), place(row, column, more));
  pointer("pointerup", matrix(), place(row, column, more));
};
const posts = () => taken(session, "post").map(([url, values]) => [url.replace("/kits/3/pads/", ""), values]);
const says = () => document.getElementById("cut-says").textContent;

test("a press sets or takes a cut of the row's pad over the column's, with Shift both ways, and strikes the row", () => {
  draw();
  click(1, 2);
  click(2, 0, { shiftKey: true });
  equal([posts(), taken(input, "pad").map(([pad]) => pad)], [[["12/cuts/13/", {}], ["13/cuts/11/", { both: "1" }]], [12, 13]]); // prettier-ignore
});

test("what a place means is said under the pointer", () => {
  draw();
  const said = [[0, 1], [0, 2], [1, 1], [2, 0]].map(([row, column]) => (pointer("pointermove", matrix(), place(row, column)), says())); // prettier-ignore
  equal(said, ["Kick cuts Snare", "Kick does not cut Hat; Hat sounds along at 50 %", "Snare does not cut itself", "Hat does not cut Kick"]);
  equal(document.querySelector(".link-words").textContent, "Hat with Kick");
});

test("links are set and taken away, and drawn stronger or weaker by their ring", () => {
  draw("link");
  click(1, 0);
  click(0, 2);
  click(2, 2);
  pointer("pointerdown", matrix(), place(0, 2));
  pointer("pointermove", matrix(), place(0, 2, { clientY: CELL / 2 - 45 }));
  equal(says(), "Hat sounds along at 80 %");
  pointer("pointerup", matrix(), place(0, 2));
  equal(posts(), [["12/companions/11/", { value: "0.5" }], ["11/companions/13/", { value: "" }], ["11/companions/13/", { value: "0.8" }]]);
  equal(taken(session, "say"), [["A pad can't sound along with itself.", true]]);
});

test("a drag that is broken off changes nothing", () => {
  draw("link");
  pointer("pointerdown", matrix(), place(0, 2));
  pointer("pointermove", matrix(), place(0, 2, { clientY: 0 }));
  pointer("pointercancel", document.body);
  pointer("pointerup", matrix(), place(0, 2));
  equal(posts(), []);
});

test("a link is drawn from name to name, and said when it is there already", () => {
  draw();
  const name = (n) => document.querySelectorAll("#matrix-rows li")[n];
  const from = (row, to) => {
    pointer("pointerdown", name(row), { button: 0, clientX: 20, clientY: (row + 0.5) * CELL });
    pointer("pointermove", document.body, { clientX: 20, clientY: (to + 0.5) * CELL });
    const words = says();
    pointer("pointerup", document.body, { clientX: 20, clientY: (to + 0.5) * CELL });
    return words;
  };
  equal([from(1, 2), posts()], ["Hat sounds along with Snare", [["12/companions/13/", { value: "0.5" }]]]);
  equal([from(0, 2), from(1, 1), posts()], ["Hat sounds along with Kick", "Snare: draw to the pad that is to sound along", []]);
  equal([taken(session, "say")[0][0], document.querySelector(".drawn").getAttribute("d")], ["Hat sounds along already; drag its ring for how strongly.", ""]);
});

test("a strength is typed, with a comma too", () => {
  draw();
  document.querySelector("[data-link-at]").dispatchEvent(new Event("change", { bubbles: true }));
  equal(posts(), [["11/companions/13/", { value: "0.75" }]]);
});

test("by keys the places are walked within the matrix, and pressed", () => {
  draw();
  const matrixBox = document.getElementById("matrix");
  const typed = (...chords) => chords.map((chord) => key(press(chord, "", matrixBox)));
  equal([typed("ArrowRight", "ArrowDown", "ArrowDown", "ArrowDown", "ArrowLeft", "ArrowLeft"), says()], [[true, true, true, true, true, true], "Hat does not cut Kick"]);
  typed("Enter", "Shift+Enter");
  equal([posts(), typed("KeyQ"), key(press("Enter", "", document.body))], [[["13/cuts/11/", {}], ["13/cuts/11/", { both: "1" }]], [false], false]);
});
