/** Starts what the page needs. Each module owns one job; they meet in `session`. */
import { startBorders } from "./sheet/borders.js";
import { startBounces } from "./bounce/bounces.js";
import { startCut } from "./card/cut.js";
import { startDialogs } from "./page/dialogs.js";
import { startEditors } from "./card/editors.js";
import { Engine } from "./sound/engine.js";
import { startEdits } from "./page/edits.js";
import { startFields } from "./page/fields.js";
import { HitInput } from "./input/hits.js";
import { startKeys } from "./input/keys.js";
import { startMap } from "./sheet/map.js";
import { startMeters } from "./sheet/meters.js";
import { startMidi } from "./input/midi.js";
import { startEditor } from "./part/editor.js";
import { startPart } from "./part/playing.js";
import { startReading } from "./part/read.js";
import { startRecorder } from "./part/record.js";
import { startPractice } from "./input/practice.js";
import { Session } from "./page/session.js";
import { startSheet } from "./sheet/sheet.js";
import { startShelf } from "./shelf/shelf.js";
import { startSurface } from "./sheet/surface.js";
import { startTabs } from "./page/tabs.js";
import { startTakes } from "./card/takes.js";
import { startTry } from "./shelf/try.js";
import { startWave } from "./card/wave.js";

startDialogs();
const workshop = document.getElementById("workshop");
if (workshop) {
  const { kit, rate, worklet, tables, soundBytes } = workshop.dataset;
  const engine = new Engine({ kit, rate: Number(rate), worklet, tables, soundBytes: Number(soundBytes) });
  const session = new Session(workshop, engine);
  const shelf = startShelf(session, engine);
  if (kit) {
    const input = new HitInput(engine);
    startFields();
    startEdits(session);
    startSurface(session, engine, input);
    startMeters(engine);
    startMap(session, engine, input);
    const part = startPart(session, engine);
    const practice = startPractice(input, part);
    const recorder = startRecorder({ session, engine, input, part });
    const editor = startEditor(session, engine, input, part);
    startMidi(input);
    startBorders(session);
    startEditors(session);
    startCut(session, engine);
    const sheet = startSheet(session);
    const trying = startTry(session, engine, shelf);
    const first = [startTabs(), startWave(session, engine), startTakes(session, engine)];
    startKeys({ session, engine, input, part, shelf, sheet, trying, recorder, editor, first });
    startBounces();
    window.dactyl = { engine, input, practice, part, editor, recorder }; // for looking in from the console, and for the tests
  } else startKeys({ session, engine, shelf });
} else startReading();
