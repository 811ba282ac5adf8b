/** Translations: what the part that is open was written for, its notes counted and heard, its silent ones named. */
import { whereOf } from "./learning.js";

export function startTranslation(session, input, part, ways) {
  const view = () => document.getElementById("translations");
  const table = () => /** @type {HTMLElement} */ (view()?.querySelector("table.translation"));

  function counts() {
    const found = new Map();
    for (const { note, velocity } of part.model?.hits ?? []) if (velocity) found.set(note, (found.get(note) ?? 0) + 1);
    return found;
  }

  function show() {
    if (!view()) return;
    const { about } = part.model ?? {};
    const source = view().dataset.shown;
    document.getElementById("translated-part").textContent = about?.name ?? "The part";
    const choice = /** @type {HTMLSelectElement} */ (document.getElementById("written-for"));
    choice.value = about?.writtenFor ?? "";
    choice.disabled = !about;
    document.getElementById("write-translation").hidden = !(about?.writtenFor && about.writtenFor === source && table());
    const out = /** @type {HTMLAnchorElement} */ (document.getElementById("midi-for"));
    out.hidden = !about || !source;
    if (about && source) out.href = `/parts/of/${session.kit}/${about.id}/midi/?for=${encodeURIComponent(source)}`;
    if (about && !source && about.writtenFor) return open(about.writtenFor);
    if (!source) showOwn(about ? counts() : null, about?.loopTicks || 1);
    if (!table()) return;
    const found = about?.writtenFor === source ? counts() : new Map();
    addUnnamed(found);
    const onlyUsed = /** @type {HTMLInputElement} */ (document.getElementById("lines-used")).checked && found.size > 0;
    const end = about?.loopTicks || 1;
    const unmet = [];
    let doubts = 0;
    for (const line of table().querySelectorAll("[data-line]")) {
      const note = Number(line.dataset.line);
      const count = found.get(note) ?? 0;
      line.hidden = onlyUsed && !count;
      doubts += Number(!line.hidden && line.classList.contains("doubt"));
      tell(line, count, end);
      if (count && !line.querySelector("select").value) unmet.push(`${line.cells[0].textContent} (${count})`);
    }
    const doubted = document.getElementById("doubts");
    doubted.className = doubts ? "warning-line" : "faint";
    doubted.textContent = doubts ? `△ ${doubts} in doubt: hear them, and correct or confirm them.` : "No note of the part is in doubt.";
    const said = document.getElementById("unmet");
    said.hidden = !unmet.length;
    said.textContent = unmet.length ? `△ Silent here: ${unmet.join(", ")}. Give each a pad, or leave it out.` : "";
  }

  /** The part that plays by the kit's own notes: those it uses, met or not; all of the kit's where no part is open. @param {Map<number, number> | null} found */
  function showOwn(found, end) {
    const body = document.querySelector("#own-notes tbody");
    if (!body) return;
    for (const line of body.querySelectorAll(".silent")) line.remove();
    for (const line of /** @type {NodeListOf<HTMLElement>} */ (body.querySelectorAll("[data-note]"))) {
      line.hidden = found !== null && found.size > 0 && !found.has(Number(line.dataset.note));
      tell(line, found?.get(Number(line.dataset.note)) ?? 0, end);
    }
    const unmet = [...(found?.keys() ?? [])].filter((note) => !body.querySelector(`[data-note="${note}"]`)).sort((a, b) => a - b);
    for (const note of unmet) {
      const line = document.createElement("tr");
      line.className = "silent";
      line.dataset.note = String(note);
      line.innerHTML = '<td class="mono"></td><td class="mono num hits"></td><td class="where"></td><td>nothing: it is silent here</td>';
      line.cells[0].textContent = String(note);
      tell(line, found.get(note), end);
      body.append(line);
    }
    const said = document.getElementById("unmet");
    said.hidden = !unmet.length;
    said.textContent = `△ Silent here: ${unmet.map((note) => `${note} (${found.get(note)})`).join(", ")}. Perhaps the part was written for another instrument.`;
  }

  /** How many hits of the part have a line's note, and where they stand. */
  function tell(line, count, end) {
    const note = Number(line.dataset.note ?? line.dataset.line);
    line.querySelector(".hits").textContent = count ? String(count) : "";
    const own = count ? part.model.hits.filter((hit) => hit.note === note && hit.velocity) : [];
    line.querySelector(".where").replaceChildren(...(count ? [whereOf(own, end)] : []));
  }

  /** Notes that the part uses and the source does not name have a line too. */
  function addUnnamed(found) {
    const body = table().querySelector("tbody");
    for (const note of [...found.keys()].sort((a, b) => a - b)) {
      if (body.querySelector(`[data-line="${note}"]`)) continue;
      const line = /** @type {HTMLElement} */ (/** @type {HTMLTemplateElement} */ (document.getElementById("translation-line")).content.firstElementChild.cloneNode(true));
      line.dataset.line = String(note);
      line.querySelector("td").textContent = String(note);
      line.querySelector("select").setAttribute("aria-label", `Pad for note ${note}`);
      line.querySelector("button").setAttribute("aria-label", `Hear note ${note}`);
      body.append(line);
    }
  }

  const open = (source) => view() && window.htmx.ajax("GET", `/kits/${session.kit}/map/translations/?shown=${encodeURIComponent(source)}`, { target: "#view" });
  const post = (what, values) => session.post(table().dataset.post.replace("WHAT", what), values);

  document.addEventListener("change", async ({ target }) => {
    if (target.id === "lines-used") show();
    if (target.id === "written-for") {
      await part.model.edit("written-for", { source: target.value });
      await ways.load(target.value);
      open(target.value);
    }
    const line = target.closest?.("table.translation [data-line]");
    if (line && target.tagName === "SELECT") {
      if (target.value) input.pad(Number(target.value), 96, "lane");
      post("pad", { notes: line.dataset.line, value: target.value });
    }
  });
  document.addEventListener("click", async ({ target }) => {
    const line = target.closest?.("table.translation [data-line]");
    if (line && target.closest("[data-hear-line]")) {
      const pad = Number(line.querySelector("select").value);
      if (pad) input.pad(pad, 96, "lane");
      else session.say("Nothing sounds: this note strikes no pad here.");
    }
    if (line && target.closest("[data-sure]")) post("sure", { notes: line.dataset.line });
    if (target.closest?.("#write-translation")) {
      const done = await part.model.edit(`translate/for/${session.kit}`);
      if (done) open("");
    }
  });
  ways.addEventListener("changed", show);
  session.addEventListener("marked", show);
  part.ready.then(() => {
    part.model.addEventListener("loaded", show);
    show();
  });
}
