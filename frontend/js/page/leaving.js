/**
 * Nothing that was done is lost by leaving: links to other pages and files wait until the edits under way are answered, so
 * that a file holds them too; closing the window while some are, is asked about.
 */
import { allSent, isSending } from "./sending.js";

export function startLeaving(session) {
  const isBusy = () => isSending() || session.isEditing();
  let isLetGo = false; // what waited goes now

  function waits(event, go) {
    if (isLetGo || !isBusy()) return;
    event.preventDefault();
    event.stopImmediatePropagation();
    session.say("On its way to the server; a moment…");
    Promise.all([session.inTurn(async () => {}), allSent()]).then(() => {
      isLetGo = true;
      go();
      isLetGo = false;
    });
  }

  document.addEventListener("click", (event) => {
    const link = /** @type {HTMLElement} */ (event.target).closest?.("a[href]:not([hx-get])");
    const isOther = event.ctrlKey || event.metaKey || event.shiftKey; // a window of its own: this one stays
    if (link instanceof HTMLAnchorElement && !isOther) waits(event, () => link.click());
  }, { capture: true }); // prettier-ignore
  document.addEventListener("submit", (event) => {
    const form = /** @type {HTMLFormElement} */ (event.target);
    if (form.method === "post" && !form.closest("[hx-post], [hx-get]")) waits(event, () => form.requestSubmit(event.submitter));
  }, { capture: true }); // prettier-ignore
  window.addEventListener("beforeunload", (event) => isBusy() && event.preventDefault());
}
