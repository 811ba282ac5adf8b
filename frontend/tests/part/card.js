import { showChanges, showPads, showPart } from "../../js/part/about_part.js";
import { startCard } from "../../js/part/card.js";
import { TimeMap } from "../../js/part/time.js";
import { equal, notingTarget, settled, taken, test } from "../harness.js";
import { BEAT, editorOf, GRIDS, hitAt } from "../part_stand.js";

/** The card beside an editor of which the server's answers are `answers`, by what is asked. */
function stand(hits = [], { forms = "", answers = {} } = {}) {
  document.body.innerHTML = `<section id="hit-card"><p id="selection-says"></p><p id="first-hits"></p><table><tbody id="hit-list"></tbody></table><p
    id="hit-list-more"></p><form id="midi-selection"><input name="ids"></form><details id="part-changes"></details>
    <input id="part-name"><input id="part-bpm"><p id="sections"></p><p id="no-passes"></p><ul id="passes"></ul><ul id="part-change-list"></ul><select
    class="pad-choice" data-optional></select><select class="pad-choice" id="pads"></select>${forms}</section>`;
  const all = editorOf(hits, { takeOf: () => "2·1" });
  const about = { ...all.model.about, id: 4, rate: 48_000, name: "Pulse", tempos: [[0, 500_000], [4 * BEAT, 400_000]], sections: [[0, 4 * BEAT, "Verse"]], passes: [] }; // prettier-ignore
  const asked = [];
  const events = notingTarget({
    about, time: new TimeMap({ ticksPerBeat: BEAT, tempos: [[0, 500_000]], tempoFrames: [0], tempoTimes: [0], meters: [[0, 4, 4]], loopTicks: 8 * BEAT, rate: 48_000 }, GRIDS),
    hits, selected: new Set(), get selection() { return hits.filter(({ id }) => events.selected.has(id)); },
    select: (ids) => ((events.selected = new Set(ids)), events.dispatchEvent(new Event("selected"))),
    ask: async (what, values) => (asked.push([what, values]), answers[what]?.(values) ?? null),
  }); // prettier-ignore
  all.editor.model = events;
  startCard(all.editor, new AbortController().signal);
  return { ...all, model: events, asked, edits: () => taken(events, "edit"), says: () => document.getElementById("selection-says").textContent };
}
const form = (data, fields) => `<form ${data}>${fields}<button value="go">go</button></form>`;
const submit = (which = 0) => document.querySelectorAll("#hit-card form")[which + 1].querySelector("button").click();
const button = (data) => `<button type="button" ${data}></button>`;
const press = (selector) => /** @type {HTMLElement} */ (document.querySelector(selector)).click();

test("what is selected is said, by pads, how many and how loud", () => {
  const { model, says } = stand([hitAt(1, 0, 36, 90), hitAt(2, BEAT, 38, 40), hitAt(3, BEAT, 42, 41), hitAt(4, BEAT, 99, 7)]);
  equal(says(), "4 hits, none selected");
  const said = [[1], [1, 2], [1, 2, 3], [4]].map((ids) => (model.select(ids), says()));
  equal(said, ["1 hit of Kick, velocity 90", "2 hits of Kick and Snare, velocity 40–90", "3 hits of 3 pads, velocity 40–90", "1 hit of note 99, velocity 7"]);
});

test("the numbers of selected hits are listed, the first of many, and can be typed over", () => {
  const hits = Array.from({ length: 130 }, (_, n) => hitAt(n + 1, n * 20));
  const { model, edits, editor } = stand(hits);
  model.select([2]);
  const cells = () => [...document.querySelectorAll("#hit-list input")];
  equal([cells().map(({ value }) => value), document.querySelector("td:last-child").textContent], [["1.1.020", "20.8", "38", "90", "120"], "2·1"]);
  const type = (place, value) => {
    const field = cells()[place];
    field.value = value;
    field.dispatchEvent(new Event("change", { bubbles: true }));
  };
  for (const [place, value] of /** @type {[number, string][]} */ ([[0, "2.3.007"], [0, "1"], [1, "20,5"], [3, "77"]])) type(place, value);
  equal(
    edits().map(([what, { ids, field, value }]) => [what, ids, field, value]),
    [["numbers", [2], "tick", 6 * BEAT + 7], ["numbers", [2], "tick", 0], ["numbers", [2], "ms", 20.5], ["numbers", [2], "velocity", 77]],
  ); // prettier-ignore
  for (const [place, value] of /** @type {[number, string][]} */ ([[0, "9.1"], [1, ""], [3, "loud"]])) type(place, value);
  equal(
    [edits(), taken(editor.session, "say").map(([words]) => words)],
    [[], ["“9.1” is not understood here. Type it as 1.1.020 is written.", "“” is not understood here. Type it as 20.8 is written.", "“loud” is not understood here. Type it as 90 is written."]],
  ); // prettier-ignore
  model.select(hits.map(({ id }) => id));
  equal([document.querySelectorAll("#hit-list tr").length, document.getElementById("hit-list-more").textContent], [120, "and 10 more"]);
});

