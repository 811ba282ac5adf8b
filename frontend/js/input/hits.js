/**
 * The one way in for everything that is played: a MIDI device, the practice controller, keys, pointer and touch.
 * Every hit stands at the frame that its own time stamp says (design rule 15); each input finds pads by its own way (rule
 * 13). Fires "hit" with { pads, note, velocity, channel, from, frame } and "release" with { pads, note, channel, frame }:
 * `pads` are those struck, `note` is what came in, where a note did; "said" with { kind, number, value, channel, from, frame } of a
 * controller or aftertouch; "raw" with what a device sent, before all that.
 */
const NOTE_ON = 0x90;
const NOTE_OFF = 0x80;
const [KEY_PRESSURE, CONTROLLER, CHANNEL_PRESSURE] = [0xa0, 0xb0, 0xd0];

export class HitInput extends EventTarget {
  #engine;
  #ways;
  /** Whether what comes in is only listened to, as while a device is taught. */ isMuted = false;

  /** @param {import("./ways.js").Ways} ways */
  constructor(engine, ways) {
    super();
    this.#engine = engine;
    this.#ways = ways;
  }

  /**
   * A MIDI message as a device sends it: note-ons strike, note-offs (or velocity 0) release.
   * @param {Uint8Array | number[]} message @param {string} from @param {number} stampMs when it came, as events say
   */
  midi([status, note, velocity], from, stampMs = performance.now()) {
    const [kind, channel] = [status & 0xf0, status & 0x0f];
    if (kind === KEY_PRESSURE || kind === CONTROLLER || kind === CHANNEL_PRESSURE) return this.#said(kind, channel, note, velocity, from, stampMs);
    if (kind !== NOTE_ON && kind !== NOTE_OFF) return;
    const frame = this.#engine.clock.frameOf(stampMs);
    const isOff = kind === NOTE_OFF || !velocity;
    if (!isOff) this.#tell("raw", { note, velocity, channel, from });
    if (this.isMuted) return;
    const own = this.#ways.padsOf(from, channel, note);
    const device = own === null ? this.#ways.device(from, channel)?.id : undefined;
    if (own === null) this.#engine.hitNote(note, isOff ? 0 : velocity, channel, frame, device);
    else for (const pad of own) isOff ? this.#engine.releasePad(pad, frame) : this.#engine.hitPad(pad, velocity, frame);
    this.#tell(isOff ? "release" : "hit", { pads: own ?? this.#ways.padsOfNote(note), note, isOwn: own !== null, velocity, channel: this.#engine.channelOf(device, channel), from, frame });
  }

  /** What a pedal or a hand says, by whichever device. */
  #said(kind, channel, first, second, from, stampMs) {
    if (this.isMuted) return;
    const [number, value] = kind === CHANNEL_PRESSURE ? [0, first] : [first, second];
    const frame = this.#engine.clock.frameOf(stampMs);
    const device = this.#ways.device(from, channel)?.id;
    const own = kind === KEY_PRESSURE ? this.#ways.padsOf(from, channel, number) : null; // a device's key is a pad's, whatever it sends
    const numbers = own === null ? [number] : own.map((pad) => this.#ways.ownNoteOf(pad)).filter((note) => note !== null);
    for (const one of new Set(numbers)) {
      const said = { kind: { [CONTROLLER]: 0, [CHANNEL_PRESSURE]: 1, [KEY_PRESSURE]: 2 }[kind], number: one, value };
      this.#engine.gesture(said.kind, one, value, channel, frame, device);
      this.#tell("said", { ...said, channel: this.#engine.channelOf(device, channel), from, frame });
    }
  }

  /** A pad struck directly, whether a note leads to it or not. */
  pad(pad, velocity, from, stampMs = performance.now()) {
    const clipped = Math.min(127, Math.max(1, Math.round(velocity)));
    const frame = this.#engine.clock.frameOf(stampMs);
    this.#engine.hitPad(pad, clipped, frame);
    this.#tell("hit", { pads: [pad], isOwn: true, velocity: clipped, channel: this.#engine.handChannel(), from, frame });
  }

  /** The finger, the mouse or the key let go. */
  release(pad, stampMs = performance.now()) {
    const frame = this.#engine.clock.frameOf(stampMs);
    this.#engine.releasePad(pad, frame);
    this.#tell("release", { pads: [pad], isOwn: true, frame });
  }

  #tell(name, detail) {
    this.dispatchEvent(new CustomEvent(name, { detail }));
  }
}
