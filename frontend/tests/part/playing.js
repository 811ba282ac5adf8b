import { startPart } from "../../js/part/playing.js";
import { equal, notingTarget, settled, taken, test } from "../harness.js";

/** The transport of a kit with two parts; any other does not come. */
async function stand({ kept = "", shown = "" } = {}) {
  sessionStorage.clear();
  if (kept) sessionStorage.setItem("part", kept);
  document.body.dataset.grids = "{}";
  document.body.innerHTML = `<button id="play"></button><input type="checkbox" id="loop" checked><select id="part-choice"><option
    value="4">Pulse</option><option value="5">Storm</option></select><p id="part-about"></p>${shown ? `<section id="part-editor"
    data-part="${shown}"></section>` : ""}`;
  const opened = [];
  window.fetch = /** @type {any} */ (async (url) => {
    opened.push(url);
    const id = Number(url.match(/parts\/(\d+)/)[1]);
    const about = {
      id, name: id === 4 ? "Pulse" : "Storm watch", bars: id - 3, bpm: 119.6, version: 1, ticksPerBeat: 480, tempos: [[0, 500_000]],
      meters: [[0, 4, 4]], tempoFrames: [0], loopTicks: 1920, loopFrames: 96_000, rate: 48_000, passes: [], curves: [], writtenFor: "", events: [],
    }; // prettier-ignore
    return { ok: id < 6, status: id < 6 ? 200 : 404, json: async () => about };
  });
  const engine = notingTarget({ rate: 48_000, ready: Promise.resolve(), isPartPlaying: false });
  const session = notingTarget({ kit: "3" });
  const stopped = [];
  session.addEventListener("part-stopped", () => stopped.push(1));
  const part = startPart(session, engine, /** @type {any} */ (Object.assign(new EventTarget(), { load() {}, isTranslated: false })));
  await part.ready;
  await settled();
  return { part, engine, session, opened, stopped, button: document.getElementById("play"), about: document.getElementById("part-about") };
}

test("the part that is shown is opened, else the one that was open last, else the first", async () => {
  equal((await stand({ shown: "5", kept: "4" })).opened, ["/parts/5/data/"]);
  equal((await stand({ kept: "5" })).opened, ["/parts/5/data/"]);
  const { opened, about, button } = await stand({ kept: "77" });
  equal([opened, about.textContent, about.title, /** @type {any} */ (button).disabled], [["/parts/4/data/"], "1 bar · 120", "119.6 beats a minute", false]);
});

test("it is played from its start, stopped, and told where it is", async () => {
  const { part, engine, button, stopped } = await stand();
  part.start = 480;
  button.click();
  equal([taken(engine, "play"), part.isPlaying, engine.isPartPlaying, button.textContent, button.getAttribute("aria-pressed")], [[[24_000, []]], true, true, "■ Stop", "true"]);
  engine.dispatchEvent(new CustomEvent("report", { detail: { frame: 31_000 } }));
  equal(part.frame, 31_000);
  button.click();
  equal([taken(engine, "stop").length, part.isPlaying, part.frame, button.textContent, stopped.length], [1, false, null, "▶ Play", 1]);
  part.toggle();
  engine.dispatchEvent(new Event("ended"));
  equal([part.isPlaying, stopped.length], [false, 2]);
});

test("a loop is told in frames, and whether there is one", async () => {
  const { part, engine } = await stand();
  part.setRange([480, 960]);
  equal(taken(engine, "setRange").at(-1), [[24_000, 48_000]]);
  const loop = /** @type {HTMLInputElement} */ (document.getElementById("loop"));
  loop.checked = false;
  loop.dispatchEvent(new Event("change"));
  equal(taken(engine, "setLoop"), [[false]]);
});

test("another part is chosen, and one that does not come is not kept", async () => {
  const { part, about } = await stand();
  await part.choose("5");
  equal([about.textContent, sessionStorage.getItem("part"), /** @type {any} */ (document.getElementById("part-choice")).selectedOptions[0].text], ["2 bars · 120", "5", "Storm watch"]);
  document.body.insertAdjacentHTML("beforeend", `<section id="part-editor" data-part="6"></section>`);
  equal(part.isComing(), true);
  await part.choose("6");
  equal([part.model.id, sessionStorage.getItem("part")], [null, null]);
});

test("something else is played in the part's place, and gives it back", async () => {
  const { part, engine, about, button } = await stand();
  button.click();
  part.setRange([480, 960]);
  taken(engine, "setRange");
  part.playInstead({ start: 7, name: "7 tracks" });
  equal([part.isPlaying, about.textContent, taken(engine, "stop").length], [false, "7 tracks", 1]);
  part.play();
  equal(taken(engine, "play").at(-1), [7, []]);
  taken(engine, "setPart");
  part.playInstead(null);
  equal([about.textContent, taken(engine, "setPart").length, taken(engine, "setRange")], ["1 bar · 120", 1, [[[24_000, 48_000]]]]);
});
