import { startChips } from "../../js/card/chips.js";
import { startTakeDrops } from "../../js/card/take_drops.js";
import { startTakes } from "../../js/card/takes.js";
import { equal, notingTarget, press, settled, taken, test } from "../harness.js";

const session = notingTarget({ kit: "3", selected: 5, takes: [], clipboard: null });
const engine = notingTarget();
const asked = [];
Object.assign(window, { htmx: { ajax: async (verb, url, { values }) => void asked.push([url, values]) } });
const [takeKey, chipKey] = [startTakes(session, engine), startChips(engine)];
startTakeDrops(session);

/** Two layers: 1 and 2 in the first, 3 and 4 in the second; a row of another pad. */
function drawCard() {
  const take = (id, layer, position) => `<li class="take${id === 4 ? " off" : ""}" tabindex="-1" id="t${id}" data-take="${id}" data-number="${id - 1}"
    data-layer="${layer}" data-position="${position}"></li>`;
  document.body.innerHTML = `<div id="card"><ul><li data-layer="10" id="layer-10"><button
    data-open-layer="3"></button><ol>${take(1, 10, 0)}${take(2, 10, 1)}</ol></li><li data-layer="11"
    id="layer-11"><ol>${take(3, 11, 0)}${take(4, 11, 1)}</ol></li></ul></div>
    <div class="row" id="row" data-pad="77" tabindex="0"></div>`;
  Object.assign(session, { takes: [], clipboard: null });
  for (const stand of [session, engine]) stand.calls.length = 0;
}
const at = (id) => document.getElementById(id);
const click = (id, keys = {}) => at(id).dispatchEvent(new MouseEvent("click", { bubbles: true, ...keys }));
const typed = (id, ...chords) => (at(id).focus(), chords.map((chord) => takeKey(press(chord)))); // prettier-ignore
const posts = () => taken(session, "post").map(([url, values]) => [url.replace("/kits/3/takes/", ""), values]);

test("a press selects a take alone and sounds it, with Ctrl one more, with Shift all between", () => {
  drawCard();
  click("t2");
  equal([session.takes, taken(engine, "hearTake"), taken(session, "loadCard").length], [[2], [[5, 1]], 1]); // prettier-ignore
  click("t4", { shiftKey: true });
  equal(session.takes, [2, 3, 4]);
  click("t3", { ctrlKey: true });
  equal([session.takes, taken(session, "loadCard").length], [[2, 4], 0]); // prettier-ignore
});

test("a range from a take that is gone is the take alone", () => {
  drawCard();
  session.takes = [99];
  click("t3", { shiftKey: true });
  equal(session.takes, [3]);
});

test("arrows walk the takes and sound them, with Shift they select, and end at the ends", () => {
  drawCard();
  equal([typed("t1", "ArrowUp", "ArrowDown"), document.activeElement.id, session.takes], [[true, true], "t2", [2]]); // prettier-ignore
  typed("t2", "Shift+ArrowDown", "Shift+ArrowDown", "Shift+ArrowDown");
  equal([session.takes, document.activeElement.id], [[2, 3, 4], "t4"]);
  equal(taken(engine, "hearTake").map(([, number]) => number), [0, 1, 2, 3, 3]); // prettier-ignore
});

test("with Alt a take moves in its layer and between layers; X turns it off and on; Delete takes it away", () => {
  drawCard();
  typed("t2", "Alt+ArrowUp", "Alt+ArrowDown", "Alt+ArrowLeft", "Alt+ArrowRight", "KeyX", "Delete");
  typed("t4", "KeyX", "Enter", "KeyQ");
  equal(
    posts(),
    [
      ...["-1", "1", "softer", "louder"].map((by) => ["2/move/", { by }]),
      ["2/set/is_enabled/", { value: "0" }],
      ["2/remove/", {}],
      ["4/set/is_enabled/", { value: "1" }],
    ],
  ); // prettier-ignore
  equal(taken(engine, "hearTake"), [[5, 3]]);
});

test("takes that are copied are put into layers and onto pads again and again, cut ones once", () => {
  drawCard();
  session.takes = [1, 2];
  typed("t1", "Control+KeyC");
  equal(taken(session, "say")[0][0], "2 takes copied; Ctrl V puts them into the layer or onto the pad that has the focus.");
  typed("t3", "Control+KeyV");
  typed("row", "Control+KeyV");
  equal(posts(), [["1/move/", { layer: "11", copy: "1" }], ["1/move/", { pad: "77", copy: "1" }]]);
  typed("t4", "Control+KeyX");
  equal(session.takes, [4], "one that was not selected goes alone");
  equal([typed("row", "Control+KeyV", "Control+KeyV"), posts()], [[true, false], [["4/move/", { pad: "77", copy: "" }]]]); // prettier-ignore
});

test("a layer's button opens its first take", () => {
  drawCard();
  document.querySelector("[data-open-layer]").dispatchEvent(new MouseEvent("click", { bubbles: true }));
  equal([session.takes, taken(session, "loadCard").length], [[3], 1]); // prettier-ignore
});

