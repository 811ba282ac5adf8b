/** The velocity curve and the envelope of a pad, drawn and dragged; the numbers beside them do the same. */
import { forget, tellLater } from "../page/resting.js";

const CURVE = 127;
const REST_MS = 400; // after the last key what it changed is told

export function startEditors(session) {
  let drag = null;
  /** What keys have done to a curve: where they stand, and the points that are not sent yet. */
  const hand = { set: "", place: null, unsent: null };

  const draw = () => {
    const curve = /** @type {any} */ (document.getElementById("curve-editor"));
    if (curve && !curve.dataset.drawn) {
      curve.dataset.drawn = "1";
      if (hand.set === curve.dataset.set) Object.assign(curve, { place: hand.place, points: hand.unsent ?? curve.points }); // an answer drew it anew
      drawCurve(curve, pointsOf(curve)); // a quick hand may have moved some before it was drawn for the first time
    }
    const envelope = document.getElementById("envelope-editor");
    if (envelope && !envelope.dataset.drawn) {
      envelope.dataset.drawn = "1";
      if (drag?.envelope !== envelope) drawEnvelope(envelope, read(envelope));
    }
  };
  session.addEventListener("marked", draw);

  // The curve: points from velocity 1 to 127 ---------------------------------------------------------------------

  const pointsOf = (svg) => svg.points ?? JSON.parse(svg.dataset.points);
  const send = (set, points) => session.post(set, { values: JSON.stringify({ curve_points: JSON.stringify(points) }) });
  const sendCurve = (svg) => {
    forget(hand);
    hand.unsent = null; // it is among them
    return send(svg.dataset.set, pointsOf(svg));
  };
  const sendUnsent = () => {
    forget(hand);
    if (hand.unsent) send(hand.set, hand.unsent);
    hand.unsent = null;
  };
  const at = (svg, event) => {
    const box = svg.getBoundingClientRect();
    const share = (value, size) => Math.min(1, Math.max(0, value / size));
    return [share(event.clientX - box.left, box.width), share(event.clientY - box.top, box.height)];
  };
  /** @returns {[number, number]} */
  const curveAt = (svg, event) => {
    const [x, y] = at(svg, event);
    return [Math.round(1 + 126 * x), Math.round(127 - 126 * y)];
  };
  const nearest = (points, [x, y]) => {
    const away = points.map(([px, py]) => Math.hypot(px - x, py - y));
    const best = away.indexOf(Math.min(...away));
    return away[best] < 9 ? best : -1;
  };

  document.addEventListener("pointerdown", (event) => {
    const curve = event.target.closest?.("#curve-editor");
    if (curve && !event.button) {
      const points = pointsOf(curve);
      let place = nearest(points, curveAt(curve, event));
      if (place < 0) {
        const point = curveAt(curve, event);
        place = points.findIndex(([x]) => x > point[0]);
        if (place <= 0) return;
        points.splice(place, 0, point);
      }
      drag = { curve, points, place };
      curve.setPointerCapture(event.pointerId);
    }
    const envelope = event.target.closest?.("#envelope-editor");
    const corner = event.target.closest?.("[data-corner]")?.dataset.corner;
    if (envelope && corner) {
      drag = { envelope, corner, shape: read(envelope) };
      envelope.setPointerCapture(event.pointerId);
    }
  });
  document.addEventListener("pointermove", (event) => {
    if (drag?.curve) {
      const { points, place, curve } = drag;
      const [x, y] = curveAt(curve, event);
      const isEnd = place === 0 || place === points.length - 1;
      points[place] = [isEnd ? points[place][0] : Math.min(points[place + 1][0] - 1, Math.max(points[place - 1][0] + 1, x)), y];
      drawCurve(curve, points);
      session.say(`Velocity ${points[place][0]} plays as ${points[place][1]}`);
    } else if (drag?.envelope) {
      const [x, y] = at(drag.envelope, event);
      dragCorner(drag.shape, drag.corner, x * 288, 1 - y);
      drawEnvelope(drag.envelope, drag.shape);
    }
  });
  const end = () => {
    if (drag?.curve) sendCurve(drag.curve);
    if (drag?.envelope) {
      const { attack, hold, decay, sustain, release } = drag.shape;
      Object.assign(drag.envelope.dataset, { attack, hold, decay: decay ?? "", sustain, release }); // the next drag goes on from it
      const values = { attack_ms: attack, hold_ms: hold, decay_ms: decay ?? "", sustain, release_ms: release };
      session.post(drag.envelope.dataset.set, { values: JSON.stringify(values) });
    }
    drag = null;
  };
  document.addEventListener("pointerup", end);
  document.addEventListener("pointercancel", end);
  document.addEventListener("dblclick", (event) => {
    const curve = event.target.closest?.("#curve-editor");
    if (!curve) return;
    const points = pointsOf(curve);
    const place = nearest(points, curveAt(curve, event));
    if (place > 0 && place < points.length - 1) {
      points.splice(place, 1);
      drawCurve(curve, points);
      sendCurve(curve);
    }
  });
  document.addEventListener("keydown", (event) => {
    const curve = event.target.closest?.("#curve-editor");
    const act = curve && { ArrowLeft: goLeft, ArrowRight: goRight, ArrowUp: raise, ArrowDown: lower, Enter: putPoint, Delete: takePoint, Backspace: takePoint }[event.key];
    if (!act) return;
    event.preventDefault();
    event.stopPropagation();
    const points = pointsOf(curve);
    curve.place = Math.min(points.length - 1, curve.place ?? points.length - 1);
    const isEdit = act(curve, points);
    drawCurve(curve, points);
    session.say(`Velocity ${points[curve.place][0]} plays as ${points[curve.place][1]}`);
    if (hand.set !== curve.dataset.set) sendUnsent(); // of another pad
    Object.assign(hand, { set: curve.dataset.set, place: curve.place });
    if (!isEdit) return;
    hand.unsent = points;
    tellLater(hand, REST_MS, sendUnsent);
  }, { capture: true }); // before the keys of the sheet
  draw();
}

