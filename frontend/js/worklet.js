/** The player on the audio thread: takes messages, plays the part by the frame, reports what it played. */
import { Player } from "./player.js";

const FRAMES_BETWEEN_REPORTS = 2048;
const SILENCE_SECONDS = 0.008;
const MOST_HEADS = 8; // playheads worth drawing: of the latest voices

class DactylProcessor extends AudioWorkletProcessor {
  #player = new Player();
  #part = null;
  #isPlaying = false;
  #isLooping = true;
  #origin = 0; // the context's frame at which the part's zero stands
  #next = 0; // index of the next hit of the part
  #buses = [];
  #peaks = [];
  #played = [];
  #standIns = new Map();
  #reportAt = 0;
  #do = {
    listen: ({ port }) => this.#listen(port),
    playbook: ({ book }) => this.#player.setPlaybook(book),
    sounds: ({ sounds }) => this.#player.addSounds(sounds),
    forget: ({ keys }) => this.#player.forget(keys),
    solo: ({ pads }) => (this.#player.solo = new Set(pads)),
    kernel: ({ kernel }) => (this.#player.kernel = kernel),
    hit: ({ note, velocity, channel }) => this.#record(this.#player.hit(currentFrame, note, velocity, channel), velocity),
    pad: ({ pad, velocity }) => this.#record(this.#player.hitPad(currentFrame, pad, velocity), velocity),
    padOff: ({ pad }) => this.#player.releasePad(currentFrame, pad),
    take: ({ pad, number }) => this.#player.hearTake(currentFrame, pad, number),
    audition: ({ key, from, count }) => this.#player.audition(currentFrame, key, from, count),
    silence: () => {
      this.#isPlaying = false;
      this.#player.silence(currentFrame, Math.round(SILENCE_SECONDS * sampleRate));
    },
    part: ({ part }) => this.#setPart(part),
    loop: ({ isLooping }) => (this.#isLooping = isLooping),
    play: () => this.#play(),
    stop: () => (this.#isPlaying = false),
  };

  constructor({ processorOptions }) {
    super();
    this.#player.onStandIn = (pad, take) => this.#standIns.set(`${pad} ${take}`, [pad, take]);
    this.port.onmessage = ({ data }) => this.#do[data.type](data);
    for (const message of processorOptions?.messages ?? []) this.#do[message.type](message);
  }

  /** Take messages from another thread too, and tell it when they are carried out. */
  #listen(port) {
    port.onmessage = ({ data }) => {
      this.#do[data.type](data);
      port.postMessage("done");
    };
  }

  #setPart(part) {
    this.#part = part;
    if (this.#isPlaying) this.#play();
  }

  #play() {
    this.#player.rewind();
    this.#origin = currentFrame;
    this.#next = 0;
    this.#isPlaying = this.#part !== null;
  }

  #record(pads, velocity) {
    for (const pad of pads) this.#played.push([pad, velocity]);
  }

  process(_inputs, [out]) {
    const count = out[0].length;
    if (this.#isPlaying) this.#playPart(currentFrame + count);
    const buses = this.#clearedBuses(count);
    this.#player.mix(buses, currentFrame, count);
    buses.forEach((bus, number) => {
      let peak = this.#peaks[number] ?? 0;
      for (let channel = 0; channel < 2; channel++) {
        const target = out[Math.min(channel, out.length - 1)];
        const source = bus[channel];
        for (let i = 0; i < count; i++) {
          target[i] += source[i];
          if (source[i] > peak) peak = source[i];
          else if (-source[i] > peak) peak = -source[i];
        }
      }
      this.#peaks[number] = peak;
    });
    if (currentFrame >= this.#reportAt || this.#played.length) this.#report();
    return true;
  }

  /** Play every hit of the part before the context's frame `stop`, around the loop where it turns. */
  #playPart(stop) {
    const { hits, loopFrames } = this.#part;
    for (;;) {
      while (this.#next < hits.length && this.#origin + hits[this.#next][0] < stop) {
        const [frame, note, velocity, channel] = hits[this.#next++];
        if (velocity && frame >= loopFrames && this.#isLooping) continue;
        this.#record(this.#player.hit(this.#origin + frame, note, velocity, channel), velocity);
      }
      if (this.#origin + loopFrames >= stop) return;
      if (!this.#isLooping) {
        this.#isPlaying = this.#next < hits.length;
        if (!this.#isPlaying) this.port.postMessage({ type: "ended" });
        return;
      }
      this.#origin += loopFrames;
      this.#next = 0;
    }
  }

  #clearedBuses(count) {
    const outputs = Math.max(1, this.#player.outputs.length);
    while (this.#buses.length < outputs) this.#buses.push([new Float32Array(count), new Float32Array(count)]);
    this.#buses.length = outputs;
    for (const bus of this.#buses) for (const channel of bus) channel.fill(0);
    return this.#buses;
  }

  #report() {
    const position = this.#isPlaying ? (currentFrame - this.#origin) / this.#part.loopFrames : null;
    this.port.postMessage({
      type: "report",
      peaks: this.#peaks,
      played: this.#played,
      standIns: [...this.#standIns.values()],
      voices: this.#player.voices.length,
      heads: this.#player.voices.slice(-MOST_HEADS).map(({ pad, number, start, ratio }) => [pad.id, number, (currentFrame - start) * ratio]),
      position,
    });
    this.#peaks = [];
    this.#played = [];
    this.#standIns.clear();
    this.#reportAt = currentFrame + FRAMES_BETWEEN_REPORTS;
  }
}

registerProcessor("dactyl", DactylProcessor);
