/** MIDI files dropped on any page of a kit become parts; the last is shown. */
import { post } from "../shelf/upload.js";

/** @param {{ file: File }[]} files @param {import("../page/session.js").Session} session */
export async function readParts(files, session) {
  if (files.length && !session.kit) return session.say("MIDI files become parts: open a kit, then drop them there.", true);
  let read = "";
  for (const { file } of files) {
    const body = new FormData();
    body.append("file", file, file.name);
    const answer = await post(`/parts/of/${session.kit}/read/`, body).catch(() => null);
    if (answer?.ok) read = answer.url;
    else session.say((await answer?.text()) ?? `${file.name} was not read: the server does not answer. Drop it again.`, true);
  }
  if (!read) return;
  await session.get(read, "#view");
  history.pushState(null, "", read);
}
