/**
 * Sound for the page: owns the AudioContext, the playbook on the audio thread, and the sounds it needs.
 * Fires "report" (what was played, peaks, position), "state" (can it sound), "stand-in", "ended".
 */
import { SoundLoader } from "./loader.js";

export class Engine extends EventTarget {
  isPartPlaying = false;
  /** "take:sample": what is heard in the place of a take's own sample, without changing the kit. */ tried = "";
  #context;
  #node = null;
  #waiting = [];
  #loader;
  #tables = null;
  #asked = 0;
  #loads = new Map(); // number of a request for tables -> what resolves it

  /** @param {{ rate: number, worklet: string, tables: string, kit: string | undefined, soundBytes: number }} options */
  constructor({ rate, worklet, tables, kit, soundBytes }) {
    super();
    this.kit = kit;
    if (kit) {
      this.#tables = new Worker(tables);
      this.#tables.onmessage = ({ data }) => this.#tablesCame(data);
    }
    this.#context = new AudioContext({ sampleRate: rate, latencyHint: "interactive" });
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
    this.#node = new AudioWorkletNode(this.#context, "dactyl", { numberOfInputs: 0, outputChannelCount: [2] });
    this.#node.port.onmessage = ({ data }) => this.#receive(data);
    this.#node.connect(this.#context.destination);
    for (const [message, transfer] of this.#waiting.splice(0)) this.#node.port.postMessage(message, transfer);
    if (!this.kit) return;
    const { port1, port2 } = new MessageChannel();
    this.#send({ type: "listen", port: port1 }, [port1]);
    this.#tables.postMessage({ audio: port2 }, [port2]);
    const kernel = await fetch("/kits/kernel/");
    if (kernel.ok) this.#send({ type: "kernel", kernel: new Float64Array(await kernel.arrayBuffer()) });
    await this.loadPlaybook();
  }

  /** Browsers let a page sound only after a press of a key or a button. */
  wake() {
    if (this.#context.state === "suspended") this.#context.resume();
  }

  /** Fetch the tables of some pads, or of all; resolves when hits are played by them. @param {number[] | null} pads */
  loadPlaybook(pads = null) {
    const number = ++this.#asked;
    this.#tables.postMessage({ kit: this.kit, rate: this.rate, pads, tried: this.tried, number });
    return new Promise((resolve) => this.#loads.set(number, resolve));
  }

  #tablesCame({ book, number, at }) {
    if (book) {
      this.#loader.want(book);
      this.#fire("playbook", { book, at });
    }
    for (const [asked, resolve] of this.#loads) if (asked <= number && this.#loads.delete(asked)) resolve();
  }

  hitNote(note, velocity, channel = 0) {
    this.#send({ type: "hit", note, velocity, channel });
  }

  hitPad(pad, velocity) {
    this.#send({ type: "pad", pad, velocity });
  }

  releasePad(pad) {
    this.#send({ type: "padOff", pad });
  }

  /** Play one take of a pad by itself, by its place among the pad's takes. */
  hearTake(pad, number) {
    this.#send({ type: "take", pad, number });
  }

  /** Resolves once the sounds of a take are here. */
  arrival(pad, number) {
    return this.#loader.arrival(pad, number);
  }

  /** Play a sample of the shelf by itself, or a piece of it. @param {{ from?: number, count?: number }} piece frames after its onset */
  async hear(sample, piece = {}) {
    const key = await this.#loader.sample(sample, this.rate);
    if (key) this.#send({ type: "audition", key, ...piece });
  }

  async setPart(id) {
    const answer = await fetch(`/parts/${id}/hits/${this.rate}/`);
    if (!answer.ok) return null;
    const part = await answer.json();
    this.#send({ type: "part", part });
    return part;
  }

  setSolo(pads) {
    this.#send({ type: "solo", pads });
  }

  setLoop(isLooping) {
    this.#send({ type: "loop", isLooping });
  }

  play() {
    this.#send({ type: "play" });
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
    else {
      if (message.standIns.length) {
        this.#loader.hurry(message.standIns);
        this.#fire("stand-in", message.standIns);
      }
      this.#fire("report", message);
    }
  }

  #fire(name, detail) {
    this.dispatchEvent(new CustomEvent(name, { detail }));
  }
}