/** From one element to another, as the browser tells it. */
function dragTo(from, to, keys = {}) {
  const dataTransfer = new DataTransfer();
  const tell = (name, on) => on.dispatchEvent(new DragEvent(name, { bubbles: true, cancelable: true, dataTransfer, ...keys }));
  tell("dragstart", from);
  tell("dragover", to);
  const lit = document.querySelector(".drop-here")?.id;
  tell("drop", to);
  return lit;
}

test("takes are dragged before a take, to a layer's end and onto a pad; with Ctrl copies are", () => {
  drawCard();
  equal([dragTo(at("t4"), at("t1")), dragTo(at("t4"), at("layer-10")), dragTo(at("t4"), at("row"), { ctrlKey: true })], ["t1", "layer-10", "row"]);
  equal(posts(), [["4/move/", { layer: "10", position: "0", copy: "" }], ["4/move/", { layer: "10", position: "1000000", copy: "" }], ["4/move/", { pad: "77", copy: "1" }]]);
  equal([document.querySelectorAll(".drop-here").length, session.takes], [0, [4]]); // prettier-ignore
});

test("a drag that ends nowhere leaves no mark, and changes nothing", () => {
  drawCard();
  const dataTransfer = new DataTransfer();
  at("t1").dispatchEvent(new DragEvent("dragstart", { bubbles: true, dataTransfer }));
  at("row").dispatchEvent(new DragEvent("dragover", { bubbles: true, cancelable: true, dataTransfer }));
  at("t1").dispatchEvent(new DragEvent("dragend", { bubbles: true }));
  equal([document.querySelectorAll(".drop-here").length, posts()], [0, []]); // prettier-ignore
});

/** A proposal of a pad of two layers, and a place for what is left out; `moved` draws it as the server would. */
function drawProposal(places = [[8, "0.0"], [9, "0.0"], [6, "0.1"]]) {
  const chip = (/** @type {any[]} */ [sample, place]) => `<button class="chip" aria-selected="false" id="c${sample}" data-sample="${sample}"
    data-place="${place}"></button>`;
  document.body.innerHTML = `<button id="apply-proposal" hx-post="/kits/3/stack/4/apply/"></button><div class="proposed" id="p0"><input
    class="proposed-name"><b class="doubt"></b><div data-layer-place="0.0" id="low"></div><div data-layer-place="0.1"
    id="high"></div>${places.map(chip).join("")}</div>
    <div class="proposed" id="p1"></div><div class="proposed" id="p2"><input class="proposed-name"><b class="doubt"></b></div><div class="left-over"
    id="left"></div><button data-next-doubt></button>`;
  asked.length = engine.calls.length = session.calls.length = 0;
}
const chipTyped = (id, ...chords) => (at(id).focus(), chords.map((chord) => chipKey(press(chord)))); // prettier-ignore

test("a chip is heard and selected, with Ctrl or the space bar one more", () => {
  drawProposal();
  click("c8");
  click("c9", { ctrlKey: true });
  chipTyped("c6", " ", "Enter");
  const selected = () => [...document.querySelectorAll(".chip[aria-selected=true]")].map(({ id }) => id).sort();
  equal([selected(), taken(engine, "hear")], [["c6", "c8", "c9"], [[8], [9], [6]]]); // prettier-ignore
  click("c6");
  equal(selected(), ["c6"]);
});

test("arrows walk chips and put them into the next layer, with those that are selected; the focus goes with them", async () => {
  drawProposal();
  chipTyped("c8", "ArrowRight", "ArrowLeft", "ArrowDown");
  equal([document.activeElement.id, asked], ["c8", []]);
  click("c9", { ctrlKey: true });
  click("c8", { ctrlKey: true });
  chipTyped("c8", "ArrowUp");
  equal(asked, [["/kits/3/stack/4/move/", { takes: "0.0,0.0", pad: 0, layer: 1 }]]);
  drawProposal([[6, "0.1"], [9, "0.1"], [8, "0.1"]]); // the answer
  await settled();
  equal([document.activeElement.id, [...document.querySelectorAll(".chip[aria-selected=true]")].map(({ id }) => id)], ["c8", ["c9", "c8"]]); // prettier-ignore
});

test("a chip that was left out leaves the focus where it stood", async () => {
  drawProposal();
  chipTyped("c8", "Delete");
  equal(asked, [["/kits/3/stack/4/leave-out/", { takes: "0.0" }]]);
  drawProposal([[9, "0.0"], [6, "0.1"]]);
  await settled();
  equal(document.activeElement.id, "c9");
});

test("chips are dragged to a layer, or out of it", () => {
  drawProposal();
  equal([dragTo(at("c8"), at("high")), dragTo(at("c8"), at("left")), dragTo(at("c8"), at("p1"))], ["high", "left", undefined]);
  equal(asked, [["/kits/3/stack/4/move/", { takes: "0.0", pad: "0", layer: "1" }], ["/kits/3/stack/4/leave-out/", { takes: "0.0" }]]);
});

test("pads in doubt are walked one after another, and round again", () => {
  drawProposal();
  const next = () => {
    document.querySelector("[data-next-doubt]").dispatchEvent(new MouseEvent("click", { bubbles: true }));
    return document.activeElement.closest(".proposed").id;
  };
  equal([next(), next(), next()], ["p0", "p2", "p0"]);
});