test("a form sends its numbers as numbers, with the selected hits and the grid, or with its own", () => {
  const fields = `<input name="by" type="range" value="60"><output></output><input name="word" value="x">
    <input name="deep" type="checkbox" checked><input name="left" type="number" value="">`;
  const roll = form(`data-op="roll" data-own-grid data-seed`, `<select name="unit"><option value="8"></select>`);
  const forms = form(`data-op="tighten"`, fields) + roll;
  const { model, edits, editor } = stand([hitAt(1, 0)], { forms });
  model.select([1]);
  editor.grid = "off";
  submit(0);
  submit(1);
  const [[what, values], [other, rolled]] = edits();
  equal([what, values, other], ["tighten", { ids: [1], grid: "1/16", swing: 50, by: 60, word: "x", deep: true }, "roll"]);
  equal([rolled.swing, "grid" in rolled, rolled.unit, Number.isInteger(rolled.seed)], [50, false, 8, true]);
});

test("forms of the part are sent with where they hold: at the start, in its bar, over the loop", () => {
  const forms = [
    form(`data-op="tempo" data-at-start`, `<input name="bpm" type="number" value="99">`),
    form(`data-op="meter" data-at-bar`, ""),
    form(`data-op="section" data-range`, `<input name="name" value="Fill">`),
    form("data-bars", `<input name="count" type="number" value="2">`),
  ].join("");
  const { edits, editor } = stand([], { forms });
  editor.part.start = 5 * BEAT;
  submit(0);
  submit(1);
  submit(2);
  equal(taken(editor.session, "say"), [["Drag over the bar numbers first: the loop becomes the section.", true]]);
  editor.part.range = [BEAT, 3 * BEAT];
  submit(2);
  document.querySelector("[data-bars] button").setAttribute("value", "append-bars");
  submit(3);
  const sent = edits();
  equal(
    [sent[0][1].tick, sent[1][1].bar, [sent[2][1].start, sent[2][1].end, sent[2][1].name], sent[3]],
    [5 * BEAT, 2, [BEAT, 3 * BEAT, "Fill"], ["insert-bars", { bar: 3, count: 2 }]],
  ); // prettier-ignore
});

test("hits are chosen by rules, by lane, by piece and in the loop", async () => {
  const buttons = button(`data-choose='{"rule":"every","nth":2}'`) + button(`id="choose-lane"`) + button(`id="choose-piece"`) + button(`id="choose-loop"`) + button(`data-select="others"`);
  const { model, asked, editor } = stand([hitAt(1, 0), hitAt(2, 9)], { forms: buttons + form(`data-choose-form="softer"`, `<input name="velocity"
    type="number" value="40">`), answers: { choose: () => ({ ids: [2] }) } });
  editor.lanes[0].piece = editor.lanes[1].piece = 5;
  for (const which of ["[data-choose]", "#choose-lane", "#choose-piece", "#choose-loop", "[data-select]"]) press(which);
  submit(0);
  await settled();
  equal(
    asked.map(([, { ids: _, ...rule }]) => rule),
    [{ rule: "every", nth: 2 }, { rule: "notes", notes: [38, 40] }, { rule: "notes", notes: [36, 38, 40] }, { rule: "between", start: 0, end: 8 * BEAT }, { rule: "softer", velocity: 40 }],
  ); // prettier-ignore
  equal([[...model.selected], taken(model, "selectAll")], [[2], [["others"]]]);
});

