/**
 * The kit check: the kit is looked at in the background whenever it was edited and the hand rests; what was found stands in
 * a list that is walked, heard, mended and left by keys, and quietly on the rows of the sheet.
 */
import { post } from "../page/sending.js";

const REST_MS = 3000; // after an edit
const FIRST_MS = 2500; // after the page has come: it is to be drawn and to sound first
const AGAIN_MS = 800;
const LONGEST_MS = 15_000;
const APART_MS = 700; // between the sounds of a finding
const CLOSE_MS = 250; // between an open hat and what should end it
const WORDS = { wrong: "wrong", doubtful: "doubtful", note: "worth knowing" };

export function startCheck(session, engine) {
  const view = () => document.getElementById("check");
  const list = () => document.getElementById("findings");
  const findings = () => /** @type {HTMLElement[]} */ ([...(list()?.querySelectorAll(".finding") ?? [])]);
  const chosen = () => /** @type {HTMLElement | null} */ (list()?.querySelector('.finding[aria-selected="true"]') ?? null);
  let state = null; // what the server said last
  let timer = 0;
  let wait = AGAIN_MS;
  let auditioned = []; // pads that sound as mended
  let kept = null; // key of the finding that is chosen, and its place, over a redraw

  async function ask() {
    if (engine.isPartPlaying && !view()) return later(REST_MS); // it costs nothing while the part plays
    const answer = await post(`/kits/${session.kit}/check/ask/`, {});
    if (!answer?.ok) return; // the next edit asks again
    state = await answer.json();
    show();
    if (!state.isCurrent) return later((wait = Math.min(LONGEST_MS, wait * 1.6)));
    wait = AGAIN_MS;
    const shown = view()?.dataset.shownVersion;
    if (shown !== undefined && shown !== String(state.version) && !session.isEditing()) session.get(`/kits/${session.kit}/check/`, "#view");
  }

  function later(ms) {
    clearTimeout(timer);
    timer = setTimeout(ask, ms);
  }

  /** The count beside the picture's name, and a mark on the rows in question. */
  function show() {
    if (!state) return;
    const count = /** @type {HTMLElement} */ (document.querySelector("#picture-check .check-count"));
    const told = state.counts.filter(([severity]) => severity !== "note");
    const sum = told.reduce((total, [, , number]) => total + number, 0);
    if (count) {
      count.hidden = !sum;
      count.textContent = String(sum);
      count.title = state.counts.map(([severity, , number]) => `${number} ${WORDS[severity]}`).join(", ");
    }
    for (const row of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll(".sheet .row[data-pad]"))) {
      const messages = state.pads[row.dataset.pad];
      row.classList.toggle("has-finding", Boolean(messages));
      const glyph = row.querySelector(".c-glyph");
      if (messages) glyph?.setAttribute("title", messages.slice(0, 3).join(" "));
    }
  }

  /** @param {HTMLElement | null | undefined} finding */
  function choose(finding, { scroll = true } = {}) {
    for (const other of findings()) other.setAttribute("aria-selected", String(other === finding));
    for (const mark of view()?.querySelectorAll("[data-finding-mark]") ?? []) mark.classList.toggle("chosen", mark.getAttribute("data-finding-mark") === finding?.dataset.finding);
    if (auditioned.length && !(finding && isAuditioned(finding))) hearMended(null);
    if (!finding) return list()?.removeAttribute("aria-activedescendant");
    list().setAttribute("aria-activedescendant", finding.id);
    kept = { key: finding.dataset.finding, at: findings().indexOf(finding) };
    if (scroll) finding.scrollIntoView({ block: "nearest" });
    const picture = finding.querySelector(".finding-picture");
    if (!picture.childElementCount) session.get(view().dataset.picture.replace("KEY", finding.dataset.finding), `#${finding.id} .finding-picture`);
  }

  /** One sound after another. @param {HTMLElement} finding */
  function hear(finding) {
    const sounds = JSON.parse(finding.dataset.hear || "[]");
    const isCut = sounds.length === 2 && sounds.every(([kind]) => kind === "pad") && sounds[0][1] !== sounds[1][1];
    sounds.forEach(([kind, pad, which], n) => {
      setTimeout(() => (kind === "take" ? engine.hearTake(pad, which) : engine.hitPad(pad, which)), n * (isCut ? CLOSE_MS : APART_MS));
    });
  }

  /** Hear the kit as this mend would make it, or as it is again. @param {HTMLElement | null} finding */
  function hearMended(finding) {
    const was = auditioned;
    if (!finding && !was.length) return undefined;
    auditioned = finding ? JSON.parse(finding.dataset.mends) : [];
    engine.auditioned = finding ? `mend.${finding.dataset.finding}` : "";
    for (const button of list()?.querySelectorAll("[data-try-it]") ?? []) button.setAttribute("aria-pressed", String(finding?.contains(button) ?? false));
    return engine.loadPlaybook([...new Set([...was, ...auditioned])]);
  }
  const isAuditioned = (finding) => auditioned.length > 0 && finding.querySelector('[data-try-it][aria-pressed="true"]') !== null;

  const send = (what, finding) => session.post(view().dataset[what], { key: finding.dataset.finding });

  document.addEventListener("click", (event) => {
    const mark = event.target.closest?.("[data-finding-mark]");
    if (mark && view()) return choose(document.getElementById(`finding-${mark.getAttribute("data-finding-mark")}`));
    const finding = event.target.closest?.(".finding");
    if (!finding) return;
    if (finding.getAttribute("aria-selected") !== "true") choose(finding, { scroll: false });
    if (event.target.closest("[data-hear-it]")) hear(finding);
    else if (event.target.closest("[data-try-it]")) hearMended(isAuditioned(finding) ? null : finding);
    else if (event.target.closest("[data-mend-it]")) send("mend", finding);
    else if (event.target.closest("[data-leave-it]")) send("leave", finding);
    else if (event.target.closest("[data-go-to-pad]")) session.select(Number(finding.dataset.pad));
  });
  document.addEventListener("focusin", ({ target }) => {
    if (target === list() && !chosen()) choose(findings()[0], { scroll: false });
  });
  session.addEventListener("marked", () => {
    show();
    if (auditioned.length && !list()?.querySelector('[data-try-it][aria-pressed="true"]')) hearMended(null); // the view was left, or drawn anew
    if (!list() || chosen()) return;
    const own = kept && (findings().find((one) => one.dataset.finding === kept.key) ?? findings()[Math.min(kept.at, findings().length - 1)]);
    if (own) choose(own, { scroll: false });
  });
  document.body.addEventListener("kit-changed", () => {
    wait = AGAIN_MS;
    document.getElementById("check-again")?.removeAttribute("hidden");
    later(view() ? AGAIN_MS : REST_MS);
  });
  later(FIRST_MS);

  return (event) => {
    if (!list() || event.target !== list() || event.ctrlKey || event.metaKey || event.altKey) return false;
    const every = findings();
    const at = every.indexOf(chosen());
    const by = { ArrowDown: at + 1, ArrowUp: at - 1, Home: 0, End: every.length - 1 }[event.key];
    if (by !== undefined) choose(every[Math.max(0, Math.min(every.length - 1, by))]);
    else if (!chosen()) return false;
    else if (event.key === "Enter") hear(chosen());
    else if (event.code === "KeyM") return chosen().hasAttribute("data-mends") ? (send("mend", chosen()), true) : (session.say("There is no mend for this: it is yours to decide.", true), true);
    else if (event.code === "KeyT") return chosen().hasAttribute("data-mends") && (hearMended(isAuditioned(chosen()) ? null : chosen()), true);
    else if (event.code === "KeyL") send("leave", chosen());
    else return false;
    return true;
  };
}
