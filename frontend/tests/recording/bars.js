import { barsOf, startBars, startFader } from "../../js/recording/bars.js";
import { equal, near, noting, notingTarget, taken, test } from "../harness.js";

const asTapped = (time) => time;
const beatsOf = (count, seconds = 0.5) => Array.from({ length: count }, (_, n) => 1 + n * seconds);

test("each first beat that was tapped is a bar, whatever number of beats follow the last", () => {
  for (const taps of [5, 6, 7, 8]) equal(barsOf(beatsOf(taps), 4, asTapped), [[0, 1], [1, 3]], `${taps} taps`); // prettier-ignore
  equal(barsOf(beatsOf(9), 4, asTapped), [[0, 1], [1, 3], [2, 5]]); // prettier-ignore
});

test("of a bar that was not tapped to its end the beats tell how long it is", () => {
  equal(barsOf(beatsOf(5), 8, asTapped), [[0, 1], [1, 5]]); // prettier-ignore
});

/** The view of a recording with hits near 1, 3 and 5 seconds. */
function stand({ lines = [], bars = [], playhead = 0, isPlaying = true } = {}) {
  document.body.innerHTML = `<button id="tap-beat"></button><button id="set-bars" disabled></button><button id="downbeat"></button><button
    id="no-bars"></button><input id="bar-beats" value="4"><p id="bars-says"></p>`;
  const model = noting({ about: { lines, bars, beats: 4 }, tracks: [{ id: 1 }], taken: () => [1.02, 3.01, 4.98].map((time) => ({ time })), selected: null });
  const editor = noting({ model, session: noting(), part: { isPlaying }, playhead, cursor: 0 });
  startBars(editor, new AbortController().signal);
  const press = (id) => document.getElementById(id).click();
  return { editor, model, press, says: () => document.getElementById("bars-says").textContent, sets: () => taken(model, "setBars") };
}

test("taps along are counted, mean the hits that are near, and become bars", () => {
  const { editor, press, says, sets } = stand();
  for (let n = 0; n < 9; n++) {
    editor.playhead = 1 + n * 0.5;
    press("tap-beat");
    if (n === 3) equal([says(), /** @type {any} */ (document.getElementById("set-bars")).disabled], ["4 of 5 taps at least; the first is a downbeat", true]);
  }
  equal(says(), "9 taps; press Set bars");
  press("set-bars");
  const [[bars, beats]] = sets();
  equal([bars.map(([bar]) => bar), beats, says(), /** @type {any} */ (document.getElementById("set-bars")).disabled], [[0, 1, 2], 4, "", true]); // prettier-ignore
  bars.forEach(([, time], n) => near(time, [1.02, 3.01, 4.98][n], 1e-9));
});

test("taps while nothing plays say what to do first", () => {
  const { editor, press } = stand({ isPlaying: false });
  press("tap-beat");
  equal(taken(editor.session, "say"), [["Press Play, then tap with each beat, beginning with a first one of a bar.", true]]);
});

test("two first beats set the bars between them; with bars there the nearest line comes", () => {
  const { editor, press, says, sets } = stand();
  editor.playhead = 1;
  press("downbeat");
  equal([says(), sets()], ["First beat of a bar at 1.020 s. Now the first of the next one.", []]);
  editor.playhead = 3;
  press("downbeat");
  equal(sets(), [[[[0, 1.02], [1, 3.01]], 4]]); // prettier-ignore
  const set = stand({ lines: [1, 3.2, 5.4], bars: [[0, 1]], playhead: 3 });
  set.press("downbeat");
  equal(set.sets(), [[[[0, 1], [1, 3.01]], 4]]); // prettier-ignore
});

test("a line that is moved is set beside those that were; the first that is set keeps the one beside it", () => {
  const { editor, sets } = stand({ lines: [1, 3, 5], bars: [[0, 1], [2, 5]] }); // prettier-ignore
  editor.moveBar(1, 3.3);
  equal(sets(), [[[[0, 1], [2, 5], [1, 3.3]], 4]]); // prettier-ignore
  const alone = stand({ lines: [1, 3, 5] });
  alone.editor.moveBar(2, 5.5);
  equal(alone.sets(), [[[[2, 5.5], [0, 1]], 4]]); // prettier-ignore
});

test("bars are taken away, and have other beats", () => {
  const { press, sets } = stand({ bars: [[0, 1], [1, 3]], lines: [1, 3] }); // prettier-ignore
  press("no-bars");
  const beats = /** @type {HTMLInputElement} */ (document.getElementById("bar-beats"));
  beats.value = "99";
  beats.dispatchEvent(new Event("change"));
  equal(sets(), [[[], 4], [[[0, 1], [1, 3]], 32]]); // prettier-ignore
});

test("the fader goes from the kit to the recording, and both are made as loud on wish", () => {
  document.body.innerHTML = `<input type="range" id="beside" min="0" max="100"><input type="checkbox" id="equal-loudness"><output
    id="equal-says"></output>`;
  const recorded = noting({ balance: 0.5, kitGain: 1 });
  const engine = notingTarget();
  startFader({ recorded, engine }, new AbortController().signal);
  const fader = /** @type {HTMLInputElement} */ (document.getElementById("beside"));
  equal(fader.value, "50");
  const report = (kit, tracks, frame = 5) => engine.dispatchEvent(new CustomEvent("report", { detail: { power: [kit, tracks], frame } }));
  report(1, 4);
  equal([document.getElementById("equal-says").textContent, recorded.kitGain], ["kit +6.0 dB", 1]);
  /** @type {HTMLInputElement} */ (document.getElementById("equal-loudness")).checked = true;
  report(1, 4, null);
  equal(recorded.kitGain, 1, "while nothing plays nothing is measured");
  report(0, 0);
  near(recorded.kitGain, 2, 0.01);
  fader.value = "80";
  fader.dispatchEvent(new Event("input"));
  equal([recorded.balance, taken(recorded, "sound").length], [0.8, 1]);
});
