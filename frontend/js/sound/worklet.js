/** The player on the audio thread: takes messages, plays the part by the frame, reports what it played. */
import { Click } from "./click.js";
import { Loudness } from "./loudness.js";
import { Player } from "./player.js";
import { MAIN, send } from "./routes.js";
import { Tracks } from "./tracks.js";
import { Transport } from "./transport.js";

const FRAMES_BETWEEN_REPORTS = 2048;
const FRAMES_BETWEEN_IDLE_REPORTS = 16384; // while nothing sounds: a page that is only looked at costs next to nothing
const SECONDS_UNTIL_IDLE = 2; // meters have fallen by then
const SILENCE_SECONDS = 0.008;
const RECENT_SECONDS = 0.5; // of controllers before where a part begins: longer than any quick close (hands.js)
const LOUDNESS_SECONDS = 0.3;
const MOST_HEADS = 8; // playheads worth drawing: of the latest voices

class DactylProcessor extends AudioWorkletProcessor {
  #player = new Player(sampleRate);
  #transport = new Transport();
  #click = new Click(sampleRate);
  #tracks = new Tracks(sampleRate);
  #recorded = [new Float32Array(128), new Float32Array(128)];
  #kitGain = [1, 1]; // as it is, and as it is to be
  #measures = false; // whether how loud the kit is is told
  #power = [0, 0, 0]; // of the kit, of the recording, and over how many frames, since the last report
  /** Of the outputs of each member. @type {Map<import("./member.js").Member, number[]>} */ #peaks = new Map();
  #sharedPeak = [0]; // of the parallel bus of a lineup
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
  #reportAt = 0;
  /** Tables on their way, a few pads at a time: by number, the pads of each member. @type {Map<number, object[][]>} */ #staged = new Map();
  #live = []; // [frame, what it does]: hits whose frame has not come
  #soundedAt = 0; // the last frame at which something played, or might
  #do = {
    listen: ({ port }) => this.#listen(port),
    stage: ({ number, member, pads }) => this.#stage(number, member, pads),
    playbook: ({ book, staged = null }) => this.#player.setPlaybook(this.#withStaged(book, staged), currentFrame),
    addOther: ({ key, told, isFirst }) => this.#player.addOther(key, told, isFirst),
    flip: ({ key }) => this.#player.flip(key),
    forgetOthers: () => this.#player.forgetOthers(),
    sounds: ({ sounds }) => this.#player.addSounds(sounds),
    forget: ({ keys }) => this.#player.forget(keys),
    hearAlone: ({ keys }) => (this.#player.alone = new Set(keys)),
    solo: ({ pads }) => (this.#player.solo = new Set(pads)),
    soloOutputs: ({ outputs }) => this.#player.hearOutputsAlone(outputs),
    desk: ({ tried }) => this.#player.tryOutputs(tried),
    kernel: ({ kernel }) => (this.#player.kernel = kernel),
    hit: ({ note, velocity, channel, at, isOfPart = false, only = null }) => this.#at(at, (frame) => this.#hit(frame, note, velocity, channel, { only, isByHand: !isOfPart })),
    pad: ({ pad, velocity, channel, at }) => this.#at(at, (frame) => this.#record(this.#player.hitPad(frame, pad, velocity, channel), velocity)),
    padOff: ({ pad, at }) => this.#at(at, (frame) => this.#player.releasePad(frame, pad)),
    gesture: ({ kind, number, value, channel, at, only = null }) => this.#at(at, (frame) => this.#gesture({ frame, kind, number, value, channel }, { only, isByHand: true })),
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
    this.#player.onStandIn = (pad, take, keys) => this.#standIns.set(`${pad} ${take}`, [pad, take, keys]);
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

  #stage(number, member, pads) {
    if (!this.#staged.has(number)) this.#staged.set(number, []);
    const own = (this.#staged.get(number)[member] ??= []);
    own.push(...pads);
  }

  /** Tables that came ahead in pieces are played from one moment on. @param {import("./player.js").Playbook} book @param {number | null} number */
  #withStaged(book, number) {
    const staged = number === null ? [] : (this.#staged.get(number) ?? []);
    this.#staged.delete(number);
    for (const other of this.#staged.keys()) if (number !== null && other < number) this.#staged.delete(other); // they never came whole
    return { ...book, members: book.members.map((told, n) => ({ ...told, pads: [...told.pads, ...(staged[n] ?? [])] })) };
  }

  #setPart(part) {
    this.#transport.setPart(part, currentFrame);
    this.#player.setCurves(part?.curves ?? []);
  }

  /** @param {import("./player.js").How} how */
  #hit(frame, note, velocity, channel, how) {
    this.#record(this.#player.hit(frame, note, velocity, channel, how), velocity);
  }

  /** A pad that a pedal or a grab sounds is told as one that was struck. @param {import("./hands.js").Gesture} gesture @param {import("./player.js").How} how */
  #gesture(gesture, how) {
    const before = this.#player.voices.length;
    const pads = this.#player.gesture(gesture, how);
    if (pads.length) this.#record(pads, this.#player.voices[before]?.struck ?? 1);
  }

  #hush() {
    this.#player.silence(currentFrame, Math.round(SILENCE_SECONDS * sampleRate));
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
    if (!this.#mightSound()) this.#player.rest(); // also where no block was silent before
    this.#player.rewind();
    if (this.#loudnessBy) this.#loudness = new Loudness(this.#loudnessBy, sampleRate);
    this.#transport.start(currentFrame, from, countIn);
    this.#player.chase(this.#transport.saidUntil(from, RECENT_SECONDS * sampleRate));
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
        this.#hit(frame, packed & 127, velocity, packed >> 14, { moves });
      },
      said: (gesture) => {
        this.#playLiveUntil(gesture.frame);
        this.#gesture(gesture, {});
      },
      click: (frame, accent) => this.#click.begin(frame, accent),
      turn: (origin, from) => {
        this.#player.chase(this.#transport.saidUntil(from, RECENT_SECONDS * sampleRate));
        turnAt(stretches, origin + from - currentFrame, count, from);
        this.port.postMessage({ type: "turn", origin, from, isFirst: false });
      },
      end: () => this.port.postMessage({ type: "ended" }),
    });
    this.#playLiveUntil(stop);
    if (this.#mightSound()) {
      this.#soundedAt = currentFrame;
      this.#mix(out, clickOut, many, stretches, count);
    } else this.#player.rest();
    if (currentFrame >= this.#reportAt || this.#played.length) this.#report();
    return true;
  }

  #mightSound() {
    return this.#transport.isPlaying || this.#player.voices.length || this.#click.isSounding || this.#hasMore() || this.#player.isReleasing;
  }