test("buttons take back tempo and meter, loop and repeat sections, go to changes, and help hats", () => {
  const ofPart = [`data-unset="tempo"`, `data-unset="meter"`, `data-loop-section="0,1920"`, `data-repeat-section="0,1920"`];
  const others = [`data-go-to="12"`, `data-hats="foot"`, `data-hats="close"`, `data-do="duplicate"`];
  const forms = [...ofPart, ...others].map(button).join("");
  const { edits, editor } = stand([], { forms });
  for (const which of ["tempo", "meter"]) press(`[data-unset=${which}]`);
  for (const which of ["[data-loop-section='0,1920']", "[data-repeat-section='0,1920']", "[data-go-to]", "[data-hats=foot]", "[data-hats=close]", "[data-do]"]) press(which);
  equal(taken(editor, "setRange"), [[[0, 1920]]]);
  equal(taken(editor.session, "say"), [["This kit has no pedal hat for the foot to play. Give a pad that kind first.", true]]);
  equal(
    edits().map(([what, values]) => [what, values]),
    [
      ["tempo", { tick: 0 }],
      ["meter", { bar: 1 }],
      ["duplicate-bars", { bar: 1, count: 1 }],
      ["history/12", undefined],
      ["hats", { how: "close", open: [], closed: [42], pedal: 44, start: 0, end: 8 * BEAT }],
      ["duplicate", { ids: [] }],
    ],
  ); // prettier-ignore
});

const PREVIEW = form(`data-op="grace" data-preview`, `<input name="ms" type="number" value="20">`);
const made = (tick) => ({ added: [[7, tick, 0, 38, 30, 9, 60, tick, 0, 0]], changed: [] });

test("a figure is drawn before it is made, once the hand rests, and anew for other hits", async () => {
  const { model, editor, asked } = stand([hitAt(1, BEAT), hitAt(2, 2 * BEAT)], { forms: PREVIEW, answers: { "preview/grace": ({ ids }) => made(ids[0] * 100) } });
  model.select([1]);
  const field = /** @type {HTMLInputElement} */ (document.querySelector("[data-preview] input"));
  field.focus();
  field.dispatchEvent(new Event("input", { bubbles: true }));
  await settled(130);
  equal([asked.length, editor.preview.map(({ tick, velocity }) => [tick, velocity])], [1, [[100, 30]]]); // prettier-ignore
  model.select([2]);
  await settled(130);
  equal(editor.preview[0].tick, 200);
  field.blur();
  model.select([1]);
  equal(editor.preview, null);
});

test("once it is made, nothing of the preview comes any more", async () => {
  const { model, editor, edits } = stand([hitAt(1, BEAT)], { forms: PREVIEW, answers: { "preview/grace": async () => (await settled(50), made(1)) } });
  model.select([1]);
  /** @type {HTMLElement} */ (document.querySelector("[data-preview] input")).focus();
  submit(0);
  await settled(200);
  equal([edits().map(([what]) => what), editor.preview], [["grace"], null]); // prettier-ignore
});

test("a file of the selected hits holds them; without any the way to it is said", () => {
  const { model, editor } = stand([hitAt(1, 0), hitAt(2, 9)]);
  const send = () => {
    const event = new Event("submit", { cancelable: true });
    document.getElementById("midi-selection").dispatchEvent(event);
    return [event.defaultPrevented, /** @type {HTMLInputElement} */ (document.querySelector("[name=ids]")).value];
  };
  equal([send(), taken(editor.session, "say")], [[true, ""], [["Select the hits that the file is to hold.", true]]]); // prettier-ignore
  model.select([1, 2]);
  equal(send(), [false, "1,2"]);
});

test("the part's name, tempo and sections are shown, and the pads that can be chosen", () => {
  const { editor } = stand();
  editor.part.start = 4 * BEAT;
  showPart(/** @type {any} */ (editor));
  const value = (id) => /** @type {HTMLInputElement} */ (document.getElementById(id)).value;
  equal([value("part-name"), value("part-bpm"), document.getElementById("sections").textContent], ["Pulse", "150", "loop Verseagain behind it"]);
  const pads = /** @type {HTMLSelectElement} */ (document.getElementById("pads"));
  equal([...pads.options].map(({ text }) => text), ["Kick", "Snare", "Hat"]); // prettier-ignore
  pads.value = "42";
  showPads(/** @type {any} */ (editor));
  equal([pads.value, /** @type {HTMLSelectElement} */ (document.querySelector("[data-optional]")).options[0].text], ["42", "the same pad"]);
});

test("changes are listed with the way back and forth, those taken back apart", async () => {
  const { editor } = stand();
  const before = window.fetch;
  window.fetch = /** @type {any} */ (async () => ({ ok: true, json: async () => ({ changes: [[9, "4 hits drawn", false, "10:01"], [8, "Loosened", true, "10:00"]] }) }));
  await showChanges(/** @type {any} */ (editor));
  window.fetch = before;
  const lines = [...document.querySelectorAll("#part-change-list li")].map((line) => [line.className, line.textContent, line.querySelector("button").dataset.goTo]);
  equal(lines, [["", "10:01 4 hits drawn undo from here on", "9"], ["undone", "10:00 Loosened do again up to here", "8"]]);
});
