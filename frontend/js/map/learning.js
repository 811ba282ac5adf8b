/**
 * Learning notes: what is struck is shown before it is kept, and of several that come together a person chooses. Notes of
 * the part that is open are offered too, with how often and where they stand.
 */
const TOGETHER_MS = 900; // what comes within it is one strike
const MOST_OFFERED = 12;

/** @param {object} known `place` the id of the line where it is said; `labelOf(note)`, `nameOf(pad)` in words; `show(pad | null)` marks the one that waits */
export function startLearning({ place, session, input, part, labelOf, nameOf, show }) {
  let waiting = null; // { pads, at, found: Map, struck: [note], timer }
  const box = () => document.getElementById(place);

  function begin(pads) {
    clearTimeout(waiting?.timer);
    waiting = { pads, at: 0, found: new Map(), struck: [], timer: 0 };
    draw();
  }

  function draw() {
    const line = box();
    if (!line) return;
    line.hidden = !waiting;
    show(waiting ? waiting.pads[waiting.at] : null);
    if (!waiting) return line.replaceChildren();
    const { pads, at, struck } = waiting;
    const words = document.createElement("span");
    words.append("Strike what plays ", Object.assign(document.createElement("b"), { textContent: nameOf(pads[at]) }), pads.length > 1 ? ` (${at + 1} of ${pads.length})` : "");
    if (struck.length > 1) words.append("; several came. Which one is it?");
    const choices = struck.length > 1 ? struck.map((note) => button(labelOf(note), () => take(note))) : [];
    const acts = pads.length > 1 ? [button("Skip", () => go(1)), button("Back", () => go(-1)), button("Finish", finish)] : [];
    line.replaceChildren(words, ...choices, ...acts, button("Cancel", stop), ...ofPart());
  }

  /** The notes of the part: press the one that is this pad; ▶ plays the pad as the note stands in the part. */
  function ofPart() {
    const hits = (part.model?.hits ?? []).filter(({ velocity }) => velocity);
    if (!hits.length) return [];
    const counts = new Map();
    for (const { note } of hits) counts.set(note, (counts.get(note) ?? 0) + 1);
    const end = part.model.about.loopTicks || 1;
    const line = document.createElement("span");
    line.className = "of-part";
    line.append(`or which note of ${part.model.about.name} is it?`);
    for (const [note, count] of [...counts].sort((a, b) => b[1] - a[1]).slice(0, MOST_OFFERED)) {
      const own = hits.filter((hit) => hit.note === note);
      const picture = whereOf(own, end);
      const choice = button("", () => take(note));
      choice.append(`${labelOf(note).split(",")[0]} `, picture, ` ${count}`);
      choice.setAttribute("aria-label", `${labelOf(note)}, ${count} hits`);
      const hear = button("▶", () => hearAs(own, waiting?.pads[waiting.at]));
      hear.setAttribute("aria-label", `Hear this pad as ${labelOf(note)} stands in the part`);
      line.append(choice, hear);
    }
    return [line];
  }
  let heard = [];
  function hearAs(hits, pad) {
    heard.forEach(clearTimeout);
    const [first] = hits;
    heard = hits.slice(0, 16).map(({ frame, velocity }) => setTimeout(() => input.pad(pad, velocity, "part"), Math.min(8000, ((frame - first.frame) / part.model.about.rate) * 1000)));
  }

  input.addEventListener("raw", ({ detail }) => {
    if (!waiting) return;
    const { struck } = waiting;
    if (!struck.includes(detail.note)) struck.push(detail.note);
    clearTimeout(waiting.timer);
    waiting.timer = setTimeout(() => (waiting?.struck.length === 1 ? take(waiting.struck[0]) : draw()), TOGETHER_MS);
    session.say(`Heard ${labelOf(detail.note)}`);
  });

  function take(note) {
    waiting.found.set(waiting.pads[waiting.at], note);
    waiting.struck = [];
    if (waiting.at + 1 >= waiting.pads.length) return finish();
    go(1);
  }
  function go(by) {
    waiting.struck = [];
    waiting.at = Math.min(waiting.pads.length - 1, Math.max(0, waiting.at + by));
    draw();
  }
  function finish() {
    const { found } = waiting;
    stop();
    if (found.size) session.post(`/kits/${session.kit}/map/learned/`, { notes: [...found].map(([pad, note]) => `${pad}:${note}`).join(",") });
  }
  function stop() {
    clearTimeout(waiting?.timer);
    waiting = null;
    draw();
  }

  return {
    begin,
    /** Redraw what waits, where the page was drawn anew; forget it where its view has gone. */
    redraw(isHere) {
      if (!isHere) waiting = null;
      else if (waiting && box()?.hidden) draw();
    },
    /** Whether a key was used. */
    key(event) {
      const act = waiting && { Escape: stop, Enter: () => waiting.struck.length === 1 && take(waiting.struck[0]) }[event.key];
      if (act) act();
      return Boolean(act);
    },
  };
}

/** A line of time with a tick for each hit. @param {{ tick: number }[]} hits */
export function whereOf(hits, end) {
  const picture = document.createElementNS("http://www.w3.org/2000/svg", "svg");
  picture.setAttribute("viewBox", "0 0 100 10");
  picture.setAttribute("class", "where");
  picture.setAttribute("aria-hidden", "true");
  const path = document.createElementNS("http://www.w3.org/2000/svg", "path");
  const places = new Set(hits.map(({ tick }) => Math.round((200 * tick) / end) / 2));
  path.setAttribute("d", [...places].map((x) => `M${x} 1V9`).join(""));
  picture.append(path);
  return picture;
}

export function button(text, act) {
  const made = Object.assign(document.createElement("button"), { type: "button", className: "button small", textContent: text });
  made.addEventListener("click", act);
  return made;
}
