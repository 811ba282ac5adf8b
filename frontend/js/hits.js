/**
 * The one way in for everything that is played: a MIDI device, the practice controller, keys, pointer and touch.
 * Fires "hit" with { note | pad, velocity, from }.
 */
export class HitInput extends EventTarget {
  #engine;

  constructor(engine) {
    super();
    this.#engine = engine;
  }

  /** A MIDI message as a device sends it: note-ons strike, note-offs (or velocity 0) release. @param {Uint8Array | number[]} message */
  midi([status, note, velocity], from) {
    const [kind, channel] = [status & 0xf0, status & 0x0f];
    if (kind !== 0x90 && kind !== 0x80) return;
    const isOff = kind === 0x80 || !velocity;
    this.#engine.hitNote(note, isOff ? 0 : velocity, channel);
    if (isOff) return;
    this.dispatchEvent(new CustomEvent("hit", { detail: { note, velocity, from } }));
  }

  /** A pad struck directly, whether a note leads to it or not. */
  pad(pad, velocity, from) {
    const clipped = Math.min(127, Math.max(1, Math.round(velocity)));
    this.#engine.hitPad(pad, clipped);
    this.dispatchEvent(new CustomEvent("hit", { detail: { pad, velocity: clipped, from } }));
  }

  /** The finger, the mouse or the key let go. */
  release(pad) {
    this.#engine.releasePad(pad);
  }
}
