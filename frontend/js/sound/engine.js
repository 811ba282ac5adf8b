/**
 * Sound for the page: owns the AudioContext, the playbook on the audio thread, and the sounds it needs.
 * Fires "report" (what was played, peaks, position), "state" (can it sound), "stand-in", "ended", "playbook" (tables are played by:
 * those of the first member as `book`, of all as `members`, and their `outputs` in the order of a report's peaks).
 */
import { StampClock } from "./clock.js";
import { SoundLoader } from "./loader.js";
import { MOST_CHANNELS } from "./routes.js";

const CONSTANT_MS = 6; // from an event's time stamp to its frame: what a script and a message take, nearly always
const PADS_AT_ONCE = 4; // of a kit that is loaded ahead: under a millisecond for the audio thread, at 64 takes a pad
const BETWEEN_MS = 4;
const DRUMS = 9; // the channel that a hand plays on, from 0
const [MOST_REBUILT, REBUILT_SECONDS] = [5, 30]; // an audio thread that fails so often in so long is left
/** What the audio thread is told anew where it was built anew: of each the last. */
const STANDING = ["kernel", "routes", "part", "loop", "range", "tracks", "trackGains", "solo", "soloOutputs", "hearAlone", "click", "loudness", "measure"];

export class Engine extends EventTarget {
  isPartPlaying = false;
  /** What is heard without changing the kit: "take:sample" in a take's place, "piece.levelled.pad-pad_pad-pad" in a piece's, or "mend.finding". */ auditioned = "";
  /** The tables of another kit that is heard in the place of this one. */ flipped = null;
  /** Kits that sound, by their keys: the first is the kit of the page where it has pads. @type {Map<string, Partial<import("./member.js").MemberTables>>} */ members = new Map();
  #context;
  #worklet;
  /** Where outputs leave a device of many channels. */ #routes = null;
  #routed = "null";
  #isLoudnessOn = false;
  #standIn = []; // nodes of one that is stood in for
  /** @type {[AudioNode, number][]} */ #connected = [];
  #node = null;
  #waiting = [];
  /** @type {Map<string, object>} */ #standing = new Map();
  /** When the audio thread was built anew. @type {number[]} */ #rebuilt = [];
  #loader;
  #tables = null;
  #asked = 0;
  /** Tables that can be flipped to. @type {Map<string, any>} */ ahead = new Map();
  #loads = new Map(); // number of a request for tables -> what resolves it

  /** @param {{ rate: number, worklet: string, tables: string, kit: string | undefined, soundBytes: number }} options */
  constructor({ rate, worklet, tables, kit, soundBytes }) {
    super();
    this.kit = kit;
    this.#worklet = worklet;
    if (kit) {
      this.#tables = new Worker(tables);
      this.#tables.onmessage = ({ data }) => this.#tablesCame(data);
    }
    this.#context = new AudioContext({ sampleRate: rate, latencyHint: "interactive" });
    /** Frames of the audio thread for time stamps. */
    this.clock = new StampClock(this.rate, Math.round((CONSTANT_MS / 1000) * this.rate));
    this.#loader = new SoundLoader({ limitBytes: soundBytes, send: (message, transfer) => this.#send(message, transfer) });
    this.#loader.addEventListener("unknown", () => this.loadPlaybook());
    this.#loader.addEventListener("broken", ({ detail }) => this.#fire("broken", detail));
    this.#loader.addEventListener("loaded", ({ detail }) => this.#fire("loaded", detail));
    this.#context.addEventListener("statechange", () => this.#fire("state", this.state));
    this.ready = this.#begin();
  }

  get rate() {
    return this.#context.sampleRate;
  }

  get state() {
    return this.#context.state;
  }

  get node() {
    return this.#node;
  }

  async #begin() {
    await this.#context.audioWorklet.addModule(this.#worklet);
    this.#build();
    for (const [message, transfer] of this.#waiting.splice(0)) this.#node.port.postMessage(message, transfer);
    if (!this.kit) return;
    const kernel = await fetch("/kits/kernel/");
    if (kernel.ok) this.#send({ type: "kernel", kernel: new Float64Array(await kernel.arrayBuffer()) });
    await this.loadPlaybook();
  }

