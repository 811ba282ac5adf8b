import { startKeys } from "../../js/input/keys.js";
import { equal, noting, notingTarget, press, taken, test } from "../harness.js";

const session = notingTarget({ kit: "3", selected: 11, pads: [11, 12], clipboard: 1 });
const [engine, input, part, shelf, sheet, trying, recorder, editor] = Array.from({ length: 8 }, () => noting({ key: () => false, isOn: () => false }));
shelf.picked = () => [4, 5];
let used = (_event) => false; // what another part of the page takes
startKeys({ session, engine, input, part, shelf, sheet, trying, recorder, editor, first: [(event) => used(event)] });

function draw(html = "") {
  document.body.innerHTML = `<dialog id="keys"></dialog><div id="surface"><div class="bank" hidden><i class="pad" data-code="KeyA"
    data-pad="90"></i></div>
    <div class="bank"><i class="pad" data-code="KeyA" data-pad="21"></i><i class="pad" data-code="KeyS" data-pad="22"
    data-empty></i></div></div><input id="key-velocity" value="80">
    <button id="undo"></button><button id="redo"></button><button id="mute-11"></button><button id="clear-pad"></button><div class="row" data-pad="11"
    tabindex="0"></div><input id="field" class="cell">${html}`;
  for (const stand of [session, engine, input, part, shelf, sheet, trying, recorder, editor]) stand.calls.length = 0;
  localStorage.clear();
  used = () => false;
}
const up = (code) => document.body.dispatchEvent(new KeyboardEvent("keyup", { bubbles: true, code }));
const clicked = () => {
  const ids = [];
  for (const one of document.querySelectorAll("button")) one.addEventListener("click", () => ids.push(one.id));
  return ids;
};

test("a key plays the pad of the bank that is shown, softer with Shift, once however long it is held", () => {
  draw();
  press("KeyA");
  document.body.dispatchEvent(new KeyboardEvent("keydown", { bubbles: true, code: "KeyA", key: "a", repeat: true }));
  up("KeyA");
  press("Shift+KeyA");
  press("KeyS");
  up("KeyS");
  equal(taken(input, "pad").map(([pad, velocity, from]) => [pad, velocity, from]), [[21, 80, "key"], [21, 32, "key"]]); // prettier-ignore
  equal(taken(input, "release").map(([pad]) => pad), [21]);
});

test("keys that are down when the window is left are let go", () => {
  draw();
  press("KeyA");
  window.dispatchEvent(new Event("blur"));
  up("KeyA");
  equal(taken(input, "release").map(([pad]) => pad), [21]);
});

test("each command has its key", () => {
  draw();
  const ids = clicked();
  for (const chord of ["Space", "KeyB", "Slash", "KeyG", "KeyN", "KeyT", "KeyX", "KeyM", "Control+KeyZ", "Control+Shift+KeyZ", "BracketRight"]) press(chord);
  equal([part, shelf, sheet, trying, recorder].map(({ calls }) => calls.map(([name]) => name).join()), ["toggle", "toggle,search", "jump", "begin", "begin"]); // prettier-ignore
  equal([ids, taken(session, "toggleSolo"), taken(session, "showBank")], [["mute-11", "undo", "redo"], [[11]], [[1]]]); // prettier-ignore
  /** @type {HTMLDialogElement} */ (document.getElementById("keys")).showModal();
  press("Space");
  equal(taken(part, "toggle").length, 1, "not behind a dialog");
});

test("Space presses a button that Tab led to, and plays where a pointer led there", () => {
  draw();
  const button = /** @type {HTMLButtonElement} */ (document.body.appendChild(document.createElement("button")));
  button.focus();
  const isPlayed = () => [press("Space").defaultPrevented, taken(part, "toggle").length];
  equal(isPlayed(), [true, 1]);
  press("Tab", "Tab");
  equal(isPlayed(), [false, 0]);
  button.dispatchEvent(new PointerEvent("pointerdown", { bubbles: true }));
  equal(isPlayed(), [true, 1]);
});

