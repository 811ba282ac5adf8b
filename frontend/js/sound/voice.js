/**
 * One sounding take with all its mics: pitch, filter, envelope, fades, gain and pan, in this order (design rule 7).
 * The same arithmetic as dactyl/core/bounce/render.py, on 16-bit sounds with one scale each.
 *
 * @typedef {{ hit: number, pad: any, by: number | string | null, number: number, note: number | null, channel: number, start: number, end: number,
 *   gain: number, velocity: number, struck: number, isByHand: boolean, ratio: number, sounds: import("./player.js").SoundRow[], fades: [number, number][],
 *   released: number | null, states: Float64Array[] | null }} Voice
 * @typedef {{ gain: number, ratio: number, pan: number }} Moves what the curves of its lane make of a hit
 */
const HALF_WIDTH = 16; // of the kernel, zero crossings; and the steps between two, as in core/audio/interpolate.py
const STEPS = 512;
const scratch = [new Float64Array(4096), new Float64Array(4096)];

/** @returns {Voice} */
export function beginVoice({ hit, pad, number, region, frame, gain, velocity, note, channel, variationPlace = undefined, moves = null, by = null, isByHand = false }) {
  let { sounds } = region;
  let start = frame + (pad.delay ?? 0);
  let ratio = (region.ratio ?? 1) * (pad.centsPerKey && note !== null ? 2 ** ((pad.centsPerKey * (note - pad.root)) / 1200) : 1);
  let pan = 0;
  if (variationPlace !== undefined) {
    const { gains, ratios, delays, pans } = pad.variation;
    const place = variationPlace % gains.length;
    gain *= gains[place];
    ratio *= ratios[place];
    start += delays[place];
    pan = pans[place];
  }
  if (moves) {
    gain *= moves.gain;
    ratio *= moves.ratio;
    pan += moves.pan;
  }
  if (pan) sounds = sounds.map((sound) => moved(sound, pan));
  let frames = Math.max(...sounds.map((sound) => sound[1]));
  if (ratio !== 1) frames = Math.max(1, Math.ceil(frames / ratio));
  const shaped = pad.filter ? pad.filter.curve[velocity - 1] : velocity;
  if (pad.filter) frames += pad.filter.tails[shaped - 1];
  if (pad.envelope && pad.envelope.end !== null) frames = Math.min(frames, pad.envelope.end);
  return { hit, pad, number, note, channel, start, end: start + frames, gain, velocity: shaped, struck: velocity, isByHand, ratio, sounds, by, fades: [], released: null, states: null };
}

/** A sound moved by a straying hit's pan: the pan law of design rule 6. */
function moved([key, frames, left, right, output, gain, pan], by) {
  if (pan === null) return [key, frames, left, right, output, gain, pan];
  const theta = ((Math.min(1, Math.max(-1, pan + by)) + 1) * Math.PI) / 4;
  return [key, frames, gain * Math.SQRT2 * Math.cos(theta), gain * Math.SQRT2 * Math.sin(theta), output, gain, pan];
}

/** The first frame in which nothing of `voice` sounds. */
export function lastFrame({ end, fades }) {
  if (!fades.length) return end;
  const [at, length] = fades[fades.length - 1];
  return Math.min(end, at + length);
}

/** Fade to silence; a later cut counts only if it ends sooner; a voice not yet begun is dropped. */
export function cut(voice, frame, fadeFrames) {
  if (frame < voice.start) voice.end = voice.start;
  else {
    const [at, length] = voice.fades.at(-1) ?? [Infinity, 0];
    if (frame + fadeFrames >= at + length) return false;
    while (voice.fades.length && voice.fades.at(-1)[0] > frame) voice.fades.pop(); // of a kit that is late: it has not begun
    voice.fades.push([frame, fadeFrames]);
  }
  return true;
}

export function release(voice, frame) {
  if (!voice.pad.held || voice.released !== null) return;
  if (cut(voice, frame, voice.pad.envelope?.release ?? 0)) voice.released = frame;
}

/** Gain of a cut voice: 1 at the cut, falling on a line; a sooner end starts from where the earlier fade had come to. */
function fadeAt(fades, frame) {
  let level = 1;
  let gain = 1;
  for (let n = 0; n < fades.length; n++) {
    const [at, length] = fades[n];
    if (n) level *= Math.max(0, 1 - (at - fades[n - 1][0]) / Math.max(1, fades[n - 1][1]));
    if (frame < at) break;
    gain = level * Math.min(1, Math.max(0, 1 - (frame - at) / Math.max(1, length)));
  }
  return gain;
}

