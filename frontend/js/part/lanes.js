/** The lanes of a part: the kit's filled pads in the order of the sheet, then the notes that none of them answers. */

/** @typedef {{ pad: number | null, name: string, kind: string, piece?: number, notes: number[], note: number | null, borders?: number[],
 *   levels?: number[], isLast: boolean, element: (number: number, isStrip: boolean, isMoving: boolean) => HTMLElement }} Lane */

/** @param {object[]} pads as the server lists them @param {object[]} hits @param {boolean} usedOnly @param {string[]} names of notes */
export function lanesOf(pads, hits, usedOnly, names) {
  const struck = new Set();
  for (const { note, velocity } of hits) if (velocity) struck.add(note);
  const shown = pads.filter(({ notes }) => !usedOnly || notes.some((note) => struck.has(note)));
  const answered = new Set(pads.flatMap(({ notes }) => notes));
  const unanswered = [...struck].filter((note) => !answered.has(note)).sort((a, b) => a - b);
  const lanes = shown.map((pad, place) => {
    const before = shown[place - 1]?.piece === pad.piece;
    const after = shown[place + 1]?.piece === pad.piece;
    return lane({ ...pad, note: pad.notes[0] ?? null, isTied: before || after, isFirst: !before, isLast: !after });
  });
  return [...lanes, ...unanswered.map((note) => lane({ name: names[note] ?? `note ${note}`, kind: "other", notes: [note], note, isTied: false, isFirst: true, isLast: true, pad: null }))];
}

/** @returns {Lane} */
function lane(known) {
  return { ...known, element: (number, isStrip, isMoving) => element(known, number, isStrip, isMoving) };
}

function element({ pad, name, pieceName, kind, note, isTied, isFirst, isLast }, number, isStrip, isMoving) {
  const row = document.createElement("div");
  row.className = ["part-lane", isTied && "tied", isTied && isFirst && "first", isTied && isLast && "last", !pad && "unanswered", isStrip && "strip"].filter(Boolean).join(" ");
  row.setAttribute("role", "listitem");
  const button = document.createElement("button");
  button.type = "button";
  button.dataset.lane = String(number);
  button.title = pad ? `${name}: hear it, and show its velocities below` : "No pad of this kit answers this note";
  const mark = isMoving ? '<b class="moves" title="Something of it moves along the part">~</b>' : "";
  button.innerHTML = `<svg class="glyph" aria-hidden="true"><use href="#kind-${kind}"/></svg><span></span>${mark}<small class="mono"></small>`;
  button.querySelector("span").textContent = isTied && !isFirst && name.startsWith(`${pieceName} `) ? name.slice(pieceName.length + 1) : name;
  button.querySelector("small").textContent = note === null ? "no note" : String(note);
  row.append(button);
  if (!pad) row.append(giveField(note));
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
