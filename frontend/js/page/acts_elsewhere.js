/** Acts of views that are not open: read from their pages while the hand types, and done there. */
import { actsOf, doIt } from "./acts_found.js";

const AWAITED = "awaited-act"; // in the storage of the tab, over the loading of a page: { url, name, where, since }
const LATEST_MS = 15_000; // a page that did not come until then was not reached: nothing is done when it is met later

/**
 * The acts of these views, one view after the other as each has come.
 * @param {{ name: string, url: string }[]} views
 * @param {(acts: { name: string, where: string, url: string, does?: { name: string, where: string } }[]) => void} found
 */
export async function readElsewhere(views, found) {
  for (const { name: view, url } of views) {
    const answer = await fetch(url, { headers: { "HX-Request": "true" } }).catch(() => null);
    if (!answer?.ok) continue;
    const page = new DOMParser().parseFromString(await answer.text(), "text/html");
    for (const around of page.querySelectorAll("[hx-swap-oob]")) around.remove(); // what every view has beside it
    const acts = actsOf(page, null).map(({ name, where, element }) => {
      const told = { name, where: where ? `${view}: ${where}` : view };
      const link = element.getAttribute("href");
      return link ? { ...told, url: addressOf(link, url) } : { ...told, url, does: { name, where } };
    });
    found(acts);
  }
}

/** Go to a place, and do there what is to be done. @param {string} url @param {{ name: string, where: string }} [does] */
export function goThere(url, does) {
  const here = document.getElementById("view") && document.querySelector(`#tabs a[href="${CSS.escape(url)}"]`);
  if (does) sessionStorage.setItem(AWAITED, JSON.stringify({ url, since: Date.now(), ...does }));
  if (!here) return location.assign(url);
  const settled = ({ detail }) => {
    if (detail.target?.id !== "view") return; // something else was drawn meanwhile
    document.body.removeEventListener("htmx:afterSettle", settled);
    doAwaited();
  };
  document.body.addEventListener("htmx:afterSettle", settled);
  /** @type {HTMLElement} */ (here).click();
}

/** What was asked for before this page, or this view, was shown; once. */
export function doAwaited() {
  const awaited = JSON.parse(sessionStorage.getItem(AWAITED) ?? "null");
  sessionStorage.removeItem(AWAITED);
  if (!awaited || !isHere(awaited.url) || Date.now() - awaited.since > LATEST_MS) return;
  const act = actsOf(document.getElementById("view") ?? document, null).find(({ name, where }) => name === awaited.name && where === awaited.where);
  if (act) return doIt(act.element);
  const status = document.getElementById("status");
  if (status) status.textContent = `${awaited.name} is not here now.`;
}

/** Where a link of a page that was only read leads. */
function addressOf(link, url) {
  const { pathname, search, hash } = new URL(link, new URL(url, location.href));
  return pathname + search + hash;
}

const isHere = (url) => new URL(url, location.href).pathname === location.pathname;