function envelopeAt({ attack, hold, decay, sustain }, frame) {
  if (frame < attack) return frame / attack;
  if (decay === null) return 1;
  const fallen = decay ? Math.max(0, (frame - attack - hold) / decay) : Number(frame >= attack + hold);
  return 1 - (1 - sustain) * Math.min(1, fallen);
}

/** Add frames `first .. first + count` of a voice to the buses. */
export function mixVoice(voice, sounds, kernel, buses, first, count) {
  const from = Math.max(first, voice.start);
  const until = Math.min(first + count, lastFrame(voice));
  if (from >= until) return;
  const { pad } = voice;
  const isPlain = voice.ratio === 1 && !pad.filter && !pad.envelope;
  voice.sounds.forEach(([key, frames, left, right, output], index) => {
    const sound = sounds.get(key);
    if (!sound) return;
    const bus = buses[output] ?? buses[0];
    const gains = [Math.fround(voice.gain * left), Math.fround(voice.gain * right)];
    const to = isPlain ? Math.min(until, voice.start + Math.min(frames, sound.frames)) : until;
    if (from >= to) return;
    const length = to - from;
    const at = from - voice.start;
    const channels = isPlain ? null : played(voice, index, sound, kernel, at, length);
    const isFading = voice.fades.length && to > voice.fades[0][0];
    for (let channel = 0; channel < 2; channel++) {
      const source = isPlain ? sound.data[Math.min(channel, sound.channels - 1)] : channels[Math.min(channel, sound.channels - 1)];
      const offset = isPlain ? at : 0;
      const gain = isPlain ? gains[channel] * sound.scale : gains[channel];
      const out = bus[channel];
      const into = from - first;
      if (isFading) for (let i = 0; i < length; i++) out[into + i] += source[offset + i] * gain * fadeAt(voice.fades, from + i);
      else for (let i = 0; i < length; i++) out[into + i] += source[offset + i] * gain;
    }
  });
}

/** Frames `at .. at + length` of a voice's sound, pitched, filtered and shaped; one array for each channel. */
function played(voice, index, sound, kernel, at, length) {
  const { pad, ratio } = voice;
  for (let channel = 0; channel < sound.channels; channel++) {
    const out = scratch[channel];
    const data = sound.data[channel];
    if (ratio === 1) for (let i = 0; i < length; i++) out[i] = at + i < data.length ? Math.fround(data[at + i] * sound.scale) : 0;
    else interpolate(out, data, sound.scale, kernel, ratio, at, length);
    if (pad.filter) filter(voice, index * 2 + channel, pad.filter.rows[voice.velocity - 1], out, length);
    if (pad.envelope)
      for (let i = 0; i < length; i++) {
        const frame = voice.start + at + i;
        out[i] *= envelopeAt(pad.envelope, (voice.released === null ? frame : Math.min(frame, voice.released)) - voice.start);
      }
  }
  return scratch;
}

/** Biquad, direct form II transposed; its state is the voice's. */
function filter(voice, place, [b0, b1, b2, a1, a2], out, length) {
  voice.states ??= Array.from({ length: 2 * voice.sounds.length }, () => new Float64Array(2));
  const state = voice.states[place];
  let [first, second] = state;
  for (let i = 0; i < length; i++) {
    const value = out[i];
    const result = b0 * value + first;
    first = b1 * value - a1 * result + second;
    second = b2 * value - a2 * result;
    out[i] = Math.fround(result);
  }
  state[0] = first;
  state[1] = second;
}

/** Windowed sinc with the core's kernel; see core/audio/interpolate.py. */
function interpolate(out, data, scale, kernel, ratio, at, length) {
  if (!kernel) {
    for (let i = 0; i < length; i++) out[i] = (data[Math.floor((at + i) * ratio)] ?? 0) * scale;
    return;
  }
  const shrink = Math.min(1, 1 / ratio);
  const reach = Math.ceil(HALF_WIDTH / shrink);
  const last = kernel.length - 1;
  const ends = Math.max(1, Math.ceil(data.length / ratio)) - at;
  out.fill(0, Math.max(0, ends), length);
  for (let i = 0; i < Math.min(length, ends); i++) {
    const position = (at + i) * ratio;
    const whole = Math.floor(position);
    const part = position - whole;
    let total = 0;
    for (let tap = 1 - reach; tap <= reach; tap++) {
      const value = data[whole + tap];
      if (value === undefined) continue;
      const place = Math.min(Math.abs(tap - part) * shrink * STEPS, last);
      const low = Math.min(Math.floor(place), last - 1);
      total += value * (kernel[low] + (place - low) * (kernel[low + 1] - kernel[low]));
    }
    out[i] = Math.fround(total * shrink * scale);
  }
}
