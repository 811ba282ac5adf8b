import { startEdits } from "../../js/page/edits.js";
import { equal, settled, test } from "../harness.js";

const EDIT = "/kits/3/pads/1/set/gain_db/";

/** A page and an htmx that sends when it is let: what goes out and comes back is told as htmx tells it. */
function stand() {
  const body = document.createElement("body");
  document.body.replaceWith(body);
  body.innerHTML = `<main id="view"></main><div id="card"></div><input class="cell" id="field" value="1"><button id="button"
    hx-vals='{"by":"1"}'></button>`;
  const sent = [];
  const gets = [];
  const session = {
    kit: "3", headers: { "X-View": "kit", "X-Selected-Pads": "1", "X-Card-Tab": "layers", "X-Kit-Version": "4" }, inTurn: null, cards: 0,
    loadCard: () => session.cards++, get: (...given) => gets.push(given),
  }; // prettier-ignore
  Object.assign(window, { htmx: { ajax: (verb, path, how) => void sent.push([path, how.values]), values: (element) => ({ value: element.value }) } });
  startEdits(session);
  const tell = (name, detail, more = {}) => {
    const event = new CustomEvent(`htmx:${name}`, { bubbles: true, cancelable: true, detail });
    body.dispatchEvent(Object.assign(event, more));
    return event;
  };
  const config = (path, headers = session.headers) => ({ verb: path === EDIT ? "post" : "get", path, headers });
  /** Ask as an element does; true where it goes out at once. */
  const ask = (elt, path = EDIT, verb = "post", name = elt.id) => !tell("confirm", { elt, path, verb, target: elt, issueRequest: () => sent.push([`again ${name}`, elt.value]) }).defaultPrevented;
  const goes = (path = EDIT) => tell("beforeSend", { requestConfig: config(path) });
  const answered = async (path = EDIT, headers = { ...session.headers }) => {
    tell("afterRequest", { requestConfig: config(path, headers) });
    await settled();
  };
  return { body, session, sent, gets, tell, config, ask, goes, answered, field: /** @type {HTMLInputElement} */ (document.getElementById("field")), button: document.getElementById("button") };
}

test("an edit that is asked for while another is under way goes once that is answered, one after another", async () => {
  const { ask, goes, answered, sent, field, button } = stand();
  equal(ask(field), true);
  goes();
  equal([ask(button), ask(field)], [false, false]);
  await answered();
  equal(sent.map(([what]) => what), ["again button", "again field"], "neither is under way here"); // prettier-ignore
});

test("while the next is under way the others wait on", async () => {
  const { goes, answered, sent, ask, field, button, session } = stand();
  goes();
  ask(button);
  session.inTurn(async () => (goes(), sent.push(["in turn"])));
  ask(field);
  await answered();
  equal(sent.map(([what]) => what), ["again button", "in turn"]); // prettier-ignore
  await answered();
  equal(sent.map(([what]) => what), ["again button", "in turn", "again field"]); // prettier-ignore
});

test("what goes in turn is done when it is answered, and at once where nothing is under way", async () => {
  const { session, goes, answered } = stand();
  const steps = [];
  const act = (name) => session.inTurn(async () => (steps.push(name), name)).then((done) => steps.push(`${done} answered`));
  act("first");
  goes();
  act("second");
  await settled();
  equal(steps, ["first", "first answered"]);
  await answered();
  equal(steps, ["first", "first answered", "second", "second answered"]);
});

test("looking, and edits of other documents, wait for nothing", () => {
  const { ask, goes, button } = stand();
  goes();
  equal([ask(button, EDIT, "get"), ask(button, "/parts/1/edit/move/")], [true, true]);
});

test("the field that asked is drawn anew meanwhile: its successor sends what was typed", async () => {
  const { ask, goes, answered, sent, field } = stand();
  field.value = "7";
  goes();
  ask(field);
  const anew = /** @type {HTMLInputElement} */ (field.cloneNode());
  field.replaceWith(anew);
  await answered();
  equal(sent, [[EDIT, { value: "7" }]]);
});

