import { Session } from "../../js/page/session.js";
import { equal, settled, test } from "../harness.js";

const ROWS = [11, 12, 13, 14, 15];

/** A page of five pads whose requests are noted; its body is a new one, so that no session hears another's. */
function stand({ selected = 11, state = "running" } = {}) {
  const body = document.createElement("body");
  document.body.replaceWith(body);
  Object.assign(body.dataset, { kit: "3", selected: String(selected) });
  body.innerHTML = `<p id="status"></p><p id="sound-state"></p><i id="history" data-version="8"></i><div id="card"><input id="in-card"></div>
    <main id="view"><div data-view="kit">${ROWS.map((pad) => `<div class="row" id="row-${pad}" data-pad="${pad}" tabindex="-1"><b>name</b><button
      data-solo="${pad}"></button></div>`).join("")}</div></main>`;
  const asked = [];
  Object.assign(window, { htmx: { ajax: async (verb, url, { target = null, values } = /** @type {any} */ ({})) => void asked.push([verb, url, target, values]) } });
  sessionStorage.clear();
  const engine = Object.assign(
    new EventTarget(),
    { state, rate: 48_000, wakes: 0, wake: () => engine.wakes++, solo: [], setSolo: (pads) => (engine.solo = pads), books: [], loadPlaybook: (...given) => engine.books.push(given) },
  ); // prettier-ignore
  const session = new Session(body, engine);
  const click = (selector, keys = {}) => body.querySelector(selector).dispatchEvent(new MouseEvent("click", { bubbles: true, ...keys }));
  const cards = async (ms = 0) => {
    await settled(ms + 5);
    return asked.splice(0).filter(([, , target]) => target === "#card").length;
  };
  return { body, session, engine, asked, click, cards, says: () => document.getElementById("status").textContent };
}

const frame = () => new Promise((resolve) => requestAnimationFrame(resolve));

test("a press selects a pad and its card comes, once for many quick ones", async () => {
  const { session, click, cards } = stand();
  for (const pad of [12, 13, 14]) click(`#row-${pad} b`);
  equal([session.pads, await cards()], [[14], 1]);
  click("#row-14 b");
  equal(await cards(), 0, "it is selected already");
});

test("with Ctrl pads are added and taken, with Shift all between, and the first stays first", () => {
  const { session, click } = stand();
  click("#row-13 b", { ctrlKey: true });
  click("#row-15 b", { shiftKey: true });
  equal(session.pads, [11, 13, 14, 15]);
  click("#row-14 b", { ctrlKey: true });
  click("#row-12 b", { shiftKey: true });
  equal(session.pads, [11, 12, 13, 14, 15]);
  for (const pad of [11, 12, 13, 14, 15]) click(`#row-${pad} b`, { ctrlKey: true });
  equal(session.pads, [15], "one stays selected");
});

test("a range from a pad that is gone is the pad alone", () => {
  const { session, click } = stand({ selected: 99 });
  click("#row-13 b", { shiftKey: true });
  equal(session.pads, [13]);
});

test("the selection goes along the sheet and ends at its ends", () => {
  const { session } = stand();
  session.step(-1);
  equal(session.selected, 11);
  session.step(2);
  session.step(1, { range: true });
  session.step(1, { range: true });
  equal([session.pads, document.activeElement.id], [[13, 14, 15], "row-15"]);
  session.step(1000);
  session.selectAll();
  equal(session.pads, [15, 11, 12, 13, 14]);
});

test("what is asked of the server says what the page shows", () => {
  const { session, body } = stand();
  session.select(12);
  session.takes = [5, 6];
  session.cardTab = "sound";
  sessionStorage.setItem("part", "4");
  const detail = { headers: {} };
  body.dispatchEvent(new CustomEvent("htmx:configRequest", { detail }));
  equal(detail.headers, { "X-View": "kit", "X-Card-Tab": "sound", "X-Selected-Pads": "12", "X-Selected-Takes": "5,6", "X-Part": "4", "X-Kit-Version": "8" });
});

