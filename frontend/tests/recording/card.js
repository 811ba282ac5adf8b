import { startCard } from "../../js/recording/card.js";
import { Mending } from "../../js/recording/mending.js";
import { equal, near, noting, pointer, taken, test } from "../harness.js";
import { recordingOf } from "../recording_stand.js";

const FIELDS = ["track-pad", "track-softest", "track-sure", "track-soft", "track-hard", "track-same", "hit-time", "hit-velocity"];
const WORDS = ["track-name", "track-count", "track-sure-says", "hit-level", "hit-why"];

async function stand(has) {
  const all = await recordingOf(has);
  document.body.insertAdjacentHTML("beforeend", `<ul id="recording-tracks"></ul><template id="track-row"><li><strong></strong><small></small><button
    data-listen="mute"></button><button data-listen="solo"></button></li></template>
    <button id="recording-undo"><span></span><span></span></button><button id="recording-redo"></button><button
    id="next-unsure"></button>${FIELDS.map((id) => `<input id="${id}">`).join("")}${WORDS.map((id) => `<p id="${id}"></p>`).join("")}
    <svg id="track-histogram" style="position:fixed;left:0;top:400px;width:240px;height:74px"></svg><p id="hit-none"></p><div
    id="hit-about"></div>${["take", "flam", "loop"].map((what) => `<button id="hit-${what}"></button>`).join("")}`);
  const { model, view } = all;
  const editor = noting({
    model, view, mending: new Mending(model, view), chosen: 0, isLooping: false, recorded: { solo: new Set([2]), muted: new Set() },
    get track() { return model.tracks[editor.chosen]; },
  }); // prettier-ignore
  startCard(editor, new AbortController().signal);
  model.addEventListener("changed", () => editor.onChanged());
  editor.onChanged();
  const at = (id) => /** @type {any} */ (document.getElementById(id));
  at("track-histogram").setPointerCapture = () => {};
  const set = async (id, value, kind = "change") => {
    at(id).value = value;
    at(id).dispatchEvent(new Event(kind));
    await model.mend(() => null);
  };
  return { ...all, editor, at, set };
}
const text = (at, ...ids) => ids.map((id) => at(id).textContent);

test("each track is listed with what is taken of it and how it is heard, the chosen one with its settings", async () => {
  const { at, editor } = await stand();
  const rows = [...document.querySelectorAll("#recording-tracks li")];
  equal(rows.map((row) => [row.querySelector("strong").textContent, row.querySelector("small").textContent, row.className]), [["Snare top", "3 △1 snare", "chosen"], ["Kick in", "2 snare", ""]]);
  equal(rows.map((row) => row.querySelector("[data-listen=solo]").getAttribute("aria-pressed")), ["false", "true"]);
  equal(text(at, "track-name", "track-count", "next-unsure"), ["Snare top", "3 hits, 1 of them unsure; 1 left out", "Next unsure (1)"]);
  equal(["track-softest", "track-sure", "track-soft", "track-same"].map((id) => at(id).value), ["", "50", "-40.0", ""]); // prettier-ignore
  editor.chosen = 1;
  editor.onChanged();
  equal(text(at, "track-name", "track-count"), ["Kick in", "2 hits; 0 left out"]);
});

test("settings are sent as they are typed; a threshold is tried before it is let go", async () => {
  const { server, set, at, model } = await stand();
  await set("track-softest", "−15,5");
  await set("track-softest", " ");
  await set("track-sure", "80", "input");
  equal([text(at, "track-sure-says"), model.taken(1).length, server.sent.length], [["80 %"], 2, 2]); // prettier-ignore
  await set("track-sure", "80");
  await set("track-soft", "-50");
  await set("track-same", "300");
  await set("track-same", "");
  await set("track-pad", "7");
  equal(server.sent.map(([, values]) => values), [{ softest: -15.5 }, {}, { sure: 0.8 }, { soft: -50, hard: -8 }, { velocity: 127 }, { velocity: 0 }, { pad: 7 }]); // prettier-ignore
});

test("the selected hit is told with its evidence, and taken, moved and struck by its fields", async () => {
  const { at, model, set, server } = await stand();
  equal([at("hit-none").hidden, at("hit-about").hidden], [false, true]);
  model.select(model.strokes.get(1)[1]);
  equal([text(at, "hit-level", "hit-why", "hit-take"), at("hit-time").value, at("hit-about").hidden], [["−38.0 dB · 40 % sure", "a rise", "Take"], "1500.00", false]);
  at("hit-take").click();
  await model.mend(() => null);
  equal(text(at, "hit-level", "hit-take"), ["−38.0 dB · decided by hand", "Leave out"]);
  await set("hit-time", "1600");
  await set("hit-velocity", "200");
  equal(server.sent.map(([, { sentence }]) => sentence), ["A hit taken at 1.500 s of Snare top", "A hit of Snare top moved by 100.0 ms", "A hit of Snare top at velocity 127"]); // prettier-ignore
  near(model.selected.time, 1.6, 1e-9);
});

test("a hit is heard in a loop, and a flam made, by its buttons", async () => {
  const { at, model, editor, server } = await stand();
  at("hit-loop").click();
  model.select(model.taken(1)[0]);
  at("hit-loop").click();
  editor.isLooping = true;
  at("hit-loop").click();
  at("hit-flam").click();
  await model.mend(() => null);
  equal(
    [taken(editor, "loop").map(([{ time }]) => time), taken(editor, "endLoop").length, server.sent.map(([, { sentence }]) => sentence)],
    [[1], 1, ["A flam at 1.000 s of Snare top"]],
  ); // prettier-ignore
});

test("soft and hard are dragged in the picture, seen at once, kept apart, and sent when they are let go", async () => {
  const { at, model, server } = await stand();
  const x = (level) => 240 * (1 - level / -66);
  const picture = at("track-histogram");
  equal(picture.querySelectorAll("path.handle").length, 2);
  pointer("pointerdown", picture, { clientX: x(-38) });
  pointer("pointermove", picture, { clientX: x(-30) });
  equal([Math.round(model.shown(1).soft), server.sent], [-30, []]);
  pointer("pointermove", picture, { clientX: x(0) });
  pointer("pointerup", picture, { clientX: x(0) });
  await model.mend(() => null);
  equal(server.sent, [["tracks", { soft: -9, hard: -8 }]]);
});

test("what can be taken back is told", async () => {
  const { at } = await stand({ undoes: "A hit taken", redoes: "" });
  equal([at("recording-undo").title, at("recording-undo").disabled, text(at, "recording-undo"), at("recording-redo").disabled], ["Undo: A hit taken", false, ["A hit taken"], true]);
});
