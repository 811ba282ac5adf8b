import { startFields } from "../../js/page/fields.js";
import { startTabs } from "../../js/page/tabs.js";
import { equal, press, settled, test } from "../harness.js";

startFields(); // once: it listens to the whole page
const tabKey = startTabs();

/** A number as the kit sheet has it, and all that it told. */
function field(attributes) {
  document.body.innerHTML = `<input class="cell num" id="level" ${attributes}>`;
  const input = document.querySelector("input");
  const told = [];
  input.addEventListener("change", () => told.push(input.value));
  input.focus();
  return { input, told };
}

test("arrows change a number by its step, finer with Shift, and it is told once the hand rests", async () => {
  const { input, told } = field(`value="−1.5" data-step="0.5"`);
  for (const chord of ["ArrowUp", "ArrowUp", "ArrowUp", "ArrowUp", "Shift+ArrowDown"]) press(chord);
  equal([input.value, told], ["0.4", []]);
  await settled(300);
  equal(told, ["0.4"]);
});

test("an empty number begins at what its placeholder says, a decimal comma is understood", () => {
  const { input } = field(`placeholder="12"`);
  press("ArrowDown");
  equal(input.value, "11");
  input.value = "−2,25";
  press("ArrowDown");
  equal(input.value, "−3.25");
});

test("what is typed right after a step is not taken back by it", async () => {
  const { input, told } = field(`value="3"`);
  press("ArrowUp");
  input.value = "1";
  input.dispatchEvent(new Event("input", { bubbles: true }));
  await settled(300);
  equal([input.value, told], ["1", []]);
});

test("a number that is drawn anew while the hand rests keeps what was stepped, and is told", async () => {
  const { input } = field(`value="3"`);
  press("ArrowUp");
  const anew = /** @type {HTMLInputElement} */ (input.cloneNode());
  anew.value = "3";
  input.replaceWith(anew);
  const told = [];
  anew.addEventListener("change", () => told.push(anew.value));
  await settled(300);
  equal(told, ["4"]);
});

test("a double click or Alt Delete gives back what a field is without a person", () => {
  const { input, told } = field(`value="3" data-reset="0"`);
  input.dispatchEvent(new MouseEvent("dblclick", { bubbles: true }));
  input.value = "7";
  press("Alt+Delete");
  equal([input.value, told], ["0", ["0", "0"]]);
  press("Delete");
  equal(told.length, 2);
});

test("a refused value is marked until it is sent again", () => {
  const { input } = field(`value="3"`);
  const tell = (name, xhr) => document.dispatchEvent(new CustomEvent(`htmx:${name}`, { detail: { elt: input, xhr } }));
  tell("afterRequest", { status: 422 });
  equal(input.getAttribute("aria-invalid"), "true");
  tell("beforeRequest", {});
  tell("afterRequest", { status: 200 });
  equal(input.getAttribute("aria-invalid"), null);
});

test("arrows, Home and End go between tabs, round at the ends; other keys are not theirs", () => {
  document.body.innerHTML = `<div>${["layers", "sound", "notes"].map((name) => `<button role="tab" id="${name}"></button>`).join("")}</div><button id="other"></button>`;
  const opened = [];
  document.body.firstElementChild.addEventListener("click", ({ target }) => opened.push(target.id));
  const typed = (chord) => tabKey({ key: chord, target: document.activeElement });
  document.getElementById("sound").focus();
  equal(["ArrowRight", "ArrowRight", "ArrowLeft", "Home", "End", "Enter"].map(typed), [true, true, true, true, true, false]);
  equal(opened, ["notes", "layers", "notes", "layers", "notes"]);
  document.getElementById("other").focus();
  equal(typed("ArrowRight"), false);
});
