/** The player on the audio thread: takes messages, plays the part by the frame, reports what it played. */
import { Alongside } from "./alongside.js";
import { Click } from "./click.js";
import { Desk } from "./desk.js";
import { Loudness } from "./loudness.js";
import { Player } from "./player.js";
import { MAIN, send } from "./routes.js";
import { Tracks } from "./tracks.js";
import { Transport } from "./transport.js";

const FRAMES_BETWEEN_REPORTS = 2048;
const FRAMES_BETWEEN_IDLE_REPORTS = 16384; // while nothing sounds: a page that is only looked at costs next to nothing
const SECONDS_UNTIL_IDLE = 2; // meters have fallen by then
const SILENCE_SECONDS = 0.008;
const LOUDNESS_SECONDS = 0.3;
const MOST_HEADS = 8; // playheads worth drawing: of the latest voices

class DactylProcessor extends AudioWorkletProcessor {
  #player = new Player();
  #alongside = new Alongside(this.#player, sampleRate);
  #transport = new Transport();
  #click = new Click(sampleRate);
  #desk = new Desk(sampleRate);
  #tracks = new Tracks(sampleRate);
  #recorded = [new Float32Array(128), new Float32Array(128)];
  #kitGain = [1, 1]; // as it is, and as it is to be
  #measures = false; // whether how loud the kit is is told
  #power = [0, 0, 0]; // of the kit, of the recording, and over how many frames, since the last report
  #buses = [];
  #peaks = [];
  #mainPeak = 0; // of the sum
  /** Where outputs leave a device of many channels. @type {{ outputs: (import("./routes.js").Route | null)[], click: import("./routes.js").Route, channels: number } | null} */ #routes = null;
  #channelPeaks = [];
  /** How loud the mix is, since the part began. @type {Loudness | null} */ #loudness = null;
  /** @type {import("./loudness.js").Filters | null} */ #loudnessBy = null;
  #loudnessAt = 0;
  #clickSides = [new Float32Array(128), new Float32Array(128)];
  #played = [];
  #late = 0; // hits that came after their frame
  #standIns = new Map();
  #standInsBeside = new Map();
  #playedBeside = [];
  #reportAt = 0;
  /** Channels of the part that this kit hears while others sound alongside it. @type {number[] | null} */ #ownChannels = null;
  #live = []; // [frame, what it does]: hits whose frame has not come
  #soundedAt = 0; // the last frame at which something played, or might
  #do = {
    listen: ({ port }) => this.#listen(port),
    playbook: ({ book }) => this.#player.setPlaybook(book),
    addKit: ({ key, book }) => this.#player.addKit(key, book),
    flip: ({ key }) => this.#player.flip(key),
    forgetKits: () => this.#player.forgetKits(),
    sounds: ({ sounds }) => this.#player.addSounds(sounds),
    forget: ({ keys }) => this.#forget(keys),
    alongside: ({ ways, own = null, links = [], chokes = [] }) => {
      this.#alongside.set(ways, currentFrame);
      this.#alongside.cross(links, chokes);
      this.#ownChannels = own;
    },
    tryAlongside: ({ key, gain }) => this.#alongside.tryGain(key, gain),
    hearAlone: ({ keys }) => this.#alongside.hearAlone(keys),
    padAlongside: ({ key, pad, velocity, at }) => this.#at(at, (frame) => this.#padAlongside(key, frame, pad, velocity)),
    addAlongside: ({ key, book }) => this.#alongside.add(key, book),
    solo: ({ pads }) => (this.#player.solo = new Set(pads)),
    soloOutputs: ({ outputs }) => this.#desk.hearAlone(outputs),
    desk: ({ outputs }) => this.#player.tryOutputs(outputs),
    kernel: ({ kernel }) => (this.#player.kernel = kernel),
    hit: ({ note, velocity, channel, at, isOfPart = false, only = null }) => this.#at(at, (frame) => this.#hit(frame, note, velocity, channel, null, isOfPart, only)),
    pad: ({ pad, velocity, at }) => this.#at(at, (frame) => this.#pad(frame, pad, velocity)),
    padOff: ({ pad, at }) => this.#at(at, (frame) => this.#pad(frame, pad, 0)),
    take: ({ pad, number }) => this.#player.hearTake(currentFrame, pad, number),
    audition: ({ key, from, count }) => this.#player.audition(currentFrame, key, from, count),
    silence: () => {
      this.#transport.stop();
      this.#hush();
    },
    part: ({ part }) => this.#setPart(part),
    loop: ({ isLooping }) => (this.#transport.isLooping = isLooping),
    tracks: ({ recording }) => this.#tracks.set(recording),
    trackGains: ({ gains, kit }) => {
      this.#tracks.setGains(gains);
      this.#kitGain[1] = kit;
    },
    trackBlock: ({ track, block, data }) => this.#tracks.add(track, block, data),
    forgetBlocks: ({ keys }) => this.#tracks.forget(keys),
    range: ({ range }) => this.#transport.setRange(range),
    click: ({ isOn, gain }) => {
      this.#transport.isClicking = isOn;
      this.#click.gain = gain;
    },
    loudness: ({ filters }) => {
      this.#loudnessBy = filters;
      this.#loudness = filters && new Loudness(filters, sampleRate);
    },
    routes: ({ routes }) => (this.#routes = routes),
    measure: ({ isOn }) => (this.#measures = isOn),
    hush: () => this.#hush(),
    play: ({ from = 0, countIn = [] }) => this.#play(from, countIn),
    stop: () => this.#transport.stop(),
  };

  constructor({ processorOptions }) {
    super();
    this.#player.onStandIn = (pad, take) => this.#standIns.set(`${pad} ${take}`, [pad, take]);
    this.#alongside.onStandIn = (key, pad, take) => this.#standInsBeside.set(`${key} ${pad} ${take}`, [key, pad, take]);
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
    this.#transport.setPart(part, currentFrame);
    for (const desks of [this.#desk, this.#alongside]) desks.setCurves(part?.curves ?? []);
  }

  /**
   * @param {boolean} isOfPart what is played by hand reaches this kit on any channel
   * @param {string[] | null} only keys of the kits alongside that it is for
   */
  #hit(frame, note, velocity, channel, moves = null, isOfPart = false, only = null) {
    if (only) return this.#hitAlongside(frame, note, velocity, channel, moves, only);
    const hears = !isOfPart || !this.#ownChannels || this.#ownChannels.includes(channel);
    if (hears && (!velocity || this.#alongside.isMainHeard)) this.#record(this.#player.hit(frame, note, velocity, channel, moves), velocity);
    this.#hitAlongside(frame, note, velocity, channel, moves);
  }

  #hitAlongside(frame, note, velocity, channel = 0, moves = null, only = null) {
    for (const [key, pads] of this.#alongside.hit(frame, note, velocity, channel, moves, only)) this.#recordBeside(key, pads, velocity);
    this.#alongside.settle();
  }

  #padAlongside(key, frame, pad, velocity) {
    this.#recordBeside(key, this.#alongside.pad(key, frame, pad, velocity), velocity);
    this.#alongside.settle();
  }

  #recordBeside(key, pads, velocity) {
    for (const pad of pads) this.#playedBeside.push([key, pad, velocity]);
  }

  /** A pad by itself; what sounds alongside hears its note. */
  #pad(frame, pad, velocity) {
    if (!velocity) this.#player.releasePad(frame, pad);
    else if (this.#alongside.isMainHeard) this.#record(this.#player.hitPad(frame, pad, velocity), velocity);
    if (this.#alongside.isThere) this.#hitAlongside(frame, this.#player.noteOf(pad), velocity);
  }

  #hush() {
    for (const player of [this.#player, this.#alongside]) player.silence(currentFrame, Math.round(SILENCE_SECONDS * sampleRate));
  }

  #forget(keys) {
    const playing = this.#alongside.playing();
    this.#player.forget(playing.size ? keys.filter((key) => !playing.has(key)) : keys);
  }

  /** Do it at its own frame: now where that is past, or where none is said. */
  #at(frame, act) {
    if (frame === undefined || frame <= currentFrame) {
      if (frame < currentFrame) this.#late += 1;
      return act(currentFrame);
    }
    const place = this.#live.findIndex(([other]) => other > frame);
    this.#live.splice(place < 0 ? this.#live.length : place, 0, [frame, act]);
  }

  #playLiveUntil(stop) {
    while (this.#live.length && this.#live[0][0] < stop) {
      const [frame, act] = this.#live.shift();
      act(frame);
    }
  }

  #play(from, countIn) {
    this.#player.rewind();
    this.#alongside.rewind();
    if (this.#loudnessBy) this.#loudness = new Loudness(this.#loudnessBy, sampleRate);
    this.#transport.start(currentFrame, from, countIn);
    if (this.#transport.isPlaying) this.port.postMessage({ type: "turn", origin: this.#transport.origin, from, isFirst: true });
  }

  #record(pads, velocity) {
    for (const pad of pads) this.#played.push([pad, velocity]);
  }

  process(_inputs, [plain, clickOut, many]) {
    const out = this.#routes && many ? many.slice(MAIN[0], MAIN[1]) : plain;
    const count = out[0].length;
    const stop = currentFrame + count;
    const stretches = this.#transport.isPlaying ? [[0, count, currentFrame - this.#transport.origin]] : [];
    this.#transport.advance(stop, {
      hit: (frame, packed, number) => {
        this.#playLiveUntil(frame);
        const velocity = (packed >> 7) & 127;
        const { moved } = this.#transport.part;
        const moves = moved ? { gain: moved.gains[number], ratio: moved.ratios[number], pan: moved.pans[number] } : null;
        this.#hit(frame, packed & 127, velocity, packed >> 14, moves, true);
      },
      click: (frame, accent) => this.#click.begin(frame, accent),
      turn: (origin, from) => {
        turnAt(stretches, origin + from - currentFrame, count, from);
        this.port.postMessage({ type: "turn", origin, from, isFirst: false });
      },
      end: () => this.port.postMessage({ type: "ended" }),
    });
    this.#playLiveUntil(stop);
    if (this.#mightSound()) {
      this.#soundedAt = currentFrame;
      this.#mix(out, clickOut, many, stretches, count);
    } else {
      this.#desk.rest(this.#player.outputs, this.#player.parallel);
      this.#alongside.rest();
    }
    if (currentFrame >= this.#reportAt || this.#played.length || this.#playedBeside.length) this.#report();
    return true;
  }

  #mightSound() {
    return this.#transport.isPlaying || this.#player.voices.length || this.#alongside.isSounding || this.#click.isSounding || this.#desk.isReleasing || this.#hasMore();
  }

  /** Whether there is more than the kit as it is: a recording, a fader, a measure. */
  #hasMore() {
    return this.#tracks.isOn || this.#measures || this.#kitGain.some((gain) => gain !== 1);
  }

  #mix(out, clickOut, many, stretches, count) {
    const buses = this.#clearedBuses(count);
    const routes = many ? this.#routes : null;
    this.#player.mix(buses, currentFrame, count);
    if (routes) this.#sendClick(many, routes.click, count);
    else this.#click.mix(clickOut?.[0] ?? out[0], currentFrame, count);
    this.#desk.take(this.#player.outputs, this.#player.parallel);
    const beside = this.#desk.process(buses, count, stretches);
    buses.forEach((bus, number) => {
      const route = routes?.outputs[number];
      this.#addTo(route ? null : out, bus, number, count);
      if (route) send(many, route, bus, count);
    });
    if (beside) this.#addTo(out, beside, buses.length, count);
    this.#alongside.mix(out, currentFrame, count, stretches);
    let peak = this.#mainPeak;
    for (const side of out) for (let i = 0; i < count; i++) peak = Math.max(peak, Math.abs(side[i]));
    this.#mainPeak = peak;
    this.#loudness?.feed(out, count);
    if (this.#hasMore()) this.#beside(out, stretches, count);
    if (routes) this.#measureChannels(many, routes.channels, count);
  }

  #sendClick(many, route, count) {
    if (!this.#click.isSounding) return;
    if (this.#clickSides[0].length < count) this.#clickSides = [new Float32Array(count), new Float32Array(count)];
    const [left, right] = this.#clickSides;
    left.fill(0);
    this.#click.mix(left, currentFrame, count);
    right.set(left);
    send(many, route, [left, right], count);
  }

  #measureChannels(many, channels, count) {
    for (let n = 0; n < channels; n++) {
      let peak = this.#channelPeaks[n] ?? 0;
      for (let i = 0; i < count; i++) peak = Math.max(peak, Math.abs(many[n][i]));
      this.#channelPeaks[n] = peak;
    }
  }

  /** The recording beside the kit: each as loud as the fader says; how loud both are is measured before it. */
  #beside(out, stretches, count) {
    const [left, right] = this.#recorded;
    left.fill(0);
    right.fill(0);
    this.#tracks.mix(this.#recorded, stretches, this.#transport.isPlaying, count);
    const [from, to] = this.#kitGain;
    for (let i = 0; i < count; i++) {
      const gain = from + ((to - from) * i) / count;
      for (let channel = 0; channel < out.length; channel++) {
        const kit = out[channel][i];
        const recorded = channel ? right[i] : left[i];
        this.#power[0] += kit * kit;
        this.#power[1] += recorded * recorded;
        out[channel][i] = kit * gain + recorded;
      }
    }
    this.#power[2] += count;
    this.#kitGain[0] = to;
  }

