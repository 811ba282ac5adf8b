import { tooLarge } from "../shelf/upload.js";

/** Dialogs, the theme, and things that close. Needed on every page. */
export function startDialogs() {
  document.addEventListener("click", ({ target }) => {
    const opener = target.closest?.("[data-open]");
    if (opener) document.getElementById(opener.dataset.open)?.showModal();
    if (target.closest?.("[data-close]") || target.matches?.("dialog[open]")) target.closest("dialog")?.close();
    const dismiss = target.closest?.("[data-dismiss]");
    if (dismiss) dismiss.closest(dismiss.dataset.dismiss)?.remove();
    for (const menu of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll("details.menu[open]"))) {
      const isBeside = menu.dataset.beside && target.closest?.(menu.dataset.beside); // what is used together with it
      if ((!menu.contains(/** @type {Node} */ (target)) && !isBeside) || target.closest?.(".menu-body button:not([data-stays])")) menu.open = false;
    }
    if (target.closest?.("[data-theme-switch]")) {
      const theme = document.documentElement.dataset.theme === "night" ? "paper" : "night";
      document.documentElement.dataset.theme = theme;
      localStorage.setItem("theme", theme);
      document.dispatchEvent(new Event("theme"));
    }
  });
  document.addEventListener("change", (event) => {
    const input = /** @type {HTMLInputElement} */ (event.target);
    if (input.type !== "file" || !input.form) return;
    const why = [...input.files].map(tooLarge).find(Boolean) ?? "";
    input.setCustomValidity(why);
    if (input.reportValidity()) return;
    input.value = "";
    event.stopImmediatePropagation();
  }, true);
  document.body.addEventListener("htmx:afterSettle", ({ detail }) => {
    const ask = document.getElementById("ask");
    if (detail.requestConfig?.elt?.closest?.("[data-ask]") && ask.firstElementChild && !ask.open) ask.showModal();
  });
}
