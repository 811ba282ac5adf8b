/** The recording that a part was found in: heard beside the kit, and drawn in the lanes of the pads its tracks go to. */
import { startFader } from "../recording/bars.js";
import { Waves } from "../recording/waves.js";

/** @param {object} editor what editor.js offers */
export async function besideRecording(editor, recorded, signal) {
  const { root, session, engine, model } = editor;
  const answer = await fetch(`/recordings/of/${session.kit}/part/${root.dataset.part}/`).catch(() => null);
  const about = answer?.ok ? await answer.json() : {};
  if (signal.aborted || !about.tracks) return;
  const { tracks, sound, zero } = about;
  const waves = new Waves(sound, () => editor.repaint());
  waves.load(tracks.filter(({ pad }) => pad));
  editor.under = { zero, levelOf: (pad) => waves.peaks.get(tracks.find((track) => track.pad === pad)?.id) };
  if (sound.rate !== engine.rate) return;
  const open = () => recorded.open(tracks, { ...sound, zero: Math.round(editor.under.zero * engine.rate) });
  open();
  startZero(editor, open, signal);
  signal.addEventListener("abort", () => recorded.open([]));
  document.getElementById("beside-part").hidden = false;
  startFader({ recorded, engine }, signal);
  model.addEventListener("loaded", () => (recorded.loopFrom = 0), { signal });
}

/** Where the recording begins in the part: by number, or so that a hit stands where it was moved to. */
function startZero(editor, open, signal) {
  const { root, session, model } = editor;
  const field = /** @type {HTMLInputElement} */ (document.getElementById("recording-zero"));
  document.getElementById("recording-zero-line").hidden = false;
  const show = () => (field.value = (editor.under.zero * 1000).toFixed(1));
  show();
  async function put(seconds) {
    await model.edit(`/recordings/of/${session.kit}/part/${root.dataset.part}/zero/`, { seconds });
    if (!signal.aborted) show(); // else the part was left meanwhile
  }
  model.addEventListener("changed", () => {
    const zero = model.about.recordedZero ?? editor.under.zero;
    if (zero === editor.under.zero) return;
    editor.under.zero = zero;
    open();
    show();
    editor.repaint();
  }, { signal }); // prettier-ignore
  field.addEventListener("change", () => put(Number(field.value) / 1000), { signal });
  document.getElementById("recording-zero-here").addEventListener("click", () => {
    const [hit] = model.selection;
    if (!hit) return session.say("Select the hit first that the recording is to follow.", true);
    const moved = (model.time.frameAt(hit.tick) - model.time.frameAt(hit.played)) / model.time.rate;
    put(editor.under.zero + moved);
  }, { signal }); // prettier-ignore
}
