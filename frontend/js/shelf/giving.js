/** Where selected samples go: to a pad, to a new one in an empty cell, or stacked into pads that are proposed. */
import { post } from "./upload.js";

const LOOP_SECONDS = 1.9; // a longer sample may be a loop: ask

/** @param {import("../page/session.js").Session} session @param {import("./picking.js").Picking} picking */
export function startGiving(session, picking) {
  /** Give samples to a pad: at once where there is one way only, else ask how. @param {number[] | null} dragged */
  function give(pad, dragged = null) {
    return picking.whenSettled(() => giveSamples(pad, dragged ?? picking.inListOrder));
  }

  async function giveSamples(pad, samples) {
    if (!pad || !samples.length) return session.say("Select samples on the shelf, and a pad, first.", true);
    session.select(pad, { delay: 1 });
    const url = `/kits/${session.kit}/pads/${pad}/give/`;
    const isEmpty = document.querySelector(`.pad[data-pad="${pad}"][data-empty]`);
    const isLong = Number(document.getElementById(`sample-${samples[0]}`)?.dataset.seconds) > LOOP_SECONDS;
    if (samples.length === 1 && isEmpty && !isLong) return session.post(url, { samples: String(samples[0]), way: "takes", mode: "replace" });
    const came = await session.get(`${url}?samples=${samples.join(",")}`, "#ask");
    const ask = /** @type {HTMLDialogElement} */ (document.getElementById("ask"));
    if (came && ask.firstElementChild && !ask.open) ask.showModal();
  }

  async function giveCell(place, samples) {
    const surface = document.getElementById("surface").dataset.played;
    await session.post(`/kits/${session.kit}/map/surfaces/${surface}/new/`, { to: place });
    if (session.selectTouched()) give(session.selected, samples);
  }

  /** Propose pads for the selected samples: in this kit, or where there is none in a new one. */
  function stack() {
    return picking.whenSettled(() => stackSamples(picking.inListOrder.join(",")));
  }

  async function stackSamples(samples) {
    if (session.kit) return window.htmx.ajax("POST", `/kits/${session.kit}/stack/propose/`, { source: document.getElementById("shelf"), target: "#view", values: { samples } });
    const made = await post("/kits/new/", new FormData()).catch(() => null);
    const body = new FormData();
    body.append("samples", samples);
    const proposed = made?.ok ? await post(`${made.url}stack/propose/`, body).catch(() => null) : null;
    if (proposed?.ok) location.assign(proposed.url);
    else session.say("The new kit could not be made: the server does not answer. Try again.", true);
  }

  return { give, giveCell, stack };
}
