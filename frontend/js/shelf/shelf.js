/** The shelf: opens and folds, takes files in, and leads what is pressed there to what is done with samples. */
import { openKitsBeside } from "../page/carrying.js";
import { isKitFile, isMidi, isSound, readParts } from "../part/read.js";
import { bringTracks } from "../recording/bring.js";
import { startDrops } from "./drops.js";
import { startGiving } from "./giving.js";
import { Picking } from "./picking.js";
import { upload } from "./upload.js";

const STEPS = { ArrowDown: 1, ArrowUp: -1, PageDown: 10, PageUp: -10, Home: -1e6, End: 1e6 };

export function startShelf(session, engine) {
  const shelf = document.getElementById("shelf");
  const list = () => document.getElementById("samples");
  const picking = new Picking(session, engine);
  const { give, giveCell, stack } = startGiving(session, picking);

  const open = (isOpen) => {
    shelf.classList.toggle("open", isOpen);
    document.body.classList.toggle("shelf-open", isOpen);
    document.getElementById("shelf-edge")?.setAttribute("aria-expanded", String(isOpen));
    if (session.kit) localStorage.setItem("shelf", isOpen ? "open" : "folded");
    if (isOpen) read();
  };
  /** What a page brings folded is fetched when it is first seen, as a search is. */
  function read() {
    if (!("unread" in list().dataset)) return;
    delete list().dataset.unread;
    document.body.dispatchEvent(new Event("shelf-changed"));
  }
  const focusList = () => {
    open(true);
    list().focus();
  };
  const toggle = () => (shelf.classList.contains("open") ? open(false) : focusList());
  const search = () => {
    open(true);
    document.getElementById("shelf-q").select();
  };

  /** Keys while the list has the focus; true where one was taken. */
  const key = (event) => {
    if (event.key in STEPS && picking.step(STEPS[event.key], { range: event.shiftKey })) return true;
    if (event.key === "Enter") give(session.selected);
    else if (event.key === " " && picking.at) engine.hear(picking.at);
    else if (event.key === "Delete" && picking.count) putAway(document.getElementById("shelf-which").value !== "away");
    else if (event.code === "KeyA" && (event.ctrlKey || event.metaKey)) picking.all();
    else return false;
    return true;
  };

  const change = (url, values = {}) => picking.whenSettled(() => session.post(url, { sample: picking.inListOrder.map(String), ...values }));
  const remove = (url, values = {}) =>
    picking.whenSettled(() => {
      change(url, values);
      picking.clear();
      document.getElementById("about").replaceChildren();
    });
  const putAway = (isAway) => remove("/shelf/away/", { away: isAway ? "1" : "0" });

  const presses = {
    "#shelf-edge, #shelf-fold": toggle,
    "#choose-files": () => document.getElementById("files-input").click(),
    "#choose-folder": () => document.getElementById("folder-input").click(),
    "#give-picked": () => give(session.selected),
    "#stack-picked": stack,
    "#put-away": () => putAway(true),
    "#bring-back": () => putAway(false),
    "#delete-picked": () => remove("/kits/samples/delete/"),
    "[data-merge]": ({ dataset }) => change(`/kits/samples/${dataset.merge}/`),
    "[data-pick-import]": ({ dataset }) => picking.all(dataset.pickImport).then(() => list().focus()),
    "[data-stack-import]": ({ dataset }) => picking.all(dataset.stackImport).then(stack),
  };
  shelf.addEventListener("click", ({ target, ctrlKey, metaKey, shiftKey }) => {
    const option = target.closest(".sample");
    if (option) {
      list().focus({ preventScroll: true });
      picking.pick(Number(option.dataset.sample), { more: ctrlKey || metaKey, range: shiftKey });
    }
    for (const [selector, act] of Object.entries(presses)) {
      const pressed = target.closest(selector);
      if (pressed) act(pressed);
    }
  });
  shelf.addEventListener("change", ({ target }) => {
    const { value } = target;
    if (target.matches("#files-input, #folder-input")) bringIn([...target.files].map((file) => ({ file, path: file.webkitRelativePath || file.name })));
    else if (target.id === "set-kind" && value) change("/shelf/kind/", { kind: value });
    else return;
    target.value = "";
  });
  document.getElementById("shelf-q").addEventListener("keydown", (event) => {
    if (event.key !== "ArrowDown" && event.key !== "Enter") return;
    event.preventDefault();
    picking.enter();
  });
  document.addEventListener("click", ({ target }) => {
    const fill = target.closest?.("[data-fill]");
    if (fill) session.dispatchEvent(new CustomEvent("fill", { detail: Number(fill.dataset.fill) }));
  });
  session.addEventListener("fill", ({ detail }) => {
    session.select(detail);
    if (picking.count) return give(detail);
    focusList();
    session.say("Select samples here, then press Enter to give them to the pad.");
  });

  async function bringIn(files) {
    await readParts(files.filter(isMidi), session);
    await openKitsBeside(files.filter(isKitFile).map(({ file }) => file), session);
    const sounds = files.filter(isSound);
    if (sounds.length) open(true); // how far it is, and what can be done with them, stands there
    if (sounds.length || !files.length) upload(sounds, { session, onListed: () => document.body.dispatchEvent(new Event("shelf-changed")) });
  }
  startDrops({
    shelf,
    give,
    giveCell,
    take: (id) => {
      if (!picking.has(id)) picking.pick(id, { hear: false });
      return picking.inListOrder;
    },
    bringIn: (files) => {
      const tracks = files.filter(isSound);
      if (tracks.length && document.querySelector("#view > :is([data-view=part], [data-view=recording])")) return bringTracks(tracks, session);
      open(true);
      bringIn(files);
    },
  });
  document.body.addEventListener("shelf-changed", ({ detail }) => detail?.said && session.say(detail.said));
  document.body.addEventListener("htmx:afterSettle", ({ target }) => {
    if (target.closest?.("#samples")) {
      picking.show();
      document.getElementById("shelf-q").placeholder = `Search ${document.getElementById("shelf-count").textContent} samples`;
    }
    const finished = document.querySelector("#import [data-over]:not([data-told])");
    if (finished) {
      finished.dataset.told = "";
      document.body.dispatchEvent(new Event("shelf-changed"));
    }
  });

  if (session.kit && localStorage.getItem("shelf") === "open") open(true);
  picking.show();
  return { toggle, search, key, picked: () => picking.inListOrder, onWalk: (walk) => picking.onWalk(walk), focusList };
}