  /** Add a bus to what is heard, where it goes there, and note its peak. @param {Float32Array[] | null} out */
  #addTo(out, bus, number, count) {
    let peak = this.#peaks[number] ?? 0;
    for (let channel = 0; channel < 2; channel++) {
      const target = out?.[Math.min(channel, out.length - 1)];
      const source = bus[channel];
      for (let i = 0; i < count; i++) {
        if (target) target[i] += source[i];
        if (source[i] > peak) peak = source[i];
        else if (-source[i] > peak) peak = -source[i];
      }
    }
    this.#peaks[number] = peak;
  }

  #clearedBuses(count) {
    const outputs = this.#player.outputs.length;
    while (this.#buses.length < outputs) this.#buses.push([new Float32Array(count), new Float32Array(count)]);
    this.#buses.length = outputs;
    for (const bus of this.#buses) for (const channel of bus) channel.fill(0);
    return this.#buses;
  }

  /** A few times a second: the gates look at all that was heard. */
  #loudnessNow() {
    if (!this.#loudness || currentFrame < this.#loudnessAt) return null;
    this.#loudnessAt = currentFrame + LOUDNESS_SECONDS * sampleRate;
    return this.#loudness.measured;
  }

  #report() {
    const position = this.#transport.position(currentFrame);
    this.port.postMessage({
      type: "report",
      peaks: this.#player.outputs.map((_, number) => this.#peaks[number] ?? 0),
      main: this.#mainPeak,
      loudness: this.#loudnessNow(),
      channels: this.#routes ? Array.from({ length: this.#routes.channels }, (_, n) => this.#channelPeaks[n] ?? 0) : null,
      parallel: this.#player.parallel ? { peak: this.#peaks[this.#player.outputs.length] ?? 0, reduction: this.#desk.reduction } : null,
      played: this.#played,
      playedBeside: this.#playedBeside,
      late: this.#late,
      standIns: [...this.#standIns.values()],
      standInsBeside: [...this.#standInsBeside.values()],
      alongside: this.#alongside.peaks(),
      voices: this.#player.voices.length,
      heads: this.#player.voices.slice(-MOST_HEADS).map(({ pad, number, start, ratio }) => [pad.id, number, (currentFrame - start) * ratio]),
      position: position === null ? null : position / this.#transport.part.loopFrames,
      frame: position,
      power: this.#tracks.isOn || this.#measures ? this.#power : null,
    });
    this.#power = [0, 0, 0];
    this.#desk.reduction = 0;
    this.#peaks = [];
    this.#channelPeaks = [];
    this.#mainPeak = 0;
    this.#played = [];
    this.#playedBeside = [];
    this.#standIns.clear();
    this.#standInsBeside.clear();
    const isIdle = currentFrame - this.#soundedAt > SECONDS_UNTIL_IDLE * sampleRate;
    this.#reportAt = currentFrame + (isIdle ? FRAMES_BETWEEN_IDLE_REPORTS : FRAMES_BETWEEN_REPORTS);
  }
}

/** The loop turned within a block: what follows is from another place of the part. */
function turnAt(stretches, at, count, frame) {
  const last = stretches.at(-1);
  if (!last) return;
  last[1] = at - last[0];
  stretches.push([at, count - at, frame]);
}

registerProcessor("dactyl", DactylProcessor);
