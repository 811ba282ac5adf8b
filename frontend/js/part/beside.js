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
  recorded.open(tracks, { ...sound, zero: Math.round(zero * engine.rate) });
  signal.addEventListener("abort", () => recorded.open([]));
  document.getElementById("beside-part").hidden = false;
  startFader({ recorded, engine }, signal);
  model.addEventListener("loaded", () => (recorded.loopFrom = 0), { signal });
}
