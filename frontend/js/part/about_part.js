/** What the card says of the part: its name and tempo, its sections and changes, the pads that forms offer. @typedef {import("./editor.js").Editor} Editor */

/** @param {Editor} editor */
export function showPads({ lanes }) {
  const pads = lanes.filter(({ note }) => note !== null);
  for (const select of document.querySelectorAll("#hit-card .pad-choice")) {
    const kept = select.value;
    const options = pads.map(({ note, name }) => new Option(name, String(note)));
    select.replaceChildren(...("optional" in select.dataset ? [new Option("the same pad", "")] : []), ...options);
    if ([...select.options].some(({ value }) => value === kept)) select.value = kept;
  }
  let names = document.getElementById("pad-names");
  if (!names) document.body.append((names = Object.assign(document.createElement("datalist"), { id: "pad-names" })));
  names.replaceChildren(...lanes.filter(({ pad }) => pad).map(({ name }) => new Option(name)));
}

/** @param {Editor} editor */
export function showPart({ model: { about }, part: { start } }) {
  const set = (id, value) => {
    const field = document.getElementById(id);
    if (field && document.activeElement !== field) field.value = value;
  };
  set("part-name", about.name);
  set("part-bpm", String(Math.round((60e6 / about.tempos.filter(([tick]) => tick <= start).at(-1)[1]) * 100) / 100));
  document.getElementById("sections").replaceChildren(
    ...about.sections.map(([start, end, name]) => {
      const button = Object.assign(document.createElement("button"), { type: "button", className: "button small", textContent: `loop ${name}` });
      button.dataset.loopSection = `${start},${end}`;
      const again = Object.assign(document.createElement("button"), { type: "button", className: "quiet small", textContent: "again behind it" });
      again.dataset.repeatSection = `${start},${end}`;
      again.setAttribute("aria-label", `${name} again behind it`);
      const both = document.createElement("span");
      both.append(button, again);
      return both;
    }),
  );
}

let changesAsked = 0;

/** @param {Editor} editor */
export async function showChanges({ model }) {
  const list = document.getElementById("part-change-list");
  const number = ++changesAsked;
  const answer = await fetch(`/parts/${model.id}/changes/`).catch(() => null);
  if (!answer?.ok) return;
  const { changes } = await answer.json();
  if (number !== changesAsked) return; // an older answer that comes last
  list.replaceChildren(
    ...changes.map(([pk, sentence, isUndone, at]) => {
      const line = document.createElement("li");
      line.className = isUndone ? "undone" : "";
      const button = Object.assign(document.createElement("button"), { type: "button", className: "quiet small", textContent: isUndone ? "do again up to here" : "undo from here on" });
      button.dataset.goTo = String(pk);
      line.append(Object.assign(document.createElement("time"), { textContent: at }), " ", Object.assign(document.createElement("span"), { textContent: sentence }), " ", button);
      return line;
    }),
  );
}
