/** Sounds dropped on the Part view are the tracks of one recording, those of a folder or a zip too. */
import { post, tooLarge } from "../shelf/upload.js";

/** @param {{ file: File, path: string }[]} files */
export async function bringTracks(files, session) {
  const why = files.map(({ file }) => tooLarge(file)).find(Boolean);
  if (why) return session.say(why, true);
  const body = new FormData();
  for (const { file } of files) body.append("tracks", file, file.name);
  session.say(`Bringing in ${files.length} track${files.length === 1 ? "" : "s"} of a recording…`);
  const answer = await post(`/recordings/of/${session.kit}/new/`, body).catch(() => null);
  if (!answer?.ok) return session.say((await answer?.text()) ?? "The server does not answer. Drop them again.", true);
  await session.show(answer.headers.get("HX-Push-Url"));
}
