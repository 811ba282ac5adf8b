/** Where a loop is cut: boundaries over its waveform, moved by drag, by keys, or by number in the field below. */
const NEAR_PX = 7;
const LABEL_PX = 22;

export function startCut(session, engine) {
  let cut = null; // { canvas, frames, starts, at, pairs }
  let drag = -1;

  const field = () => document.getElementById("cut-starts");

  async function open() {
    const canvas = document.getElementById("cut-canvas");
    if (!canvas || canvas.dataset.drawn) return;
    canvas.dataset.drawn = "1";
    cut = { canvas, frames: Number(canvas.dataset.frames), starts: canvas.dataset.cuts.split(",").map(Number), at: 0, pairs: new Int8Array() };
    const opened = cut;
    const answer = await fetch(canvas.dataset.url).catch(() => null);
    if (answer?.ok) opened.pairs = new Int8Array(await answer.arrayBuffer());
    if (opened === cut) draw();
  }

  function draw() {
    const { canvas, frames, starts, at, pairs } = cut;
    canvas.width = canvas.clientWidth * devicePixelRatio;
    canvas.height = 150 * devicePixelRatio;
    const { width, height } = canvas;
    const context = canvas.getContext("2d");
    const ink = (name) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();
    starts.forEach((start, place) => {
      if (place % 2) return;
      context.fillStyle = ink("--paper-2");
      context.fillRect((start / frames) * width, 0, (((starts[place + 1] ?? frames) - start) / frames) * width, height);
    });
    context.fillStyle = ink("--ink");
    const columns = pairs.length / 2;
    for (let n = 0; n < columns; n++) {
      const top = height / 2 - (pairs[2 * n + 1] / 127) * height * 0.42;
      context.fillRect((n / columns) * width, top, Math.max(1, width / columns), Math.max(1, ((pairs[2 * n + 1] - pairs[2 * n]) / 127) * height * 0.42));
    }
    let labelled = -Infinity; // where the last number stands: many slices have few numbers
    context.font = `${11 * devicePixelRatio}px "Hyper Mono", monospace`;
    starts.forEach((start, place) => {
      const x = (start / frames) * width;
      context.fillRect(x - (place === at ? 1.5 : 0.5) * devicePixelRatio, 0, (place === at ? 3 : 1) * devicePixelRatio, height);
      if (x - labelled < LABEL_PX * devicePixelRatio && place !== at) return;
      labelled = x;
      context.fillText(String(place + 1), x + 4 * devicePixelRatio, 11 * devicePixelRatio);
    });
  }

  function changed() {
    const chosen = cut.starts[cut.at];
    cut.starts = [...new Set(cut.starts.map((start) => Math.min(cut.frames - 1, Math.max(0, Math.round(start)))))].sort((a, b) => a - b);
    cut.at = Math.max(0, cut.starts.indexOf(Math.round(chosen)));
    field().value = cut.starts.join(", ");
    document.getElementById("cut-pieces").textContent = String(cut.starts.length);
    draw();
  }

  /** Hear the slice that begins at the chosen boundary. */
  function hear() {
    const { sample, onset, rate } = cut.canvas.dataset;
    const [from, to] = [cut.starts[cut.at], cut.starts[cut.at + 1] ?? cut.frames];
    const played = (frames) => Math.round((frames * engine.rate) / Number(rate));
    engine.hear(Number(sample), { from: played(Math.max(0, from - Number(onset))), count: played(to - from) });
  }

  const frameAt = ({ offsetX }) => (offsetX / cut.canvas.clientWidth) * cut.frames;
  const nearest = (event) => {
    const away = cut.starts.map((start) => Math.abs(start - frameAt(event)));
    const best = away.indexOf(Math.min(...away));
    return (away[best] / cut.frames) * cut.canvas.clientWidth < NEAR_PX ? best : -1;
  };
  const onCanvas = (event) => cut && event.target === cut.canvas;

  document.addEventListener("pointerdown", (event) => {
    if (!onCanvas(event) || event.button) return;
    drag = nearest(event);
    const slice = cut.starts.findLastIndex((start) => start <= frameAt(event));
    cut.at = drag >= 0 ? drag : Math.max(0, slice);
    if (drag >= 0) cut.canvas.setPointerCapture(event.pointerId);
    else hear();
    draw();
  });
  document.addEventListener("pointermove", (event) => {
    if (drag < 0 || !onCanvas(event)) return;
    cut.starts[drag] = frameAt(event);
    draw();
  });
  for (const end of ["pointerup", "pointercancel"])
    document.addEventListener(end, () => {
      if (drag >= 0) changed();
      drag = -1;
    });
  document.addEventListener("dblclick", (event) => {
    if (!onCanvas(event)) return;
    const place = nearest(event);
    if (place < 0) cut.starts.push(frameAt(event));
    else if (cut.starts.length > 1) cut.starts.splice(place, 1);
    changed();
  });
  document.addEventListener("change", ({ target }) => {
    if (target !== field() || !cut) return;
    const typed = target.value.split(/[ ,;]+/).filter(Boolean).map(Number).filter(Number.isFinite);
    if (typed.length) cut.starts = typed;
    changed();
  });
  document.addEventListener("keydown", (event) => {
    if (!onCanvas(event)) return;
    const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (by && event.altKey) cut.starts[cut.at] += by * (event.shiftKey ? 1 : Math.max(1, Math.round(cut.frames / 1000)));
    else if (by) cut.at = Math.min(cut.starts.length - 1, Math.max(0, cut.at + by));
    else if (event.key === "Enter" || event.key === " ") hear();
    else if (event.key === "Delete" && cut.starts.length > 1) cut.starts.splice(cut.at, 1);
    else if (event.key === "Insert") cut.starts.push((cut.starts[cut.at] + (cut.starts[cut.at + 1] ?? cut.frames)) / 2);
    else return;
    event.preventDefault();
    event.stopPropagation();
    cut.at = Math.min(cut.at, cut.starts.length - 1);
    changed();
    if (by && !event.altKey) hear();
  });
  session.addEventListener("marked", open);
  document.addEventListener("theme", () => cut?.canvas.isConnected && draw());
}
