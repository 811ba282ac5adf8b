/**
 * What hands and feet do besides striking, as dactyl/core/play/hands.py has it: pedals and places choose among pads, closing cuts,
 * quick closes and opens sound, keys are grabbed (design rule 20). What can be known before stands in the tables.
 *
 * @typedef {{ number: number, pads: (number | string)[], plays: [place: number, gain: number][][], cuts: (number | string)[][], openness: number[],
 *   closed: number, isPedal: boolean, fade: number, chick: number | string | null, splash: number | string | null, quick: number, full: number }} Shares
 * `plays`, `cuts` and `openness` by the controller's value; `quick` and `full` in frames
 * @typedef {{ pads: (number | string)[], limit: number | null, note: number | null, fade: number, sounds: number | string | null }} Grip
 * @typedef {{ member: import("./member.js").Member, cut: (number | string)[], fade: number, strikes: number | string | null, velocity: number | null }} Deed
 * @typedef {{ frame: number, kind: number, number: number, value: number, channel: number }} Gesture kind: 0 a controller, 1 of the channel, 2 of a key
 */
export const [CONTROLLER, , KEY_PRESSURE] = [0, 1, 2];
export const RESET_ALL = 121;

export class Hands {
  /** By channel and controller. @type {Map<number, number>} */ #values = new Map();
  /** By channel and note. @type {Map<number, number>} */ #pressed = new Map();
  /** By channel, member and place among its shares. @type {Map<string, { openness: number, top: number, fell: number | null, chick: [frame: number, velocity: number] | null }>} */ #feet = new Map();

  /** What a strike of a pad plays. @returns {[pad: number | string, gain: number][]} */
  chosen(member, id, channel) {
    for (const shares of member.shares) {
      const value = this.#values.get(keyOf(channel, shares.number));
      if (value !== undefined && shares.pads.includes(id)) return shares.plays[value].map(([place, gain]) => [shares.pads[place], gain]);
    }
    return [[id, 1]];
  }

  /** @param {Gesture} gesture */
  #learn({ kind, number, value, channel }) {
    if (kind === CONTROLLER && number === RESET_ALL) this.#forget(channel);
    else if (kind === CONTROLLER) this.#values.set(keyOf(channel, number), value);
    else if (kind === KEY_PRESSURE) this.#pressed.set(keyOf(channel, number), value);
  }

  /** Nothing was said yet. */
  clear() {
    for (const state of [this.#values, this.#pressed, this.#feet]) state.clear();
  }

  /** Remember a gesture; what it does to the members that it reaches. @param {Gesture} gesture @param {import("./member.js").Member[]} reached @returns {Deed[]} */
  take(gesture, reached) {
    const { kind, number, value, channel } = gesture;
    const was = this.#pressed.get(keyOf(channel, number)) ?? 0;
    this.#learn(gesture);
    if (kind === CONTROLLER && number !== RESET_ALL)
      return reached.flatMap((member) => member.shares.flatMap((shares, place) => (shares.number === number && shares.isPedal ? this.#moved(gesture, member, shares, place) : [])));
    if (kind !== KEY_PRESSURE) return [];
    return reached.flatMap((member) => {
      if (number < member.low || number > member.high) return [];
      const struck = member.notes[member.playedAs[number] ?? number] ?? [];
      const grips = member.grips.filter(({ pads, limit }) => limit !== null && was < limit && limit <= value && struck.some((id) => pads.includes(id)));
      return grips.map((grip) => grab(member, grip));
    });
  }

  #forget(channel) {
    for (const state of [this.#values, this.#pressed]) for (const key of state.keys()) if (key >> 7 === channel) state.delete(key);
    for (const key of this.#feet.keys()) if (key.startsWith(`${channel} `)) this.#feet.delete(key);
  }

  /** @returns {Deed[]} */
  #moved({ frame, value, channel }, member, shares, place) {
    const now = shares.openness[value];
    const deeds = [{ member, cut: shares.cuts[value], fade: shares.fade, strikes: null, velocity: null }];
    const key = `${channel} ${member.key} ${place}`;
    const foot = this.#feet.get(key);
    if (!foot) {
      this.#feet.set(key, { openness: now, top: 127, fell: null, chick: null });
      return deeds;
    }
    const was = foot.openness;
    foot.openness = now;
    if (now < was && foot.fell === null) [foot.top, foot.fell] = [was, frame];
    else if (now > was) foot.fell = null;
    if (now <= shares.closed && was > shares.closed) {
      const took = frame - foot.fell;
      const velocity = took > shares.quick ? 0 : Math.max(1, Math.floor((foot.top - now) * Math.min(1, shares.full / Math.max(1, took)) + 0.5));
      foot.chick = velocity ? [frame, velocity] : null;
      if (velocity && shares.chick !== null) deeds.push({ member, cut: [], fade: 0, strikes: shares.chick, velocity });
    } else if (was <= shares.closed && now > shares.closed && foot.chick) {
      const [at, velocity] = foot.chick;
      foot.chick = null;
      if (shares.splash !== null && frame - at <= shares.quick) deeds.push({ member, cut: [], fade: 0, strikes: shares.splash, velocity });
    }
    return deeds;
  }
}

/** What a grab does. @param {import("./member.js").Member} member @param {Grip} grip @returns {Deed} */
export const grab = (member, grip) => ({ member, cut: grip.pads, fade: grip.fade, strikes: grip.sounds, velocity: null });

/** How loud a grab sounds: the largest of what rings, each less by how much of it is over; null: nothing rings. */
export function ringingVelocity(rings, frame) {
  const levels = rings.filter(({ start, end }) => start <= frame && frame < end).map(({ struck, start, end }) => Math.floor(struck * (1 - (frame - start) / (end - start)) + 0.5));
  return levels.length ? Math.max(1, ...levels) : null;
}

const keyOf = (channel, number) => channel * 128 + number;
