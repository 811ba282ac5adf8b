import { startPresses } from "../../js/page/presses.js";
import { equal, pointer, test } from "../harness.js";

startPresses();

/** A button whose clicks are counted, wherever it is drawn. */
function drawn(id = "split", html = "Split") {
  const clicks = [];
  document.body.addEventListener("click", ({ target }) => clicks.push(target.id));
  const draw = (as = id) => {
    document.body.innerHTML = `<button id="${as}"><span>${html}</span></button>`;
    return document.querySelector("span");
  };
  return { clicks, draw };
}

test("a press over a button that was drawn anew meanwhile is a click of its successor", () => {
  const { clicks, draw } = drawn();
  pointer("pointerdown", draw(), { button: 0 });
  pointer("pointerup", draw(), { button: 0 });
  equal(clicks, ["split"]);
});

test("one that ended elsewhere, was broken off, or was of another button or finger is none", () => {
  const { clicks, draw } = drawn("join");
  pointer("pointerdown", draw(), { button: 0 });
  pointer("pointerup", draw("other"), { button: 0 });
  pointer("pointerdown", draw(), { button: 0 });
  pointer("pointercancel", document.body);
  pointer("pointerup", draw(), { button: 0 });
  for (const how of [{ button: 2 }, { button: 0, isPrimary: false }]) {
    pointer("pointerdown", draw(), how);
    pointer("pointerup", draw(), how);
  }
  equal(clicks, []);
});

test("a button that stands where it stood is left to the browser's own click", () => {
  const { clicks, draw } = drawn("stays");
  const label = draw();
  pointer("pointerdown", label, { button: 0 });
  pointer("pointerup", label, { button: 0 });
  equal(clicks, []);
});

test("a choice of a list is kept too, with the keys that were held", () => {
  let held = null;
  document.body.addEventListener("click", ({ target, shiftKey }) => (held = [target.id, shiftKey]), { once: true });
  const draw = () => (document.body.innerHTML = `<ol role="listbox"><li role="option" id="take-3"><span>3</span></li></ol>`) && document.querySelector("span");
  pointer("pointerdown", draw(), { button: 0, shiftKey: true });
  pointer("pointerup", draw(), { button: 0, shiftKey: true });
  equal(held, ["take-3", true]);
});
