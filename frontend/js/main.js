/** Starts what the page needs. Each module owns one job; they meet in `session`. */
import { startBorders } from "./borders.js";
import { startBounces } from "./bounces.js";
import { startCut } from "./cut.js";
import { startDialogs } from "./dialogs.js";
import { startEditors } from "./editors.js";
import { Engine } from "./engine.js";
import { startEdits } from "./edits.js";
import { startFields } from "./fields.js";
import { HitInput } from "./hits.js";
import { startKeys } from "./keys.js";
import { startMeters } from "./meters.js";
import { startMidi } from "./midi.js";
import { startPart } from "./part.js";
import { startPractice } from "./practice.js";
import { Session } from "./session.js";
import { startSheet } from "./sheet.js";
import { startShelf } from "./shelf.js";
import { startSurface } from "./surface.js";
import { startTabs } from "./tabs.js";
import { startTakes } from "./takes.js";
import { startTry } from "./try.js";
import { startWave } from "./wave.js";

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
    const part = startPart(session, engine);
    const practice = startPractice(input, part);
    startMidi(input);
    startBorders(session);
    startEditors(session);
    startCut(session, engine);
    const sheet = startSheet(session);
    const trying = startTry(session, engine, shelf);
    const first = [startTabs(), startWave(session, engine), startTakes(session, engine)];
    startKeys({ session, engine, input, part, shelf, sheet, trying, first });
    startBounces();
    window.dactyl = { engine, input, practice }; // for looking in from the console, and for the tests
  } else startKeys({ session, engine, shelf });
}
