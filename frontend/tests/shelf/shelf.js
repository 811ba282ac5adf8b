import { startShelf } from "../../js/shelf/shelf.js";
import { startTry } from "../../js/shelf/try.js";
import { equal, notingTarget, press, settled, taken, test } from "../harness.js";

const session = notingTarget({ kit: "3", selected: 5, get: async (url, target) => (gets.push([url, target]), comes) });
const gets = [];
let comes = true;
let arrives = Promise.resolve(true);
const engine = notingTarget({ auditioned: "", isPartPlaying: false, loadPlaybook: async (pads) => void engine.calls.push(["loadPlaybook", pads]), arrival: () => arrives });

const found = { answers: true, samples: [13, 11, 99] };
const asked = [];
window.fetch = /** @type {any} */ (async (url) => {
  asked.push(url);
  if (!found.answers) throw new TypeError("no network");
  return { ok: true, json: async () => ({ samples: found.samples }) };
});
Object.assign(window, { htmx: { ajax: (verb, url, { values }) => void asked.push([url, values]) } });

/** A shelf of five samples, the fourth long; the page's pads 5 (empty) and 6. */
const PAGE = `<aside id="shelf"><button id="shelf-fold"></button><form id="shelf-find"><input id="shelf-q" name="q"><select id="shelf-which"
  name="which"><option>here<option>away</select></form>
  <div id="import"></div><ul id="samples" tabindex="0">${[11, 12, 13, 14, 15].map((id) => `<li class="sample" id="sample-${id}" data-sample="${id}"
  data-seconds="${id === 14 ? 4 : 0.3}"></li>`).join("")}</ul><i id="shelf-count">5</i>
  <p id="picked"></p><select class="set-kind" id="set-kind"><option></option><option>snare</option></select>
  ${["give-picked", "stack-picked", "put-away", "bring-back", "delete-picked"].map((id) => `<button id="${id}"></button>`).join("")}
  <button data-merge="copies"></button><button data-pick-import="7"></button><p id="about">known</p></aside>
  <div id="surface" data-played="8"><i class="pad" data-pad="5" data-empty></i><i class="pad" data-pad="6"></i><i class="pad" data-cell
  data-place="3"></i></div><dialog id="ask"><p></p></dialog><i data-fill="6"></i>`;
const trying = {};
let shelf = null;

/** The page with nothing selected; the shelf's own elements are kept, for it listens to them. */
function fresh() {
  document.body.innerHTML = PAGE;
  session.calls.length = engine.calls.length = gets.length = asked.length = 0;
  comes = true;
  localStorage.clear();
  shelf = startShelf(session, engine);
  Object.assign(trying, startTry(session, engine, shelf));
}
const at = (id) => document.getElementById(id);
const click = (on, keys = {}) => (typeof on === "string" ? at(on) : on).dispatchEvent(new MouseEvent("click", { bubbles: true, ...keys }));
const selected = () => [...document.querySelectorAll(".sample[aria-selected=true]")].map(({ id }) => Number(id.slice(7)));
const typed = (...chords) => chords.map((chord) => shelf.key(press(chord, "", at("samples"))));
const posts = () => taken(session, "post");

test("a press selects a sample and sounds it, and what is known of it comes once the hand rests", async () => {
  fresh();
  click("sample-12");
  click("sample-13");
  equal([selected(), at("picked").textContent, taken(engine, "hear"), gets], [[13], "1 selected", [[12], [13]], []]); // prettier-ignore
  await settled(200);
  equal(gets, [["/shelf/samples/13/", "#about"]]);
});

test("with Ctrl one more, with Shift all between, with both all between as well", () => {
  fresh();
  click("sample-12");
  click("sample-14", { shiftKey: true });
  equal(selected(), [12, 13, 14]);
  click("sample-13", { ctrlKey: true });
  equal(selected(), [12, 14]);
  click("sample-15", { ctrlKey: true });
  click("sample-13", { shiftKey: true, ctrlKey: true });
  equal([selected(), shelf.picked()], [[12, 13, 14, 15], [12, 13, 14, 15]]); // prettier-ignore
});

