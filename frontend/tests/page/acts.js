import { startActs } from "../../js/page/acts.js";
import { actsOf, rank } from "../../js/page/acts_found.js";
import { equal, test } from "../harness.js";

const draw = () => {
  document.body.innerHTML = `<button>Play <kbd>Space</kbd></button><button hidden>Not there</button><button disabled>Not now</button>
    <details class="menu"><summary>Parts…</summary><button>Duplicate</button></details><label>Tempo <input id="tempo" value="96"></label>
    <dialog id="keys"><input id="act-words"><ol id="act-list"></ol><p id="act-none"></p><div class="keys-columns"><section><h3>Anywhere</h3>
    <dl><div><dt>?</dt><dd>this list</dd></div></dl></section></div><button>Close</button></dialog>`;
  return /** @type {HTMLDialogElement} */ (document.getElementById("keys"));
};

test("what can be pressed is found by its name, with its key and the menu that holds it", () => {
  const found = actsOf(document, draw());
  equal(found.map(({ name, where, key }) => [name, where, key]), [["Play", "", "Space"], ["Parts…", "", ""], ["Duplicate", "Parts…", ""], ["Tempo", "", ""]]); // prettier-ignore
});

test("all words must be met, whole words before what stands within, acts before keys", () => {
  const [play, , duplicate, tempo] = actsOf(document, draw());
  equal([rank(play, ["dup"]), rank(duplicate, ["parts", "dupl"]) > rank(duplicate, ["parts", "uplic"])], [0, true]);
  equal(rank(tempo, ["tempo"]) > rank({ name: "tempo", where: "", url: undefined, element: undefined }, ["tempo"]), true);
});

test("? opens it, Enter presses what is found, in a menu that is opened for it", async () => {
  const keys = draw();
  startActs();
  let pressed = 0;
  const duplicate = [...document.querySelectorAll("button")].find((one) => one.textContent === "Duplicate");
  duplicate.addEventListener("click", () => pressed++);
  document.body.dispatchEvent(new KeyboardEvent("keydown", { key: "?", bubbles: true }));
  await Promise.resolve(); // it is told of what opened
  const words = /** @type {HTMLInputElement} */ (document.getElementById("act-words"));
  words.value = "dupl";
  words.dispatchEvent(new Event("input"));
  words.dispatchEvent(new KeyboardEvent("keydown", { key: "Enter", bubbles: true }));
  equal([keys.open, pressed, document.querySelector("details").open], [false, 1, true]);
});