test("marks are drawn on new rows: what is selected, where the keyboard is, what is heard alone", async () => {
  const { session, click, body, engine } = stand();
  session.select(12, { more: true });
  click("#row-13 [data-solo]");
  await frame();
  const marks = (row) => [row.getAttribute("aria-selected"), row.tabIndex, row.querySelector("[data-solo]").getAttribute("aria-pressed")];
  equal(ROWS.slice(0, 3).map((pad) => marks(document.getElementById(`row-${pad}`))), [["true", 0, "false"], ["true", -1, "false"], ["false", -1, "true"]]); // prettier-ignore
  equal([body.querySelector("#view").className, engine.solo, session.pads], ["soloing", [13], [11, 12]]);
  click("#row-13 [data-solo]");
  equal(engine.solo, []);
});

test("after an edit the first pad that it touched is selected, unless one of them was", () => {
  const { session, body, engine } = stand();
  const told = (detail) => body.dispatchEvent(new CustomEvent("kit-changed", { detail }));
  told({ pads: [14, 13], touched: [14, 13], refused: false, ways: false });
  session.selectTouched();
  equal(session.pads, [13], "in the order of the sheet");
  told({ pads: [11], touched: [11, 13], refused: false, ways: true });
  session.selectTouched();
  told({ pads: [12], touched: [12], refused: true, ways: false });
  session.selectTouched();
  equal([session.pads, engine.books], [[13], [[[14, 13], false], [[11], true]]]); // prettier-ignore
});

test("a card that comes late does not take the focus of who works in it, and comes once that ends", async () => {
  const { session, body, cards } = stand();
  await cards(70); // of the tests before
  const late = (verb) => {
    const detail = { target: document.getElementById("card"), requestConfig: { verb }, shouldSwap: true };
    body.dispatchEvent(new CustomEvent("htmx:beforeSwap", { detail }));
    return detail.shouldSwap;
  };
  session.select(12, { delay: 10 });
  equal(await cards(10), 1);
  document.getElementById("in-card").focus();
  equal([late("get"), late("post")], [false, true]);
  session.loadCard(10, { fromCard: false });
  equal(await cards(10), 0, "not under the hands");
  document.getElementById("in-card").blur();
  equal(await cards(10), 1);
});

test("a refusal, a lost server and a broken sound are said, and stay as warnings", () => {
  const { body, engine, says } = stand();
  const answered = (status, type, responseText) => body.dispatchEvent(new CustomEvent("htmx:afterRequest", { detail: { xhr: { status, responseText, getResponseHeader: () => type } } }));
  answered(422, "text/plain; charset=utf-8", "Type a level from −60 to 12.");
  equal(says(), "Type a level from −60 to 12.");
  answered(200, "text/plain", "fine");
  answered(422, "text/html", "<p>");
  equal(says(), "Type a level from −60 to 12.");
  body.dispatchEvent(new CustomEvent("htmx:sendError"));
  equal(says(), "The server does not answer. Is it running? Nothing was changed.");
  engine.dispatchEvent(new CustomEvent("broken", { detail: ["tom.wav can't be read."] }));
  equal([says(), document.getElementById("status").className], ["tom.wav can't be read.", "warning shown"]);
});

test("what an answer says is shown once, and not again whenever the page is drawn", async () => {
  const { session, body } = stand();
  const anew = (text) => document.getElementById("status").replaceWith(Object.assign(document.createElement("p"), { id: "status", textContent: text }));
  const shown = async () => {
    body.dispatchEvent(new CustomEvent("htmx:afterSettle"));
    await frame();
    return document.getElementById("status").classList.contains("shown");
  };
  anew("1 hit drawn");
  equal(await shown(), true);
  await settled(4000);
  equal([await shown(), (session.say("Copied."), document.getElementById("status").classList.contains("shown"))], [false, true]);
  await settled(4000);
  anew("");
  equal(await shown(), false);
});

