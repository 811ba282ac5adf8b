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
    element.classList.add("sounding");
    clearTimeout(dim.get(element));
    dim.set(element, setTimeout(() => element.classList.remove("sounding"), ms));
  };
  let shown = null; // pad -> where it is drawn to be played or read, found when the page was drawn anew
  const placesOf = (pad) => {
    if (!shown) {
      shown = new Map();
      for (const element of document.querySelectorAll("#surface .pad[data-pad], .cell-of[data-pad], .row[data-pad]"))
        shown.set(element.dataset.pad, [...(shown.get(element.dataset.pad) ?? []), element]);
    }
    return shown.get(String(pad)) ?? [];
  };

  const strike = (pad, event) => {
    const box = pad.getBoundingClientRect();
    const height = 1 - (event.clientY - box.top) / box.height;
    const velocity = localStorage.getItem("fixed-velocity") ? keyVelocity() : 1 + 126 * Math.min(1, Math.max(0, height * 1.08));
    input.pad(Number(pad.dataset.pad), velocity, "pointer", event.timeStamp);
  };

  document.addEventListener("pointerdown", (event) => {
    const pad = event.target.closest?.("#surface .pad, .cells.played .cell-of[data-pad]");
    if (!pad || event.button) return;
    if ("empty" in pad.dataset || "cell" in pad.dataset) return; // a click fills it
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
    const pad = event.target.closest?.("#surface .pad, .cells.played .cell-of[data-pad]");
    if (pad && "cell" in pad.dataset) session.dispatchEvent(new CustomEvent("fill-cell", { detail: { surface: surface().dataset.played, place: pad.dataset.place } }));
    else if (pad) {
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
    for (const [pad, velocity] of detail.played)
      for (const element of placesOf(pad)) {
        light(element, element.classList.contains("row") ? ROW_LIT_MS : LIT_MS);
        const did = element.querySelector(".did");
        if (did) did.textContent = String(velocity);
      }
  });
  input.addEventListener("hit", ({ detail }) => {
    if (!document.getElementById("follow").checked) return;
    if (detail.pads.length) session.select(detail.pads[0], { delay: 250 });
  });
  session.addEventListener("marked", () => {
    showBank(bank);
    shown = null;
  });

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
  session.addEventListener("part-stopped", () => clearTimeout(sweeping));

  // Which surface is played on is the browser's own choice, for each kit.
  const CHOICE = `surface-${session.kit}`;
  const choose = (id) => session.get(`/kits/${session.kit}/surface/?played=${id}`, "#surface", "outerHTML");
  document.addEventListener("change", ({ target }) => {
    if (target.id === "fixed-velocity") target.checked ? localStorage.setItem("fixed-velocity", "1") : localStorage.removeItem("fixed-velocity");
    if (target.id !== "surface-choice") return;
    target.value ? localStorage.setItem(CHOICE, target.value) : localStorage.removeItem(CHOICE);
    bank = 0;
    choose(target.value);
  });
  const kept = localStorage.getItem(CHOICE);
  if (kept && [...(document.getElementById("surface-choice")?.options ?? [])].some(({ value }) => value === kept)) choose(kept);
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
      const key = Number(pad.dataset.place ?? place) % bank.children.length;
      pad.dataset.code = CODES[key] ?? "";
      const shown = pad.querySelector("kbd");
      if (shown) shown.textContent = (layout.get(CODES[key]) ?? KEYS[key] ?? "").toUpperCase();
    });
}

export const keyVelocity = () => Math.min(127, Math.max(1, Number(document.getElementById("key-velocity")?.value) || 100));