// Keys of the curve: each says whether it changed a point

const goLeft = (curve) => void (curve.place = Math.max(0, curve.place - 1));
const goRight = (curve, points) => void (curve.place = Math.min(points.length - 1, curve.place + 1));
const raise = ({ place }, points) => (points[place][1] = Math.min(127, points[place][1] + 2));
const lower = ({ place }, points) => (points[place][1] = Math.max(1, points[place][1] - 2));

/** A point halfway to the next one, or to the one before the last. */
function putPoint(curve, points) {
  const before = Math.min(curve.place, points.length - 2);
  const [[x, y], [nextX, nextY]] = [points[before], points[before + 1]];
  if (nextX - x < 2) return false;
  points.splice(before + 1, 0, [Math.round((x + nextX) / 2), Math.round((y + nextY) / 2)]);
  curve.place = before + 1;
  return true;
}

function takePoint(curve, points) {
  if (!curve.place || curve.place === points.length - 1) return false;
  points.splice(curve.place, 1);
  return true;
}

function drawCurve(svg, points) {
  svg.points = points;
  svg.querySelector(".line").setAttribute("d", `M${points.map(([x, y]) => `${x} ${CURVE - y}`).join("L")}`);
  const dots = [...svg.querySelectorAll("circle")];
  points.forEach(([x, y], place) => {
    const dot = dots[place] ?? svg.appendChild(document.createElementNS("http://www.w3.org/2000/svg", "circle"));
    dot.setAttribute("cx", x);
    dot.setAttribute("cy", CURVE - y);
    dot.setAttribute("r", svg.place === place ? 5 : 3.4);
  });
  dots.slice(points.length).forEach((dot) => dot.remove());
}

const read = ({ dataset }) => ({
  attack: Number(dataset.attack), hold: Number(dataset.hold), decay: dataset.decay === "" ? null : Number(dataset.decay),
  sustain: Number(dataset.sustain), release: Number(dataset.release), isHeld: Boolean(dataset.held),
});
/** Times along a root, so that both 1 ms and 4 s are seen and can be dragged; what is longer is typed. */
const WIDEST = 66;
const LONGEST_MS = 4000;
const wide = (ms) => WIDEST * Math.min(1, ms / LONGEST_MS) ** 0.4;
const ms = (width) => Math.round(LONGEST_MS * (Math.min(WIDEST, Math.max(0, width)) / WIDEST) ** 2.5 * 10) / 10;

function corners({ attack, hold, decay, sustain, release, isHeld }) {
  const peak = 4 + wide(attack);
  const held = peak + wide(hold) + 8;
  const fallen = decay === null ? 250 : held + wide(decay) + 6;
  const level = decay === null ? 1 : isHeld ? sustain : 0;
  const let_go = isHeld ? Math.max(fallen + 24, 190) : fallen;
  return { peak, held, fallen, level, let_go, gone: isHeld ? let_go + wide(release) + 4 : fallen };
}

function drawEnvelope(svg, shape) {
  const { peak, held, fallen, level, let_go, gone } = corners(shape);
  const y = (value) => 60 - 56 * value;
  const path = `M4 60L${peak} 4L${held} 4L${fallen} ${y(level)}` + (shape.isHeld ? `L${let_go} ${y(level)}L${gone} 60` : "");
  svg.querySelector(".line").setAttribute("d", path);
  svg.querySelector(".fill").setAttribute("d", `${path}${shape.decay === null && !shape.isHeld ? "V60" : ""}Z`);
  const spots = { attack: [peak, 4], hold: [held, 4], decay: [fallen, y(level)], ...(shape.isHeld ? { release: [gone, 60] } : {}) };
  svg.querySelectorAll("circle").forEach((dot) => dot.remove());
  for (const [corner, [cx, cy]] of Object.entries(spots)) {
    const dot = document.createElementNS("http://www.w3.org/2000/svg", "circle");
    for (const [name, value] of Object.entries({ cx, cy, r: 4.5, "data-corner": corner })) dot.setAttribute(name, String(value));
    svg.append(dot);
  }
}

function dragCorner(shape, corner, x, level) {
  const { peak, held, let_go } = corners(shape);
  if (corner === "attack") shape.attack = ms(x - 4);
  else if (corner === "hold") shape.hold = ms(x - peak - 8);
  else if (corner === "release") shape.release = ms(x - let_go - 4);
  else {
    shape.decay = x > 236 ? null : ms(x - held - 6);
    if (shape.isHeld && shape.decay !== null) shape.sustain = Math.round(Math.min(1, Math.max(0, level)) * 100) / 100;
  }
}
