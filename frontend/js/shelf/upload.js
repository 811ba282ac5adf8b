/** Sends files to the shelf, one request each, a few at a time; the server reads them while more arrive. */
const AT_ONCE = 4;
const TRIES = 3;
const FULL = 507; // the disk is

/** @param {{ file: File, path: string }[]} files */
export async function upload(files, { session, onListed }) {
  if (!files.length) return session.say("There were no files in that.", true);
  const begun = await post("/shelf/imports/", new FormData()).catch(() => null);
  if (!begun?.ok) return session.say("The import could not begin: the server does not answer. Try again.", true);
  const { import: id } = await begun.json();
  const queue = [...files];
  const lost = [];
  const send = async () => {
    for (let next = queue.shift(); next; next = queue.shift()) await sendOrNote(next);
  };
  const sendOrNote = async (file) => {
    const why = await sendOne(id, file);
    if (why !== null) lost.push({ path: file.path, why });
  };
  const progress = (uploading) => session.get(`/shelf/imports/${id}/${uploading ? `?uploading=${files.length}` : ""}`, "#import");
  await sendOrNote(queue.shift());
  progress(true);
  await Promise.all(Array.from({ length: AT_ONCE }, send));
  await progress(false);
  onListed();
  if (!lost.length) return;
  const [{ path, why }] = lost;
  const said = `${lost.length} file${lost.length === 1 ? "" : "s"}`;
  const which = `${path}${lost.length > 1 ? "…" : ""}`;
  session.say(`${said} could not be sent (${which}). ${why || "The server did not answer."} Bring them in again; the others are here.`, true);
}

/** Send one file; null when it is there, else what the server said of it. */
async function sendOne(id, { file, path }) {
  let why = tooLarge(file);
  if (why) return why;
  for (let tries = 0; tries < TRIES; tries++) {
    const body = new FormData();
    body.append("path", path);
    body.append("file", file, file.name);
    const answer = await post(`/shelf/imports/${id}/files/`, body).catch(() => null);
    if (answer?.ok) return null;
    why = (await answer?.text()) ?? "";
    if (answer?.status === FULL) break;
    await new Promise((resolve) => setTimeout(resolve, 300 * (tries + 1)));
  }
  return why;
}

/** Why a file is not even sent: nothing, where it fits. @param {File} file */
export function tooLarge(file) {
  const limit = Number(document.body.dataset.uploadBytes) - 100_000; // what a form adds round it
  if (file.size <= limit) return "";
  return `${file.name} is larger than ${Math.round(limit / 2 ** 20)} MB, the most that is taken at once (DACTYL_MAX_UPLOAD_MB).`;
}

export function post(url, body) {
  const headers = { ...JSON.parse(document.body.getAttribute("hx-headers")), Accept: "application/json" };
  return fetch(url, { method: "POST", body, headers });
}

/** Every file of a drop, those in folders too, with its path there. */
export async function filesOf(dataTransfer) {
  const entries = [...dataTransfer.items].map((item) => item.webkitGetAsEntry?.()).filter(Boolean);
  if (!entries.length) return [...dataTransfer.files].map((file) => ({ file, path: file.name }));
  return (await Promise.all(entries.map(walk))).flat();
}

async function walk(entry) {
  if (entry.isFile) {
    const file = await new Promise((resolve, reject) => entry.file(resolve, reject)).catch(() => null);
    return file && !file.name.startsWith(".") ? [{ file, path: entry.fullPath.replace(/^\//, "") }] : [];
  }
  const reader = entry.createReader();
  const inside = [];
  for (;;) {
    const some = await new Promise((resolve, reject) => reader.readEntries(resolve, reject)).catch(() => []);
    if (!some.length) break;
    inside.push(...some);
  }
  return (await Promise.all(inside.map(walk))).flat();
}
