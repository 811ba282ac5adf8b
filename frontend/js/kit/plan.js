/**
 * The kit from above: pieces are played where they are pressed, the nearer the rim the further on among their
 * articulations, and higher on the page is no louder: the velocity is that of the keys. While it is arranged they are dragged,
 * and by keyboard moved with the arrow keys.
 */
import { Ahead } from "../page/ahead.js";
import { drawnAt, inside, placeAt, SIZE } from "./plan_places.js";
import { keyVelocity } from "../sheet/surface.js";

const LIT_MS = 160;
const STEP = 2; // of the plan, for an arrow key; with Shift five times as much

export function startPlan(session, engine, input) {
  const view = () => document.getElementById("plan");
  const picture = () => /** @type {SVGSVGElement & HTMLElement} */ (/** @type {unknown} */ (document.getElementById("plan-svg")));
  const box = (id) => /** @type {HTMLInputElement} */ (document.getElementById(id));
  let side = localStorage.getItem("plan-side") ?? "player";
  let heard = ""; // from where the desk lets the kit be heard: the picture turns along with it
  let isArranging = false;
  let held = null;
  const dim = new Map();
  /** Places of pieces that keys have moved. @type {Ahead<number[]>} */ const ahead = new Ahead();

  /** Where a point of the page lies in the drawing, as it is drawn for the player. */
  function point({ clientX, clientY }) {
    const { left, top, width, height } = picture().getBoundingClientRect();
    const scale = Math.min(width / SIZE[0], height / SIZE[1]);
    const [x, y] = [(clientX - left - (width - SIZE[0] * scale) / 2) / scale, (clientY - top - (height - SIZE[1] * scale) / 2) / scale];
    return side === "audience" ? [SIZE[0] - x, SIZE[1] - y] : [x, y];
  }

  const middleOf = (piece) => piece.getAttribute("transform").match(/-?[\d.]+/g).slice(0, 2).map(Number); // prettier-ignore
  /** @param {Element} piece @param {number[]} point */
  const turn = (piece, [x, y]) => piece.setAttribute("transform", `translate(${x} ${y})${side === "audience" ? " rotate(180)" : ""}`);

  /** By whose sides a pan is set so that it is heard where it is seen: the desk may exchange them after it. */
  const panSide = () => (heard !== "hall" ? side : side === "audience" ? "player" : "audience");

  /** @param {HTMLElement} piece @param {number[]} point */
  function strike(piece, [x, y], timeStamp) {
    const pads = piece.dataset.pads.split(",").map(Number);
    const [cx, cy] = middleOf(piece);
    const share = Math.hypot(x - cx, y - cy) / Number(piece.querySelector(".body").getAttribute("r"));
    const nth = Math.min(pads.length - 1, Math.floor(Math.min(0.999, share) * pads.length));
    input.pad(pads[nth], keyVelocity(), "plan", timeStamp);
    session.select(pads[nth], { scroll: false });
    document.getElementById("plan-says").textContent = piece.dataset.names.split(", ")[nth] ?? "";
  }

  /** @param {HTMLElement} piece @param {number[]} place */
  function put(piece, [x, y]) {
    const values = { x: x.toFixed(1), y: y.toFixed(1), pan: box("plan-pans").checked ? panSide() : "" };
    return session.post(view().dataset.place.replace("/0/", `/${piece.dataset.piece}/`), values);
  }

  document.addEventListener("pointerdown", (event) => {
    const piece = event.target.closest?.("#plan-svg .piece");
    if (!piece || event.button) return;
    const at = point(event);
    if (!isArranging) return strike(piece, at, event.timeStamp);
    const [cx, cy] = middleOf(piece);
    held = { piece, off: [cx - at[0], cy - at[1]], isMoved: false };
    picture().setPointerCapture(event.pointerId);
  });
  document.addEventListener("pointermove", (event) => {
    if (!held) return;
    const at = point(event);
    held.isMoved = true;
    held.place = placeAt([at[0] + held.off[0], at[1] + held.off[1]]);
    turn(held.piece, drawnAt(held.place));
  });
  document.addEventListener("pointerup", () => {
    const done = held;
    held = null;
    if (done?.isMoved) put(done.piece, done.place);
  });
  document.addEventListener("pointercancel", () => {
    if (held?.isMoved) turn(held.piece, drawnAt([Number(held.piece.dataset.x), Number(held.piece.dataset.y)]));
    held = null;
  });
  document.addEventListener("change", ({ target }) => {
    if (target.id === "plan-side") {
      side = target.value;
      localStorage.setItem("plan-side", side);
    }
    if (target.id === "plan-arrange") isArranging = target.checked;
    if (target.closest?.("#plan")) draw();
  });
  session.addEventListener("marked", draw);

  /** As the chosen side sees it: the audience sees it turned round, its words upright. */
  function draw() {
    if (!picture()) return;
    if (view().dataset.heard !== heard) {
      const isTurned = heard !== "" || view().dataset.heard === "hall";
      heard = view().dataset.heard;
      if (isTurned) side = heard === "hall" ? "audience" : "player";
    }
    box("plan-side").value = side;
    box("plan-arrange").checked = isArranging;
    picture().classList.toggle("arranging", isArranging);
    picture().classList.toggle("as-audience", side === "audience");
    for (const piece of picture().querySelectorAll(".piece")) if (piece !== held?.piece) turn(piece, middleOf(piece));
  }

  engine.addEventListener("report", ({ detail }) => {
    if (!picture() || !detail.played.length) return;
    for (const [pad] of detail.played)
      for (const piece of picture().querySelectorAll(".piece")) {
        if (!piece.getAttribute("data-pads").split(",").includes(String(pad))) continue;
        piece.classList.add("sounding");
        clearTimeout(dim.get(piece));
        dim.set(piece, setTimeout(() => piece.classList.remove("sounding"), LIT_MS));
      }
  });

  return (event) => {
    const piece = event.target.closest?.("#plan-svg .piece");
    if (!piece || event.ctrlKey || event.metaKey || event.altKey) return false;
    const by = { ArrowRight: [1, 0], ArrowLeft: [-1, 0], ArrowDown: [0, 1], ArrowUp: [0, -1] }[event.key];
    if (by && isArranging) {
      const { piece: key } = piece.dataset;
      const [x, y] = ahead.of(key, [Number(piece.dataset.x), Number(piece.dataset.y)]);
      const step = STEP * (event.shiftKey ? 5 : 1) * (side === "audience" ? -1 : 1);
      const place = [inside(x + by[0] * step, -100, 100), inside(y + by[1] * step, 0, 100)];
      ahead.put(key, place, put(piece, place)).then(() => /** @type {HTMLElement} */ (document.querySelector(`#plan-svg [data-piece="${key}"]`))?.focus());
    } else if (event.key === "Enter" || event.key === " ") strike(piece, middleOf(piece), event.timeStamp);
    else if (/^[1-9]$/.test(event.key)) {
      const pad = piece.dataset.pads.split(",")[Number(event.key) - 1];
      if (pad) input.pad(Number(pad), keyVelocity(), "plan", event.timeStamp);
    } else return false;
    return true;
  };
}
