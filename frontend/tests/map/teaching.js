import { startTeaching } from "../../js/map/teaching.js";
import { equal, notingTarget, press, test } from "../harness.js";

const session = notingTarget();
const input = notingTarget({ isMuted: false });
const asked = [];
Object.assign(window, { htmx: { ajax: (verb, url, { values }) => void asked.push([url, values]) } });
startTeaching(session, input);

/** A device of three cells that send what they are taught. */
function begin() {
  document.body.innerHTML = `<p id="teaching" hidden></p><button id="teach"></button><div class="device-cells"
    data-post="/kits/3/map/devices/4/WHAT/">${[2, 0, 1].map((place) => `<label class="cell-of" data-place="${place}"><input
    value=""></label>`).join("")}</div>`;
  asked.length = 0;
  document.getElementById("teach").click();
}
let clock = 0;
Object.defineProperty(performance, "now", { value: () => clock });
const strike = (note, more = {}) => {
  clock += 1000;
  input.dispatchEvent(new CustomEvent("raw", { detail: { note, velocity: 90, channel: 9, from: "Box", ...more } }));
};
const words = () => document.getElementById("teaching").firstElementChild?.textContent;
const lit = () => document.querySelector(".next")?.getAttribute("data-place");
const pressed = (text) => /** @type {HTMLElement} */ ([...document.querySelectorAll("#teaching button")].find((button) => button.textContent === text)).click();

test("cells are taught from the lower left on, whatever they send, and nothing sounds meanwhile", () => {
  begin();
  equal([words(), lit(), input.isMuted], ["Strike the lit cell: 1 of 3, the lower left one", "0", true]);
  strike(61);
  equal([words(), lit()], ["Strike the lit cell: 2 of 3 · the last sent 61", "1"]);
  strike(40);
  strike(61);
  equal([asked, input.isMuted, words()], [[["/kits/3/map/devices/4/taught/", { value: "0:61,1:40,2:61", port: "Box", channel: "9" }]], false, undefined]);
});

test("a cell that bounces is struck once", () => {
  begin();
  strike(61);
  clock -= 950;
  strike(61);
  equal(words(), "Strike the lit cell: 2 of 3 · the last sent 61");
});

test("cells are passed over and gone back to; what is finished early is kept, what is given up is not", () => {
  begin();
  pressed("Skip");
  strike(50);
  pressed("Back");
  strike(51);
  pressed("Finish");
  equal(asked.splice(0), [["/kits/3/map/devices/4/taught/", { value: "1:51", port: "Box", channel: "9" }]]);
  document.getElementById("teach").click();
  strike(52);
  press("Escape", "Escape", document.body);
  document.getElementById("teach").click();
  press("Enter", "Enter", document.body);
  equal([asked, input.isMuted], [[], false]);
});

test("by keys it is gone back, and keys are the page's again once it is over", () => {
  begin();
  strike(61);
  press("Backspace", "Backspace", document.body);
  equal(lit(), "0");
  press("Escape", "Escape", document.body);
  equal(press("Enter", "Enter", document.body).defaultPrevented, false);
});

test("when its view is gone it is over", () => {
  begin();
  document.body.replaceChildren();
  session.dispatchEvent(new Event("marked"));
  equal(input.isMuted, false);
});

test("cells that send what comes light up, taught or not", () => {
  begin();
  pressed("Cancel");
  document.querySelectorAll("input")[1].value = "G3 · 67";
  strike(67);
  equal([...document.querySelectorAll(".sounding")].map((cell) => cell.getAttribute("data-place")), ["0"]);
});
