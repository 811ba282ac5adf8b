import { RecordedSound } from "../../js/sound/recorded.js";
import { equal, near, settled, test } from "../harness.js";

const [RATE, ZERO] = [48_000, 24_000];

/** An engine that holds the blocks it is given; block 6 never comes. */
class Engine extends EventTarget {
  here = new Set();
  told = [];
  gains = [];
  setTracks(tracks) { this.told.push(tracks && tracks.zero); this.here.clear(); } // prettier-ignore
  setTrackGains(gains, kit) { this.gains = [...gains.map(([, gain]) => gain), kit]; } // prettier-ignore
  addBlock(track, block) { this.here.add(`${track} ${block}`); } // prettier-ignore
  forgetBlocks(keys) { for (const key of keys) this.here.delete(key); } // prettier-ignore
}

/** Two tracks, one of ten seconds and one of four and a half, of blocks of a second. */
async function stand() {
  const asked = [];
  const most = { atOnce: 0 };
  let running = 0;
  window.fetch = /** @type {any} */ (async (url) => {
    const [, track, block] = url.match(/tracks\/(\d+)\/\D*(\d+)/).map(Number);
    asked.push(`${track} ${block}`);
    most.atOnce = Math.max(most.atOnce, ++running);
    await new Promise((resolve) => setTimeout(resolve, 3));
    running--;
    return { ok: block !== 6, arrayBuffer: async () => new Int16Array(4).buffer };
  });
  const engine = new Engine();
  const sound = new RecordedSound(/** @type {any} */ (engine));
  sound.open([{ id: 1, channels: 1, seconds: 10 }, { id: 2, channels: 2, seconds: 4.5 }], { blockFrames: RATE, fullScale: 1, rate: RATE, zero: ZERO });
  const here = async () => (await settled(60), [...engine.here].sort());
  const plays = async (frame) => (engine.dispatchEvent(new CustomEvent("report", { detail: { frame } })), here());
  return { asked, most, engine, sound, here, plays };
}

test("the blocks around the playhead and the loop's begin are here, and no others", async () => {
  const { here, plays, sound, asked, most } = await stand();
  equal(await here(), [1, 2].flatMap((track) => [0, 1, 2, 3].map((block) => `${track} ${block}`)));
  equal(await plays(ZERO + 5 * RATE + 10), ["1 0", "1 1", "1 5", "1 7", "1 8", "2 0", "2 1"], "of one track the end is past");
  sound.loopFrom = ZERO + 8 * RATE;
  const looped = await plays(ZERO + 5 * RATE + 20);
  equal([looped, await plays(null)], [["1 5", "1 7", "1 8", "1 9"], looped]);
  equal([asked.filter((key) => key === "1 6").length > 1, most.atOnce <= 4], [true, true], "what did not come is asked for again, a few at a time");
});

test("tracks and kit are as loud as their balance, solo and mute say", async () => {
  const { engine, sound, plays } = await stand();
  const loud = (change) => {
    change();
    sound.sound();
    return engine.gains;
  };
  const changes = [
    [() => {}, [1, 1, 1]],
    [() => (sound.balance = 1), [1, 1, 0]],
    [() => (sound.balance = 0), [0, 0, 1]],
    [() => ((sound.balance = 0.5), sound.solo.add(2)), [0, 1, 1]],
    [() => (sound.solo.clear(), sound.muted.add(1)), [0, 1, 1]],
    [() => (sound.kitGain = 0.5), [0, 1, 0.5]],
  ]; // prettier-ignore
  for (const [change, wanted] of /** @type {[() => void, number[]][]} */ (changes)) loud(change).forEach((gain, n) => near(gain, wanted[n], 1e-9, String(change)));
  sound.open([]);
  await settled();
  equal([engine.gains, await plays(ZERO), engine.told], [[1], [], [ZERO, null]]);
});
