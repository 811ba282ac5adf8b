import { Waves } from "../../js/recording/waves.js";
import { equal, settled, test } from "../harness.js";

const [BLOCK, RATE, FULL] = [4, 48_000, 2];
const TRACK = { id: 5, channels: 2 };

/** Tracks whose sample n of block b is 1000 b + 10 n on the left; `lost` is when there is no network. */
async function stand() {
  const server = { asked: [], isLost: false, came: 0 };
  window.fetch = /** @type {any} */ (async (url) => {
    server.asked.push(url);
    if (server.isLost) throw new TypeError("no network");
    if (url.endsWith("/peaks/")) return { ok: true, arrayBuffer: async () => Uint8Array.from([0, 51, 255]).buffer };
    const [, , block] = url.match(/tracks\/(\d+)\/\D*(\d+)/).map(Number);
    return { ok: true, status: 200, arrayBuffer: async () => Int16Array.from({ length: 2 * BLOCK }, (_, n) => 1000 * block + 10 * Math.floor(n / 2) + (n % 2)).buffer };
  });
  const waves = new Waves({ blockFrames: BLOCK, peakFrames: 240, peakFloor: -60, fullScale: FULL, rate: RATE }, () => server.came++);
  await waves.load(/** @type {any} */ ([TRACK]));
  return { server, waves };
}

test("the levels of a track are bytes between their floor and full scale", async () => {
  const { waves } = await stand();
  equal([[...waves.peaks.get(5).levels], waves.peaks.get(5).seconds], [[-60, -48, 0], 240 / RATE]);
});

test("a stretch across blocks is drawn once they are here, of the first of two channels", async () => {
  const { waves, server } = await stand();
  equal(waves.stretch(TRACK, 2, 9), null);
  await settled();
  const values = [...waves.stretch(TRACK, 2, 9)].map((value) => Math.round((value * 32_767) / FULL));
  equal([values, server.came > 0], [[20, 30, 1000, 1010, 1020, 1030, 2000], true]);
  equal([...(waves.stretch(TRACK, 8, 8) ?? [])], []);
});

test("blocks that are not seen any more are forgotten, and fetched again when they are", async () => {
  const { waves, server } = await stand();
  waves.stretch(TRACK, 2, 9);
  await settled();
  const before = server.asked.length;
  for (let block = 10; block < 50; block++) waves.stretch(TRACK, BLOCK * block, BLOCK * block + 1);
  await settled();
  equal(waves.stretch(TRACK, 2, 9), null);
  await settled();
  equal([server.asked.length - before > 40, waves.stretch(TRACK, 2, 9).length], [true, 7]);
});

test("a block that did not come is asked for again", async () => {
  const { waves, server } = await stand();
  server.isLost = true;
  equal(waves.stretch(TRACK, 4000, 4001), null);
  await settled();
  const before = server.asked.length;
  equal([waves.stretch(TRACK, 4000, 4001), server.asked.length > before], [null, true]);
});