test("a field keeps its keys, its own undo, and gives back what was in it on Escape", () => {
  draw();
  const field = /** @type {HTMLInputElement} */ (document.getElementById("field"));
  const ids = clicked();
  field.focus();
  press("Control+KeyZ");
  field.value = "typed";
  for (const chord of ["Space", "KeyA", "KeyN", "Control+KeyZ", "Control+KeyD"]) equal(press(chord).defaultPrevented, false, chord);
  equal([ids, input.calls, session.calls], [["undo"], [], []]);
  press("Escape");
  equal([field.value, document.activeElement === field, engine.calls.map(([name]) => name), taken(part, "stopped").length], ["", false, ["silence"], 1]);
});

test("pads are copied, and pasted as settings here and as pads in another kit", () => {
  draw();
  press("Control+KeyC");
  press("Control+KeyV");
  localStorage.setItem("copied-pads", JSON.stringify({ kit: "9", pads: [1, 2] }));
  press("Control+KeyV");
  press("Control+KeyD");
  equal(taken(session, "post"), [["/kits/3/pads/11/paste/", { source: "11" }], ["/kits/3/pieces/add/", { pads: "1,2" }], ["/kits/3/pads/11/duplicate/"]]); // prettier-ignore
  equal([session.clipboard, taken(session, "say")[0][0].slice(0, 15)], [null, "2 pads copied. "]);
});

test("without anything copied Ctrl V is the browser's", () => {
  draw();
  equal([press("Control+KeyV").defaultPrevented, taken(session, "post")], [false, []]);
});

test("the card's buttons copy, paste and replace, and say what pasting means here", () => {
  draw(`<button data-copy-settings="12"></button><button data-paste="/kits/3/pads/11/paste/" disabled>Paste settings </button><button
    data-replace-samples="/kits/3/pads/11/replace/"></button>
    <select id="goal"><option value="/go/"></select><button data-post-choice="goal" data-value="7"></button>`);
  const paste = /** @type {HTMLButtonElement} */ (document.querySelector("[data-paste]"));
  /** @type {HTMLElement} */ (document.querySelector("[data-copy-settings]")).click();
  equal([paste.disabled, paste.textContent], [false, "Paste settings "]);
  localStorage.setItem("copied-pads", JSON.stringify({ kit: "9", pads: [1] }));
  window.dispatchEvent(new Event("storage"));
  equal(paste.textContent, "Paste from another kit ");
  for (const which of ["[data-paste]", "[data-replace-samples]", "[data-post-choice]"]) /** @type {HTMLElement} */ (document.querySelector(which)).click();
  equal(taken(session, "post"), [["/kits/3/pieces/add/", { pads: "1" }], ["/kits/3/pads/11/replace/", { samples: "4,5" }], ["/go/", { value: "7" }]]); // prettier-ignore
});

test("on a row the arrows walk, Enter goes to the card, Delete clears, with Alt the piece moves", () => {
  draw(`<div id="card"><button role="tab" aria-selected="true" id="tab"></button></div>`);
  const ids = clicked();
  const row = /** @type {HTMLElement} */ (document.querySelector(".row"));
  for (const [chord, key] of [["ArrowDown", "ArrowDown"], ["Shift+PageUp", "PageUp"], ["Home", "Home"], ["Alt+ArrowUp", "ArrowUp"], ["Delete", "Delete"], ["Enter", "Enter"]]) {
    row.focus();
    press(chord, key);
  }
  equal(taken(session, "step"), [[1, { range: false }], [-8, { range: true }], [-1000, { range: false }]]); // prettier-ignore
  equal([taken(session, "post"), ids, document.activeElement.id], [[["/kits/3/pads/11/move/", { by: "-1" }]], ["clear-pad"], "tab"]);
});

test("what else the page does is asked before, and Escape ends a recording first", () => {
  draw();
  used = ({ code }) => code === "KeyA";
  equal([press("KeyA").defaultPrevented, input.calls], [true, []]);
  recorder.isOn = () => true;
  press("Escape");
  recorder.isOn = () => false;
  equal([taken(recorder, "end").length, engine.calls], [1, []]);
});
