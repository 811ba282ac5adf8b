/**
 * Files carried out of the page and in: a link to a stem, a part or a kit can be dragged onto the desktop, where the browser
 * knows that (it is told name and address); a kit file dropped on an open kit opens beside it.
 */
import { post, tooLarge } from "../shelf/upload.js";

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

/**
 * Send kit files, one after another; what is told of each as it opens is placed where it belongs.
 * @param {File[]} files @param {{ say: (text: string, isWarning?: boolean) => void, place: (html: string) => Element }} page
 */
export async function openKits(files, { say, place }) {
  for (const file of files) {
    const why = tooLarge(file);
    const body = new FormData();
    body.append("file", file, file.name);
    const answer = why ? null : await post("/kits/files/open/", body).catch(() => null);
    if (answer?.ok) window.htmx.process(place(await answer.text()));
    else say(why || ((await answer?.text()) ?? `${file.name} was not sent: the server does not answer. Drop it again.`), true);
  }
}

/** In an open kit: how far each has come, and what it is then, stands in the window that asks. */
export function openKitsBeside(files, session) {
  const ask = /** @type {HTMLDialogElement} */ (document.getElementById("ask"));
  const place = (html) => {
    if (!ask.open || !ask.querySelector(".kit-file")) ask.innerHTML = `<p class="line"><span class="spacer"></span><button type="button" class="button" data-close>Close</button></p>`;
    ask.insertAdjacentHTML("afterbegin", html);
    if (!ask.open) ask.showModal();
    return ask.firstElementChild;
  };
  return openKits(files, { say: (text, isWarning) => session.say(text, isWarning), place });
}
