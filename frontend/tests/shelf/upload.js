import { filesOf, upload } from "../../js/shelf/upload.js";
import { equal, settled, test } from "../harness.js";

/** Send some files to a server that answers each path as told; without a status there is no network. */
async function send(paths, { answers = {}, sizes = {}, isDown = false } = /** @type {any} */ ({})) {
  document.body.setAttribute("hx-headers", JSON.stringify({ "X-Token": "t" }));
  document.body.dataset.uploadBytes = String(300_000);
  const found = { said: [], got: [], sent: [], listed: 0, most: 0 };
  let atOnce = 0;
  window.fetch = /** @type {any} */ (async (url, { body, headers }) => {
    if (url === "/shelf/imports/") return isDown ? { ok: false } : { ok: true, json: async () => ({ import: 7 }) };
    found.most = Math.max(found.most, ++atOnce);
    const path = body.get("path");
    found.sent.push([url, path, headers["X-Token"]]);
    await new Promise((resolve) => setTimeout(resolve, 5));
    atOnce--;
    const status = (answers[path] ??= []).shift() ?? 200;
    if (!status) throw new TypeError("no network");
    return { ok: status < 300, status, text: async () => `said ${status}.` };
  });
  const session = { say: (words) => found.said.push(words), get: async (url) => void found.got.push(url) };
  const files = paths.map((path) => ({ path, file: new File([new Uint8Array(sizes[path] ?? 10)], path.split("/").pop()) }));
  const done = upload(files, { session, onListed: () => found.listed++ });
  await settled(5000);
  await done;
  return found;
}

test("files go a few at a time once the first is there", async () => {
  const paths = Array.from({ length: 12 }, (_, n) => `Kit/${n}.wav`);
  const { sent, most, said, listed, got } = await send(paths);
  equal(sent.map(([, path]) => path).sort(), [...paths].sort()); // prettier-ignore
  equal([...new Set(sent.map(([url, , token]) => `${url} ${token}`))], ["/shelf/imports/7/files/ t"]);
  equal([most, said, listed, got], [4, [], 1, ["/shelf/imports/7/?uploading=12", "/shelf/imports/7/"]]);
});

test("a bad line is tried again, and what stays behind is named", async () => {
  const answers = { "shaky.wav": [0, 503], "refused.wav": [400, 400, 400], "silent.wav": [0, 0, 0], "full.wav": [507] };
  const { sent, said } = await send([...Object.keys(answers), "large.wav", "good.wav"], { answers, sizes: { "large.wav": 290_000 } });
  const tries = (path) => sent.filter(([, one]) => one === path).length;
  equal(["shaky.wav", "refused.wav", "silent.wav", "full.wav", "large.wav", "good.wav"].map(tries), [3, 3, 3, 1, 0, 1]);
  equal([said.length, /^4 files could not be sent \(\w+\.wav…\)\. .*\. Bring them in again; the others are here\.$/.test(said[0])], [1, true]);
});

test("of one file what the server said of it is told, or that it said nothing", async () => {
  equal((await send(["full.wav"], { answers: { "full.wav": [507] } })).said, ["1 file could not be sent (full.wav). said 507. Bring them in again; the others are here."]);
  equal((await send(["silent.wav"], { answers: { "silent.wav": [0, 0, 0] } })).said, ["1 file could not be sent (silent.wav). The server did not answer. Bring them in again; the others are here."]);
});

test("nothing, and a server that is down, are said", async () => {
  equal((await send([])).said, ["There were no files in that."]);
  const { sent, listed, said } = await send(["a.wav"], { isDown: true });
  equal([sent, listed, said], [[], 0, ["The import could not begin: the server does not answer. Try again."]]);
});

const fileEntry = (path, isGone = false) => ({ isFile: true, fullPath: `/${path}`, file: (good, bad) => (isGone ? bad(new Error()) : good(new File(["x"], path.split("/").pop()))) });

/** As browsers tell folders: in batches, until an empty one. */
function folderEntry(inside, isLocked = false) {
  const batches = [inside.slice(0, 2), inside.slice(2), []];
  return { isFile: false, createReader: () => ({ readEntries: (good, bad) => (isLocked ? bad(new Error()) : good(batches.shift())) }) };
}

test("folders are walked to their ends, without what is hidden or can't be read", async () => {
  const snares = folderEntry([1, 2, 3].map((n) => fileEntry(`Kit/Snare/${n}.wav`)));
  const kit = folderEntry([fileEntry("Kit/kick.wav"), snares, fileEntry("Kit/.hidden"), fileEntry("Kit/gone.wav", true)]);
  const entries = [kit, folderEntry([fileEntry("Locked/x.wav")], true), fileEntry("alone.wav")];
  const found = await filesOf({ items: entries.map((entry) => ({ webkitGetAsEntry: () => entry })), files: [] });
  equal(
    found.map(({ path, file }) => [path, file.name]),
    [["Kit/kick.wav", "kick.wav"], ["Kit/Snare/1.wav", "1.wav"], ["Kit/Snare/2.wav", "2.wav"], ["Kit/Snare/3.wav", "3.wav"], ["alone.wav", "alone.wav"]],
  ); // prettier-ignore
});

test("a browser that knows no folders gives its files", async () => {
  const found = await filesOf({ items: [{}], files: [new File(["x"], "old.wav")] });
  equal(found.map(({ path, file }) => [path, file.name]), [["old.wav", "old.wav"]]);
});