test("what is being typed while an answer draws its field anew stays, with the cursor, and is told on leaving", () => {
  const { tell, config, field, body } = stand();
  field.focus();
  field.value = "12";
  field.setSelectionRange(1, 1);
  tell("beforeSwap", { requestConfig: config(EDIT) });
  const anew = /** @type {HTMLInputElement} */ (field.cloneNode());
  anew.value = "1";
  field.replaceWith(anew);
  tell("afterSettle", { target: body, requestConfig: config(EDIT) });
  equal([anew.value, document.activeElement === anew, anew.selectionStart], ["12", true, 1]);
  const told = [];
  body.addEventListener("change", () => told.push(anew.value));
  anew.blur();
  equal(told, ["12"]);
});

test("what was sent already is not typed again", () => {
  const { tell, config, field, body } = stand();
  field.focus();
  field.value = "12";
  field.dispatchEvent(new Event("change", { bubbles: true }));
  tell("beforeSwap", { requestConfig: config(EDIT) });
  const anew = /** @type {HTMLInputElement} */ (field.cloneNode());
  anew.value = "1";
  field.replaceWith(anew);
  tell("afterSettle", { target: body, requestConfig: config(EDIT) });
  equal(anew.value, "1");
});

test("an answer draws neither a view nor a card over what was opened since", () => {
  const { tell, config, session } = stand();
  const swaps = (id) => {
    const detail = { target: document.getElementById(id), shouldSwap: true };
    tell("oobBeforeSwap", detail);
    return detail.shouldSwap;
  };
  tell("beforeSwap", { requestConfig: config(EDIT, { ...session.headers }) });
  equal([swaps("view"), swaps("card"), session.cards], [true, true, 0]);
  session.headers = { ...session.headers, "X-Selected-Pads": "2" };
  equal([swaps("view"), swaps("card"), session.cards], [true, false, 1], "the card of the pad that is selected now is fetched");
  session.headers = { ...session.headers, "X-View": "map" };
  equal(swaps("view"), false);
});

test("an answer to an edit of a view that was left brings no rows of it", () => {
  const { tell, config, session } = stand();
  const answer = `<p id="row-7" hx-swap-oob="true">7</p><b id="button" hx-swap-oob="true"></b><i>Done</i>`;
  const drawn = () => {
    const detail = { requestConfig: config(EDIT, headers), serverResponse: answer };
    tell("beforeSwap", detail);
    return detail.serverResponse;
  };
  const headers = { ...session.headers };
  equal(drawn(), answer, "its view would show them");
  session.headers = { ...session.headers, "X-View": "map" };
  equal(drawn(), `<b id="button" hx-swap-oob="true"></b><i>Done</i>`);
});

test("a view that was opened while an edit was under way is drawn again, but not one that fetches what it shows", async () => {
  const { tell, config, session, goes, answered, gets } = stand();
  const opened = (view, path) => {
    session.headers = { ...session.headers, "X-View": view };
    tell("afterSettle", { target: document.getElementById("view"), requestConfig: config(path), pathInfo: { finalRequestPath: path } });
  };
  goes();
  opened("map", "/kits/3/map/");
  await answered(EDIT, { ...session.headers, "X-View": "kit" });
  equal(gets, [["/kits/3/map/", "#view"]]);
  goes();
  opened("part", "/parts/of/3/");
  await answered(EDIT, { ...session.headers, "X-View": "map" });
  equal(gets.length, 1);
});

test("a view that shows an older version than the page knows is asked for again", () => {
  const { tell, config, gets, session } = stand();
  tell(
    "afterSettle",
    { target: document.getElementById("view"), requestConfig: config("/kits/3/cuts/", { ...session.headers, "X-Kit-Version": "3" }), pathInfo: { finalRequestPath: "/kits/3/cuts/" } },
  ); // prettier-ignore
  equal(gets, [["/kits/3/cuts/", "#view"]]);
});

test("a card that was asked for before an edit and comes behind its answer is asked for again", () => {
  const { tell, config, session } = stand();
  const comes = (version) =>
    tell("afterSettle", {
      target: document.getElementById("card"),
      requestConfig: config("/kits/3/card/", { ...session.headers, "X-Kit-Version": version }),
      pathInfo: { finalRequestPath: "/kits/3/card/" },
    });
  comes("4");
  equal(session.cards, 0);
  comes("3");
  equal(session.cards, 1);
});
