/** The hit card: what is selected, in words and numbers, and every way to choose and shape hits; forms of the template. */
import { showChanges, showPads, showPart } from "./about_part.js";
import { inWords, showList, typedInList } from "./hit_list.js";
import { showPasses } from "./passes.js";

const PREVIEW_MS = 120;

export function startCard(editor, signal) {
  const { model } = editor;
  const card = document.getElementById("hit-card");
  const says = document.getElementById("selection-says");
  const list = document.getElementById("hit-list");
  let previewTimer = 0;
  let previews = 0; // an answer that something has overtaken is not drawn

  const refresh = () => {
    if (!model.time) return;
    says.textContent = inWords(editor);
    document.getElementById("first-hits").hidden = model.hits.some(({ velocity }) => velocity);
    showList(editor);
    showPads(editor);
    showPart(editor);
    showPasses(editor);
    if (document.getElementById("part-changes").open) showChanges(editor);
  };
  const previewHere = () => preview(document.activeElement.closest("#hit-card [data-preview]"));
  for (const name of ["selected", "changed", "loaded"]) model.addEventListener(name, refresh, { signal });
  model.addEventListener("selected", previewHere, { signal });
  model.addEventListener("changed", () => preview(null), { signal });
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
    if (target.id === "part-changes" && /** @type {HTMLDetailsElement} */ (target).open) showChanges(editor);
  }, { signal, capture: true }); // prettier-ignore
  list.addEventListener("change", ({ target }) => typedInList(editor, target), { signal });
  document.getElementById("midi-selection").addEventListener("submit", (event) => {
    /** @type {any} */ (event.target).elements.ids.value = ids().join(",");
    if (model.selected.size) return;
    event.preventDefault();
    editor.session.say("Select the hits that the file is to hold.", true);
  }, { signal }); // prettier-ignore

  const ids = () => [...model.selected];
  const turning = () => (editor.part.turn ? { loop: editor.part.turn } : {});
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
    preview(null);
    await model.edit(op, { ids: ids(), ...withGrid(form), ...turning(), ...values }, { selects: false });
  }

  function clicked({ target }) {
    const button = target.closest("button");
    if (!button) return;
    const { choose: rule, select, do: what, unset, hats } = button.dataset;
    if (rule) choose(JSON.parse(rule));
    else if (what) model.edit(what, { ids: ids(), ...turning() }, { selects: what === "duplicate" });
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

  /** Draw what a form would make of the selected hits; null: nothing. */
  function preview(form) {
    clearTimeout(previewTimer);
    const number = ++previews;
    if (!form || !model.selected.size) {
      if (editor.preview) editor.repaint();
      editor.preview = null;
      return;
    }
    previewTimer = setTimeout(async () => {
      const body = await model.ask(`preview/${form.dataset.op}`, { ids: ids(), ...withGrid(form), ...turning(), ...valuesOf(form) });
      if (!body || number !== previews) return;
      editor.preview = [...body.added, ...body.changed].map(([, tick, , note, velocity, , , played, , frame]) => ({ id: 0, tick, note, velocity, played, length: 0, pass: 0, frame }));
      editor.repaint();
    }, PREVIEW_MS);
  }

  refresh();
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
