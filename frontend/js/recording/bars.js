/** Tempo and bar lines of a free recording: tapped along, set by two downbeats, dragged; and how loud each side is heard. */
import { nearest } from "./layout.js";

const SNAP_SECONDS = 0.06; // a tap means the hit it was near to
const FEWEST_TAPS = 5;
const MOST_GAIN_DB = 18;

export function startBars(editor, signal) {
  const by = (id) => /** @type {HTMLInputElement} */ (document.getElementById(id));
  const on = (id, name, act) => by(id)?.addEventListener(name, act, { signal });
  let taps = [];
  let first = null; // the first of two downbeats

  const beats = () => Math.min(32, Math.max(1, Number(by("bar-beats").value) || 4));
  const hits = () => editor.model.tracks.flatMap(({ id }) => editor.model.taken(id).map(({ time }) => time)).sort((a, b) => a - b);
  const snapped = (time) => {
    const known = hits();
    const near = known[nearest(known, time)];
    return near !== undefined && Math.abs(near - time) < SNAP_SECONDS ? near : time;
  };
  const here = () => editor.playhead ?? editor.model.selected?.time ?? editor.cursor;

  /** Bar lines that are set, by their place among all lines. */
  function anchors() {
    const { bars, lines } = editor.model.about;
    return new Map(bars.map(([, time]) => [nearest(lines, time), time]));
  }

  editor.moveBar = (line, time) => {
    const set = anchors().set(line, time);
    const { lines } = editor.model.about;
    if (set.size === 1) set.set(line ? 0 : 1, lines[line ? 0 : 1]);
    return editor.model.setBars([...set], editor.model.about.beats);
  };

  on("tap-beat", "click", ({ timeStamp }) => {
    if (!editor.part.isPlaying) {
      taps = [];
      return editor.session.say("Press Play, then tap with each beat, beginning with a first one of a bar.", true);
    }
    const late = (performance.now() - timeStamp) / 1000;
    taps.push(Math.max(0, editor.playhead - late));
    const says = taps.length < FEWEST_TAPS ? `${taps.length} of ${FEWEST_TAPS} taps at least; the first is a downbeat` : `${taps.length} taps; press Set bars`;
    by("bars-says").textContent = says;
    by("set-bars").disabled = taps.length < FEWEST_TAPS;
  });
  on("set-bars", "click", () => {
    editor.model.setBars(barsOf(taps, beats(), snapped), beats());
    taps = [];
    by("set-bars").disabled = true;
    by("bars-says").textContent = "";
  });
  on("downbeat", "click", () => {
    const time = snapped(here());
    const { lines } = editor.model.about;
    if (lines.length > 1) return editor.moveBar(nearest(lines, time), time);
    if (first === null || time <= first) {
      first = time;
      return (by("bars-says").textContent = `First beat of a bar at ${time.toFixed(3)} s. Now the first of the next one.`);
    }
    editor.model.setBars([[0, first], [1, time]], beats()); // prettier-ignore
    first = null;
    by("bars-says").textContent = "";
  });
  on("no-bars", "click", () => editor.model.setBars([], beats()));
  on("bar-beats", "change", () => editor.model.about.bars.length && editor.model.setBars(editor.model.about.bars, beats()));

  offerBars(editor, signal);
  startFader(editor, signal);
}

/** Bars that the strokes propose: drawn and told as long as none are set. */
function offerBars(editor, signal) {
  const { model, session } = editor;
  const says = document.getElementById("bars-offer-says");
  if (!says) return;
  let asked = null; // which listening its strokes are of
  let known = null;

  async function ask() {
    const { found } = model.about ?? {};
    if (!model.about?.bars.length && found !== undefined && found !== asked) {
      asked = found;
      const answer = await fetch(`${editor.root.dataset.url}bars/offered/`).catch(() => null);
      const { offered = null } = answer?.ok ? await answer.json() : {};
      if (asked !== found || signal.aborted) return;
      known = offered;
    }
    const offered = model.about?.bars.length ? null : known;
    editor.offered = offered;
    document.getElementById("bars-offer").hidden = !offered;
    const mark = document.getElementById("bars-mark");
    mark.hidden = !offered;
    if (offered) {
      says.textContent = `The strokes say ${offered.bpm} a minute, bars of ${offered.beats} (${offered.words}).`;
      mark.textContent = `: ${offered.bpm}?`;
    }
    editor.repaint();
  }

  for (const name of ["loaded", "changed"]) model.addEventListener(name, ask, { signal });
  session.addEventListener("marked", ask, { signal });
  document.getElementById("take-bars").addEventListener("click", () => editor.offered && model.setBars(editor.offered.bars, editor.offered.beats), { signal });
  ask();
}

/**
 * Bars and their times of taps that began with a first beat: each further first beat is a bar; where there is none, as
 * long as the beats that were tapped say.
 * @param {number[]} taps seconds @param {(time: number) => number} snapped @returns {[bar: number, seconds: number][]}
 */
export function barsOf(taps, beats, snapped) {
  const firsts = taps.filter((_, n) => n % beats === 0).map((time, bar) => /** @type {[number, number]} */ ([bar, snapped(time)]));
  if (firsts.length > 1) return firsts;
  const [[, begin]] = firsts;
  return [[0, begin], [1, begin + ((snapped(taps.at(-1)) - begin) * beats) / (taps.length - 1)]]; // prettier-ignore
}

/** The recording, the kit, or both: a fader between them, and both made equally loud. */
export function startFader({ recorded, engine }, signal) {
  const fader = /** @type {HTMLInputElement} */ (document.getElementById("beside"));
  const equal = /** @type {HTMLInputElement} */ (document.getElementById("equal-loudness"));
  const says = document.getElementById("equal-says");
  if (!fader) return;
  const sums = [0, 0];
  fader.value = String(Math.round(recorded.balance * 100));
  fader.addEventListener(
    "input",
    () => {
      recorded.balance = Number(fader.value) / 100;
      recorded.sound();
    },
    { signal },
  );
  equal.addEventListener("change", () => (sums[0] = sums[1] = 0), { signal });
  engine.addEventListener(
    "report",
    ({ detail }) => {
      const { power } = detail;
      if (!power || detail.frame === null) return;
      const heard = Math.sin((recorded.balance * Math.PI) / 2) ** 2 * 2;
      if (heard < 0.02) return;
      sums[0] += power[0];
      sums[1] += power[1] / Math.min(1, heard);
      const isBoth = sums[0] > 0 && sums[1] > 0;
      const gain_db = isBoth ? Math.min(MOST_GAIN_DB, Math.max(-MOST_GAIN_DB, 10 * Math.log10(sums[1] / sums[0]))) : 0;
      recorded.kitGain = equal.checked ? 10 ** (gain_db / 20) : 1;
      says.textContent = isBoth ? `kit ${gain_db >= 0 ? "+" : "−"}${Math.abs(gain_db).toFixed(1)} dB` : "";
    },
    { signal },
  );
}