test("any press or key wakes the sound, and the page says whether it is on", () => {
  const { body, engine } = stand({ state: "suspended" });
  const state = () => [document.getElementById("sound-state").textContent, body.classList.contains("sound-off")];
  equal(state(), ["Sound is off: press any key", true]);
  body.dispatchEvent(new KeyboardEvent("keydown"));
  engine.state = "running";
  engine.dispatchEvent(new Event("state"));
  equal([state(), engine.wakes], [["Sound on · 48 kHz", false], 1]);
});

test("what takes longer than a blink shows that it is under way, until all of it is done", async () => {
  const { body } = stand();
  const [quick, slow, slower] = [1, 2, 3].map(() => Object.assign(new EventTarget(), { readyState: 1 }));
  for (const xhr of [quick, slow, slower]) body.dispatchEvent(new CustomEvent("htmx:beforeSend", { detail: { xhr, elt: body, requestConfig: {} } }));
  quick.dispatchEvent(new Event("loadend"));
  equal(body.classList.contains("busy"), false);
  await settled(330);
  equal(body.classList.contains("busy"), true);
  slow.dispatchEvent(new Event("loadend"));
  equal(body.classList.contains("busy"), true);
  slower.dispatchEvent(new Event("loadend"));
  equal(body.classList.contains("busy"), false);
});

test("an answer finds a source that was drawn anew meanwhile, unless it was for the source alone", async () => {
  const { body } = stand();
  const answered = (id, verb, target) => {
    const xhr = Object.assign(new EventTarget(), { readyState: XMLHttpRequest.DONE });
    const elt = Object.assign(document.createElement("div"), { id, textContent: "old" });
    body.append(elt);
    body.dispatchEvent(new CustomEvent("htmx:beforeSend", { detail: { xhr, elt, target: target ?? elt, requestConfig: { verb } } }));
    elt.remove();
    xhr.dispatchEvent(new Event("readystatechange"));
    return elt;
  };
  const [tab, form, itself] = [answered("tab", "get", document.getElementById("view")), answered("form", "post"), answered("itself", "get")];
  equal([tab.isConnected, form.isConnected, form.hidden, form.id, form.textContent, itself.isConnected], [true, true, true, "", "", false]);
  await settled(1000);
  equal(form.isConnected, false);
});

test("a tab of the card opens for the pad that its button names, with the focus where it says", async () => {
  const { session, body, click, cards } = stand();
  body.insertAdjacentHTML("beforeend", `<button data-card-tab="mics" data-select="14" data-focus="in-card"></button>`);
  click("[data-card-tab]");
  equal([session.pads, session.cardTab, await cards()], [[14], "mics", 1]);
  body.dispatchEvent(new CustomEvent("htmx:afterSettle"));
  equal(document.activeElement.id, "in-card");
});

test("a later fetch for a place takes over from an earlier one, by a source of its own", async () => {
  const { session, body, asked } = stand();
  equal([await session.get("/a/", "#card"), await session.get("/b/", "#card"), await session.get("/c/", "#view")], [true, true, true]);
  equal([asked.map(([, url]) => url), body.querySelectorAll("[hx-sync='this:replace']").length], [["/a/", "/b/", "/c/"], 2]);
  Object.assign(window, { htmx: { ajax: () => Promise.reject() } });
  equal([await session.get("/d/", "#card"), await session.show("/d/"), location.pathname], [false, false, "/"]); // prettier-ignore
});

test("a view that is shown stands in the browser's history, so that going back draws the one before", async () => {
  const { session, asked } = stand();
  const entries = history.length;
  await session.show("/kits/3/map/");
  equal([asked, location.pathname, history.length - entries, history.state], [[["GET", "/kits/3/map/", "#view", undefined]], "/kits/3/map/", 1, { htmx: true }]); // prettier-ignore
  await session.show("/kits/3/", { isNew: false });
  equal([location.pathname, history.length - entries], ["/kits/3/", 1]); // prettier-ignore
  history.replaceState(null, "", "/");
});
