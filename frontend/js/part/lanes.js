/**
 * The lanes of a part: the kit's filled pads in the order of the sheet, those of kits alongside that answer other notes or hear channels
 * of their own, then the notes that none of them answers. What answers the hits of a lane before it is told there.
 */
export const DRUMS = 9; // the channel of drums, from 0

/** @typedef {{ pad: number | null, name: string, kind: string, piece?: number, notes: number[], note: number | null, borders?: number[],
 *   levels?: number[], isLast: boolean, channels?: number[] | null, kitName?: string, isAnswered: boolean, also?: string[],
 *   element: (number: number, isStrip: boolean, isMoving: boolean) => HTMLElement }} Lane */

/** @param {object[]} pads as the server lists them @param {object[]} hits @param {boolean} usedOnly @param {string[]} names of notes */
export function lanesOf(pads, hits, usedOnly, names) {
  const struck = new Set(); // channel and note
  for (const { note, velocity, channel } of hits) if (velocity) struck.add(bothOf(note, channel));
  const used = new Set([...struck].map((both) => both % 128));
  const isUsed = ({ notes, channels }) => notes.some((note) => (channels ? channels.some((channel) => struck.has(bothOf(note, channel))) : used.has(note)));
  const shown = pads.filter((pad) => !usedOnly || isUsed(pad));
  const index = new LaneIndex(pads);
  const unanswered = [...new Set([...struck].filter((both) => index.of({ note: both % 128, channel: Math.floor(both / 128) }) === undefined).map((both) => both % 128))].sort((a, b) => a - b);
  const lanes = shown.map((pad, place) => {
    const before = shown[place - 1]?.piece === pad.piece && shown[place - 1].kitName === pad.kitName;
    const after = shown[place + 1]?.piece === pad.piece && shown[place + 1].kitName === pad.kitName;
    const beginsKit = pad.kitName !== undefined && shown[place - 1]?.kitName !== pad.kitName;
    return lane({ ...pad, note: pad.notes[0] ?? null, isTied: before || after, isFirst: !before, isLast: !after, isAnswered: true, beginsKit });
  });
  const alone = { kind: "other", isTied: false, isFirst: true, isLast: true, isAnswered: false, pad: null };
  return [...lanes, ...unanswered.map((note) => lane({ ...alone, name: names[note] ?? `note ${note}`, notes: [note], note }))];
}

/**
 * The kit's lanes, and those of kits alongside. A lane whose hits another answers already is tied to that one: one lane, told by both.
 * @param {object[]} lanes
 */
export function withOthers(lanes, { own, kits }) {
  const all = lanes.map((lane) => ({ ...lane, channels: own, also: [] }));
  for (const { name, channels, lanes: theirs } of kits) {
    const before = all.filter((lane) => String(lane.channels) === String(channels));
    for (const lane of theirs) {
      const tied = new Set(before.filter(({ notes }) => notes.some((note) => lane.notes.includes(note))));
      for (const one of tied) one.also.push(`${lane.name} of ${name}`);
      const notes = lane.notes.filter((note) => !before.some((one) => one.notes.includes(note)));
      if (notes.length) all.push({ ...lane, notes, pad: null, kitName: name, channels, also: [] });
    }
  }
  return all;
}

const bothOf = (note, channel = DRUMS) => channel * 128 + note;

/** Which lane a hit stands in: by its note, and by its channel where a lane hears channels of its own. */
export class LaneIndex {
  #byNote = new Map();
  #byBoth = new Map();

  /** @param {{ notes: number[], channels?: number[] | null }[]} lanes */
  constructor(lanes) {
    lanes.forEach(({ notes, channels }, number) => {
      const put = (map, key) => map.has(key) || map.set(key, number);
      for (const note of notes)
        if (channels) for (const channel of channels) put(this.#byBoth, bothOf(note, channel));
        else put(this.#byNote, note);
    });
  }

  /** @param {{ note: number, channel?: number }} hit @returns {number | undefined} */
  of({ note, channel }) {
    return this.#byBoth.get(bothOf(note, channel)) ?? this.#byNote.get(note);
  }
}

/** What moving hits to other lanes is told by: notes, and channels where lanes hear their own. @param {(hit: object) => { note: number, channel: number }} to */
export function movesOf(hits, to) {
  const rows = [...new Map(hits.map((hit) => [bothOf(hit.note, hit.channel), [hit.note, hit.channel, to(hit).note, to(hit).channel]])).values()];
  const stays = rows.every(([, channel, , now]) => channel === now) && new Set(rows.map(([note]) => note)).size === rows.length;
  return stays ? { notes: rows.map(([note, , now]) => [note, now]) } : { to: rows };
}

/** @returns {Lane} */
function lane(known) {
  return { ...known, element: (number, isStrip, isMoving) => element(known, number, isStrip, isMoving) };
}

function element({ pad, name, pieceName, kind, note, isTied, isFirst, isLast, isAnswered, beginsKit = false, kitName = "", channels = null, also = [] }, number, isStrip, isMoving) {
  const row = document.createElement("div");
  const marks = [isTied && "tied", isTied && isFirst && "first", isTied && isLast && "last", !isAnswered && "unanswered", isStrip && "strip", beginsKit && "begins-kit"];
  row.className = ["part-lane", ...marks].filter(Boolean).join(" ");
  row.setAttribute("role", "listitem");
  const button = document.createElement("button");
  button.type = "button";
  button.dataset.lane = String(number);
  const isOther = kitName !== "";
  row.classList.toggle("of-other", isOther);
  const whose = [isOther ? `${name} of ${kitName}${channels ? `, channel ${channels[0] + 1}` : ""}` : name, ...also].join(" with ");
  button.title = isAnswered ? `${whose}: hear it, and show its velocities below` : "No pad of this kit answers this note";
  const along = also.length ? `<b class="also" title="Also ${also.join(", ").replace(/[&<>"]/g, "")}">+${also.length}</b>` : "";
  const mark = isMoving ? '<b class="moves" title="Something of it moves along the part">~</b>' : "";
  button.innerHTML = `<svg class="glyph" aria-hidden="true"><use href="#kind-${kind}"/></svg><span></span>${along}${mark}<small class="mono"></small>`;
  button.querySelector("span").textContent = isTied && !isFirst && name.startsWith(`${pieceName} `) ? name.slice(pieceName.length + 1) : name;
  button.querySelector("small").textContent = note === null ? "no note" : isOther && channels ? `${channels[0] + 1}·${note}` : String(note);
  row.append(button);
  if (beginsKit) row.append(Object.assign(document.createElement("span"), { className: "kit-of-lanes", textContent: kitName }));
  if (!isAnswered) row.append(giveField(note));
  return row;
}

/** Where a note that nothing answers is given a pad. */
function giveField(note) {
  const field = document.createElement("input");
  Object.assign(field, { className: "cell give", id: `give-${note}`, name: "value", placeholder: "pad…", autocomplete: "off" });
  field.setAttribute("list", "pad-names");
  field.setAttribute("aria-label", `Pad for note ${note}`);
  field.addEventListener("change", () => window.htmx.ajax("POST", `/kits/${document.body.dataset.kit}/notes/${note}/`, { source: document.body, swap: "none", values: { value: field.value } }));
  return field;
}
