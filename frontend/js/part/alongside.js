/** Kits alongside this one: their tables for the audio thread, their pads and solos in the sheet, and their meters. */
const FLOOR_DB = -60;
const STRUCK_AT = 100;
const LIT_MS = 120;

export function startAlongside(session, engine) {
  let asked = 0;
  /** Keys of the kits heard alone. */
  let alone = new Set();

  function hearAlone(keys) {
    alone = new Set(keys);
    engine.hearKitsAlone(keys);
    showAlone();
  }

  function showAlone() {
    for (const button of document.querySelectorAll("[data-solo-kit]")) button.setAttribute("aria-pressed", String(alone.has(/** @type {HTMLElement} */ (button).dataset.soloKit)));
  }

  async function load() {
    const number = ++asked;
    const answer = await fetch(`/kits/${session.kit}/alongside/tables/${engine.rate}/`).catch(() => null);
    if (number !== asked || !answer) return;
    if (!answer.ok) return session.say("What sounds alongside does not come; it is heard as it was.", true);
    const told = await answer.json();
    if (number !== asked) return;
    engine.setAlongside(told);
    hearAlone([...alone].filter((key) => !key || told.kits.some((kit) => kit.key === key)));
    showCount();
  }

  function showCount() {
    const count = /** @type {HTMLElement} */ (document.querySelector(".alongside-count"));
    if (!count) return;
    count.hidden = !engine.beside.size;
    count.textContent = String(engine.beside.size);
  }

  engine.ready.then(load);
  document.body.addEventListener("kit-changed", ({ detail }) => {
    if (!detail.alongside && !("lineup" in document.body.dataset)) return; // a lineup's master and side are in their tables
    load();
    document.body.dispatchEvent(new CustomEvent("alongside-changed"));
  });
  document.body.addEventListener("htmx:afterSwap", showAlone);
  document.body.addEventListener("click", (event) => {
    const target = /** @type {HTMLElement} */ (event.target);
    const solo = /** @type {HTMLElement | null} */ (target.closest("[data-solo-kit]"));
    if (!solo) return;
    event.preventDefault(); // it stands in what folds the kit
    const key = solo.dataset.soloKit;
    hearAlone(alone.has(key) ? [...alone].filter((other) => other !== key) : [...alone, key]);
  });
  document.body.addEventListener("pointerdown", (event) => {
    const strike = /** @type {HTMLElement | null} */ (/** @type {HTMLElement} */ (event.target).closest("[data-strike]"));
    if (strike) hit(strike, event.timeStamp);
  });
  document.body.addEventListener("keydown", (event) => {
    const { target, key, repeat } = /** @type {KeyboardEvent & { target: HTMLElement }} */ (event);
    if (!repeat && (key === "Enter" || key === " ") && target.matches?.("[data-strike]")) {
      event.preventDefault();
      hit(target, event.timeStamp);
    }
  });

  function light(key, pad) {
    const row = document.querySelector(`[data-strike="${key}:${pad}"]`)?.closest(".row");
    row?.classList.add("sounding");
    setTimeout(() => row?.classList.remove("sounding"), LIT_MS);
  }

  function hit(strike, stampMs) {
    const [key, pad] = strike.dataset.strike.split(":");
    engine.wake();
    engine.hitBeside(key, Number(pad), STRUCK_AT, engine.clock.frameOf(stampMs));
  }

  session.addEventListener("marked", showCount);
  engine.addEventListener("report", ({ detail }) => {
    for (const [key, pad] of detail.besides) light(key, pad);
    for (const [key, peak] of detail.alongside) {
      for (const meter of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll(`[data-alongside="${key}"] .alongside-meter i`)))
        meter.style.scale = `${Math.max(0, 1 - (20 * Math.log10(Math.max(peak, 1e-6))) / FLOOR_DB)} 1`;
    }
  });
}