test("a range from a sample that the search no longer shows is the sample alone", () => {
  fresh();
  click("sample-11");
  at("sample-11").remove();
  click("sample-13", { shiftKey: true });
  equal(selected(), [13]);
});

test("keys walk the list, hear, and select", () => {
  fresh();
  equal(typed("ArrowDown", "ArrowDown", "Shift+ArrowDown", "End", "Home", "KeyQ"), [true, true, true, true, true, false]);
  equal([selected(), at("samples").getAttribute("aria-activedescendant")], [[11], "sample-11"]);
  shelf.key(press("Space", " ", at("samples")));
  equal(taken(engine, "hear").map(([id]) => id), [11, 12, 13, 15, 11, 11]); // prettier-ignore
  at("shelf-q").focus();
  press("ArrowDown");
  equal([document.activeElement.id, selected()], ["samples", [11]]);
});

test("all that the search finds is selected, and a server that is away is said", async () => {
  fresh();
  at("shelf-q").value = "sn";
  typed("Control+KeyA");
  await settled();
  equal([asked, at("picked").textContent, shelf.picked()], [["/shelf/found/?q=sn&which=here"], "3 selected", [11, 13, 99]]); // prettier-ignore
  found.answers = false;
  typed("Control+KeyA");
  await settled();
  found.answers = true;
  equal([shelf.picked(), taken(session, "say")], [[11, 13, 99], [["The server does not answer, so not all could be selected. Try again.", true]]]); // prettier-ignore
  click(document.querySelector("[data-pick-import]"));
  await settled();
  equal([asked.at(-1), document.activeElement.id], ["/shelf/found/?import=7", "samples"]);
});

test("what is done right after all is selected is done with all; what is selected after that stays", async () => {
  fresh();
  click("sample-11");
  typed("Control+KeyA", "Delete");
  await settled();
  equal([posts().map(([url, { sample }]) => [url, sample]), shelf.picked()], [[["/shelf/away/", ["11", "13", "99"]]], []]); // prettier-ignore
  click("sample-11");
  typed("Control+KeyA");
  click("stack-picked");
  await settled();
  typed("Control+KeyA");
  click("sample-12");
  await settled();
  equal([asked.find(([url]) => url === "/kits/3/stack/propose/")?.[1], shelf.picked()], [{ samples: "11,13,99" }, [12]]); // prettier-ignore
});

test("what can be done is offered with what is selected, in a kit and without", () => {
  fresh();
  const offered = () => ["give-picked", "stack-picked", "put-away", "bring-back", "delete-picked", "set-kind"].filter((id) => !at(id).hidden);
  const steps = [offered()];
  click("sample-11");
  steps.push(offered());
  click("sample-12", { ctrlKey: true });
  steps.push(offered());
  /** @type {HTMLSelectElement} */ (at("shelf-which")).value = "away";
  session.kit = undefined;
  click("sample-13");
  session.kit = "3";
  steps.push(offered());
  equal(
    steps,
    [["put-away"], ["give-picked", "put-away", "set-kind"], ["give-picked", "stack-picked", "put-away", "set-kind"], ["stack-picked", "bring-back", "delete-picked", "set-kind"]],
  ); // prettier-ignore
});

test("one sample goes to an empty pad at once; to a filled one, several, or a loop are asked about", async () => {
  fresh();
  click("sample-12");
  typed("Enter");
  await settled();
  equal([posts(), gets], [[["/kits/3/pads/5/give/", { samples: "12", way: "takes", mode: "replace" }]], []]);
  click("sample-14");
  typed("Enter");
  await settled();
  equal([posts(), gets.pop(), /** @type {HTMLDialogElement} */ (at("ask")).open], [[], ["/kits/3/pads/5/give/?samples=14", "#ask"], true]);
});

test("with nothing selected the way to it is said", async () => {
  fresh();
  typed("Enter");
  await settled();
  equal(taken(session, "say"), [["Select samples on the shelf, and a pad, first.", true]]);
  click(document.querySelector("[data-fill]"));
  equal([document.activeElement.id, at("shelf").classList.contains("open"), taken(session, "say")[0][0]], ["samples", true, "Select samples here, then press Enter to give them to the pad."]);
});

