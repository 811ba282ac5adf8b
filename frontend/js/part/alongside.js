/** Kits alongside this one: their tables for the audio thread, and their meters in the part's bar. */
const FLOOR_DB = -60;

export function startAlongside(session, engine) {
  let asked = 0;

  async function load() {
    const number = ++asked;
    const answer = await fetch(`/kits/${session.kit}/alongside/tables/${engine.rate}/`).catch(() => null);
    if (number !== asked || !answer) return;
    if (!answer.ok) return session.say("What sounds alongside does not come; it is heard as it was.", true);
    const { kits, own } = await answer.json();
    if (number !== asked) return;
    engine.setAlongside(kits, own);
    showCount();
  }

  function showCount() {
    const count = /** @type {HTMLElement} */ (document.querySelector(".alongside-count"));
    if (!count) return;
    count.hidden = !engine.beside.size;
    count.textContent = String(engine.beside.size);
  }

  engine.ready.then(load);
  document.body.addEventListener("kit-changed", ({ detail }) => detail.alongside && load());
  session.addEventListener("marked", showCount);
  engine.addEventListener("report", ({ detail }) => {
    for (const [key, peak] of detail.alongside) {
      const meter = /** @type {HTMLElement} */ (document.querySelector(`[data-alongside="${key}"] .alongside-meter i`));
      if (meter) meter.style.scale = `${Math.max(0, 1 - (20 * Math.log10(Math.max(peak, 1e-6))) / FLOOR_DB)} 1`;
    }
  });
}
