import { startDialogs } from "../../js/page/dialogs.js";
import { equal, test } from "../harness.js";

startDialogs();
const at = (id) => document.getElementById(id);
const isOpen = (id) => /** @type {any} */ (at(id)).open;

test("dialogs are opened and closed by their buttons, and by a press beside them", () => {
  document.body.innerHTML = `<button data-open="keys"></button><dialog id="keys"><button id="done" data-close></button><p id="inside"></p></dialog>`;
  const open = () => document.querySelector("button").click();
  open();
  at("inside").click();
  equal(isOpen("keys"), true);
  at("done").click();
  equal(isOpen("keys"), false);
  open();
  at("keys").click(); // what lies around its content
  equal(isOpen("keys"), false);
});

test("a menu closes when something else is pressed or chosen in it, not when it is used on or with what stands beside it", () => {
  document.body.innerHTML = `<button id="play"></button><button id="other"></button><details class="menu" id="bars"
    data-beside="#play"><summary>Bars</summary><div class="menu-body"><input id="beats"><button id="tap" data-stays></button><button
    id="set"></button></div></details>`;
  const after = (id) => {
    /** @type {any} */ (at("bars")).open = true;
    at(id).click();
    return isOpen("bars");
  };
  equal(["beats", "tap", "play", "set", "other"].map(after), [true, true, true, false, false]);
});

test("what can be dismissed goes, with what it stands in where that is named", () => {
  document.body.innerHTML = `<section class="import"><button data-dismiss=".import"></button></section>`;
  document.querySelector("button").click();
  equal(document.querySelector(".import"), null);
});

test("the theme is turned, kept, and told", () => {
  document.body.innerHTML = `<button data-theme-switch></button>`;
  document.documentElement.dataset.theme = "paper";
  let told = 0;
  document.addEventListener("theme", () => told++);
  for (const wanted of ["night", "paper"]) {
    document.querySelector("button").click();
    equal([document.documentElement.dataset.theme, localStorage.getItem("theme")], [wanted, wanted]);
  }
  equal(told, 2);
  localStorage.clear();
});

test("a file that is too large is refused before it is sent, and forgotten", () => {
  document.body.dataset.uploadBytes = String(100_000 + 1000);
  document.body.innerHTML = `<form><input type="file" id="file"></form>`;
  const input = /** @type {HTMLInputElement} */ (at("file"));
  const told = [];
  document.body.addEventListener("change", () => told.push(input.files.length));
  const choose = (size) => {
    const transfer = new DataTransfer();
    transfer.items.add(new File([new Uint8Array(size)], "kit.zip"));
    input.files = transfer.files;
    input.dispatchEvent(new Event("change", { bubbles: true }));
    return input.validationMessage;
  };
  equal([choose(2000), told, input.value], ["kit.zip is larger than 0 MB, the most that is taken at once (DACTYL_MAX_UPLOAD_MB).", [], ""]);
  equal([choose(500), told], ["", [1]]);
});

test("an answer that asks something is shown as a dialog", () => {
  document.body.innerHTML = `<dialog id="ask"></dialog><button data-ask id="asks"></button>`;
  const settle = (elt) => document.body.dispatchEvent(new CustomEvent("htmx:afterSettle", { detail: { requestConfig: { elt } } }));
  settle(at("asks"));
  equal(isOpen("ask"), false, "there is nothing in it");
  at("ask").append(document.createElement("p"));
  settle(document.body);
  equal(isOpen("ask"), false);
  settle(at("asks"));
  equal(isOpen("ask"), true);
});
