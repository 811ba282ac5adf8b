/**
 * A set of kits, flipped through: the next hit is the next kit's. Their tables are here before they are wanted, and the
 * heads of their sounds; nothing of any kit is changed by it.
 */
const MOST_GAIN_DB = 18;
const QUIET = 1e-9; // mean power below which nothing was played

export function startFlip(session, engine) {
  const by = (id) => /** @type {HTMLInputElement} */ (document.getElementById(id));
  /** What is flipped through: kits of a set, or a version and the kit as it is; the address of each one's tables.
   * @type {{ id: number, kits: [key: string, name: string, tables: string][] } | null} */ let set = null;
  let heard = null; // place in the order that is heard; null: this kit itself
  let order = []; // places, shuffled where one is not to know
  let loading = null; // what is on its way
  let begun = 0; // how often: what another beginning has overtaken goes no further
  let loudness = new Map(); // kit -> [sum of powers, frames]
  const how = { equal: false, cuts: false, blind: false };

  const kitAt = (place) => set.kits[order[place]];
  const nameAt = (place) => (how.blind ? `kit ${"ABCDEFGHIJKLMNOPQRSTUVWXYZ"[place] ?? place + 1}` : kitAt(place)[1]);

  async function use(id) {
    const number = ++begun;
    const answer = await fetch(`/kits/sets/${id}/`).catch(() => null);
    if (number !== begun) return;
    if (!answer?.ok) return session.say("The set does not come; is the server running?", true);
    const { kits } = await answer.json();
    return begin({ id, kits: kits.map(([kit, name]) => [String(kit), name, tablesOf(kit)]) });
  }

  const tablesOf = (kit) => `/kits/${session.kit}/flipped/${kit}/${engine.rate}/`;

  async function begin(what) {
    end();
    const number = ++begun;
    if (what.kits.length < 2) return session.say("A set of one kit can't be flipped through. Add another.", true);
    loading = what;
    session.say(`Loading ${what.kits.length} kits…`);
    const books = new Map();
    await Promise.all(what.kits.map(async ([key, , url]) => books.set(key, await tablesAt(url))));
    if (number !== begun) return;
    const kits = what.kits.filter(([key]) => books.get(key));
    const lost = what.kits.filter(([key]) => !books.get(key)).map(([, name]) => name);
    if (lost.length) session.say(`${lost.join(", ")} did not come and ${lost.length === 1 ? "is" : "are"} left out; begin again to hear all.`, true);
    if (kits.length < 2) return void (loading = null);
    await engine.loadAhead(new Map(kits.map(([key]) => [key, books.get(key)])));
    if (number !== begun) return;
    loading = null;
    set = { ...what, kits };
    order = kits.map((_, n) => n);
    if (how.blind) shuffle(order);
    loudness = new Map();
    engine.measure(true);
    const own = order.findIndex((place) => kits[place][0] === session.kit);
    flipTo(own < 0 || how.blind || !set.id ? 0 : own);
  }

  async function tablesAt(url) {
    const answer = await fetch(url).catch(() => null);
    return answer?.ok ? answer.json() : null;
  }

  function flipTo(place) {
    if (!set) return;
    heard = (place + set.kits.length) % set.kits.length;
    if (how.cuts) engine.hush();
    engine.flip(kitAt(heard)[0]);
    level();
    show();
  }

  /** As loud as the first kit of the set that has been heard, over what was played of each. */
  function level() {
    const mean = (kit) => {
      const [sum, frames] = loudness.get(kit) ?? [0, 0];
      return frames ? sum / frames : 0;
    };
    const first = set.kits.map(([kit]) => mean(kit)).find((power) => power > QUIET) ?? 0;
    let own = 1;
    for (const [kit] of set.kits) {
      const power = mean(kit);
      const gain_db = power > QUIET && first ? Math.min(MOST_GAIN_DB, Math.max(-MOST_GAIN_DB, 10 * Math.log10(first / power))) : 0;
      if (heard !== null && kit === kitAt(heard)[0]) own = 10 ** (gain_db / 20);
      const says = document.querySelector(`[data-gain-of="${kit}"]`);
      if (says) says.textContent = power > QUIET && !how.blind ? `${gain_db >= 0 ? "+" : "−"}${Math.abs(gain_db).toFixed(1)} dB` : "";
    }
    engine.setKitGain(how.equal ? own : 1);
  }

  function end() {
    if (heard === null) return;
    heard = null;
    engine.loadAhead(new Map());
    engine.measure(false);
    engine.setKitGain(1);
    set = null;
    show();
  }

  function show() {
    const box = document.getElementById("hearing");
    box.hidden = heard === null;
    if (heard !== null) document.getElementById("hearing-says").textContent = `${heard + 1}/${set.kits.length} ${nameAt(heard)}`;
    for (const row of document.querySelectorAll("[data-set-kit]")) row.classList.toggle("heard", !how.blind && heard !== null && row.getAttribute("data-set-kit") === kitAt(heard)[0]);
    for (const [id, name] of [["flip-equal", "equal"], ["flip-cuts", "cuts"], ["flip-blind", "blind"]]) if (by(id)) by(id).checked = how[name]; // prettier-ignore
    const button = document.getElementById("flip-use");
    if (button) button.textContent = heard === null ? "Flip through this set" : how.blind ? "Say which is which" : "End flipping";
  }

  engine.addEventListener("report", ({ detail }) => {
    if (heard === null || !detail.power) return;
    const [kit] = kitAt(heard);
    const was = loudness.get(kit) ?? [0, 0];
    if (detail.voices || detail.power[0]) loudness.set(kit, [was[0] + detail.power[0], was[1] + detail.power[2]]);
    if (how.equal) level();
  });
  document.body.addEventListener("kit-changed", ({ detail }) => {
    if (detail.refused) return;
    if (loading) return void begin(loading); // it came as it was before
    if (heard === null) return;
    end();
    session.say("This kit was changed, so it is heard again itself.");
  });
  document.addEventListener("click", ({ target }) => {
    const step = target.closest?.("[data-flip-by]");
    if (step) flipTo(heard + Number(step.dataset.flipBy));
    if (target.closest?.("#flip-end")) end();
    if (target.closest?.("#flip-use")) {
      if (heard === null) use(document.getElementById("flip-bar").dataset.set);
      else if (how.blind) {
        how.blind = false;
        show();
        session.say(`You hear ${nameAt(heard)}.`);
      } else end();
    }
    const version = target.closest?.("[data-hear-version]");
    if (version) begin({ id: 0, kits: [["version", version.dataset.name, version.dataset.hearVersion.replace(/\d+\/$/, `${engine.rate}/`)], [session.kit, "as it is", tablesOf(session.kit)]] });
    const one = target.closest?.("[data-flip]");
    if (one && heard !== null) flipTo(order.findIndex((place) => set.kits[place][0] === one.dataset.flip));
    else if (one) session.say("Press “Flip through this set” first.");
  });
  document.addEventListener("change", ({ target }) => {
    const name = { "flip-equal": "equal", "flip-cuts": "cuts", "flip-blind": "blind" }[target.id];
    if (!name) return;
    how[name] = target.checked;
    if (name === "equal" && heard !== null) level();
    if (name === "blind" && heard !== null) begin(set);
  });
  session.addEventListener("marked", show);

  /** Shift and the brackets flip, in every view. */
  return ({ code, shiftKey, ctrlKey, metaKey, altKey }) => {
    if (heard === null || !shiftKey || ctrlKey || metaKey || altKey) return false;
    if (code === "BracketRight") flipTo(heard + 1);
    else if (code === "BracketLeft") flipTo(heard - 1);
    else return false;
    return true;
  };
}

/** Every order is as likely (Fisher and Yates). @param {unknown[]} some */
function shuffle(some) {
  for (let n = some.length - 1; n > 0; n--) {
    const other = Math.floor(Math.random() * (n + 1));
    [some[n], some[other]] = [some[other], some[n]];
  }
}
