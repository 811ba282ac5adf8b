import { startBounces } from "../../js/bounce/bounces.js";
import { equal, settled, test } from "../harness.js";

/** @type {any[]} */ const sounds = [];
/** A sound of ten seconds that comes when it is let. */
class Sound extends EventTarget {
  duration = 10;
  currentTime = 0;
  isOn = false;
  constructor(/** @type {string} */ url) {
    super();
    this.url = url;
    sounds.push(this);
  }
  play() {
    this.isOn = true;
    return new Promise((_, reject) => (this.refuse = () => reject(new DOMException("", "AbortError"))));
  }
  pause() {
    this.isOn = false;
    this.refuse();
  }
}
Object.assign(window, { Audio: Sound });
startBounces();

function draw() {
  sounds.length = 0;
  document.body.innerHTML = ["a", "b"].map((id) => `<button id="${id}" data-play-stem="/stems/${id}/" style="position:fixed;left:0;width:200px"></button>`).join("");
  return ["a", "b"].map((id) => /** @type {HTMLElement} */ (document.getElementById(id)));
}
const click = (button, clientX = 0, detail = 1) => button.dispatchEvent(new MouseEvent("click", { bubbles: true, clientX, detail }));
const pressed = () => [...document.querySelectorAll("[aria-pressed=true]")].map(({ id }) => id);
const heard = () => sounds.filter(({ isOn }) => isOn).map(({ url }) => url);

test("a stem plays from where it is pressed, another in its place, and stops when it is pressed again", async () => {
  const [a, b] = draw();
  click(a, 100);
  click(b, 3);
  await settled(); // the first is told that it was broken off
  for (const sound of sounds) sound.dispatchEvent(new Event("loadedmetadata"));
  equal([heard(), pressed(), sounds.map(({ currentTime }) => currentTime)], [["/stems/b/"], ["b"], [5, 0]]); // prettier-ignore
  sounds[0].dispatchEvent(new Event("ended"));
  equal([heard(), pressed()], [["/stems/b/"], ["b"]]); // prettier-ignore
  click(b);
  equal([heard(), pressed(), sounds.length], [[], [], 2]);
});

test("it stops at its end, by Escape, where it can't be played, and before it has come", async () => {
  const [a] = draw();
  const ways = [() => sounds.at(-1).dispatchEvent(new Event("ended")), () => document.dispatchEvent(new KeyboardEvent("keydown", { key: "Escape" })), () => sounds.at(-1).refuse()];
  for (const stop of ways) {
    click(a, 0, 0);
    stop();
    await settled();
    equal([heard(), pressed()], [[], []]); // prettier-ignore
    sounds.at(-1).dispatchEvent(new Event("loadedmetadata"));
  }
});
