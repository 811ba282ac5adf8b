/**
 * Sound for the page: owns the AudioContext, the playbook on the audio thread, and the sounds it needs.
 * Fires "report" (what was played, peaks, position), "state" (can it sound), "stand-in", "ended".
 */
import { SoundLoader } from "./loader.js";

export class Engine extends EventTarget {
  isPartPlaying = false;
  #context;
  #node = null;
  #waiting = [];
  #loader;

  /** @param {{ rate: number, worklet: string, kit: string | undefined, soundBytes: number }} options */
  constructor({ rate, worklet, kit, soundBytes }) {
    super();
    this.kit = kit;
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
    const kernel = await fetch("/kits/kernel/");
    if (kernel.ok) this.#send({ type: "kernel", kernel: new Float64Array(await kernel.arrayBuffer()) });
    await this.loadPlaybook();
  }

  /** Browsers let a page sound only after a press of a key or a button. */
  wake() {
    if (this.#context.state === "suspended") this.#context.resume();
  }

  /**
   * Fetch the tables of some pads, or of all; the next hit plays by them.
   * @param {number[] | null} pads
   * @param {string} tried "take:sample", to hear a sample in the place of a take's without changing the kit
   * @param {() => boolean} isWanted asked when the tables are here: whether they still are
   */
  async loadPlaybook(pads = null, tried = "", isWanted = () => true) {
    const query = new URLSearchParams();
    if (pads) query.set("pads", pads.join(","));
    if (tried) query.set("try", tried);
    const answer = await fetch(`/kits/${this.kit}/playbook/${this.rate}/?${query}`);
    if (!answer.ok) return;
    const book = await answer.json();
    if (!isWanted()) return;
    this.#send({ type: "playbook", book });
    this.#loader.want(book);
    this.#fire("playbook", book);
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

  /** Play a sample of the shelf by itself. */
  async hear(sample) {
    const key = await this.#loader.sample(sample, this.rate);
    if (key) this.#send({ type: "audition", key });
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
