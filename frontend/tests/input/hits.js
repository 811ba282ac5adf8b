import { HitInput } from "../../js/input/hits.js";
import { startMidi } from "../../js/input/midi.js";
import { equal, noting, settled, taken, test } from "../harness.js";

const FRAMES = { clock: { frameOf: (ms) => ms * 48 }, channelOf: (device, channel) => (device === 4 ? 10 : channel) };

/** Port "grid" knows pads of its own; every other note goes by the kit's notes. */
function stand() {
  const engine = noting({ ...FRAMES });
  const device = (port) => (port === "given" ? { id: 4 } : null); // to one of several kits, which hears channel 11
  const ways = { device, padsOf: (port, _channel, note) => (port === "grid" ? { 50: [7, 8], 51: [] }[note] ?? null : null), padsOfNote: (note) => (note === 38 ? [2] : []) }; // prettier-ignore
  Object.assign(ways, { ownNoteOf: (pad) => ({ 7: 60, 8: null })[pad] });
  const input = new HitInput(engine, /** @type {any} */ (ways));
  const told = [];
  for (const name of ["hit", "release", "raw"]) input.addEventListener(name, (event) => told.push([name, /** @type {CustomEvent} */ (event).detail]));
  return { engine, input, told };
}

test("a note-on is struck at the frame of its time stamp, on the pads that its note leads to", () => {
  const { engine, input, told } = stand();
  input.midi([0x99, 38, 101], "drum", 10);
  equal(taken(engine, "hitNote"), [[38, 101, 9, 480, undefined]]);
  equal(told, [
    ["raw", { note: 38, velocity: 101, channel: 9, from: "drum" }],
    ["hit", { pads: [2], note: 38, isOwn: false, velocity: 101, channel: 9, from: "drum", frame: 480 }],
  ]);
});

test("a device that was given to a kit plays that one, and is written on its channel", () => {
  const { engine, input, told } = stand();
  input.midi([0x99, 38, 101], "given", 10);
  equal([taken(engine, "hitNote"), told[1][1].channel], [[[38, 101, 9, 480, 4]], 10]);
});

test("a device with pads of its own strikes those, all of them, or none", () => {
  const { engine, input, told } = stand();
  input.midi([0x90, 50, 60], "grid", 1);
  input.midi([0x90, 51, 60], "grid", 2);
  equal([taken(engine, "hitPad"), taken(engine, "hitNote")], [[[7, 60, 48], [8, 60, 48]], []]); // prettier-ignore
  equal(told.filter(([name]) => name === "hit").map(([, { pads, isOwn }]) => [pads, isOwn]), [[[7, 8], true], [[], true]]); // prettier-ignore
});

test("a note-off, or a note-on of velocity 0, lets go", () => {
  const { engine, input, told } = stand();
  input.midi([0x89, 38, 64], "drum", 1);
  input.midi([0x90, 50, 0], "grid", 2);
  equal([taken(engine, "hitNote"), taken(engine, "releasePad"), told.map(([name]) => name)], [[[38, 0, 9, 48, undefined]], [[7, 96], [8, 96]], ["release", "release"]]); // prettier-ignore
});

test("other messages are passed over, and while a device is taught its notes are only told", () => {
  const { engine, input, told } = stand();
  for (const status of [0xe0, 0xf8, 0xc0]) input.midi([status, 38, 100], "drum", 1);
  input.isMuted = true;
  input.midi([0x90, 38, 100], "drum", 1);
  equal([engine.calls, told.map(([name]) => name)], [[], ["raw"]]);
});

test("a pad that is struck directly is as loud as a note can be", () => {
  const { engine, input, told } = stand();
  for (const velocity of [0, 63.6, 400]) input.pad(4, velocity, "key", 1);
  input.release(4, 2);
  equal([taken(engine, "hitPad"), taken(engine, "releasePad")], [[[4, 1, 48], [4, 64, 48], [4, 127, 48]], [[4, 96]]]); // prettier-ignore
  equal(told.at(-1), ["release", { pads: [4], isOwn: true, frame: 96 }]);
});

/** The button, and what was played and said after each thing that may happen to the browser's MIDI. */
async function connect(request) {
  document.body.innerHTML = `<button id="midi-connect"></button><p id="midi-state"></p>`;
  Object.defineProperty(navigator, "requestMIDIAccess", { value: request, configurable: true });
  const input = noting();
  startMidi(input);
  document.getElementById("midi-connect").click();
  await settled();
  return { input, says: () => document.getElementById("midi-state").textContent };
}

test("devices are listened to by name, those that come later too, and those that went are not named", async () => {
  const [pads, kit] = ["Pads", "Kit"].map((name) => ({ name, state: "connected", onmidimessage: null }));
  const access = { inputs: new Map([["a", pads]]), onstatechange: null };
  const { input, says } = await connect(async () => access);
  equal(says(), "Listening to Pads");
  pads.onmidimessage({ data: [0x99, 38, 1], timeStamp: 12 });
  access.inputs.set("b", kit);
  access.onstatechange();
  equal([says(), taken(input, "midi")], ["Listening to Pads, Kit", [[[0x99, 38, 1], "Pads", 12]]]); // prettier-ignore
  for (const device of [pads, kit]) device.state = "disconnected";
  access.onstatechange();
  equal(says(), "No MIDI device is connected; plug one in, it is found by itself.");
});

test("a refusal, a failure and a browser without MIDI are said with what to do", async () => {
  const failing = (name) => () => Promise.reject(Object.assign(new Error("port busy"), { name }));
  equal((await connect(failing("NotAllowedError"))).says(), "MIDI was refused; allow it for this page in the browser's settings, then connect again.");
  equal((await connect(failing("InvalidStateError"))).says(), "MIDI failed: port busy. Reconnect the device, then try again.");
  equal((await connect(undefined)).says(), "This browser knows no MIDI; the practice controller below does the same.");
});

test("controllers and aftertouch go on as they came, a channel's without a number", () => {
  const { engine, input } = stand();
  for (const message of [[0xb0, 4, 90], [0xa9, 49, 127], [0xd2, 77]]) input.midi(message, "drum", 1); // prettier-ignore
  equal(engine.calls.map((call) => call.slice(0, 4)), [["gesture", 0, 4, 90], ["gesture", 2, 49, 127], ["gesture", 1, 0, 77]]); // prettier-ignore
  input.midi([0xa0, 50, 99], "grid", 1); // its key is that of pads, whatever it sends
  equal(engine.calls.at(-1).slice(0, 4), ["gesture", 2, 60, 99]);
});
