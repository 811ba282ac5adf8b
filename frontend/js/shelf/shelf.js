/** The shelf: opens and folds, selects and hears samples, brings files in, and gives samples to pads. */
import { isMidi, readParts } from "../part/read.js";
import { bringTracks } from "../recording/bring.js";
import { startDrops } from "./drops.js";
import { post, upload } from "./upload.js";

const LOOP_SECONDS = 1.9; // a longer sample may be a loop: ask

export function startShelf(session, engine) {
  const shelf = document.getElementById("shelf");
  const edge = document.getElementById("shelf-edge");
  const list = () => document.getElementById("samples");
  const options = () => [...list().querySelectorAll(".sample")];
  const picked = new Set();
  let at = null; // the sample the keyboard is at
  let anchor = null;
  let aboutTimer = 0;
  const walkers = []; // may take over what happens at a sample

  const open = (isOpen) => {
    shelf.classList.toggle("open", isOpen);
    document.body.classList.toggle("shelf-open", isOpen);
    edge?.setAttribute("aria-expanded", String(isOpen));
    if (session.kit) localStorage.setItem("shelf", isOpen ? "open" : "folded");
  };
  const toggle = () => {
    open(!shelf.classList.contains("open"));
    if (shelf.classList.contains("open")) list().focus();
  };
  const search = () => {
    open(true);
    document.getElementById("shelf-q").select();
  };

  const show = () => {
    for (const option of options()) {
      const id = Number(option.dataset.sample);
      option.setAttribute("aria-selected", String(picked.has(id)));
      option.classList.toggle("at", id === at);
    }
    const count = picked.size;
    list().setAttribute("aria-activedescendant", at ? `sample-${at}` : "");
    document.getElementById("picked").textContent = count ? `${count} selected` : "Click to hear; Shift or Ctrl for several";
    const isAway = document.getElementById("shelf-which").value === "away";
    for (const ways of shelf.querySelectorAll(".set-kind, .away-ways")) ways.hidden = !count;
    document.getElementById("put-away").hidden = isAway;
    for (const id of ["bring-back", "delete-picked"]) document.getElementById(id).hidden = !isAway;
    document.getElementById("give-picked").hidden = !count || !session.kit;
    document.getElementById("stack-picked").hidden = count < (session.kit ? 2 : 1);
  };

  const pick = (id, { more = false, range = false, hear = true } = {}) => {
    if (range && anchor) {
      const ids = options().map((option) => Number(option.dataset.sample));
      const [from, to] = [ids.indexOf(anchor), ids.indexOf(id)].sort((a, b) => a - b);
      if (!more) picked.clear();
      ids.slice(from, to + 1).forEach((each) => picked.add(each));
    } else if (more) {
      if (!picked.delete(id)) picked.add(id);
      anchor = id;
    } else {
      picked.clear();
      picked.add(id);
      anchor = id;
    }
    at = id;
    show();
    document.getElementById(`sample-${id}`)?.scrollIntoView({ block: "nearest" });
    if (hear && !walkers.some((walk) => walk(id))) engine.hear(id);
    clearTimeout(aboutTimer);
    aboutTimer = setTimeout(() => session.get(`/shelf/samples/${id}/`, "#about"), 180);
  };

  /** Every sample the search finds, those not drawn yet too; or all that an import brought. */
  let picking = Promise.resolve();
  const pickAll = (batch = "") => (picking = pickFound(batch));
  const pickFound = async (batch) => {
    const query = batch ? `import=${batch}` : new URLSearchParams(/** @type {any} */ (new FormData(/** @type {HTMLFormElement} */ (document.getElementById("shelf-find")))));
    const answer = await fetch(`/shelf/found/?${query}`);
    if (!answer.ok) return;
    picked.clear();
    for (const id of (await answer.json()).samples) picked.add(id);
    at ??= [...picked][0];
    show();
  };

  /** Keys while the list has the focus; true where one was taken. */
  const key = (event) => {
    const ids = options().map((option) => Number(option.dataset.sample));
    const place = ids.indexOf(at);
    const moves = { ArrowDown: 1, ArrowUp: -1, PageDown: 10, PageUp: -10, Home: -1e6, End: 1e6 };
    if (event.key in moves && ids.length) {
      const next = place < 0 ? 0 : Math.min(ids.length - 1, Math.max(0, place + moves[event.key]));
      pick(ids[next], { range: event.shiftKey });
    } else if (event.key === "Enter") give(session.selected);
    else if (event.key === " " && at) engine.hear(at);
    else if (event.key === "Delete" && picked.size) putAway(document.getElementById("shelf-which").value !== "away");
    else if (event.code === "KeyA" && (event.ctrlKey || event.metaKey)) pickAll();
    else return false;
    return true;
  };

  /** Give samples to a pad: at once where there is one way only, else ask how. */
  const give = async (pad, dragged = null) => {
    await picking;
    const samples = dragged ?? inListOrder();
    if (!pad || !samples.length) return session.say("Select samples on the shelf, and a pad, first.", true);
    session.select(pad, { delay: 1 });
    const url = `/kits/${session.kit}/pads/${pad}/give/`;
    const isEmpty = document.querySelector(`.pad[data-pad="${pad}"][data-empty]`);
    const isLong = samples.length === 1 && Number(document.getElementById(`sample-${samples[0]}`)?.dataset.seconds) > LOOP_SECONDS;
    if (samples.length === 1 && isEmpty && !isLong)
      session.post(url, { samples: String(samples[0]), way: "takes", mode: "replace" });
    else
      session.get(`${url}?samples=${samples.join(",")}`, "#ask").then((came) => {
        const ask = document.getElementById("ask");
        if (came && ask.firstElementChild && !ask.open) ask.showModal();
      });
  };
  const inListOrder = () => {
    const order = options().map((option) => Number(option.dataset.sample));
    const place = (id) => (order.includes(id) ? order.indexOf(id) : Infinity);
    return [...picked].sort((a, b) => place(a) - place(b) || 0);
  };

  /** Propose pads for the selected samples: in this kit, or where there is none in a new one. */
  const stack = async () => {
    const samples = inListOrder().join(",");
    if (session.kit) return window.htmx.ajax("POST", `/kits/${session.kit}/stack/propose/`, { source: shelf, target: "#view", values: { samples } });
    const made = await post("/kits/new/", new FormData()).catch(() => null);
    const body = new FormData();
    body.append("samples", samples);
    const proposed = made?.ok ? await post(`${made.url}stack/propose/`, body).catch(() => null) : null;
    if (proposed?.ok) location.assign(proposed.url);
    else session.say("The new kit could not be made: the server does not answer. Try again.", true);
  };

  const change = (url, values = {}) => session.post(url, { sample: [...picked].map(String), ...values });
  const putAway = (isAway) => {
    change("/shelf/away/", { away: isAway ? "1" : "0" });
    picked.clear();
    at = null;
    document.getElementById("about").replaceChildren();
  };

  const bringIn = async (files) => {
    await readParts(files.filter(isMidi), session);
    const sounds = files.filter((each) => !isMidi(each));
    if (sounds.length) open(true); // how far it is, and what can be done with them, stands there
    if (sounds.length || !files.length) upload(sounds, { session, onListed: () => document.body.dispatchEvent(new Event("shelf-changed")) });
  };

  shelf.addEventListener("click", (event) => {
    const option = event.target.closest(".sample");
    if (option) {
      list().focus({ preventScroll: true });
      pick(Number(option.dataset.sample), { more: event.ctrlKey || event.metaKey, range: event.shiftKey });
    }
    if (event.target.closest("#shelf-edge, #shelf-fold")) toggle();
    if (event.target.closest("#choose-files")) document.getElementById("files-input").click();
    if (event.target.closest("#choose-folder")) document.getElementById("folder-input").click();
    if (event.target.closest("#give-picked")) give(session.selected);
    if (event.target.closest("#stack-picked")) stack();
    if (event.target.closest("#put-away")) putAway(true);
    if (event.target.closest("#bring-back")) putAway(false);
    if (event.target.closest("#delete-picked")) {
      change("/kits/samples/delete/");
      picked.clear();
    }
    const merge = event.target.closest("[data-merge]");
    if (merge) change(`/kits/samples/${merge.dataset.merge}/`);
    const { pickImport, stackImport } = event.target.closest("[data-pick-import], [data-stack-import]")?.dataset ?? {};
    if (pickImport) pickAll(pickImport).then(() => list().focus());
    if (stackImport) pickAll(stackImport).then(stack);
  });
  shelf.addEventListener("change", (event) => {
    if (event.target.matches("#files-input, #folder-input")) {
      bringIn([...event.target.files].map((file) => ({ file, path: file.webkitRelativePath || file.name })));
      event.target.value = "";
    }
    if (event.target.id === "set-kind" && event.target.value) {
      change("/shelf/kind/", { kind: event.target.value });
      event.target.value = "";
    }
  });
  document.getElementById("shelf-q").addEventListener("keydown", (event) => {
    if (event.key !== "ArrowDown" && event.key !== "Enter") return;
    event.preventDefault();
    list().focus();
    if (at === null || !options().some((option) => Number(option.dataset.sample) === at)) {
      const first = options()[0];
      if (first) pick(Number(first.dataset.sample));
    }
  });
  document.addEventListener("click", (event) => {
    const fill = event.target.closest?.("[data-fill]");
    if (fill) session.dispatchEvent(new CustomEvent("fill", { detail: Number(fill.dataset.fill) }));
  });
  session.addEventListener("fill", ({ detail }) => {
    session.select(detail);
    if (picked.size) give(detail);
    else {
      open(true);
      list().focus();
      session.say("Select samples here, then press Enter to give them to the pad.");
    }
  });

  startDrops({
    shelf,
    give,
    giveCell: async (place, samples) => {
      const surface = document.getElementById("surface").dataset.played;
      await session.post(`/kits/${session.kit}/map/surfaces/${surface}/new/`, { to: place });
      session.selectTouched();
      give(session.selected, samples);
    },
    take: (id) => {
      if (!picked.has(id)) pick(id, { hear: false });
      return inListOrder();
    },
    bringIn: (files) => {
      const tracks = files.filter((each) => !isMidi(each));
      if (tracks.length && document.querySelector("#view > :is([data-view=part], [data-view=recording])")) return bringTracks(tracks, session);
      open(true);
      bringIn(files);
    },
  });
  document.body.addEventListener("shelf-changed", ({ detail }) => detail?.said && session.say(detail.said));
  document.body.addEventListener("htmx:afterSettle", ({ target }) => {
    if (target.id === "samples" || target.closest?.("#samples")) {
      show();
      document.getElementById("shelf-q").placeholder = `Search ${document.getElementById("shelf-count").textContent} samples`;
    }
    const finished = document.querySelector("#import [data-over]:not([data-told])");
    if (finished) {
      finished.dataset.told = "";
      document.body.dispatchEvent(new Event("shelf-changed"));
    }
  });

  if (session.kit && localStorage.getItem("shelf") === "open") open(true);
  show();
  return { toggle, search, key, give, picked: inListOrder, onWalk: (walk) => walkers.push(walk), focusList: () => (open(true), list().focus()) };
}
