/**
 * The practice controller stands in for any device: it sends the MIDI messages that the device would, in the notes of one
 * of the orders, of a device that is known, or scrambled; on any channel, as any port. It has a pedal and a hand that presses a
 * key, and it can drum the part.
 */
const LOWEST = 36;
const ORDERS = ["standard drum notes", "rising", "falling", "scrambled"];
/** The standard drum notes of a 4 × 4 controller, the lower left first. */
const STANDARD = [36, 38, 40, 39, 42, 44, 46, 37, 50, 47, 45, 41, 49, 57, 51, 53];
const SHAPES = { "4 × 4": [4, 4], "2 × 8": [2, 8], "8 × 8": [8, 8] };
const NOTE_ON = 0x90;
const NOTE_OFF = 0x80;
const [KEY_PRESSURE, CONTROLLER, PEDAL] = [0xa0, 0xb0, 4];
const PRESSED_MS = 120; // that a hand holds a key
const PORT = "practice controller";

/** Notes by place, the lower left first. @param {number} seed of the scramble */
export function notesIn(order, count, seed = 1) {
  const rising = Array.from({ length: count }, (_, n) => (LOWEST + n) % 128);
  if (order === "standard drum notes") return [...STANDARD, ...rising.filter((note) => !STANDARD.includes(note))].slice(0, count);
  if (order === "falling") return rising.reverse();
  if (order !== "scrambled") return rising;
  let state = seed * 2654435761;
  for (let n = count - 1; n > 0; n--) {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0; // Numerical Recipes' linear congruential generator
    const other = state % (n + 1);
    [rising[n], rising[other]] = [rising[other], rising[n]];
  }
  return rising;
}

export function startPractice(input, part, ways) {
  const $ = (id) => document.getElementById(id);
  const order = $("practice-order");
  const pads = $("practice-pads");
  const drum = $("practice-part");
  let timers = [];
  let notes = [];

  /** The known device that it stands for, if any. */
  const standsFor = () => ways.devices.find(({ id }) => order.value === `device:${id}`);
  function draw() {
    const device = standsFor();
    const [rows, columns] = device ? [device.rows, device.columns] : SHAPES[$("practice-shape").value];
    notes = device ? device.notes : notesIn(order.value, rows * columns, Number($("practice-scramble").value) || 1);
    $("practice-shape").disabled = Boolean(device);
    $("practice-scramble").parentElement.hidden = order.value !== "scrambled";
    pads.className = `practice-pads columns-${columns}`;
    const places = Array.from({ length: rows }, (_, row) => rows - 1 - row).flatMap((row) => Array.from({ length: columns }, (_, column) => row * columns + column));
    pads.replaceChildren(
      ...places.map((place) => {
        const pad = document.createElement("button");
        Object.assign(pad, { type: "button", textContent: String(notes[place] ?? "–") });
        pad.dataset.note = String(notes[place] ?? "");
        pad.setAttribute("aria-label", `Send note ${notes[place] ?? "none"}`);
        return pad;
      }),
    );
  }
  function offer() {
    const before = order.value || ORDERS[0];
    const known = ways.devices.map(({ id, name }) => new Option(`as ${name}`, `device:${id}`));
    order.replaceChildren(...ORDERS.map((name) => new Option(name, name)), ...known);
    order.value = before;
    if (!order.value) order.value = ORDERS[0];
    draw();
  }

  /** On the channel (0 to 15) that is chosen, unless another is said. */
  const send = (note, velocity, { channel = Number($("practice-channel").value) - 1, port = PORT } = {}) => {
    const from = standsFor()?.port || port;
    input.midi(new Uint8Array([NOTE_ON | channel, note, velocity]), from);
    setTimeout(() => input.midi(new Uint8Array([NOTE_OFF | channel, note, 64]), from), 60);
  };
  const say = (/** @type {number} */ kind, /** @type {number} */ number, /** @type {number} */ value) =>
    input.midi(new Uint8Array([kind | (Number($("practice-channel").value) - 1), number, value]), standsFor()?.port || PORT);
  $("practice-pedal").addEventListener("input", ({ target }) => say(CONTROLLER, PEDAL, Number(target.value)));
  $("practice-press").addEventListener("click", () => {
    const note = Number($("practice-grab").value);
    say(KEY_PRESSURE, note, 127);
    setTimeout(() => say(KEY_PRESSURE, note, 0), PRESSED_MS);
  });
  pads.addEventListener("pointerdown", (event) => {
    const pad = event.target.closest("[data-note]");
    if (!pad?.dataset.note) return;
    const box = pad.getBoundingClientRect();
    const height = 1 - (event.clientY - box.top) / box.height;
    send(Number(pad.dataset.note), Math.round(1 + 126 * Math.min(1, Math.max(0, height))));
  });
  pads.addEventListener("click", ({ target, detail }) => {
    const pad = target.closest("[data-note]");
    if (pad?.dataset.note && detail === 0) send(Number(pad.dataset.note), 100);
  });
  for (const field of [order, $("practice-shape"), $("practice-scramble")]) field.addEventListener("change", draw);
  ways.addEventListener("changed", offer);
  offer();

  const stop = () => {
    timers.forEach(clearTimeout);
    timers = [];
    drum.textContent = "Drum the part";
  };
  drum.addEventListener("click", () => {
    if (timers.length) return stop();
    const { about } = part.model ?? {};
    const hits = part.model?.heard() ?? [];
    const ms = ({ frame }) => (frame / about.rate) * 1000;
    timers = hits.filter(({ velocity }) => velocity).map((hit) => setTimeout(() => input.midi(new Uint8Array([NOTE_ON | 9, hit.note, hit.velocity]), "part on the practice controller"), ms(hit)));
    if (timers.length) {
      timers.push(setTimeout(stop, ms(hits.at(-1)) + 100));
      drum.textContent = "Stop drumming";
    }
  });
  return { send, notes: () => notes };
}
