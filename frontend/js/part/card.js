/** The hit card: what is selected, in words and numbers, and every way to choose and shape hits; forms of the template. */
import { showPasses } from "./passes.js";

const MOST_LISTED = 120;
const PREVIEW_MS = 120;

export function startCard(editor, signal) {
  const { model } = editor;
  const card = document.getElementById("hit-card");
  const says = document.getElementById("selection-says");
  const list = document.getElementById("hit-list");
  let previewTimer = 0;

  const refresh = () => {
    if (!model.time) return;
    says.textContent = inWords(editor);
    document.getElementById("first-hits").hidden = model.hits.some(({ velocity }) => velocity);
    fillList();
    fillPads();
    fillPart();
    showPasses(editor);
    if (document.getElementById("part-changes").open) fillChanges();
  };
  for (const name of ["selected", "changed", "loaded"]) model.addEventListener(name, refresh, { signal });
  editor.onLanes = refresh;
  card.addEventListener("submit", submitted, { signal });
  card.addEventListener("click", clicked, { signal });
  card.addEventListener("input", ({ target }) => {
    const output = target.type === "range" && target.nextElementSibling;
    if (output) output.textContent = target.value;
    if (target.closest("[data-preview]")) preview(target.closest("form"));
  }, { signal }); // prettier-ignore
  card.addEventListener("focusin", ({ target }) => preview(target.closest("[data-preview]")), { signal });
  card.addEventListener("toggle", ({ target }) => {
    preview(null);
    if (target.id === "part-changes" && /** @type {HTMLDetailsElement} */ (target).open) fillChanges();
  }, { signal, capture: true }); // prettier-ignore
  list.addEventListener("change", ({ target }) => typed(target), { signal });
  document.getElementById("midi-selection").addEventListener("submit", (event) => {
    /** @type {any} */ (event.target).elements.ids.value = ids().join(",");
    if (model.selected.size) return;
    event.preventDefault();
    editor.session.say("Select the hits that the file is to hold.", true);
  }, { signal }); // prettier-ignore

  const ids = () => [...model.selected];
  const withGrid = (form) => ("ownGrid" in form.dataset ? { swing: 50 } : { grid: editor.grid === "off" ? "1/16" : editor.grid, swing: editor.swing });

  async function submitted(event) {
    event.preventDefault();
    const form = event.target;
    const values = valuesOf(form);
    if (form.dataset.chooseForm) return choose({ rule: form.dataset.chooseForm, ...values });
    if ("bars" in form.dataset) return changeBars(event.submitter.value, values);
    if ("together" in form.dataset) return model.edit(event.submitter.value, values);
    const { op } = form.dataset;
    if ("seed" in form.dataset) values.seed = Math.floor(Math.random() * 2 ** 31);
    if ("atStart" in form.dataset) values.tick = editor.part.start;
    if ("atBar" in form.dataset) values.bar = model.time.barAt(editor.part.start).bar + 1;
    if ("range" in form.dataset) {
      const [start, end] = editor.part.range;
      if (start >= end) return editor.session.say("Drag over the bar numbers first: the loop becomes the section.", true);
      Object.assign(values, { start, end });
    }
    editor.preview = null;
    await model.edit(op, { ids: ids(), ...withGrid(form), ...values }, { selects: false });
  }

  function clicked({ target }) {
    const button = target.closest("button");
    if (!button) return;
    const { choose: rule, select, do: what, unset, hats } = button.dataset;
    if (rule) choose(JSON.parse(rule));
    else if (what) model.edit(what, { ids: ids() }, { selects: what === "duplicate" });
    else if (select) model.selectAll(select);
    else if (button.id === "choose-lane") chooseNotes(({ pad, note }) => editor.lanes[editor.strip] && (pad ? pad === editor.lanes[editor.strip].pad : note === editor.lanes[editor.strip].note));
    else if (button.id === "choose-piece") chooseNotes(({ piece, pad }) => pad && piece === editor.lanes[editor.strip]?.piece);
    else if (button.id === "choose-loop") {
      const [start, end] = editor.part.range;
      choose({ rule: "between", start, end: end || model.about.loopTicks });
    } else if (unset) model.edit(unset, unset === "tempo" ? { tick: editor.part.start } : { bar: model.time.barAt(editor.part.start).bar + 1 });
    else if (hats) helpHats(hats);
    else if (button.dataset.loopSection) editor.setRange(button.dataset.loopSection.split(",").map(Number));
    else if (button.dataset.repeatSection) {
      const [start, end] = button.dataset.repeatSection.split(",").map((tick) => model.time.barAt(Number(tick)).bar + 1);
      model.edit("duplicate-bars", { bar: start, count: Math.max(1, end - start) });
    } else if (button.dataset.goTo) model.edit(`history/${button.dataset.goTo}`);
  }

  async function choose(rule) {
    const answer = await model.ask("choose", { ids: ids(), ...rule });
    if (answer) model.select(answer.ids);
  }

  function chooseNotes(isMeant) {
    choose({ rule: "notes", notes: [...new Set(editor.lanes.filter(isMeant).flatMap(({ notes }) => notes))] });
  }

  function helpHats(how) {
    const notesOf = (kind) => editor.lanes.filter((lane) => lane.kind === kind).flatMap(({ notes }) => notes);
    const [pedal] = notesOf("pedal_hat");
    const [start, end] = editor.part.range;
    if (how === "foot" && pedal === undefined) return editor.session.say("This kit has no pedal hat for the foot to play. Give a pad that kind first.", true);
    model.edit("hats", { how, open: notesOf("open_hat"), closed: notesOf("closed_hat"), pedal: pedal ?? 44, start, end: end || model.about.loopTicks });
  }

  function changeBars(what, values) {
    if (what === "append-bars") return model.edit("insert-bars", { bar: model.about.bars + 1, count: values.count });
    return model.edit(what, values);
  }

  function preview(form) {
    clearTimeout(previewTimer);
    if (!form || !model.selected.size) {
      if (editor.preview) editor.repaint();
      editor.preview = null;
      return;
    }
    previewTimer = setTimeout(async () => {
      const body = await model.ask(`preview/${form.dataset.op}`, { ids: ids(), ...withGrid(form), ...valuesOf(form) });
      if (!body) return;
      editor.preview = [...body.added, ...body.changed].map(([, tick, , note, velocity, , , played, , frame]) => ({ id: 0, tick, note, velocity, played, length: 0, pass: 0, frame }));
      editor.repaint();
    }, PREVIEW_MS);
  }

  function fillList() {
    const hits = model.selection.slice(0, MOST_LISTED);
    list.replaceChildren(...hits.map((hit) => row(hit)));
    const more = model.selected.size - hits.length;
    document.getElementById("hit-list-more").textContent = !model.selected.size ? "Select hits to see and type their numbers." : more > 0 ? `and ${more} more` : "";
  }

  function row(hit) {
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
      const input = Object.assign(document.createElement("input"), { className: "cell mono", value: text, id: `hit-${hit.id}-${field}` });
      input.dataset.hit = String(hit.id);
      input.dataset.field = field;
      input.setAttribute("aria-label", `${label} of the hit at ${cells[0][1]}`);
      line.insertCell().append(input);
    }
    line.insertCell().textContent = editor.takeOf(hit);
    return line;
  }

  /** A number of the list: a place as bar.beat.tick, everything else as it is. */
  function typed({ dataset, value, defaultValue }) {
    let number = Number(value.replace(",", "."));
    if (dataset.field === "tick") {
      const [bar, beat = 1, tick = 0] = value.split(".").map(Number);
      const start = model.time.lines(0, model.about.loopTicks, "off", 50, 0.1).find((line) => line.bar === bar)?.tick;
      number = start === undefined ? NaN : start + (beat - 1) * model.time.beatTicks(start) + tick;
    }
    if (Number.isNaN(number)) return editor.session.say(`“${value}” is not understood here. Type it as ${defaultValue} is written.`, true);
    model.edit("numbers", { ids: [Number(dataset.hit)], field: dataset.field, value: number });
  }

  function fillPads() {
    const pads = editor.lanes.filter(({ note }) => note !== null);
    for (const select of card.querySelectorAll(".pad-choice")) {
      const kept = select.value;
      const options = pads.map(({ note, name }) => new Option(name, String(note)));
      select.replaceChildren(...("optional" in select.dataset ? [new Option("the same pad", "")] : []), ...options);
      if ([...select.options].some(({ value }) => value === kept)) select.value = kept;
    }
    let names = document.getElementById("pad-names");
    if (!names) document.body.append((names = Object.assign(document.createElement("datalist"), { id: "pad-names" })));
    names.replaceChildren(...editor.lanes.filter(({ pad }) => pad).map(({ name }) => new Option(name)));
  }

  function fillPart() {
    const { about } = model;
    const set = (id, value) => {
      const field = document.getElementById(id);
      if (field && document.activeElement !== field) field.value = value;
    };
    set("part-name", about.name);
    set("part-bpm", String(Math.round((60e6 / about.tempos.filter(([tick]) => tick <= editor.part.start).at(-1)[1]) * 100) / 100));
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

  async function fillChanges() {
    const answer = await fetch(`/parts/${model.id}/changes/`).catch(() => null);
    if (!answer?.ok) return;
    const { changes } = await answer.json();
    document.getElementById("part-change-list").replaceChildren(
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
  refresh();
}

/** What is selected, as a person would say it. */
function inWords({ model, lanes, laneOf }) {
  const hits = model.selection;
  if (!hits.length) return `${model.hits.filter(({ velocity }) => velocity).length.toLocaleString("en")} hits, none selected`;
  const names = [...new Set(hits.map(({ note }) => lanes[laneOf.get(note)]?.name ?? `note ${note}`))];
  const velocities = hits.map(({ velocity }) => velocity);
  const [low, high] = [Math.min(...velocities.slice(0, 50_000)), Math.max(...velocities.slice(0, 50_000))];
  const of = names.length <= 2 ? names.join(" and ") : `${names.length} pads`;
  return `${hits.length.toLocaleString("en")} hit${hits.length === 1 ? "" : "s"} of ${of}, velocity ${low === high ? low : `${low}–${high}`}`;
}

/** The values of a form: numbers as numbers, ticked boxes as true; an empty optional choice is left out. */
function valuesOf(form) {
  const values = {};
  for (const field of form.elements) {
    if (!field.name || field.tagName === "BUTTON") continue;
    const isNumber = field.type === "number" || field.type === "range" || "number" in field.dataset || (field.name === "unit" && field.tagName === "SELECT");
    if (field.type === "checkbox") values[field.name] = field.checked;
    else if (!isNumber) values[field.name] = field.value;
    else if (field.value !== "") values[field.name] = Number(field.value);
  }
  return values;
}
