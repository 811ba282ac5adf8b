/** The pads to play by pointer, lit by what sounds; the selection follows what is played. */
const LIT_MS = 140;
const ROW_LIT_MS = 220;

export function startSurface(session, engine, input) {
  const surface = () => document.getElementById("surface");
  const dim = new Map();
  const down = new Map(); // pointer -> the pad it holds
  let bank = 0;

  const showBank = (number) => {
    const banks = [...document.querySelectorAll("[data-bank-pads]")];
    bank = Math.min(Math.max(0, number), banks.length - 1);
    for (const pads of banks) pads.hidden = Number(pads.dataset.bankPads) !== bank;
    for (const button of document.querySelectorAll("[data-bank]"))
      button.setAttribute("aria-pressed", String(Number(button.dataset.bank) === bank));
    labelKeys();
  };

  const light = (element, ms) => {
    if (!element) return;
    element.classList.add("sounding");
    clearTimeout(dim.get(element.id));
    dim.set(element.id, setTimeout(() => document.getElementById(element.id)?.classList.remove("sounding"), ms));
  };

  const strike = (pad, event) => {
    const box = pad.getBoundingClientRect();
    const height = 1 - (event.clientY - box.top) / box.height;
    input.pad(Number(pad.dataset.pad), 1 + 126 * Math.min(1, Math.max(0, height * 1.08)), "pointer", event.timeStamp);
  };

  document.addEventListener("pointerdown", (event) => {
    const pad = event.target.closest?.("#surface .pad");
    if (!pad || event.button) return;
    if ("empty" in pad.dataset) return; // a click fills it
    pad.releasePointerCapture?.(event.pointerId);
    strike(pad, event);
    down.set(event.pointerId, Number(pad.dataset.pad));
  });
  for (const type of ["pointerup", "pointercancel"])
    document.addEventListener(type, ({ pointerId, timeStamp }) => {
      if (down.has(pointerId)) input.release(down.get(pointerId), timeStamp);
      down.delete(pointerId);
    });
  document.addEventListener("click", (event) => {
    const pad = event.target.closest?.("#surface .pad");
    if (pad) {
      session.select(Number(pad.dataset.pad));
      if ("empty" in pad.dataset) session.dispatchEvent(new CustomEvent("fill", { detail: Number(pad.dataset.pad) }));
      else if (event.detail === 0) input.pad(Number(pad.dataset.pad), keyVelocity(), "key"); // Enter on a focused pad
    }
    const button = event.target.closest?.("[data-bank]");
    if (button) showBank(Number(button.dataset.bank));
    if (event.target.closest?.("[data-sweep]")) sweep();
    const take = event.target.closest?.("[data-hear-take]");
    if (take) engine.hearTake(session.selected, Number(take.dataset.hearTake));
  });

  engine.addEventListener("report", ({ detail }) => {
    for (const [pad, velocity] of detail.played) {
      const element = document.getElementById(`pad-${pad}`);
      light(element, LIT_MS);
      light(document.getElementById(`row-${pad}`), ROW_LIT_MS);
      const did = element?.querySelector(".did");
      if (did) did.textContent = String(velocity);
    }
  });
  input.addEventListener("hit", ({ detail }) => {
    if (!document.getElementById("follow").checked) return;
    const pad = detail.pad ?? padOfNote(detail.note);
    if (pad) session.select(pad, { delay: 250 });
  });
  let ofNote = null; // note -> the first pad that answers it, read from the page when it was drawn anew
  session.addEventListener("marked", () => {
    showBank(bank);
    ofNote = null;
  });
  const padOfNote = (note) => {
    if (!ofNote) {
      ofNote = new Map();
      for (const { dataset } of surface().querySelectorAll(".pad[data-notes]"))
        for (const each of dataset.notes.split(",")) if (!ofNote.has(each)) ofNote.set(each, Number(dataset.pad));
    }
    return ofNote.get(String(note)) ?? null;
  };

  let sweeping = 0;
  const sweep = () => {
    clearTimeout(sweeping);
    const pad = session.selected;
    const velocities = [8, 20, 32, 44, 56, 68, 80, 92, 104, 116, 127];
    const next = () => {
      input.pad(pad, velocities.shift(), "sweep");
      if (velocities.length) sweeping = setTimeout(next, 260);
    };
    next();
  };

  surface().dataset.started = "";
  showBank(0);
  Object.assign(session, { showBank: (by) => showBank(bank + by), sweep });
}

/** The computer keys of a bank, by physical position, the lower row first. */
const KEYS = "ASDFJKL;QWERUIOP";
const CODES = [...KEYS].map((key) => (key === ";" ? "Semicolon" : `Key${key}`));
let layout = null;

/** Give every pad its key, under the letter that this keyboard's layout has there, where the browser tells it. */
async function labelKeys() {
  layout ??= (await navigator.keyboard?.getLayoutMap?.().catch(() => null)) ?? new Map();
  for (const bank of document.querySelectorAll("#surface .bank"))
    [...bank.children].forEach((pad, place) => {
      pad.dataset.code = CODES[place] ?? "";
      pad.querySelector("kbd").textContent = (layout.get(CODES[place]) ?? KEYS[place] ?? "").toUpperCase();
    });
}

export const keyVelocity = () => Math.min(127, Math.max(1, Number(document.getElementById("key-velocity")?.value) || 100));
