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

  /** A MIDI message as a device sends it: only note-ons with a velocity strike. @param {Uint8Array | number[]} message */
  midi([status, note, velocity], from) {
    if ((status & 0xf0) !== 0x90 || !velocity) return;
    this.#engine.hitNote(note, velocity);
    this.dispatchEvent(new CustomEvent("hit", { detail: { note, velocity, from } }));
  }

  /** A pad struck directly, whether a note leads to it or not. */
  pad(pad, velocity, from) {
    const clipped = Math.min(127, Math.max(1, Math.round(velocity)));
    this.#engine.hitPad(pad, clipped);
    this.dispatchEvent(new CustomEvent("hit", { detail: { pad, velocity: clipped, from } }));
  }
}
