/** The waveform of the open take: start, end and fades by drag and by keys, from the whole file to single frames. */
const EDGE_PX = 6;
const NAMES = { start: "Start", end: "End" };

export function startWave(session, engine) {
  let view = null; // what the canvas shows: { box, from, to, start, end, peaks, edge, ... }
  let overlay = false;
  let drag = null;
  let unsent = null; // a view that keys have changed and that was not sent yet
  let sendTimer = 0;

  const canvas = () => document.getElementById("take-canvas");
  const cache = new Map();

  async function peaks(box, from, to, columns) {
    const key = `${box.dataset.url}from=${from}&to=${to}&columns=${columns}`;
    if (!cache.has(key)) {
      if (cache.size > 60) cache.delete(cache.keys().next().value);
      cache.set(key, fetch(key).then((answer) => (answer.ok ? answer.arrayBuffer() : null)));
    }
    const buffer = await cache.get(key);
    return buffer && new Int8Array(buffer);
  }

  function open() {
    const box = document.getElementById("one-take");
    if (!box || box.dataset.drawn) return;
    box.dataset.drawn = "1";
    const number = (name) => Number(box.dataset[name]);
    const kept = view?.take === box.dataset.take ? view : null;
    if (!kept) flush();
    const held = kept && (drag || unsent === kept) ? kept : null; // a hand is at it: an answer to what it did before changes nothing
    const frames = number("frames");
    view = {
      box, frames, take: box.dataset.take, rate: number("rate"), start: held?.start ?? number("start"), end: held?.end ?? number("end"), onset: number("onset"),
      fadeIn: held?.fadeIn ?? number("fadeIn"), fadeOut: held?.fadeOut ?? number("fadeOut"), from: kept?.from ?? 0, to: kept?.to ?? frames, edge: kept?.edge ?? "start",
      number: number("number"), others: [],
    };
    if (unsent) unsent = view;
    document.querySelector('[data-wave="overlay"]')?.setAttribute("aria-pressed", String(overlay));
    refresh();
  }

  async function refresh() {
    const shown = view;
    const element = canvas();
    if (!element?.clientWidth) return; // the card is hidden: it is drawn when it is shown
    element.width = element.clientWidth * devicePixelRatio;
    element.height = 92 * devicePixelRatio;
    if (overlay) loadOthers();
    shown.pairs = await peaks(shown.box, Math.floor(shown.from), Math.ceil(shown.to), Math.min(element.width, Math.ceil(shown.to - shown.from)));
    if (shown === view) draw();
  }

  new ResizeObserver(() => {
    const element = canvas();
    if (view && element && element.width !== Math.floor(element.clientWidth * devicePixelRatio)) refresh();
  }).observe(document.getElementById("card"));

  const x = (frame) => ((frame - view.from) / (view.to - view.from)) * canvas().width;
  const frameAt = (event) => {
    const { left, width } = canvas().getBoundingClientRect();
    return view.from + ((event.clientX - left) / width) * (view.to - view.from);
  };

  function draw() {
    const element = canvas();
    if (!element || !view?.pairs) return;
    const context = element.getContext("2d");
    const style = getComputedStyle(document.documentElement);
    const ink = (name) => style.getPropertyValue(name).trim();
    const { width, height } = element;
    const scale = devicePixelRatio;
    context.clearRect(0, 0, width, height);
    context.fillStyle = ink("--paper-2");
    context.fillRect(x(view.start), 0, x(view.end) - x(view.start), height);
    view.others.forEach((pairs) => paint(context, pairs, ink("--t1"), 0.45)); // behind: seen where they differ
    paint(context, view.pairs, ink("--ink"), 1);
    context.fillStyle = ink("--paper");
    context.globalAlpha = 0.65;
    context.fillRect(0, 0, x(view.start), height);
    context.fillRect(x(view.end), 0, width, height);
    context.globalAlpha = 1;
    context.strokeStyle = ink("--ink");
    const perMs = view.rate / 1000;
    context.lineWidth = scale;
    context.beginPath();
    context.moveTo(x(view.start), height);
    context.lineTo(x(view.start + view.fadeIn * perMs), 2);
    context.moveTo(x(view.end - view.fadeOut * perMs), 2);
    context.lineTo(x(view.end), height);
    context.stroke();
    for (const edge of ["start", "end"]) {
      context.lineWidth = (edge === view.edge && document.activeElement === element ? 3 : 1.6) * scale;
      context.beginPath();
      context.moveTo(x(view[edge]), 0);
      context.lineTo(x(view[edge]), height);
      context.stroke();
    }
    if (view.head !== undefined) {
      context.strokeStyle = ink("--sound");
      context.lineWidth = 2 * scale;
      context.beginPath();
      context.moveTo(x(view.head), 0);
      context.lineTo(x(view.head), height);
      context.stroke();
    }
    const says = document.getElementById("wave-says");
    says.textContent = `${ms(view.start)}–${ms(view.end)} ms`;
    says.title = `Frames ${view.start} to ${view.end}`;
  }

  function paint(context, pairs, colour, alpha) {
    const { width, height } = context.canvas;
    const columns = pairs.length / 2;
    const middle = height / 2;
    context.globalAlpha = alpha;
    context.fillStyle = context.strokeStyle = colour;
    if (columns < width / 3) {
      context.lineWidth = devicePixelRatio;
      context.beginPath();
      for (let n = 0; n < columns; n++) context.lineTo(((n + 0.5) / columns) * width, middle - (pairs[2 * n + 1] / 127) * middle * 0.94);
      context.stroke();
      for (let n = 0; n < columns && columns < width / 8; n++) context.fillRect(((n + 0.5) / columns) * width - 2, middle - (pairs[2 * n + 1] / 127) * middle * 0.94 - 2, 4, 4);
    } else
      for (let n = 0; n < columns; n++) {
        const top = middle - (pairs[2 * n + 1] / 127) * middle * 0.94;
        const bottom = middle - (pairs[2 * n] / 127) * middle * 0.94;
        context.fillRect((n / columns) * width, top, Math.max(1, width / columns), Math.max(1, bottom - top));
      }
    context.globalAlpha = 1;
  }

  const ms = (frames) => ((1000 * frames) / view.rate).toFixed(1);

  function move(edge, frame) {
    const at = Math.round(frame);
    if (edge === "start") view.start = Math.min(view.end - 1, Math.max(0, at));
    else view.end = Math.min(view.frames, Math.max(view.start + 1, at));
    draw();
  }

  const send = ({ box, frames, start, end, fadeIn, fadeOut }) =>
    session.post(box.dataset.set, {
      values: JSON.stringify({ start_frame: String(start), end_frame: end >= frames ? "" : String(end), fade_in_ms: fadeIn.toFixed(2), fade_out_ms: fadeOut.toFixed(2) }),
    });
  const sendSoon = () => {
    clearTimeout(sendTimer);
    unsent = view;
    sendTimer = setTimeout(flush, 350);
  };
  function flush() {
    clearTimeout(sendTimer);
    if (unsent) send(unsent);
    unsent = null;
  }

  function zoom(factor, around = view[view.edge]) {
    const span = Math.min(view.frames, Math.max(24, (view.to - view.from) * factor));
    const share = (around - view.from) / (view.to - view.from);
    view.from = Math.min(view.frames - span, Math.max(0, around - span * Math.min(1, Math.max(0, share))));
    view.to = view.from + span;
    refresh();
  }

  /** The nearest frame at which the sound crosses zero; asks for single frames around the edge. */
  async function toZero() {
    const { take, edge } = view;
    const at = view[edge];
    const from = Math.max(0, at - 512);
    const near = await peaks(view.box, from, Math.min(view.frames, at + 512), 1024);
    if (!near || view.take !== take) return;
    let best = null;
    for (let n = 1; n < near.length / 2; n++)
      if (near[2 * n] >= 0 !== near[2 * n - 2] >= 0 && (best === null || Math.abs(from + n - at) < Math.abs(best - at))) best = from + n;
    if (best !== null) move(edge, best);
    sendSoon();
  }

  async function loadOthers() {
    const layer = document.querySelector(`#take-${view.take}`)?.dataset.layer;
    const others = [...document.querySelectorAll(`.take[data-layer="${layer}"]`)].filter((take) => take.dataset.take !== view.take);
    const shown = view;
    const { from, to } = shown;
    const found = [];
    for (const other of others.slice(0, 8)) {
      const url = shown.box.dataset.url.replace(`/takes/${shown.take}/`, `/takes/${other.dataset.take}/`);
      const pairs = await peaks({ dataset: { url } }, Math.floor(from), Math.ceil(to), Math.min(canvas()?.width ?? 280, Math.ceil(to - from)));
      if (pairs) found.push(pairs);
    }
    if (!overlay || shown.from !== from || shown.to !== to) return;
    shown.others = found;
    if (shown === view) draw();
  }

  const acts = {
    in: () => zoom(0.5),
    out: () => zoom(2),
    onset: () => (move("start", view.onset), sendSoon()),
    zero: toZero,
    overlay: () => {
      overlay = !overlay;
      document.querySelector('[data-wave="overlay"]')?.setAttribute("aria-pressed", String(overlay));
      if (overlay) loadOthers();
      else view.others = [];
      draw();
    },
  };

  document.addEventListener("click", ({ target }) => {
    const act = target.closest?.("[data-wave]")?.dataset.wave;
    if (act && view) acts[act]();
  });
  document.addEventListener("pointerdown", (event) => {
    if (event.target !== canvas() || event.button) return;
    const pixels = canvas().clientWidth / (view.to - view.from);
    const frame = frameAt(event);
    const perMs = view.rate / 1000;
    const grips = { start: view.start, end: view.end, fadeIn: view.start + view.fadeIn * perMs, fadeOut: view.end - view.fadeOut * perMs };
    const isTop = event.offsetY < 22;
    const order = isTop ? ["fadeIn", "fadeOut", "start", "end"] : ["start", "end"];
    const grip = order.find((name) => Math.abs(grips[name] - frame) * pixels < EDGE_PX);
    drag = grip ?? (Math.abs(frame - view.start) < Math.abs(frame - view.end) ? "start" : "end");
    if (drag === "start" || drag === "end") view.edge = drag;
    canvas().setPointerCapture(event.pointerId);
    if (!grip) move(drag, frame);
  });
  document.addEventListener("pointermove", (event) => {
    if (!drag || event.target !== canvas()) return;
    const frame = frameAt(event);
    if (drag === "fadeIn") view.fadeIn = Math.max(0, ((frame - view.start) * 1000) / view.rate);
    else if (drag === "fadeOut") view.fadeOut = Math.max(0, ((view.end - frame) * 1000) / view.rate);
    else move(drag, frame);
    draw();
  });
  const drop = () => {
    if (drag) send(view);
    drag = null;
  };
  document.addEventListener("pointerup", drop);
  document.addEventListener("pointercancel", drop);
  document.addEventListener("wheel", (event) => {
    if (event.target !== canvas()) return;
    event.preventDefault();
    if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) {
      const by = ((event.deltaX || event.deltaY) / 400) * (view.to - view.from);
      const span = view.to - view.from;
      view.from = Math.min(view.frames - span, Math.max(0, view.from + by));
      view.to = view.from + span;
      refresh();
    } else zoom(event.deltaY > 0 ? 1.25 : 0.8, frameAt(event));
  }, { passive: false });

  engine.addEventListener("report", ({ detail }) => {
    if (!view || !canvas()) return;
    const head = detail.heads.findLast(([pad, number]) => (pad === session.selected || pad === -1) && number === view.number);
    const before = view.head;
    view.head = head ? view.start + (head[2] * view.rate) / engine.rate : undefined;
    if (view.head !== before) draw();
  });
  session.addEventListener("marked", open);
  document.addEventListener("theme", draw);
  open();

  /** Keys while the canvas has the focus; true where one was used. */
  return (event) => {
    if (event.target !== canvas() || event.ctrlKey || event.metaKey || event.altKey) return false;
    const step = event.shiftKey ? 1 : Math.max(1, Math.round((view.to - view.from) / 200));
    if (event.key === "ArrowLeft" || event.key === "ArrowRight") {
      move(view.edge, view[view.edge] + (event.key === "ArrowLeft" ? -step : step));
      sendSoon();
    } else if (event.code === "KeyS" || event.code === "KeyE") {
      view.edge = event.code === "KeyS" ? "start" : "end";
      session.say(`${NAMES[view.edge]}: arrow keys move it, with Shift by single frames`);
      draw();
    } else if (event.key === "+" || event.key === "=") zoom(0.5);
    else if (event.key === "-") zoom(2);
    else if (event.code === "KeyO") acts.onset();
    else if (event.code === "KeyZ") toZero();
    else if (event.key === "Enter") engine.hearTake(session.selected, view.number);
    else return false;
    return true;
  };
}
