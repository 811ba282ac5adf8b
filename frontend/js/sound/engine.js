/**
 * Sound for the page: owns the AudioContext, the playbook on the audio thread, and the sounds it needs.
 * Fires "report" (what was played, peaks, position), "state" (can it sound), "stand-in", "ended".
 */
import { StampClock } from "./clock.js";
import { SoundLoader } from "./loader.js";
import { MOST_CHANNELS } from "./routes.js";

const CONSTANT_MS = 6; // from an event's time stamp to its frame: what a script and a message take, nearly always
const PADS_AT_ONCE = 4; // of a kit that is loaded ahead: under a millisecond for the audio thread, at 64 takes a pad
const BETWEEN_MS = 4;

export class Engine extends EventTarget {
  isPartPlaying = false;
  /** What is heard without changing the kit: "take:sample" in a take's place, "piece.levelled.pad-pad_pad-pad" in a piece's, or "mend.finding". */ auditioned = "";
  /** The tables of another kit that is heard in the place of this one. */ flipped = null;
  /** The note of a pad in the kit's own map, while another kit is heard. @type {(pad: number) => number | null} */ noteOf = () => null;
  #context;
  /** Where outputs leave a device of many channels. */ #routes = null;
  #routed = "null";
  #isLoudnessOn = false;
  #standIn = []; // nodes of one that is stood in for
  /** @type {[AudioNode, number][]} */ #connected = [];
  #node = null;
  #waiting = [];
  #loader;
  #tables = null;
  #asked = 0;
  /** Tables of the kits that can be flipped to. @type {Map<string, any>} */ ahead = new Map();
  /** Tables of the kits that sound along with this one, by key. @type {Map<string, any>} */ beside = new Map();
  /** @type {Map<string, import("./alongside.js").Way>} */ #waysBeside = new Map();
  /** Of each, its pads by their keys in that kit. @type {Map<string, Record<string, number>>} */ #padsBeside = new Map();
  #loads = new Map(); // number of a request for tables -> what resolves it

  /** Whether all that sounds are kits alongside: its pads are those of the first of them, struck as their notes. */ #isLineup;
  #firstChannel = 0; // of the kit whose pads are played by hand

