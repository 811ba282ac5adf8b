/**
 * Files carried out of the page and in: a link to a stem, a part or a kit can be dragged onto the desktop, where the browser
 * knows that (it is told name and address); a kit file dropped on an open kit opens beside it.
 */
import { post } from "../shelf/upload.js";

const KINDS = { wav: "audio/wav", flac: "audio/flac", mid: "audio/midi", musicxml: "application/xml", zip: "application/zip", sf2: "application/octet-stream" };

export function startCarrying() {
  document.addEventListener("dragstart", ({ target, dataTransfer }) => {
    const link = /** @type {HTMLAnchorElement} */ (/** @type {HTMLElement} */ (target).closest?.("a[data-file]"));
    if (!link) return;
    const name = link.dataset.file;
    dataTransfer.setData("DownloadURL", `${KINDS[name.split(".").pop()] ?? "application/octet-stream"}:${name}:${link.href}`);
    dataTransfer.effectAllowed = "copy";
  });
}

/** How far it has come, and what it is then, stands in the window that asks. @param {File} file */
export async function openKit(file, session) {
  const body = new FormData();
  body.append("file", file, file.name);
  const answer = await post("/kits/files/open/", body).catch(() => null);
  const words = (await answer?.text()) ?? `${file.name} was not sent: the server does not answer. Drop it again.`;
  if (!answer?.ok) return session.say(words, true);
  const ask = /** @type {HTMLDialogElement} */ (document.getElementById("ask"));
  ask.innerHTML = `${words}<p class="line"><span class="spacer"></span><button type="button" class="button" data-close>Close</button></p>`;
  window.htmx.process(ask);
  if (!ask.open) ask.showModal();
}