test("samples are put away, brought back, deleted, named and merged, and those that go are selected no more", () => {
  fresh();
  const act = (does) => {
    click("sample-11");
    click("sample-13", { ctrlKey: true });
    does();
    return selected();
  };
  const left = ["put-away", "bring-back", "delete-picked"].map((id) => act(() => click(id)));
  left.push(act(() => typed("Delete")));
  const kind = /** @type {HTMLSelectElement} */ (at("set-kind"));
  left.push(act(() => ((kind.value = "snare"), kind.dispatchEvent(new Event("change", { bubbles: true })), click(document.querySelector("[data-merge]")))));
  equal(left, [[], [], [], [], [11, 13]]);
  const sample = ["11", "13"];
  equal(
    posts(),
    [
      ["/shelf/away/", { sample, away: "1" }],
      ["/shelf/away/", { sample, away: "0" }],
      ["/kits/samples/delete/", { sample }],
      ["/shelf/away/", { sample, away: "1" }],
      ["/shelf/kind/", { sample, kind: "snare" }],
      ["/kits/samples/copies/", { sample }],
    ],
  ); // prettier-ignore
  equal([kind.value, at("about").textContent], ["", ""]);
});

test("samples that are selected go along when one of them is dragged; another goes alone", async () => {
  fresh();
  click("sample-11");
  click("sample-12", { ctrlKey: true });
  const drop = async (from, to) => {
    const dataTransfer = new DataTransfer();
    const tell = (name, on) => on.dispatchEvent(new DragEvent(name, { bubbles: true, cancelable: true, dataTransfer }));
    tell("dragstart", at(from));
    tell("dragover", to);
    tell("drop", to);
    tell("dragend", at(from));
    await settled();
  };
  await drop("sample-12", document.querySelector("[data-pad='6']"));
  equal(gets.pop(), ["/kits/3/pads/6/give/?samples=11,12", "#ask"]);
  await drop("sample-13", document.querySelector("[data-cell]"));
  const [[url, values]] = posts();
  equal([url, values, selected()], ["/kits/3/map/surfaces/8/new/", { to: "3" }, [13]]);
});

test("the shelf opens and folds, and is found as it was left", () => {
  fresh();
  shelf.toggle();
  equal([at("shelf").className, localStorage.getItem("shelf"), document.activeElement.id], ["open", "open", "samples"]);
  document.body.innerHTML = PAGE;
  startShelf(session, engine);
  equal(at("shelf").className, "open");
  click("shelf-fold");
  equal([at("shelf").className, localStorage.getItem("shelf")], ["", "folded"]);
});

test("samples are auditioned in the open take, kept by Enter and given back by Escape", async () => {
  fresh();
  trying.begin();
  equal(taken(session, "say"), [["Choose a take on the card first.", true]]);
  document.body.insertAdjacentHTML("beforeend", `<section id="one-take" data-take="77" data-number="2"></section>`);
  trying.begin();
  equal([document.activeElement.id, document.body.classList.contains("trying")], ["samples", true]);
  typed("ArrowDown", "ArrowDown");
  await settled();
  equal([engine.auditioned, taken(engine, "hear"), taken(engine, "hearTake")], ["77:12", [], [[5, 2]]]); // the first was walked over
  const used = (key) => trying.key({ key });
  equal([used("x"), used("Enter"), used("Enter")], [false, true, false]);
  equal([posts(), engine.auditioned, document.body.classList.contains("trying")], [[["/kits/3/takes/77/keep/", { sample: "12" }]], "", false]);
  for (const isHere of [false, true]) {
    trying.begin();
    arrives = new Promise((resolve) => setTimeout(() => resolve(isHere), 9000));
    typed("End");
    await settled(8900);
    equal(taken(engine, "hearTake"), []); // another take would stand in for it
    await settled(200);
    equal(taken(engine, "hearTake"), isHere ? [[5, 2]] : []);
  }
  engine.calls.length = 0;
  equal([used("Escape"), engine.auditioned, taken(engine, "loadPlaybook"), posts()], [true, "", [[[5]]], []]); // prettier-ignore
});
