/**
 * Nothing that was done is lost by leaving: links to other pages and files wait until the edits under way are answered, so
 * that a file holds them too; closing the window while some are, is asked about.
 */
import { isAnyResting, tellAllNow } from "./resting.js";
import { allSent, isSending } from "./sending.js";

export function startLeaving(session) {
  /** What rests is told first, and is under way then. */
  function isBusy() {
    if (isAnyResting()) tellAllNow();
    return isSending() || session.isEditing();
  }
  let waiting = null; // the link or form that was pressed last, and waits

  /** Keep a press until all is sent; the second one of the same goes at once. */
  function waits(event, pressed, go) {
    if (!isBusy() || waiting === pressed) return;
    event.preventDefault();
    event.stopImmediatePropagation();
    waiting = pressed;
    session.say("What you did is on its way to the server. Press again to go on without it.");
    Promise.all([session.inTurn(async () => {}), allSent()]).then(() => {
      if (waiting !== pressed) return;
      go();
      waiting = null;
    });
  }

  document.addEventListener("click", (event) => {
    const link = /** @type {HTMLElement} */ (event.target).closest?.("a[href]:not([hx-get])");
    const isOther = event.ctrlKey || event.metaKey || event.shiftKey; // a window of its own: this one stays
    if (link instanceof HTMLAnchorElement && !isOther) waits(event, link, () => link.click());
  }, { capture: true }); // prettier-ignore
  document.addEventListener("submit", (event) => {
    const form = /** @type {HTMLFormElement} */ (event.target);
    if (form.method === "post" && !form.closest("[hx-post], [hx-get]")) waits(event, form, () => form.requestSubmit(event.submitter));
  }, { capture: true }); // prettier-ignore
  window.addEventListener("beforeunload", (event) => isBusy() && event.preventDefault());
}
