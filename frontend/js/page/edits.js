/**
 * Edits go to the server one after another, each with the version that the one before it left: a quick hand never meets
 * its own edit as a stale page. What is being typed while an answer redraws its field stays as it was typed.
 */
import { header } from "./headers.js";

const [VIEW, VERSION] = [header("view"), header("kit_version")];
const OF_THEIR_OWN = ["part", "recording", "bounce", "stack"]; // views that fetch what they show by themselves

/** An answer without the rows of a view that was left meanwhile: there is no place for them. @param {string} html */
function withoutAbsent(html) {
  const answer = document.createElement("template");
  answer.innerHTML = html;
  for (const part of answer.content.querySelectorAll("[id][hx-swap-oob]")) if (!document.getElementById(part.id)) part.remove();
  return answer.innerHTML;
}

export function startEdits(session) {
  const { body } = document;
  const edits = `/kits/${session.kit}/`;
  const waiting = [];
  let isUnderWay = false;

  const isEdit = ({ verb, path }) => verb === "post" && path.startsWith(edits);

  body.addEventListener("htmx:confirm", (event) => {
    const { elt, path, target, etc, issueRequest } = event.detail;
    if (!isUnderWay || !isEdit(event.detail)) return;
    event.preventDefault();
    const swap = elt.closest("[hx-swap]")?.getAttribute("hx-swap") ?? "innerHTML";
    const values = etc?.values ?? { ...JSON.parse(elt.getAttribute("hx-vals") ?? "{}"), ...Object.fromEntries(Object.entries(window.htmx.values(elt, "post"))) };
    waiting.push(() => {
      if (body.contains(elt)) return issueRequest(true);
      const source = document.getElementById(elt.id) ?? body; // its field was drawn anew meanwhile
      window.htmx.ajax("POST", path, { source, target, swap, values });
    });
  });
  session.isEditing = () => isUnderWay || waiting.length > 0;
  session.inTurn = (send) => (session.isEditing() ? new Promise((resolve) => waiting.push(() => resolve(send()))) : send());
  body.addEventListener("htmx:beforeSend", ({ detail }) => {
    if (isEdit(detail.requestConfig)) isUnderWay = true;
  });
  body.addEventListener("htmx:afterRequest", ({ detail }) => {
    if (!isEdit(detail.requestConfig)) return;
    isUnderWay = false;
    if (detail.requestConfig.headers[VIEW] !== session.headers[VIEW]) drawAgain();
    setTimeout(() => {
      while (!isUnderWay && waiting.length) waiting.shift()();
    });
  });

  // A view or card that was asked for while an edit was under way may show the kit as it was before: it is asked for again.
  let shown = location.pathname + location.search; // where the view that is shown comes from
  const drawAgain = () => !OF_THEIR_OWN.includes(session.headers[VIEW]) && session.get(shown, "#view");
  body.addEventListener("htmx:afterSettle", ({ detail: { target, requestConfig, pathInfo } }) => {
    if (!["view", "card"].includes(target?.id) || requestConfig?.verb !== "get") return;
    const isOfBefore = requestConfig.headers[VERSION] !== session.headers[VERSION];
    if (target.id === "view") shown = pathInfo.finalRequestPath;
    if (isOfBefore && target.id === "view") drawAgain();
    else if (isOfBefore) session.loadCard();
  });

  // An answer is drawn for what was selected and open when its edit was sent; what was opened since is not drawn over.
  let asked = {};
  body.addEventListener("htmx:beforeSwap", ({ detail }) => {
    asked = detail.requestConfig.headers;
    if (asked[VIEW] !== session.headers[VIEW]) detail.serverResponse = withoutAbsent(detail.serverResponse);
  });
  body.addEventListener("htmx:oobBeforeSwap", ({ detail }) => {
    const now = session.headers;
    const isOld = (...names) => names.some((name) => asked[name] !== now[name]);
    if (detail.target.id === "view" && isOld(VIEW)) detail.shouldSwap = false;
    if (detail.target.id === "card" && isOld(header("selected_pads"), header("selected_takes"), header("card_tab"))) {
      detail.shouldSwap = false;
      session.loadCard();
    }
  });

  let typed = null; // { field, id, text, from, to }
  const sent = new WeakMap(); // field -> what was last sent of it
  body.addEventListener("change", ({ target }) => sent.set(target, target.value), { capture: true });
  const remember = () => {
    const field = document.activeElement;
    const isOpen = field?.matches?.("input.cell, input[type=search], input[type=number], input:not([type])") && field.id && field.value !== field.defaultValue && field.value !== sent.get(field);
    typed = isOpen ? { field, id: field.id, text: field.value, from: field.selectionStart, to: field.selectionEnd } : null;
  };
  body.addEventListener("htmx:beforeSwap", remember);
  body.addEventListener("htmx:afterSettle", () => {
    const field = typed && document.getElementById(typed.id);
    if (field && field !== typed.field) giveBack(field, typed);
    if (field !== typed?.field) typed = null;
  });

  /** The browser tells no change of a text that a script put there, so leaving the field tells it. */
  function giveBack(field, { text, from, to }) {
    field.value = text;
    field.focus();
    if (from !== null) field.setSelectionRange(from, to); // a number has no selection
    let isTold = false;
    field.addEventListener("change", () => (isTold = true), { once: true });
    field.addEventListener("blur", () => isTold || field.value === field.defaultValue || field.dispatchEvent(new Event("change", { bubbles: true })), { once: true });
  }
}