  /** The node of the audio thread, which hears of tables by a way of its own. */
  #build() {
    this.#node = new AudioWorkletNode(this.#context, "dactyl", { numberOfInputs: 0, numberOfOutputs: 3, outputChannelCount: [2, 1, MOST_CHANNELS] });
    this.#node.port.onmessage = ({ data }) => this.#receive(data);
    this.#node.onprocessorerror = () => this.#buildAnew();
    this.#connect();
    if (!this.kit) return;
    const { port1, port2 } = new MessageChannel();
    this.#send({ type: "listen", port: port1 }, [port1]);
    this.#tables.postMessage({ audio: port2 }, [port2]);
  }

  /** It threw, and is never called again: another takes its place, and is told all that this one knew. */
  #buildAnew() {
    const now = performance.now();
    this.#rebuilt = [...this.#rebuilt.filter((at) => now - at < 1000 * REBUILT_SECONDS), now];
    if (this.#rebuilt.length > MOST_REBUILT) return this.#fire("broken", ["The sound failed again and again. Load the page anew; nothing that you made is lost."]);
    for (const [node, output] of this.#connected.splice(0)) this.#node.disconnect(node, output);
    this.#build();
    for (const message of this.#standing.values()) this.#node.port.postMessage(message);
    this.#loader.begin();
    if (this.kit) this.loadPlaybook();
    if (this.ahead.size) this.loadAhead(this.ahead);
    this.#fire("broken", ["The sound failed for a moment and was begun again. If the part was playing, press Play."]);
    if (this.isPartPlaying) this.#fire("ended");
    this.#fire("rebuilt");
  }

  /** Tell a few times a second how loud the mix is since the part began. */
  async setLoudness(isOn) {
    if (isOn === this.#isLoudnessOn) return;
    this.#isLoudnessOn = isOn;
    const answer = isOn ? await fetch(`/kits/loudness/${this.rate}/`).catch(() => null) : null;
    if (this.#isLoudnessOn === isOn) this.#send({ type: "loudness", filters: answer?.ok ? await answer.json() : null });
  }

  /** How many channels the device has. */
  get deviceChannels() {
    return Math.min(MOST_CHANNELS, this.#context.destination.maxChannelCount);
  }

  get canChooseSink() {
    return "setSinkId" in this.#context;
  }

  /** Sound by another device; empty: the usual one. @returns {Promise<string>} what is wrong, in a sentence; empty: nothing */
  async setSink(id) {
    if (!this.canChooseSink) return id ? "This browser can't choose a device." : "";
    try {
      await /** @type {any} */ (this.#context).setSinkId(id);
      return "";
    } catch (problem) {
      return problem.name === "NotAllowedError" ? "The device was refused; allow it for this page in the browser's settings." : "The device can't be used; is it still connected?";
    }
  }

  /**
   * Which output leaves by which channels; null: all together.
   * @param {{ outputs: (import("./routes.js").Route | null)[], click: import("./routes.js").Route, channels: number, isStandIn: boolean } | null} routes
   */
  setRoutes(routes) {
    const now = JSON.stringify(routes);
    if (now === this.#routed) return;
    this.#routed = now;
    this.#routes = routes;
    this.#send({ type: "routes", routes });
    if (this.#node) this.#connect();
  }

  /** The node to what is heard: the kit and the click together, or all channels of a device, or of one that is stood in for. */
  #connect() {
    const { destination } = this.#context;
    for (const [node, output] of this.#connected.splice(0)) this.#node.disconnect(node, output);
    for (const node of this.#standIn.splice(0)) node.disconnect();
    const connect = (node, output) => {
      this.#node.connect(node, output);
      this.#connected.push([node, output]);
    };
    destination.channelCount = this.#routes && !this.#routes.isStandIn ? this.#routes.channels : Math.min(2, destination.maxChannelCount);
    destination.channelInterpretation = this.#routes && !this.#routes.isStandIn ? "discrete" : "speakers";
    if (!this.#routes) {
      for (const output of [0, 1]) connect(destination, output); // the kit, and the click
      return;
    }
    if (!this.#routes.isStandIn) {
      connect(destination, 2);
      return;
    }
    const { channels } = this.#routes;
    const splitter = new ChannelSplitterNode(this.#context, { numberOfOutputs: MOST_CHANNELS });
    const sides = new ChannelMergerNode(this.#context, { numberOfInputs: 2 });
    connect(splitter, 2);
    for (let n = 0; n < channels; n++) splitter.connect(sides, n, n % 2);
    sides.connect(destination);
    this.#standIn.push(splitter, sides);
  }

  /** Browsers let a page sound only after a press of a key or a button. */
  wake() {
    if (this.#context.state === "suspended") this.#context.resume();
  }

  /** Fetch the tables of some pads, or of all; resolves when hits are played by them.
   * @param {number[] | null} pads @param {boolean} notes whether notes may strike other pads now */
  loadPlaybook(pads = null, notes = false) {
    const number = ++this.#asked;
    this.#tables.postMessage({ kit: this.kit, rate: this.rate, pads, notes, auditioned: this.auditioned, number });
    return new Promise((resolve) => this.#loads.set(number, resolve));
  }

  #tablesCame({ book, number, at, isLost }) {
    if (isLost) return this.#fire("broken", ["The kit's tables do not come; what you hear is the kit as it was. They are asked for again."]);
    if (book) {
      this.#loader.want(book);
      this.#note(book);
      const [first] = book.members;
      this.#fire("playbook", { book: { ...first, whole: book.whole }, members: [...this.members.values()], outputs: this.outputs, at });
    }
    for (const [asked, resolve] of this.#loads) if (asked <= number && this.#loads.delete(asked)) resolve();
  }

  /** Keep of the tables what the page is asked for: who sounds, and by which outputs. */
  #note({ whole, members, heard = [] }) {
    const about = ({ pads: _, notes: __, ...rest }) => rest;
    if (whole) this.members = new Map(members.map((member) => [member.key, about(member)]));
    else for (const member of [...members.map(about), ...heard]) if (this.members.has(member.key)) this.members.set(member.key, { ...this.members.get(member.key), ...member });
  }

  /** Of all members, in the order of a report's peaks: each with the key of its member and its number there. */
  get outputs() {
    return [...this.members.values()].flatMap(({ key, outputs }) => (outputs ?? []).map((output, number) => ({ ...output, member: key, number })));
  }

  get #first() {
    return this.members.values().next().value;
  }

  /** What the tables call a pad of a member: of the first by its key alone. */
  padId(key, pad) {
    return key === (this.#first?.key ?? "") ? pad : `${key}:${pad}`;
  }

  /** The channel on which a hand is heard and recorded: the drums', or what the first kit hears of it. */
  handChannel(channel = DRUMS) {
    const heard = this.#first?.channels;
    return !heard || heard.includes(channel) ? channel : (heard[0] ?? channel);
  }

  /**
   * A note that is played.
   * @param {number} [at] the frame of the context that the hit stands at
   * @param {number} [device] what it was played on; a kit that was given it hears it alone
   */
  hitNote(note, velocity, channel = DRUMS, at = undefined, device = undefined) {
    const only = this.#givenTo(device).map(({ key }) => key);
    this.#send({ type: "hit", note, velocity, channel: this.channelOf(device, channel), at, only: only.length ? only : null });
  }

  /**
   * A controller or aftertouch by hand. @param {number} kind as hands.js has it
   * @param {number} [at] as for a note @param {number} [device] as for a note
   */
  gesture(kind, number, value, channel = DRUMS, at = undefined, device = undefined) {
    const only = this.#givenTo(device).map(({ key }) => key);
    this.#send({ type: "gesture", kind, number, value, channel: this.channelOf(device, channel), at, only: only.length ? only : null });
  }

  #givenTo(device) {
    return device === undefined ? [] : [...this.members.values()].filter((member) => member.device === device);
  }

  /** The channel of what a device plays: that of the kit that was given it. */
  channelOf(device, channel) {
    const [given] = this.#givenTo(device);
    return given ? (given.channels?.[0] ?? channel) : this.handChannel(channel);
  }

  /** As a hit of the part sounds: who hears its channel answers. */
  hitAsPart(note, velocity, channel = DRUMS) {
    this.#send({ type: "hit", note, velocity, channel, isOfPart: true });
  }

  /** A pad by what the tables call it. @param {number | string} pad */
  hitPad(pad, velocity, at = undefined) {
    this.#send({ type: "pad", pad, velocity, channel: this.handChannel(), at });
  }

  releasePad(pad, at = undefined) {
    this.#send({ type: "padOff", pad, at });
  }

  /** Play one take of a pad by itself, by its place among the pad's takes. */
  hearTake(pad, number) {
    this.#send({ type: "take", pad, number });
  }

  /** Resolves once the sounds of a take are here; to false where they can't be. */
  arrival(pad, number) {
    return this.#loader.arrival(pad, number);
  }

  /** Play a sample of the shelf by itself, or a piece of it. @param {{ from?: number, count?: number }} piece frames after its onset */
  async hear(sample, piece = {}) {
    const key = await this.#loader.sample(sample, this.rate);
    if (key) this.#send({ type: "audition", key, ...piece });
  }

  /** Play by these hits from now on. @param {import("./transport.js").PartTable | null} part */
  setPart(part) {
    this.#send({ type: "part", part });
  }

  setSolo(pads) {
    this.#send({ type: "solo", pads });
  }

  /** Only these are heard; all where there are none. @param {number[]} numbers as `outputs` has them */
  setSoloOutputs(numbers) {
    const all = this.outputs;
    this.#send({ type: "soloOutputs", outputs: numbers.filter((n) => all[n]).map((n) => [all[n].member, all[n].number]) });
  }

  /** Hear the outputs so until tables come the next time. @param {(import("./desk.js").OutputRow & { member: string })[]} outputs as `outputs` has them */
  setDesk(outputs) {
    const tried = [...this.members.keys()].map((member) => ({ member, rows: outputs.filter((output) => output.member === member) }));
    this.#send({ type: "desk", tried });
  }

  setLoop(isLooping) {
    this.#send({ type: "loop", isLooping });
  }

  /** Loop only this stretch of the part, in its frames; the whole where both are 0. @param {[number, number]} range */
  setRange(range) {
    this.#send({ type: "range", range });
  }

  /** Play the tracks of a recording beside the part; null ends it. */
  setTracks(recording) {
    this.#send({ type: "tracks", recording });
  }

  /** @param {[number, number][]} gains by track @param {number} kit of all that the kit sounds */
  setTrackGains(gains, kit) {
    this.#send({ type: "trackGains", gains, kit });
  }

  /** How loud all that the kit sounds is heard. */
  setKitGain(gain) {
    this.#send({ type: "trackGains", gains: [], kit: gain });
  }

  /** Tell with each report how loud the kit was. */
  measure(isOn) {
    this.#send({ type: "measure", isOn });
  }

  hush() {
    this.#send({ type: "hush" });
  }

  /** Play by the tables of a kit loaded ahead, in this one's page; null gives this one back. @param {string | null} key */
  flip(key) {
    this.flipped = this.ahead.get(key) ?? null;
    this.#send({ type: "flip", key });
  }

  /**
   * Load other kits ahead of time, their tables and the heads of what they sound, in the place of those loaded before.
   * A large kit's tables are milliseconds of work for the audio thread: they go there a few pads at a time, so that no
   * block of sound waits for them.
   * @param {Map<string, import("./member.js").MemberTables>} books
   */
  async loadAhead(books) {
    this.flipped = null;
    this.ahead = books;
    this.#send({ type: "forgetOthers" });
    this.#loader.ahead([...books.values()]);
    for (const [key, told] of books)
      for (let from = 0; from === 0 || from < told.pads.length; from += PADS_AT_ONCE) {
        if (this.ahead !== books) return;
        const piece = { ...told, pads: told.pads.slice(from, from + PADS_AT_ONCE), allNotes: true };
        this.#send({ type: "addOther", key, told: piece, isFirst: from === 0 });
        await new Promise((resolve) => setTimeout(resolve, BETWEEN_MS));
      }
  }

  /** Hear only these of the kits together; all where there are none. @param {string[]} keys empty for the kit of the page */
  hearKitsAlone(keys) {
    this.#send({ type: "hearAlone", keys });
  }

  addBlock(track, block, data) {
    this.#send({ type: "trackBlock", track, block, data }, [data.buffer]);
  }

  forgetBlocks(keys) {
    this.#send({ type: "forgetBlocks", keys });
  }

  setClick(isOn, gain) {
    this.#send({ type: "click", isOn, gain });
  }

  /** @param {number} from frame of the part; @param {[number, number][]} countIn [frames before it, accent] */
  play(from = 0, countIn = []) {
    this.#send({ type: "play", from, countIn });
  }

  stop() {
    this.#send({ type: "stop" });
  }

  silence() {
    this.#send({ type: "silence" });
  }

  #send(message, transfer = []) {
    if (STANDING.includes(message.type)) this.#standing.set(message.type, message);
    if (this.#node) this.#node.port.postMessage(message, transfer);
    else this.#waiting.push([message, transfer]);
  }

  #receive(message) {
    if (message.type === "ended") this.#fire("ended");
    else if (message.type === "turn") this.#fire("turn", message);
    else {
      this.clock.observe(this.#context.currentTime, performance.now());
      if (message.standIns.length) {
        this.#loader.hurry(message.standIns.flatMap(([, , keys]) => keys));
        this.#fire("stand-in", message.standIns);
      }
      const isOfFirst = ([pad]) => typeof pad === "number";
      message.besides = message.played.filter((struck) => !isOfFirst(struck)).map(([pad, velocity]) => [...pad.split(":"), velocity]);
      message.played = message.played.filter(isOfFirst);
      this.#fire("report", message);
    }
  }

  #fire(name, detail) {
    this.dispatchEvent(new CustomEvent(name, { detail }));
  }
}
