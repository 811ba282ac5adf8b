import { startTranslation } from "../../js/map/translation.js";
import { equal, notingTarget, settled, taken, test } from "../harness.js";

const hits = [36, 36, 36, 38, 99].map((note, n) => ({ note, velocity: 90, tick: n * 480 })); // prettier-ignore
const model = notingTarget({ hits, about: { id: 4, name: "Pulse", writtenFor: "other", loopTicks: 2400 }, edit: async (...given) => (edits.push(given), {}) });
const [edits, opened] = [[], []];
const session = notingTarget({ kit: "3" });
const input = notingTarget();
const ways = notingTarget({ load: async (source) => void loaded.push(source) });
const loaded = [];
Object.assign(window, { htmx: { ajax: (verb, url) => void opened.push(url) } });
startTranslation(session, input, { model, ready: Promise.resolve() }, ways);

/** The translation of "other": kick to pad 1, snare in doubt to pad 2, a cowbell that nothing plays. */
function draw(shown = "other", writtenFor = "other") {
  model.about.writtenFor = writtenFor;
  const line = (note, pad, more = "") => `<tr data-line="${note}" class="${more}"><td>${note}</td><td class="hits"></td><td
    class="where"></td><td><select><option value=""></option><option value="1">Kick</option><option value="2"${pad === 2 ? " selected" : ""}>Snare</option></select></td><td><button
    data-hear-line></button><button data-sure></button></td></tr>`;
  document.body.innerHTML = `<section id="translations" data-shown="${shown}"><b id="translated-part"></b><select id="written-for"><option
    value=""></option><option value="other">Other</option></select><button id="write-translation"></button><a id="midi-for"></a><input type="checkbox"
    id="lines-used"><p id="doubts"></p><p id="unmet"></p>
    <template id="translation-line">${`<table><tbody>${line("", 0)}</tbody></table>`}</template><table class="translation"
    data-post="/kits/3/map/translations/7/WHAT/"><tbody>${line(36, 1).replace('value="1"', 'value="1" selected')}${line(38, 2, "doubt")}${line(56, 0)}</tbody></table></section>`;
  const template = /** @type {HTMLTemplateElement} */ (document.getElementById("translation-line"));
  template.innerHTML = "";
  template.content.append(document.querySelector("[data-line='56']").cloneNode(true));
  for (const list of [edits, opened, loaded]) list.length = 0;
  session.calls.length = input.calls.length = 0;
  session.dispatchEvent(new Event("marked"));
}
const at = (id) => document.getElementById(id);
const lineOf = (note) => document.querySelector(`.translation [data-line="${note}"]`);
const change = (element) => element.dispatchEvent(new Event("change", { bubbles: true }));

test("the part's hits are counted on the lines of their notes, silent ones are named, doubts told", () => {
  draw();
  equal([at("translated-part").textContent, [36, 38, 56, 99].map((note) => lineOf(note).querySelector(".hits").textContent)], ["Pulse", ["3", "1", "", "1"]]);
  equal([at("unmet").textContent, at("doubts").textContent], ["△ Silent here: 99 (1). Give each a pad, or leave it out.", "△ 1 in doubt: hear them, and correct or confirm them."]);
  equal(lineOf(36).querySelectorAll("path").length, 1, "and where they stand");
});

test("lines that the part does not use are left out on wish", () => {
  draw();
  const only = /** @type {HTMLInputElement} */ (at("lines-used"));
  only.checked = true;
  change(only);
  equal([36, 38, 56, 99].map((note) => lineOf(note).hidden), [false, false, true, false]); // prettier-ignore
});

test("a correction is heard and kept, a line is heard or said to be silent, a doubt confirmed", () => {
  draw();
  const select = lineOf(38).querySelector("select");
  select.value = "1";
  change(select);
  lineOf(36).querySelector("[data-hear-line]").click();
  lineOf(56).querySelector("[data-hear-line]").click();
  lineOf(38).querySelector("[data-sure]").click();
  equal(taken(input, "pad").map(([pad]) => pad), [1, 1]); // prettier-ignore
  equal(taken(session, "post"), [["/kits/3/map/translations/7/pad/", { notes: "38", value: "1" }], ["/kits/3/map/translations/7/sure/", { notes: "38" }]]);
  equal(taken(session, "say"), [["Nothing sounds: this note strikes no pad here."]]);
});

test("what the part was written for is chosen, and its translation opened", async () => {
  draw("", "");
  const choice = /** @type {HTMLSelectElement} */ (at("written-for"));
  choice.value = "other";
  change(choice);
  await settled();
  equal([edits, loaded, opened], [[["written-for", { source: "other" }]], ["other"], ["/kits/3/map/translations/?shown=other"]]);
});

test("a view that was left meanwhile is not brought back", async () => {
  draw("", "");
  const choice = /** @type {HTMLSelectElement} */ (at("written-for"));
  choice.value = "other";
  change(choice);
  at("translations").remove();
  await settled();
  equal([edits, opened], [[["written-for", { source: "other" }]], []]); // prettier-ignore
});

test("a part that was written for another map opens its translation, and can be written over or taken away", async () => {
  draw("", "other");
  equal(opened, ["/kits/3/map/translations/?shown=other"]);
  draw();
  equal([at("write-translation").hidden, at("midi-for").getAttribute("href")], [false, "/parts/of/3/4/midi/?for=other"]);
  at("write-translation").click();
  await settled();
  equal([edits, opened], [[["translate/for/3"]], ["/kits/3/map/translations/?shown="]]);
  draw("other", "");
  equal(at("write-translation").hidden, true);
});
