import { SoundLoader } from "../../js/sound/loader.js";
import { equal, settled, test } from "../harness.js";

const [HEAD, WHOLE] = [10, 40]; // bytes of every sound: 5 and 20 frames
const pad = (id, layers) => ({ id, regions: layers.flatMap((keys, layer) => keys.map((key, n) => ({ places: [n], layer, sounds: [[key]] }))) });
const letters = (count, first) => Array.from({ length: count }, (_, n) => String.fromCharCode(first + n));

/** A loader whose answers are made here; what it hands the audio thread is noted, as key and frames. */
function stand(limitBytes) {
  const server = { asked: [], late: new Set(), broken: new Set(), isGone: false };
  const sent = [];
  window.fetch = /** @type {any} */ (async (url) => {
    const [, extent, keys] = url.match(/sounds\/(\w+)\/(.*)\//);
    server.asked.push([extent, keys]);
    if (server.isGone) return { status: 404 };
    const ready = keys.split(".").filter((key) => !server.late.delete(key));
    const broken = ready.filter((key) => server.broken.has(key));
    const read = ready.filter((key) => !server.broken.has(key));
    return { ok: true, status: 200, arrayBuffer: async () => packed(extent === "whole" ? WHOLE : HEAD, read, broken) };
  });
  const said = (message) => message.keys ?? message.sounds.map(({ key, data: [left] }) => `${key}${left.length}${left[0] & 255 ? "" : "?"}`);
  const loader = new SoundLoader({ limitBytes, send: (message) => sent.push(said(message)) });
  /** Once nothing is fetched any more: what came, and which sounds the audio thread has by then. */
  const still = async () => {
    let loaded = {};
    loader.addEventListener("loaded", ({ detail }) => (loaded = detail), { once: true });
    await settled(5000);
    return loaded;
  };
  const all = new Map();
  const held = async () => {
    const { bytes } = await still();
    for (const one of sent.splice(0).flat()) one.length > 1 ? all.set(one[0], Number(one.slice(1))) : all.delete(one);
    return { bytes, sounds: Object.fromEntries(all) };
  };
  return { server, sent, loader, still, held };
}

/** An answer of sounds as the server packs them: the length of the header, the header, the samples. */
function packed(bytes, keys, unread) {
  const sounds = keys.map((key) => ({ key, channels: 1, frames: bytes / 2, of: WHOLE / 2, scale: 1 }));
  const broken = Object.fromEntries(unread.map((key) => [key, `${key} can't be read`]));
  const header = new TextEncoder().encode(JSON.stringify({ sounds, broken }));
  const all = new Uint8Array(4 + header.length + keys.length * bytes);
  new DataView(all.buffer).setUint32(0, header.length, true);
  all.set(header, 4);
  keys.forEach((key, n) => all.fill(key.charCodeAt(0), 4 + header.length + n * bytes, 4 + header.length + (n + 1) * bytes));
  return all.buffer;
}

/** @param {any} loader @param {boolean} whole @param {any[]} pads of the one member */
const want = (loader, whole, pads) => loader.want({ whole, members: [{ key: "", pads }] });

test("heads come first, of every layer's next takes before others, then wholes in the same order", async () => {
  const { loader, still, server, sent } = stand(1000);
  want(loader, true, [pad(1, [["a", "b"], ["c", "d"]]), pad(2, [["e"]])]); // prettier-ignore
  equal(await still(), { sounds: 5, bytes: 200 });
  equal(server.asked.splice(0), [["head", "a.c.e.b.d"], ["whole", "a.c.e.b.d"]]);
  want(loader, false, [pad(2, [["x"]])]);
  await still();
  equal(server.asked, [["head", "x"], ["whole", "x"]]);
  equal(sent, [["a5", "c5", "e5", "b5", "d5"], ["a20", "c20", "e20", "b20", "d20"], ["x5"], ["e"], ["x20"]], "what is replaced is kept until its successor's head is here"); // prettier-ignore
});

test("what was struck is hurried, what is late is asked for again, and the budget holds", async () => {
  const keys = letters(60, 200);
  const { loader, still, server, sent } = stand(1500);
  server.late = new Set([keys[3]]);
  want(loader, true, keys.map((key, n) => pad(n, [[key]])));
  loader.hurry([keys[50]]);
  const { sounds, bytes } = await still();
  const first = sent.splice(0).flat();
  equal([first.filter((one) => one === `${keys[3]}5`).length, first.indexOf(`${keys[50]}20`) < 70], [1, true], "late once, then here; struck first");
  equal([sounds, bytes >= 1500, bytes < 1500 + 8 * WHOLE], [60, true, true]);
});

test("that a take has come is told however late it is, and that it never will", async () => {
  const { loader, server, still } = stand(1000);
  const told = [];
  const ask = (id) => loader.arrival(id, 0).then((isHere) => told.push([id, isHere]));
  const { fetch } = window;
  window.fetch = /** @type {any} */ (async (url) => (await new Promise((resolve) => setTimeout(resolve, 6000)), fetch(url)));
  server.broken.add("b");
  want(loader, true, [pad(1, [["a"]]), pad(2, [["b"]]), pad(3, [["c"]])]);
  [1, 2, 3].forEach(ask);
  await settled(5900);
  equal(told, []);
  want(loader, false, [pad(3, [["d"]])]); // tried something else
  await settled(80);
  equal(told, [[3, false]]);
  await still();
  await settled(20000);
  equal(told, [[3, false], [1, true], [2, false]]); // prettier-ignore
  server.broken.clear();
  want(loader, false, [pad(2, [["b"]])]);
  ask(2);
  await settled(20000);
  equal(told.at(-1), [2, true], "it was brought in again");
});

test("of more than fits, no more is fetched than a batch beyond", async () => {
  const { loader, still } = stand(100);
  want(loader, true, letters(30, 200).map((key, n) => pad(n, [[key]])));
  equal((await still()).bytes < 100 + 32 * HEAD, true);
});

test("sounds that the server does not know any more are told: other tables are wanted", async () => {
  const { loader, server } = stand(1000);
  server.isGone = true;
  let isTold = false;
  loader.addEventListener("unknown", () => (isTold = true));
  want(loader, true, [pad(1, [["a"]])]);
  await settled(50);
  equal(isTold, true);
});

test("with a full budget what is new, struck, or another kit's still comes, and what is used first stays", async () => {
  const keys = letters(110, 130);
  const { loader, held } = stand(1000); // less than all heads
  const within = ({ bytes }) => bytes < 1000 + 32 * HEAD + 8 * WHOLE;
  want(loader, true, keys.map((key, n) => pad(n, [[key]])));
  equal(keys.at(-1) in (await held()).sounds, false, "there is no room for the last");
  want(loader, false, [pad(3, [["x"]])]);
  const fresh = await held();
  equal(["x" in fresh.sounds, keys[3] in fresh.sounds, within(fresh)], [true, false, true]);
  loader.hurry([keys[109]]);
  const struck = await held();
  equal([struck.sounds[keys[109]], within(struck)], [WHOLE / 2, true]);
  const other = [pad(900, [["y", "z"]])];
  loader.ahead(/** @type {any} */ ([{ pads: other }]));
  const flipped = await held();
  equal(["y" in flipped.sounds, within(flipped)], [true, true]);
  loader.hurry(["z"]);
  const behind = await held();
  equal([behind.sounds.z, keys[0] in behind.sounds, within(behind)], [WHOLE / 2, true, true]);
});
