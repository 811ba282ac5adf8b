/** What is selected, in words and as a list of numbers that can be typed over. @typedef {import("./editor.js").Editor} Editor */
const MOST_LISTED = 120;

/** @param {Editor} editor */
export function inWords({ model, lanes, laneOf }) {
  const hits = model.selection;
  if (!hits.length) return `${model.hits.filter(({ velocity }) => velocity).length.toLocaleString("en")} hits, none selected`;
  const names = [...new Set(hits.map((hit) => lanes[laneOf.of(hit)]?.name ?? `note ${hit.note}`))];
  const velocities = hits.map(({ velocity }) => velocity);
  const [low, high] = [Math.min(...velocities.slice(0, 50_000)), Math.max(...velocities.slice(0, 50_000))];
  const of = names.length <= 2 ? names.join(" and ") : `${names.length} pads`;
  return `${hits.length.toLocaleString("en")} hit${hits.length === 1 ? "" : "s"} of ${of}, velocity ${low === high ? low : `${low}–${high}`}`;
}

/** @param {Editor} editor */
export function showList(editor) {
  const { model } = editor;
  const list = document.getElementById("hit-list");
  const hits = model.selection.slice(0, MOST_LISTED);
  list.replaceChildren(...hits.map((hit) => row(editor, hit)));
  const more = model.selected.size - hits.length;
  document.getElementById("hit-list-more").textContent = !model.selected.size ? "Select hits to see and type their numbers." : more > 0 ? `and ${more} more` : "";
}

function row(editor, hit) {
  const { model } = editor;
  const { bar, beat, tick } = model.time.placeOf(hit.tick);
  const line = document.createElement("tr");
  const cells = [
    ["tick", `${bar}.${beat}.${String(tick).padStart(3, "0")}`, "Place"],
    ["ms", ((hit.frame / model.about.rate) * 1000).toFixed(1), "Time in ms"],
    ["note", String(hit.note), "Note"],
    ["velocity", String(hit.velocity), "Velocity"],
    ["length", String(hit.length), "Length in ticks"],
  ];
  for (const [field, text, label] of cells) {
    const input = Object.assign(document.createElement("input"), { className: "cell mono", defaultValue: text, id: `hit-${hit.id}-${field}` });
    input.dataset.hit = String(hit.id);
    input.dataset.field = field;
    input.setAttribute("aria-label", `${label} of the hit at ${cells[0][1]}`);
    line.insertCell().append(input);
  }
  line.insertCell().textContent = editor.takeOf(hit);
  return line;
}

/** A number of the list was typed: a place as bar.beat.tick, everything else as it is. */
export function typedInList(editor, { dataset, value, defaultValue }) {
  const { model } = editor;
  let number = value.trim() ? Number(value.replace(",", ".").replace("−", "-")) : NaN;
  if (dataset.field === "tick") {
    const [bar, beat = 1, tick = 0] = value.split(".").map(Number);
    const start = model.time.lines(0, model.about.loopTicks, "off", 50, 0.1).find((line) => line.bar === bar)?.tick;
    number = start === undefined ? NaN : start + (beat - 1) * model.time.beatTicks(start) + tick;
  }
  if (Number.isNaN(number)) return editor.session.say(`“${value}” is not understood here. Type it as ${defaultValue} is written.`, true);
  model.edit("numbers", { ids: [Number(dataset.hit)], field: dataset.field, value: number });
}
