/** MIDI files dropped on any page become parts; the last is shown, with the open kit or the one that was changed last. */
import { openKits } from "../page/carrying.js";
import { filesOf, post } from "../shelf/upload.js";

export const isKitFile = ({ file }) => /\.sf2$/i.test(file.name);
export const isMidi = ({ file }) => /\.(midi?|musicxml|mxl|xml)$/i.test(file.name);
/** Or what may hold some: the server looks. */
export const isSound = (one) => !isMidi(one) && !isKitFile(one);

/**
 * @param {{ file: File }[]} files
 * @param {{ kit?: string, say: (text: string, isWarning?: boolean) => void, show?: (url: string) => Promise<boolean> }} page
 */
export async function readParts(files, page) {
  let read = "";
  for (const { file } of files) {
    const body = new FormData();
    body.append("file", file, file.name);
    const answer = await post(page.kit ? `/parts/of/${page.kit}/read/` : "/parts/read/", body).catch(() => null);
    if (answer?.ok) read = answer.url;
    else page.say((await answer?.text()) ?? `${file.name} was not read: the server does not answer. Drop it again.`, true);
  }
  if (!read) return;
  if (!page.kit) return location.assign(read);
  await page.show(read);
}

/** On the list of kits, where no shelf takes what is dropped. */
export function startReading() {
  const place = document.getElementById("said");
  if (!place) return;
  const say = (text) => {
    place.textContent = text;
    place.hidden = !text;
  };
  document.addEventListener("dragover", (event) => event.dataTransfer.types.includes("Files") && event.preventDefault());
  document.addEventListener("drop", async (event) => {
    if (!event.dataTransfer.types.includes("Files")) return;
    event.preventDefault();
    const files = await filesOf(event.dataTransfer);
    const midi = files.filter(isMidi);
    const kits = files.filter(({ file }) => /\.(zip|sf2)$/i.test(file.name)).map(({ file }) => file);
    say(midi.length + kits.length < files.length ? "Sounds come in on the shelf, or in an open kit: drop them there." : "");
    const opened = document.getElementById("opened");
    const place = (html) => {
      opened.insertAdjacentHTML("afterbegin", html);
      return opened.firstElementChild;
    };
    if (opened) await openKits(kits, { say, place });
    readParts(midi, { say });
  });
}
