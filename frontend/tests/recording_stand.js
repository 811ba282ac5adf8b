/** A recording of two tracks and a server that keeps what it is sent, in place of the real one. */
import { RecordingModel } from "../js/recording/model.js";
import { RecordingView } from "../js/recording/layout.js";
import { canvasAt, noting, settled } from "./harness.js";

const SLOW_MS = 4; // of each answer, so that quick hands overtake it

/** Found hits: [time, level, sureness, reason]. */
const FOUND = { 1: [[1, -10, 0.95, 0], [1.5, -38, 0.4, 0], [2, -12, 0.9, 0], [3, -20, 0.7, 0]], 2: [[1.01, -15, 0.95, 0], [2.5, -14, 0.99, 0]] }; // prettier-ignore
const track = (id, name) => ({ id, name, role: "snare", seconds: 10, channels: 1, softest: null, sure: 0.5, soft: -40, hard: -8, velocity: null, pad: id, mends: [] });

/** Answers as Dactyl would, and notes what it was sent. @param {object} has what differs about the recording */
export function serve(has = {}) {
  const state = { version: 1, undoes: "", redoes: "", beats: 4, bars: [], lines: [], tracks: [track(1, "Snare top"), track(2, "Kick in")], ...has };
  const sent = [];
  let mends = 0;
  const changes = {
    mend: (_, { mends: [{ track: id, mend, place = null, isHit, time = null, level = null, velocity = null }] }) => {
      const { mends: list } = state.tracks.find((one) => one.id === id);
      const at = list.findIndex((one) => (mend && one[0] === mend) || (place !== null && one[1] === place));
      const row = [at < 0 ? ++mends : list[at][0], place, isHit, time ?? list[at]?.[3] ?? null, level, velocity];
      if (at < 0) list.push(row);
      else list[at] = row;
    },
    tracks: (id, values) => Object.assign(state.tracks.find((one) => one.id === Number(id)), values),
    bars: (_, values) => Object.assign(state, { bars: values.bars.map(({ bar, seconds }) => [bar, seconds]), beats: values.beats }),
    undo: () => {},
    redo: () => {},
  };
  const server = { state, sent, rise: (time) => ({ time, level: -30, isRise: false }), answers: true };
  window.fetch = /** @type {any} */ (async (url, asked = {}) => {
    await settled(SLOW_MS);
    if (!server.answers) throw new TypeError("no network");
    const json = (body, ok = true) => ({ ok, headers: new Headers({ "Content-Type": "application/json" }), json: async () => structuredClone(body), text: async () => "" });
    if (!asked.method) return json({ ...state, hits: /** @type {any} */ (has).hits ?? FOUND, reasons: ["a rise"], sound: {} });
    const [, what, id, more] = url.match(/^\/x\/(\w+)\/(?:(\d+)\/)?(\w+)?/);
    const values = JSON.parse(asked.body);
    if (more === "rise") return json(server.rise(values.time));
    sent.push([more ?? what, values]);
    if (Number(asked.headers["X-Recording-Version"]) !== state.version) return json({ ...state, said: "It was changed elsewhere.", isStale: true }, false);
    changes[what](id, values);
    state.version++;
    return json({ ...state, said: values.sentence ?? "Done" });
  });
  return server;
}

/** The model beside an editor of which all else is noted. */
export async function recordingOf(has = {}) {
  const server = serve(has);
  document.body.setAttribute("hx-headers", "{}");
  const said = [];
  const model = new RecordingModel("/x/", (...words) => said.push(words));
  await model.load();
  const view = new RecordingView();
  Object.assign(view, { seconds: 10, width: 820, height: 300 });
  view.fit();
  view.arrange(2);
  return { server, said, model, view, canvas: canvasAt(820, 300), session: noting() };
}
