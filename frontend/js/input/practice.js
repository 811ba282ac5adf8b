/** The practice controller: sixteen pads that send the MIDI messages a real device would, and can drum the part. */
const rising = (lowest) => Array.from({ length: 16 }, (_, place) => lowest + place);
const fromTop = (notes) => [12, 8, 4, 0].flatMap((row) => notes.slice(row, row + 4));
/** Notes of the pads as they are drawn, the top row first. */
export const PAD_ORDERS = {
  "Standard drum notes": [49, 57, 51, 53, 50, 47, 45, 41, 46, 44, 42, 37, 36, 38, 40, 39],
  "Rising from C1 · 36": fromTop(rising(36)),
  "Rising from C2 · 48": fromTop(rising(48)),
  "Falling from D#2 · 51": fromTop(rising(36).reverse()),
};
const NOTE_ON = 0x99; // channel 10
const NOTE_OFF = 0x89;

export function startPractice(input, part) {
  const order = document.getElementById("practice-order");
  const pads = document.getElementById("practice-pads");
  const drum = document.getElementById("practice-part");
  let timers = [];

  order.append(...Object.keys(PAD_ORDERS).map((name) => new Option(name, name)));
  const draw = () =>
    pads.replaceChildren(
      ...PAD_ORDERS[order.value].map((note) => {
        const pad = document.createElement("button");
        Object.assign(pad, { type: "button", textContent: String(note) });
        pad.dataset.note = String(note);
        pad.setAttribute("aria-label", `Send note ${note}`);
        return pad;
      }),
    );
  const send = (note, velocity) => {
    input.midi(new Uint8Array([NOTE_ON, note, velocity]), "practice controller");
    setTimeout(() => input.midi(new Uint8Array([NOTE_OFF, note, 64]), "practice controller"), 60);
  };
  pads.addEventListener("pointerdown", (event) => {
    const pad = event.target.closest("[data-note]");
    if (!pad) return;
    const box = pad.getBoundingClientRect();
    const height = 1 - (event.clientY - box.top) / box.height;
    send(Number(pad.dataset.note), Math.round(1 + 126 * Math.min(1, Math.max(0, height))));
  });
  pads.addEventListener("click", ({ target, detail }) => {
    const pad = target.closest("[data-note]");
    if (pad && detail === 0) send(Number(pad.dataset.note), 100);
  });
  order.addEventListener("change", draw);
  draw();

  const stop = () => {
    timers.forEach(clearTimeout);
    timers = [];
    drum.textContent = "Drum the part";
  };
  drum.addEventListener("click", () => {
    if (timers.length) return stop();
    const { hits = [], about } = part.model ?? {};
    const ms = ({ frame }) => (frame / about.rate) * 1000;
    timers = hits.filter(({ velocity }) => velocity).map((hit) => setTimeout(() => send(hit.note, hit.velocity), ms(hit)));
    if (timers.length) {
      timers.push(setTimeout(stop, ms(hits.at(-1)) + 100));
      drum.textContent = "Stop drumming";
    }
  });
  return { send, orders: PAD_ORDERS };
}
