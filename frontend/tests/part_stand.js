/** A part of two bars of four beats and the lanes of three pads, with everything real but the server and the sound. */
import { LaneIndex } from "../js/part/lanes.js";
import { LaneHits, PartView } from "../js/part/layout.js";
import { TimeMap } from "../js/part/time.js";
import { canvasAt, noting } from "./harness.js";

/** @type {Record<string, [number, number]>} */
export const GRIDS = { "1/1": [1, 1], "1/2": [1, 2], "1/4": [1, 4], "1/8": [1, 8], "1/16": [1, 16], "1/16T": [1, 24], "1/32": [1, 32] };
export const BEAT = 480;
const LOOP = 8 * BEAT;
/** @type {import("../js/part/time.js").TimeTables} */
const TABLES = { ticksPerBeat: BEAT, tempos: [[0, 500_000]], tempoFrames: [0], tempoTimes: [0], meters: [[0, 4, 4]], loopTicks: LOOP, rate: 48_000 };

export const hitAt = (id, tick, note = 38, velocity = 90) => ({ id, tick, order: 0, note, velocity, channel: 9, length: 120, played: tick, pass: 0, frame: tick * 50, until: 0 });

/** @param {object[]} hits @param {object} more what differs about the editor */
export function editorOf(hits, more = {}) {
  const [width, height] = [824, 400];
  const lanes = [
    { pad: 1, name: "Kick", kind: "kick", notes: [36], note: 36 },
    { pad: 2, name: "Snare", kind: "snare", notes: [38, 40], note: 38 },
    { pad: 3, name: "Hat", kind: "closed_hat", notes: [42], note: 42 },
    { pad: 4, name: "Bell", kind: "bell", notes: [], note: null },
  ];
  const laneOf = new LaneIndex([{ notes: [36] }, { notes: [38, 40] }, { notes: [42] }]);
  const view = new PartView();
  Object.assign(view, { width, height });
  view.arrange(lanes.length);
  view.fit(LOOP);
  const model = noting({
    about: { loopTicks: LOOP, ticksPerBeat: BEAT, bars: 2 },
    time: new TimeMap(TABLES, GRIDS),
    hits,
    selected: new Set(),
    get selection() {
      return hits.filter(({ id }) => model.selected.has(id));
    },
    select(ids) {
      model.selected = new Set(ids);
    },
    toggle: (id) => model.selected.delete(id) || model.selected.add(id),
  });
  const editor = noting({
    view, model, lanes, laneOf, laneHits: new LaneHits(hits, laneOf, lanes.length), grid: "1/16", swing: 50, spacing: BEAT / 4, lastVelocity: 96, strip: 1,
    drawn: [], moving: new Map(), frame: null, ramp: null, preview: null, cursor: null, isKeyed: false, heard: [],
    session: noting(), part: { start: 0, range: [0, 0], isPlaying: false }, levelsOf: () => null,
    snap: (tick) => model.time.snap(tick, editor.grid, editor.swing),
    snapDown: (tick, isFree) => Math.max(0, Math.min(LOOP - 120, isFree ? Math.round(tick) : editor.snap(tick))),
    stepBy: (tick, by) => model.time.step(tick, by, editor.grid, editor.swing),
    placeBy: ({ note, channel }, by) => ({ note: lanes[Math.max(0, Math.min(lanes.length - 1, laneOf.of({ note, channel }) + by))].note ?? note, channel }),
    channelOf: () => 9,
    setGrid: (grid) => Object.assign(editor, { grid, spacing: model.time.spacing(grid) }),
    moveCursor: (tick, lane) => (editor.cursor = { tick, lane }),
    clearPassing: () => Object.assign(editor, { drawn: [], moving: new Map(), frame: null, ramp: null }),
    ...more,
  }); // prettier-ignore
  return { editor, model, view, canvas: canvasAt(width, height) };
}
