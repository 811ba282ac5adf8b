import { startPlan } from "../../js/kit/plan.js";
import { equal, near, notingTarget, pointer, press, settled, taken, test } from "../harness.js";

let answers = []; // of edits that wait: called, the server has answered
const session = notingTarget({ kit: "3", posts: [], post: (url, values) => (session.posts.push([url, values]), new Promise((resolve) => answers.push(() => resolve(undefined)))) });
const [engine, input] = [notingTarget(), notingTarget()];
localStorage.clear();
const key = startPlan(session, engine, input);

/** A snare of two pads in the middle of the front, a tom at the right. Pixels of the page are those of the drawing. */
function draw({ arranging = false, side = "player" } = {}) {
  const piece = (number, x, y, pads) => `<g class="piece" tabindex="0" data-piece="${number}" data-x="${x}" data-y="${y}" data-pads="${pads}"
    data-names="${pads.map((pad) => `p${pad}`).join(", ")}" transform="translate(${500 + x * 4.4} ${50 + y * 4.3})"><circle class="body"
    r="50"></circle></g>`;
  document.body.innerHTML = `<div id="plan" data-place="/kits/3/pieces/0/place/"><svg id="plan-svg" viewBox="0 0 1000 560"
    style="position:fixed;left:0;top:0;width:1000px;height:560px">${piece(5, 0, 100, [1, 2])}${piece(6, 50, 50, [3])}</svg>
    <select id="plan-side"><option>player</option><option>audience</option></select><input type="checkbox" id="plan-arrange"><input type="checkbox"
    id="plan-pans" checked><p id="plan-says"></p></div><input id="key-velocity" value="90">`;
  /** @type {any} */ (document.getElementById("plan-svg")).setPointerCapture = () => {};
  answers = [];
  session.posts.length = 0;
  const set = (id, name, value) => {
    document.getElementById(id)[name] = value;
    document.getElementById(id).dispatchEvent(new Event("change", { bubbles: true }));
  };
  set("plan-arrange", "checked", arranging);
  set("plan-side", "value", side);
}
const piece = (number) => document.querySelector(`[data-piece="${number}"]`);
const typed = (number, ...chords) => (piece(number).focus(), chords.map((chord) => key(press(chord)))); // prettier-ignore
const strikes = () => taken(input, "pad").map(([pad, velocity, from]) => [pad, velocity, from]);

test("a piece is played where it is pressed, the nearer the rim the further on among its pads", () => {
  draw();
  for (const away of [5, 40]) pointer("pointerdown", piece(5), { button: 0, clientX: 500 + away, clientY: 480 });
  equal([strikes(), document.getElementById("plan-says").textContent], [[[1, 90, "plan"], [2, 90, "plan"]], "p2"]); // prettier-ignore
});

test("the audience sees it turned round, and plays it there", () => {
  draw({ side: "audience" });
  pointer("pointerdown", piece(5), { button: 0, clientX: 500 - 40, clientY: 560 - 480 });
  equal([strikes(), piece(5).getAttribute("transform").includes("rotate(180)")], [[[2, 90, "plan"]], true]); // prettier-ignore
});

test("keys play the middle or the pad of a number, and move nothing while it is not arranged", () => {
  draw();
  equal(typed(5, "Enter", "Digit2", "ArrowUp"), [true, false, false]);
  key(press("Digit2", "2"));
  key(press("Digit9", "9"));
  equal([strikes(), session.posts], [[[1, 90, "plan"], [2, 90, "plan"]], []]); // prettier-ignore
});

test("while it is arranged a piece is dragged, within the stage, and placed where it is let go", () => {
  draw({ arranging: true });
  pointer("pointerdown", piece(5), { button: 0, clientX: 505, clientY: 480 });
  pointer("pointermove", document.body, { clientX: 505 + 220, clientY: 480 - 43 });
  pointer("pointerup", document.body);
  equal([session.posts, strikes()], [[["/kits/3/pieces/5/place/", { x: "50.0", y: "90.0", pan: "player" }]], []]);
  pointer("pointerdown", piece(6), { button: 0, clientX: 720, clientY: 265 });
  pointer("pointermove", document.body, { clientX: 5000, clientY: 5000 });
  pointer("pointerup", document.body);
  equal(session.posts[1][1], { x: "100.0", y: "100.0", pan: "player" });
});

test("a drag that is broken off puts the piece back", () => {
  draw({ arranging: true });
  pointer("pointerdown", piece(5), { button: 0, clientX: 500, clientY: 480 });
  pointer("pointermove", document.body, { clientX: 700, clientY: 100 });
  pointer("pointercancel", document.body);
  const [x, y] = piece(5).getAttribute("transform").match(/[\d.]+/g).map(Number);
  near(x, 500, 0.5);
  near(y, 480, 0.5);
  pointer("pointerup", document.body);
  equal(session.posts, []);
});

test("an arrow key that is held down moves a piece by each press, before anything is answered", async () => {
  draw({ arranging: true });
  typed(6, "ArrowRight", "ArrowRight", "Shift+ArrowUp");
  equal(session.posts.map(([, { x, y }]) => [x, y]), [["52.0", "50.0"], ["54.0", "50.0"], ["54.0", "40.0"]]); // prettier-ignore
  answers.forEach((answer) => answer());
  await settled();
  typed(6, "ArrowLeft");
  equal(session.posts.at(-1)[1].x, "48.0", "answered: from where it is drawn");
  answers.forEach((answer) => answer());
  await settled();
});

test("what sounds is lit for a moment", async () => {
  draw();
  engine.dispatchEvent(new CustomEvent("report", { detail: { played: [[2, 90]] } }));
  equal(piece(5).classList.contains("sounding"), true);
  await settled(180);
  equal(piece(5).classList.contains("sounding"), false);
});