  /** Whether there is more than the kit as it is: a recording, a fader, a measure. */
  #hasMore() {
    return this.#tracks.isOn || this.#measures || this.#kitGain.some((gain) => gain !== 1);
  }

  #mix(out, clickOut, many, stretches, count) {
    const routes = many ? this.#routes : null;
    const [first] = this.#player.members;
    const sounding = this.#player.mix(currentFrame, count);
    if (routes) this.#sendClick(many, routes.click, count);
    else this.#click.mix(clickOut?.[0] ?? out[0], currentFrame, count);
    const shared = this.#player.shared.begin(count);
    for (const member of sounding) {
      const { desk, buses } = member;
      desk.take(member.outputs, member.parallel);
      const parallel = desk.process(buses, count, stretches, shared);
      buses.forEach((bus, number) => {
        const route = member === first ? routes?.outputs[number] : null;
        this.#addTo(route ? null : out, bus, this.#peaksOf(member), number, count);
        if (route) send(many, route, bus, count);
      });
      if (parallel) this.#addTo(out, parallel, this.#peaksOf(member), buses.length, count);
    }
    if (shared) this.#addTo(out, this.#player.shared.process(count), this.#sharedPeak, 0, count);
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

  /** Add a bus to what is heard, where it goes there, and note its peak. @param {Float32Array[] | null} out @param {number[]} peaks */
  #addTo(out, bus, peaks, number, count) {
    let peak = peaks[number] ?? 0;
    for (let channel = 0; channel < 2; channel++) {
      const target = out?.[Math.min(channel, out.length - 1)];
      const source = bus[channel];
      for (let i = 0; i < count; i++) {
        if (target) target[i] += source[i];
        if (source[i] > peak) peak = source[i];
        else if (-source[i] > peak) peak = -source[i];
      }
    }
    peaks[number] = peak;
  }

  #peaksOf(member) {
    if (!this.#peaks.has(member)) this.#peaks.set(member, []);
    return this.#peaks.get(member);
  }

  /** A few times a second: the gates look at all that was heard. */
  #loudnessNow() {
    if (!this.#loudness || currentFrame < this.#loudnessAt) return null;
    this.#loudnessAt = currentFrame + LOUDNESS_SECONDS * sampleRate;
    return this.#loudness.measured;
  }

  /** Of the bus that the page's desk shows: the lineup's, or the kit's own. @param {import("./member.js").Member | undefined} first */
  #parallelNow(first) {
    if (first?.key) return { peak: this.#sharedPeak[0], reduction: this.#player.shared.reduction };
    return first?.parallel ? { peak: this.#peaksOf(first)[first.outputs.length] ?? 0, reduction: first.desk.bus.reduction } : null;
  }

  #report() {
    const position = this.#transport.position(currentFrame);
    const members = this.#player.members;
    const [first, ...others] = members;
    const peaksOf = (member) => member.outputs.map((_, number) => this.#peaksOf(member)[number] ?? 0);
    this.port.postMessage({
      type: "report",
      peaks: members.flatMap(peaksOf),
      main: this.#mainPeak,
      loudness: this.#loudnessNow(),
      channels: this.#routes ? Array.from({ length: this.#routes.channels }, (_, n) => this.#channelPeaks[n] ?? 0) : null,
      parallel: this.#parallelNow(first),
      played: this.#played,
      late: this.#late,
      standIns: [...this.#standIns.values()],
      alongside: (first?.key ? members : others).map((member) => [member.key, Math.max(0, ...this.#peaksOf(member).filter(Boolean))]),
      voices: this.#player.voices.length,
      heads: this.#player.voices.filter(({ pad }) => pad.member === first).slice(-MOST_HEADS).map(({ pad, number, start, ratio }) => [pad.id, number, (currentFrame - start) * ratio]),
      position: position === null ? null : position / this.#transport.part.loopFrames,
      frame: position,
      power: this.#tracks.isOn || this.#measures ? this.#power : null,
    });
    this.#power = [0, 0, 0];
    for (const bus of [first?.desk.bus, this.#player.shared]) if (bus) bus.reduction = 0;
    this.#peaks.clear();
    this.#sharedPeak = [0];
    this.#channelPeaks = [];
    this.#mainPeak = 0;
    this.#played = [];
    this.#standIns.clear();
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
