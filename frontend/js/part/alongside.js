/** Kits alongside this one: their pads and solos in the sheet, their meters, and what becomes of them in other tabs. */
const FLOOR_DB = -60;
const STRUCK_AT = 100;
const LIT_MS = 120;

export function startAlongside(session, engine) {
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

  function showCount() {
    const count = /** @type {HTMLElement} */ (document.querySelector(".alongside-count"));
    if (!count) return;
    const others = [...engine.members.keys()].filter(Boolean).length;
    count.hidden = !others;
    count.textContent = String(others);
  }

  engine.addEventListener("playbook", () => {
    if ([...alone].some((key) => !engine.members.has(key))) hearAlone([...alone].filter((key) => engine.members.has(key)));
    showCount();
  });
  document.body.addEventListener("kit-changed", ({ detail }) => {
    if (!detail.alongside && !("lineup" in document.body.dataset)) return; // a lineup's master and side are in its members' tables
    engine.loadPlaybook();
    document.body.dispatchEvent(new CustomEvent("alongside-changed"));
  });

  /** What was changed in another tab meanwhile is heard as it is now. */
  async function look() {
    if (document.hidden || session.isEditing()) return;
    const heard = new Map([...engine.members].map(([key, { version }]) => [key, version]));
    const answer = await fetch(`/kits/${session.kit}/members/`).catch(() => null);
    const now = answer?.ok ? Object.entries((await answer.json()).members) : [];
    if (!heard.size || !now.length || session.isEditing()) return;
    const changed = now.filter(([key, [, version]]) => heard.get(key) !== version && engine.members.get(key)?.version === heard.get(key));
    const isOther = now.length !== heard.size;
    if (!changed.length && !isOther) return;
    await engine.loadPlaybook();
    const names = changed.filter(([key]) => key).map(([, [name]]) => name);
    if (names.length) session.say(`${names.join(", ")} ${names.length > 1 ? "were" : "was"} changed elsewhere, and ${names.length > 1 ? "are" : "is"} heard and bounced as it is now.`);
  }
  document.addEventListener("visibilitychange", look);
  window.addEventListener("focus", look);
  document.addEventListener("click", ({ target }) => /** @type {HTMLElement} */ (target).closest?.("#play, #record, #tab-bounce, #bounce-go") && look(), { capture: true });
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
    engine.hitPad(engine.padId(key, Number(pad)), STRUCK_AT, engine.clock.frameOf(stampMs));
  }

  session.addEventListener("marked", showCount);
  engine.addEventListener("report", ({ detail }) => {
    const first = engine.members.keys().next().value;
    if (first) for (const [pad] of detail.played) light(first, pad);
    for (const [key, pad] of detail.besides) light(key, pad);
    for (const [key, peak] of detail.alongside) {
      for (const meter of /** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll(`[data-alongside="${key}"] .alongside-meter i`)))
        meter.style.scale = `${Math.max(0, 1 - (20 * Math.log10(Math.max(peak, 1e-6))) / FLOOR_DB)} 1`;
    }
  });
}
