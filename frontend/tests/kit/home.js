import { rememberPlace, startHome } from "../../js/kit/home.js";
import { equal, test } from "../harness.js";

const at = (id) => /** @type {any} */ (document.getElementById(id));

/** Three kits, the latest first. */
function draw({ was = null, sort = null } = {}) {
  localStorage.clear();
  if (was) localStorage.setItem("was-at", JSON.stringify(was));
  if (sort) localStorage.setItem("kit-sort", sort);
  const card = (name, changed, pads) => `<li class="kit-card" data-name="${name}" data-changed="${changed}" data-pads="${pads}">${name}</li>`;
  document.body.innerHTML = `<main id="home" data-rate="48000"><p id="go-on" hidden><a></a><span></span></p><input id="kit-words"><select
    id="kit-sort"><option value="changed"></option><option value="name"></option><option value="pads"></option></select>
    <ul id="kit-cards">${card("ticket machine", 0, 4)}${card("ferry house", 1, 30)}${card("ferry deck", 2, 8)}</ul></main>`;
  startHome();
}
const cards = () => [...document.querySelectorAll(".kit-card:not([hidden])")].map(({ textContent }) => textContent);
const set = (id, value, kind) => {
  at(id).value = value;
  at(id).dispatchEvent(new Event(kind));
};

test("kits are found by all the words that are typed, in any order", () => {
  draw();
  for (const [words, wanted] of /** @type {[string, string[]][]} */ ([
    ["ferry", ["ferry house", "ferry deck"]], [" DECK fer", ["ferry deck"]], ["deck house", []],
    ["", ["ticket machine", "ferry house", "ferry deck"]],
  ])) { // prettier-ignore
    set("kit-words", words, "input");
    equal(cards(), wanted, words);
  }
});

test("they are sorted by when they were changed, by name or by pads, and that is kept", () => {
  draw();
  set("kit-sort", "pads", "change");
  equal([cards(), localStorage.getItem("kit-sort")], [["ferry house", "ferry deck", "ticket machine"], "pads"]);
  draw({ sort: "name" });
  equal([cards(), at("kit-sort").value], [["ferry deck", "ferry house", "ticket machine"], "name"]);
});

test("where one was before is offered, and only a place of this site", () => {
  draw({ was: { url: "/kits/3/map/", name: "Ferry House", view: "Map" } });
  equal([at("go-on").hidden, at("go-on").querySelector("a").getAttribute("href"), at("go-on").textContent], [false, "/kits/3/map/", "Go on with Ferry HouseMap"]);
  draw({ was: { url: "https://elsewhere.test/", name: "x", view: "y" } });
  equal(at("go-on").hidden, true);
});

test("a kit's page remembers itself, by its name and view as they are then", () => {
  localStorage.clear();
  document.body.innerHTML = `<input id="kit-name" value="Attic"><a aria-current="page">Part</a>`;
  const session = new EventTarget();
  rememberPlace(session);
  session.dispatchEvent(new Event("marked"));
  const { name, view, url } = JSON.parse(localStorage.getItem("was-at"));
  equal([name, view, url], ["Attic", "Part", location.pathname + location.search]);
  localStorage.clear();
});