  /** @param {{ rate: number, worklet: string, tables: string, kit: string | undefined, soundBytes: number, isLineup?: boolean }} options */
  constructor({ rate, worklet, tables, kit, soundBytes, isLineup = false }) {
    super();
    this.kit = kit;
    this.#isLineup = isLineup;
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
    this.ready = this.#begin(worklet);
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

  async #begin(worklet) {
    await this.#context.audioWorklet.addModule(worklet);
    this.#node = new AudioWorkletNode(this.#context, "dactyl", { numberOfInputs: 0, numberOfOutputs: 3, outputChannelCount: [2, 1, MOST_CHANNELS] });
    this.#node.port.onmessage = ({ data }) => this.#receive(data);
    this.#connect();
    for (const [message, transfer] of this.#waiting.splice(0)) this.#node.port.postMessage(message, transfer);
    if (!this.kit) return;
    const { port1, port2 } = new MessageChannel();
    this.#send({ type: "listen", port: port1 }, [port1]);
    this.#tables.postMessage({ audio: port2 }, [port2]);
    const kernel = await fetch("/kits/kernel/");
    if (kernel.ok) this.#send({ type: "kernel", kernel: new Float64Array(await kernel.arrayBuffer()) });
    await this.loadPlaybook();
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
      this.#fire("playbook", { book, at });
    }
    for (const [asked, resolve] of this.#loads) if (asked <= number && this.#loads.delete(asked)) resolve();
  }

  /**
   * @param {number} [at] the frame of the context that the hit stands at
   * @param {number} [device] what it was played on; a kit alongside that was given it hears it alone
   */
  hitNote(note, velocity, channel = 0, at = undefined, device = undefined) {
    const only = device === undefined ? [] : [...this.#waysBeside].filter(([, way]) => way.device === device).map(([key]) => key);
    this.#send({ type: "hit", note, velocity, channel: only.length ? this.channelOf(device, channel) : channel, at, only: only.length ? only : null });
  }

  /** The channel of what a device plays: that of the kit that was given it. */
  channelOf(device, channel) {
    const given = [...this.#waysBeside.values()].find((way) => way.device === device);
    return given?.channels?.[0] ?? channel;
  }

  /** As a hit of the part sounds: who hears its channel answers. */
  hitAsPart(note, velocity, channel = 0) {
    this.#send({ type: "hit", note, velocity, channel, isOfPart: true });
  }

  hitPad(pad, velocity, at = undefined) {
    const note = this.flipped || this.#isLineup ? this.noteOf(pad) : null;
    if (this.flipped || this.#isLineup) return note === null ? undefined : this.hitNote(note, velocity, this.#firstChannel, at);
    this.#send({ type: "pad", pad, velocity, at });
  }

  releasePad(pad, at = undefined) {
    const note = this.#isLineup ? this.noteOf(pad) : null;
    if (note !== null) return this.hitNote(note, 0, this.#firstChannel, at);
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

  /** Only these outputs are heard; all where there are none. @param {number[]} outputs */
  setSoloOutputs(outputs) {
    this.#send({ type: "soloOutputs", outputs });
  }

  /** Hear the outputs so until the kit's tables come the next time. @param {import("./desk.js").OutputRow[]} outputs */
  setDesk(outputs) {
    this.#send({ type: "desk", outputs });
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
   * @param {Map<string, import("./player.js").Playbook>} books
   */
  async loadAhead(books) {
    this.flipped = null;
    this.ahead = books;
    this.#send({ type: "forgetKits" });
    this.#loadOthers();
    for (const [key, book] of books)
      for (let from = 0; from === 0 || from < book.pads.length; from += PADS_AT_ONCE) {
        if (this.ahead !== books) return;
        this.#send({ type: "addKit", key, book: { ...book, pads: book.pads.slice(from, from + PADS_AT_ONCE), whole: from === 0, allNotes: true } });
        await new Promise((resolve) => setTimeout(resolve, BETWEEN_MS));
      }
  }

  #loadOthers() {
    this.#loader.ahead([...this.beside.values(), ...this.ahead.values()]);
  }

  /**
   * Which kits sound along with this one.
   * @param {{ kits: { key: string, book: any, pads: Record<string, number>, way: import("./alongside.js").Way }[], own: number[] | null,
   *   links: import("./alongside.js").Links, chokes: import("./alongside.js").Chokes }} told own: channels of the part that this kit hears
   *   meanwhile, null: all; links name pads by their keys, `pads` what they are in the tables
   */
  async setAlongside({ kits, own, links, chokes }) {
    this.beside = new Map(kits.map(({ key, book }) => [key, book]));
    this.#waysBeside = new Map(kits.map(({ key, way }) => [key, way]));
    this.#firstChannel = (this.#isLineup && kits[0]?.way.channels?.[0]) || 0;
    this.#padsBeside = new Map(kits.map(({ key, pads }) => [key, pads]));
    this.#loadOthers();
    const linked = links.map(([key, pad, other, otherPad, strength]) => [key, this.#padBeside(key, pad), other, this.#padBeside(other, otherPad), strength]);
    this.#send({ type: "alongside", ways: kits.map(({ key, way }) => [key, way]), own, links: linked, chokes });
    const { beside } = this;
    for (const { key, book } of kits)
      for (let from = 0; from === 0 || from < book.pads.length; from += PADS_AT_ONCE) {
        if (this.beside !== beside) return;
        this.#send({ type: "addAlongside", key, book: { ...book, pads: book.pads.slice(from, from + PADS_AT_ONCE), whole: from === 0, allNotes: true } });
        await new Promise((resolve) => setTimeout(resolve, BETWEEN_MS));
      }
    this.#fire("alongside", {});
  }

  #padBeside(key, pad) {
    return this.#padsBeside.get(key)?.[pad] ?? pad;
  }

  /** What was struck in kits alongside, by the keys of pads in their own kits. @param {[key: string, pad: number, velocity: number][]} struck */
  #ownPads(struck) {
    const names = new Map();
    for (const [key] of struck) if (!names.has(key)) names.set(key, new Map(Object.entries(this.#padsBeside.get(key) ?? {}).map(([own, pad]) => [pad, Number(own)])));
    return struck.map(([key, pad, velocity]) => [key, names.get(key).get(pad) ?? 0, velocity]);
  }

  /** A pad of a kit alongside, by its key in that kit; velocity 0 lets it go. */
  hitBeside(key, pad, velocity, at = undefined) {
    this.#send({ type: "padAlongside", key, pad: this.#padBeside(key, pad), velocity, at });
  }

  /** Hear a kit alongside so much louder, until its tables come the next time. */
  tryBeside(key, gain) {
    this.#send({ type: "tryAlongside", key, gain });
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
    if (this.#node) this.#node.port.postMessage(message, transfer);
    else this.#waiting.push([message, transfer]);
  }

  #receive(message) {
    if (message.type === "ended") this.#fire("ended");
    else if (message.type === "turn") this.#fire("turn", message);
    else {
      this.clock.observe(this.#context.currentTime, performance.now());
      if (message.standIns.length) {
        this.#loader.hurry(message.standIns, this.flipped?.pads);
        this.#fire("stand-in", message.standIns);
      }
      for (const [key, pad, take] of message.standInsBeside) if (this.beside.has(key)) this.#loader.hurry([[pad, take]], this.beside.get(key).pads);
      message.besides = this.#ownPads(message.playedBeside);
      if (this.#isLineup) message.played = message.besides.filter(([key]) => key === this.beside.keys().next().value).map(([, ...struck]) => struck);
      if (this.flipped) message.played = message.played.map(([pad, velocity]) => [this.flipped.lights[pad] ?? 0, velocity]);
      this.#fire("report", message);
    }
  }

  #fire(name, detail) {
    this.dispatchEvent(new CustomEvent(name, { detail }));
  }
}
