/**
 * Other drums in the place of a piece: the arrow keys walk the list, each sounds in its place, in the running part from the
 * next hit on; nothing is changed until one is kept. Or each sounds with it, as a second drum under the first, with a level, tuning
 * and delay, and what its phase would win is told.
 */
import { header } from "../page/headers.js";

const STRIKES = [40, 80, 120];
const APART_MS = 230;
const LOADED_MS = 1500; // a sound that has not come by then is struck all the same

export function startSwap(session, engine, input) {
  const view = () => document.getElementById("swap");
  const rows = () => /** @type {HTMLElement[]} */ ([...(view()?.querySelectorAll(".drum") ?? [])]);
  let drawn = null;
  let chosen = null; // the row
  let timers = [];
  let heard = 0; // how often something was to be heard: what another has overtaken is not struck

  const own = () => [...view().querySelectorAll("#swap-pairs tr")].map((row) => Number(row.dataset.own));
  const field = (id) => /** @type {HTMLInputElement} */ (document.getElementById(id));
  const isWith = () => field("swap-how")?.value === "with";
  const number = (id) => Number(field(id).value.replace(",", ".").replace("−", "-")) || 0;
  /** How the second drum sounds: level, tuning, delay, polarity. */
  const layering = () => [number("thicken-gain"), number("thicken-tune"), number("thicken-delay"), field("thicken-flip").checked ? 1 : 0].join("_");
  /** What the tables are asked for: the piece, whether it is made as loud, which pad stands for which; or the same beside the first. */
  const auditioned = () => (isWith() && alone() ? `with.${layering()}~${alone()}` : alone());
  const alone = () => {
    if (!chosen || chosen.dataset.drum === "0") return "";
    const lines = [...view().querySelectorAll("#swap-pairs tr")].map((row) => [row.dataset.own, row.querySelector("select").value]);
    const pairs = lines.filter(([, other]) => other !== "").map(([pad, other]) => `${pad}-${other}`);
    const mic = /** @type {HTMLInputElement} */ (document.getElementById("swap-mic"))?.value ?? "";
    return [chosen.dataset.drum, levelled().checked ? 1 : 0, pairs.join("_"), mic].join(".");
  };
  const levelled = () => /** @type {HTMLInputElement} */ (document.getElementById("swap-levelled"));

  function choose(row) {
    if (!row) return;
    chosen = row;
    for (const each of rows()) each.setAttribute("aria-selected", String(each === row));
    row.scrollIntoView({ block: "nearest" });
    document.getElementById("drums").setAttribute("aria-activedescendant", row.id);
    drawPairs(row);
    hear();
  }

  function drawPairs(row) {
    const theirs = JSON.parse(row.dataset.theirs);
    const pairs = new Map(row.dataset.pairs.split("_").filter(Boolean).map((pair) => pair.split("-"))); // prettier-ignore
    const isOwn = row.dataset.drum === "0";
    for (const line of /** @type {NodeListOf<HTMLElement>} */ (view().querySelectorAll("#swap-pairs tr"))) {
      const select = line.querySelector("select");
      select.replaceChildren(new Option("itself", ""), ...theirs.map(([id, name]) => new Option(name, String(id))), ...(isOwn ? [] : [new Option("silence", "0")]));
      select.value = pairs.get(line.dataset.own) ?? "";
      select.disabled = isOwn;
    }
    document.getElementById("swap-keep").toggleAttribute("disabled", isOwn);
    document.getElementById("swap-add").toggleAttribute("disabled", isOwn);
    field("thicken-alongside").toggleAttribute("disabled", isOwn || !/^\d+$/.test(row.dataset.drum) || row.dataset.kit === session.kit);
    const where = isWith() ? "with this one" : "in the place of this one";
    document.getElementById("swap-said").textContent = isOwn ? "As it is in this kit." : `It is heard ${where}; Enter keeps it, Escape leaves it.`;
  }

  /** In its place, or with it. */
  function showHow() {
    document.getElementById("thicken").hidden = !isWith();
    document.getElementById("swap-pairs-title").textContent = isWith() ? "What sounds along" : "In its place";
    if (!chosen) return;
    drawPairs(chosen);
    hear();
  }

  /** What would be won in the low end by polarity and delay: told, and heard where it is wanted. */
  async function lookAtPhase(asked) {
    const says = document.getElementById("thicken-phase");
    const use = field("thicken-use");
    use.hidden = true;
    says.textContent = "";
    const answer = await fetch(`${view().dataset.phase}?value=${encodeURIComponent(asked.slice("with.".length))}`).catch(() => null);
    if (!view() || auditioned() !== asked) return;
    if (!answer?.ok) return void (says.textContent = answer ? (await answer.text()).slice(0, 200) : "");
    const { isFlipped, delayMs, wonDb } = await answer.json();
    const how = [isFlipped ? "polarity turned" : "", delayMs ? `${delayMs} ms later` : ""].filter(Boolean).join(", ");
    says.textContent = wonDb ? `Low end: ${wonDb} dB more with ${how}.` : "Their low ends add as well as they can.";
    Object.assign(use.dataset, { flip: isFlipped ? "1" : "", delay: String(delayMs) });
    use.hidden = !wonDb;
  }

  async function hear() {
    const number = ++heard;
    timers.forEach(clearTimeout);
    engine.auditioned = auditioned();
    const pads = own();
    const asked = engine.auditioned;
    await engine.loadPlaybook(pads);
    if (number !== heard) return;
    if (asked.startsWith("with.")) lookAtPhase(asked);
    if (!engine.isPartPlaying) strikeAll(pads[0], number);
  }

  /** Soft, middle and hard, one after another, once the sounds are here. */
  async function strikeAll(pad, number) {
    await Promise.race([engine.arrival(pad, 0), new Promise((resolve) => setTimeout(resolve, LOADED_MS))]);
    if (number !== heard) return; // walked on, or away
    timers = STRIKES.map((velocity, n) => setTimeout(() => input.pad(pad, velocity, "swap"), n * APART_MS));
  }

  async function keep() {
    const value = auditioned();
    if (!value) return;
    const { keep: place, thicken, back } = view().dataset;
    const url = isWith() ? thicken : place;
    const [pads, before] = [own(), session.headers[header("kit_version")]];
    engine.auditioned = "";
    await session.post(url, { value: value.replace(/^with\./, "") });
    engine.loadPlaybook(pads); // kept or refused: what was auditioned is heard no longer
    if (session.headers[header("kit_version")] !== before) session.show(back, { isNew: false });
    else if (view()) choose(rows()[0]);
  }

  /** Its kit alongside this one, with this piece only. */
  async function keepAlongside(url) {
    const { kit, drum } = chosen.dataset;
    const pads = own();
    const values = { other: kit, piece: drum, gain_db: field("thicken-gain").value, delay_ms: field("thicken-delay").value };
    engine.auditioned = "";
    await session.post(url, values);
    engine.loadPlaybook(pads);
  }

  const addShown = (url) => session.post(url, { piece: chosen.dataset.drum, shown: JSON.parse(chosen.dataset.theirs).map(([id]) => id).join(",") }); // prettier-ignore
  const leave = () => document.getElementById("swap-leave")?.click();

  document.addEventListener("click", ({ target }) => {
    if (!view()) return;
    const row = target.closest?.(".drum");
    if (row) choose(row);
    const strike = target.closest?.("[data-strike]");
    if (strike) input.pad(Number(strike.closest("tr").dataset.own), Number(strike.dataset.strike), "swap");
    if (target.closest?.("#swap-keep")) keep();
    const use = target.closest?.("#thicken-use");
    if (use) {
      field("thicken-flip").checked = use.dataset.flip === "1";
      field("thicken-delay").value = use.dataset.delay;
      hear();
    }
    const beside = target.closest?.("#thicken-alongside");
    if (beside && chosen) keepAlongside(beside.dataset.add);
    const add = target.closest?.("#swap-add");
    if (add && chosen) addShown(add.dataset.add);
  });
  document.addEventListener("change", ({ target }) => {
    if (target.id === "swap-how") showHow();
    if (chosen && (target.closest?.("#swap-pairs, #thicken") || ["swap-levelled", "swap-mic"].includes(target.id))) hear();
  });
  session.addEventListener("marked", () => {
    const now = view();
    if (now === drawn) return;
    const was = drawn;
    drawn = now;
    chosen = null;
    heard++;
    timers.forEach(clearTimeout);
    if (was && engine.auditioned && !/^(\d+:|mend\.)/.test(engine.auditioned)) {
      const pads = [...was.querySelectorAll("#swap-pairs tr")].map((row) => Number(row.dataset.own));
      engine.auditioned = "";
      engine.loadPlaybook(pads);
    }
    if (now) showHow();
    if (now && !document.activeElement?.closest?.("#swap-filter")) document.getElementById("drums").focus();
  });

  return (event) => {
    if (!view() || event.target.closest?.("input, select")) return open(event);
    const all = rows();
    const at = all.indexOf(chosen ?? all[0]);
    const to = { ArrowDown: at + 1, ArrowUp: at - 1, Home: 0, End: all.length - 1, PageDown: at + 8, PageUp: at - 8 }[event.key];
    if (to !== undefined) choose(all[Math.max(0, Math.min(all.length - 1, to))]);
    else if (event.key === "Enter" && !event.target.closest?.("button, a")) keep();
    else if (event.key === "Escape") leave();
    else if (/^[123]$/.test(event.key)) input.pad(own()[0], STRIKES[Number(event.key) - 1], "swap");
    else return false;
    return true;
  };

  /** H opens it for the selected pad. */
  function open({ code, ctrlKey, metaKey, altKey, target }) {
    if (code !== "KeyH" || ctrlKey || metaKey || altKey || !session.selected || target.closest?.("input, select, textarea, canvas, [role=application]")) return false;
    session.show(`/kits/${session.kit}/pads/${session.selected}/swap/`);
    return true;
  }
}
