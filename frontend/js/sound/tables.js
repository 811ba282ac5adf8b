/**
 * A worker that fetches the tables of a kit and hands them to the audio thread itself: an edit is heard without waiting
 * for the page to be drawn. One answer at a time, and what is asked meanwhile is asked together, so that older tables
 * never replace newer ones. The page hears of tables when the audio thread plays by them.
 *
 * In: { audio: MessagePort }, then { kit, rate, pads: number[] | null, notes: boolean, auditioned, number }; `notes` asks which
 * note strikes what in the whole kit, besides the tables of the pads.
 * Out: { book, number, at } or { number }, where the kit is gone: the greatest number answered; `at` in ms since 1970;
 * { isLost }, where they do not come, and are asked for again and again.
 */
const PADS_AT_ONCE = 4; // under a millisecond for the audio thread, at 64 takes a pad
let handed = 0;
let toAudio = null;
/** @type {(value?: unknown) => void} */
let arrived = () => {};
let isUnderWay = false;
const asked = [];

self.onmessage = ({ data }) => {
  if (data.audio) {
    toAudio = data.audio;
    toAudio.onmessage = () => arrived();
    arrived(); // of an audio thread that is gone nothing comes any more
  } else asked.push(data);
  if (!isUnderWay && toAudio) answerAll();
};

async function answerAll() {
  isUnderWay = true;
  while (asked.length) {
    const round = asked.splice(0);
    const { number } = round.at(-1);
    const book = await tablesOrWait(round);
    if (book) await handOver(book);
    self.postMessage(book ? { book, number, at: performance.timeOrigin + performance.now() } : { number });
  }
  isUnderWay = false;
}

/**
 * Tries again until they come: old tables would be played for good. What is auditioned is left out from the third try on, so
 * that one that can't be made stops no edit from being heard. Null where the kit is gone.
 */
async function tablesOrWait(round) {
  for (let tries = 0; ; tries++) {
    const { kit, rate, auditioned } = round.at(-1);
    const answer = await tables(round, { kit, rate, auditioned: tries < 2 ? auditioned : "" }).catch(() => undefined);
    if (answer !== undefined) return answer;
    if (tries === 1) self.postMessage({ isLost: true });
    await new Promise((resolve) => setTimeout(resolve, Math.min(4000, 250 * 2 ** tries)));
  }
}

async function tables(round, { kit, rate, auditioned }) {
  const query = new URLSearchParams();
  if (round.every(({ pads }) => pads)) query.set("pads", [...new Set(round.flatMap(({ pads }) => pads))].join(","));
  if (round.some(({ notes }) => notes)) query.set("notes", "1");
  if (auditioned) query.set(...asAuditioned(auditioned));
  const answer = await fetch(`/kits/${kit}/playbook/${rate}/?${query}`);
  if (answer.status === 404) return null;
  return answer.ok ? answer.json() : undefined;
}

/** @returns {[string, string]} the name and value that ask for what is auditioned */
function asAuditioned(auditioned) {
  for (const name of ["mend", "with"]) if (auditioned.startsWith(`${name}.`)) return [name, auditioned.slice(name.length + 1)];
  return [/^\d+:/.test(auditioned) ? "try" : "swap", auditioned];
}

/** A large playbook goes a few pads at a time, so that no block of sound waits for it, and is played by from one moment on. */
async function handOver(book) {
  if (book.members.reduce((count, { pads }) => count + pads.length, 0) <= PADS_AT_ONCE) return tell({ type: "playbook", book });
  const staged = ++handed;
  for (const [member, { pads }] of book.members.entries())
    for (let from = 0; from < pads.length; from += PADS_AT_ONCE) await tell({ type: "stage", number: staged, member, pads: pads.slice(from, from + PADS_AT_ONCE) });
  await tell({ type: "playbook", book: { ...book, members: book.members.map((member) => ({ ...member, pads: [] })) }, staged });
}

/** Resolves once the audio thread has taken it. */
function tell(message) {
  return new Promise((resolve) => {
    arrived = resolve;
    toAudio.postMessage(message);
  });
}
