/** Takes on the card and chips of a proposal: select, hear, drag and key them from place to place. */
const TAKES_TYPE = "application/x-dactyl-takes";
const CHIPS_TYPE = "application/x-dactyl-chips";

export function startTakes(session, engine) {
  const takes = () => [...document.querySelectorAll("#card .take[data-take]")];
  const idOf = (element) => Number(element.dataset.take);

  const select = (take, { more = false, range = false, hear = true } = {}) => {
    const order = takes().map(idOf);
    const id = idOf(take);
    if (range && session.takes.length) {
      const [low, high] = [order.indexOf(session.takes[0]), order.indexOf(id)].sort((a, b) => a - b);
      session.takes = [session.takes[0], ...order.slice(low, high + 1).filter((other) => other !== session.takes[0])];
    } else if (more) session.takes = session.takes.includes(id) ? session.takes.filter((other) => other !== id) : [...session.takes, id];
    else session.takes = [id];
    session.mark();
    if (hear) engine.hearTake(session.selected, Number(take.dataset.number));
    if (!more && !range) session.loadCard(120, { fromCard: true });
  };

  /** The pads of a proposal that are in doubt, one after another. */
  function nextDoubt() {
    const pads = [...document.querySelectorAll(".proposed:has(.doubt)")];
    const at = pads.findIndex((pad) => pad.contains(document.activeElement) || pad.classList.contains("looked-at"));
    const next = pads[(at + 1) % pads.length];
    if (!next) return;
    for (const pad of pads) pad.classList.toggle("looked-at", pad === next);
    next.scrollIntoView({ block: "start" });
    /** @type {HTMLElement} */ (next.querySelector(".proposed-name")).focus({ preventScroll: true });
  }

  const url = (id, action) => `/kits/${session.kit}/takes/${id}/${action}/`;

  document.addEventListener("click", (event) => {
    const take = event.target.closest?.("#card .take[data-take]");
    if (take) {
      take.focus({ preventScroll: true });
      select(take, { more: event.ctrlKey || event.metaKey, range: event.shiftKey });
    }
    if (event.target.closest?.("[data-next-doubt]")) nextDoubt();
    const layer = event.target.closest?.("[data-open-layer]");
    if (layer?.dataset.openLayer) {
      session.takes = [Number(layer.dataset.openLayer)];
      session.loadCard();
    }
    const chip = event.target.closest?.(".chip");
    if (chip) {
      const isMore = event.ctrlKey || event.metaKey || event.shiftKey;
      if (!isMore) for (const other of document.querySelectorAll(".chip")) other.setAttribute("aria-selected", "false");
      chip.setAttribute("aria-selected", String(!isMore || chip.getAttribute("aria-selected") !== "true"));
      chip.focus();
      engine.hear(Number(chip.dataset.sample));
    }
  });

  /** Keys on a take; true where one was used. */
  const takeKey = (event, take) => {
    const all = takes();
    const at = all.indexOf(take);
    const id = idOf(take);
    if (event.altKey && ["ArrowUp", "ArrowDown"].includes(event.key)) session.post(url(id, "move"), { by: event.key === "ArrowUp" ? "-1" : "1" });
    else if (event.altKey && ["ArrowLeft", "ArrowRight"].includes(event.key))
      session.post(url(id, "move"), { by: event.key === "ArrowLeft" ? "softer" : "louder" });
    else if (["ArrowUp", "ArrowDown"].includes(event.key)) {
      const next = all[Math.min(all.length - 1, Math.max(0, at + (event.key === "ArrowUp" ? -1 : 1)))];
      if (event.shiftKey && !session.takes.length) session.takes = [id];
      next?.focus();
      if (next) select(next, { range: event.shiftKey });
    } else if (event.key === "Enter") engine.hearTake(session.selected, Number(take.dataset.number));
    else if (event.key === "Delete" || event.key === "Backspace") session.post(url(id, "remove"));
    else if (isControl(event) && ["KeyC", "KeyX"].includes(event.code)) lift(take, event.code === "KeyC");
    else if (event.code === "KeyX" && !isControl(event)) session.post(url(id, "set/is_enabled"), { value: take.classList.contains("off") ? "1" : "0" });
    else return false;
    return true;
  };

  /** Takes on their way to another layer or pad. */
  const isControl = (event) => event.ctrlKey || event.metaKey;
  const lift = (take, copy) => {
    if (!session.takes.includes(idOf(take))) session.takes = [idOf(take)];
    session.clipboard = { takes: session.takes, copy: copy ? "1" : "" };
    const count = session.takes.length;
    session.say(`${count} take${count > 1 ? "s" : ""} ${copy ? "copied" : "cut"}; Ctrl V puts ${count > 1 ? "them" : "it"} into the layer or onto the pad that has the focus.`);
  };
  const put = (event) => {
    const lifted = session.clipboard;
    if (!lifted || !isControl(event) || event.code !== "KeyV") return false;
    const layer = event.target.closest?.("#card li[data-layer]")?.dataset.layer;
    const pad = event.target.closest?.(".row[data-pad]")?.dataset.pad;
    if (!layer && !pad) return false;
    session.takes = lifted.takes; // the server moves what is selected
    session.post(url(lifted.takes[0], "move"), layer ? { layer, copy: lifted.copy } : { pad, copy: lifted.copy });
    if (!lifted.copy) session.clipboard = null;
    return true;
  };

  const chipKey = (event, chip) => {
    const chips = [...document.querySelectorAll(".chip")];
    const [pad, layer] = chip.dataset.place.split(".").map(Number);
    const chosen = selectedChips(chip);
    const at = chips.indexOf(chip);
    const change = (what, values) => {
      const samples = chosen.map((one) => one.dataset.sample);
      changeProposal(what, { takes: placesOf(chosen), ...values })?.then(() => followChips(samples, chip.dataset.sample, at));
    };
    if (["ArrowLeft", "ArrowRight"].includes(event.key)) chips[at + (event.key === "ArrowLeft" ? -1 : 1)]?.focus();
    else if (event.key === "ArrowUp") change("move", { pad, layer: layer + 1 });
    else if (event.key === "ArrowDown" && layer > 0) change("move", { pad, layer: layer - 1 });
    else if (event.key === "Delete" || event.key === "Backspace") change("leave-out");
    else if (event.key === "Enter") engine.hear(Number(chip.dataset.sample));
    else if (event.key === " ") chip.setAttribute("aria-selected", String(chip.getAttribute("aria-selected") !== "true"));
    else return false;
    return true;
  };

  const selectedChips = (chip) => {
    const chosen = [...document.querySelectorAll('.chip[aria-selected="true"]')];
    return chosen.includes(chip) ? chosen : [chip];
  };
  const placesOf = (chips) => chips.map(({ dataset }) => dataset.place).join(",");

  /** Chips stand elsewhere once they were moved: the focus and the selection go with them, or stay where they were taken from. */
  const followChips = (samples, focused, at) => {
    const chips = [...document.querySelectorAll(".chip")];
    for (const chip of chips) chip.setAttribute("aria-selected", String(samples.length > 1 && samples.includes(chip.dataset.sample)));
    (chips.find(({ dataset }) => dataset.sample === focused) ?? chips[Math.min(at, chips.length - 1)])?.focus();
  };

  const changeProposal = (what, values) => {
    const apply = document.getElementById("apply-proposal");
    const base = apply?.getAttribute("hx-post").replace(/apply\/$/, "");
    return base && window.htmx.ajax("POST", `${base}${what}/`, { source: document.body, target: "#proposal", swap: "innerHTML", values });
  };

  document.addEventListener("dragstart", (event) => {
    const take = event.target.closest?.(".take[data-take]");
    if (take) {
      if (!session.takes.includes(idOf(take))) select(take, { hear: false });
      event.dataTransfer.setData(TAKES_TYPE, String(idOf(take)));
      event.dataTransfer.effectAllowed = "copyMove";
    }
    const chip = event.target.closest?.(".chip");
    if (chip) event.dataTransfer.setData(CHIPS_TYPE, placesOf(selectedChips(chip)));
  });
  const goal = (event) => {
    const { types } = event.dataTransfer;
    if (types.includes(TAKES_TYPE)) return event.target.closest?.("#card .take[data-take], #card li[data-layer], .row[data-pad], .pad[data-pad]");
    if (types.includes(CHIPS_TYPE)) return event.target.closest?.("[data-layer-place], .left-over");
    return null;
  };
  let over = null;
  document.addEventListener("dragover", (event) => {
    const place = goal(event);
    if (place) event.preventDefault();
    if (over !== place) {
      over?.classList.remove("drop-here");
      place?.classList.add("drop-here");
      over = place;
    }
  });
  document.addEventListener("drop", (event) => {
    const place = goal(event);
    over?.classList.remove("drop-here");
    if (!place) return;
    event.preventDefault();
    const take = event.dataTransfer.getData(TAKES_TYPE);
    const copy = event.ctrlKey || event.altKey ? "1" : "";
    if (take && place.matches(".row, .pad")) session.post(url(take, "move"), { pad: place.dataset.pad, copy });
    else if (take) session.post(url(take, "move"), { layer: place.dataset.layer, position: place.dataset.position ?? "1000000", copy });
    const chips = event.dataTransfer.getData(CHIPS_TYPE);
    if (chips && place.matches(".left-over")) changeProposal("leave-out", { takes: chips });
    else if (chips) {
      const [pad, layer] = place.dataset.layerPlace.split(".");
      changeProposal("move", { takes: chips, pad, layer });
    }
  });

  document.body.addEventListener("htmx:afterRequest", ({ detail }) => {
    const { then, selectTouched } = detail.elt?.dataset ?? {};
    if (detail.successful && selectTouched !== undefined) session.selectTouched();
    if (!then || !detail.successful) return;
    session.get(then, "#view").then((came) => {
      if (!came) return;
      history.pushState({}, "", then);
      session.selectTouched();
    });
  });

  /** Keys while a take or a chip has the focus; true where one was used. */
  return (event) => {
    if (put(event)) return true;
    const take = event.target.closest?.("#card .take[data-take]");
    if (take && event.target === take) return takeKey(event, take);
    const chip = event.target.closest?.(".chip");
    return chip && event.target === chip ? chipKey(event, chip) : false;
  };
}
