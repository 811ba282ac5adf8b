/**
 * Playing in. What is struck while recording stands at the frame of its own time stamp; each time round is a pass, sent
 * when it ends and kept in the browser until the server has written it, over a reload or a lost server.
 */
const KEPT = "unwritten-passes";
const AGAIN_MS = 2500;
const TAPS = 8;

export function startRecorder({ session, engine, input, part, ways }) {
  const kept = {
    get all() {
      return JSON.parse(localStorage.getItem(KEPT) ?? "[]");
    },
    set all(passes) {
      localStorage.setItem(KEPT, JSON.stringify(passes));
    },
  };
  const box = (id) => document.getElementById(id);
  let rounds = []; // [{ origin, from }] of the context's frames, the latest last
  let taken = null; // the pass that is being recorded
  let open = new Map(); // pad or note -> the hit it holds
  let taps = null;

  const latencyFrames = () => Math.round(((Number(localStorage.getItem("latency")) || 0) / 1000) * engine.rate);
  const isOn = () => part.isRecording;

  function begin() {
    const { model } = part;
    if (!model?.time) return session.say("Begin a part first: open Part, then New part.", true);
    if (isOn()) return end();
    part.isRecording = true;
    rounds = [];
    taken = fresh();
    const [from] = part.range[1] > part.range[0] ? part.range : [part.start];
    part.start = from;
    setClick();
    part.play(model.time.countIn(from, Number(box("count-in")?.value ?? 1)));
    show();
    session.say("Recording. Each time round is a pass of its own; Esc stops.");
  }

  const fresh = () => ({ name: crypto.randomUUID(), part: part.model.id, rate: engine.rate, hits: [], replace: Boolean(box("replace-notes")?.checked), strength: Number(box("record-strength")?.value) || 0, grid: box("grid")?.value === "off" ? "1/16" : (box("grid")?.value ?? "1/16"), swing: Number(box("swing")?.value) || 50 });

  function end() {
    part.isRecording = false;
    finishPass();
    if (part.isPlaying) part.toggle();
    setClick();
    show();
  }

  function show() {
    const button = box("record");
    if (!button) return;
    button.setAttribute("aria-pressed", String(isOn()));
    button.lastChild.textContent = isOn() ? " Recording" : " Record";
    document.body.classList.toggle("recording", isOn());
  }

  /** Frame of the part at which the context's frame `frame` stands, in the round it fell into. */
  function inPart(frame) {
    const at = frame - engine.clock.constant - latencyFrames();
    const round = rounds.findLast(({ origin, from }) => at >= origin + from - engine.rate * 0.12) ?? rounds[0];
    return round ? at - round.origin : null;
  }

  /** The note that is recorded: of the pad where the input found it by a way of its own, else what came in. */
  const noteOf = ({ isOwn, pads, note }) => (isOwn ? ways.noteOf(pads[0]) : ways.writes(note));
  const keyOf = ({ isOwn, pads, note }) => (isOwn ? pads[0] : `n${note}`);
  const asked = new Map(); // pads without a note -> the free one on its way

  input.addEventListener("hit", async ({ detail }) => {
    if (taps) return tapped(detail.frame);
    if (!isOn() || !rounds.length || detail.from === "part" || detail.from === "lane" || detail.from === "sweep") return;
    const [pad] = detail.pads;
    if (detail.isOwn && !pad) return; // an empty cell
    let note = noteOf(detail);
    if (note === null && pad) {
      if (!asked.has(pad)) asked.set(pad, ways.giveNote(session, pad));
      note = await asked.get(pad);
      asked.delete(pad);
    }
    if (note === null || !taken) return;
    if (box("only-selected")?.checked && !session.pads.includes(pad)) return;
    const frame = inPart(detail.frame);
    if (frame === null || frame < -engine.rate * 0.12) return; // while it is counted in
    const hit = [Math.max(0, frame), note, detail.velocity, detail.channel ?? 9, 0];
    taken.hits.push(hit);
    open.set(keyOf(detail), hit);
    keep();
    hearAgain();
  });
  input.addEventListener("release", ({ detail }) => {
    const key = keyOf(detail);
    const hit = open.get(key);
    if (!hit) return;
    open.delete(key);
    const frame = inPart(detail.frame);
    if (frame !== null && frame > hit[0]) hit[4] = frame - hit[0];
  });

  engine.addEventListener("turn", ({ detail }) => {
    rounds = [...rounds, { origin: detail.origin, from: detail.from }].slice(-4);
    if (isOn() && !detail.isFirst) finishPass();
  });
  session.addEventListener("part-stopped", () => isOn() && end());

  /** What was just recorded sounds on the next time round, written or not. */
  function hearAgain() {
    const waiting = kept.all.filter((pass) => pass.part === part.model.id);
    const hits = waiting.flatMap(({ hits: own }, p) => own.map(([frame, note, velocity, channel, held], n) => ({ id: -1 - p * 100_000 - n, tick: part.model.time.tickAt(frame), order: 1e6, note, velocity, channel, length: 0, played: 0, pass: 0, frame, until: held ? frame + held : 0 })));
    part.model.play(hits.sort((a, b) => a.frame - b.frame));
  }

  function keep() {
    kept.all = [...kept.all.filter(({ name }) => name !== taken.name), taken];
  }

  function finishPass() {
    const played = taken?.hits.length;
    if (played) keep();
    open = new Map();
    taken = isOn() ? fresh() : null;
    if (played) sendAll();
  }

  let isSending = false;
  /** Send what is not written yet; what can't be sent now is sent again, and nothing is forgotten before it is written. */
  async function sendAll() {
    if (isSending) return;
    isSending = true;
    try {
      for (const pass of kept.all.filter(({ name }) => name !== taken?.name)) {
        if (pass.part !== part.model?.id) continue;
        const { part: _, ...values } = pass;
        let answer = await part.model.edit("record", values, { quiet: true });
        answer ??= await part.model.edit("record", values, { quiet: true }); // once more at the version just heard of
        if (!answer) return wait();
        kept.all = kept.all.filter(({ name }) => name !== pass.name);
      }
      part.model?.play(part.isRecording && taken?.hits.length ? part.model.pending : []);
    } finally {
      isSending = false;
    }
  }
  function wait() {
    session.say("The server does not answer. What you played is kept here, and sent as soon as it does.", true);
    setTimeout(sendAll, AGAIN_MS);
  }

  // Click and latency ---------------------------------------------------------------------------------------------------

  function setClick() {
    const isHeard = Boolean(box("click")?.checked) || isOn() || Boolean(taps);
    engine.setClick(isHeard, (Number(box("click-level")?.value ?? 35) / 100) ** 1.5);
  }

  /** Eight taps along with the click: their median distance from it is the latency. */
  function tap() {
    if (taps) return stopTaps();
    if (!part.model?.time) return;
    taps = [];
    box("tap-says").textContent = "Tap a pad or a key with the click…";
    setClick();
    part.play();
  }
  function tapped(frame) {
    const round = rounds.at(-1);
    if (!round) return;
    const at = frame - engine.clock.constant - round.origin;
    const { clicks } = part.model.time.clicks();
    let nearest = Infinity;
    for (const click of clicks) if (Math.abs(at - click) < Math.abs(nearest)) nearest = at - click;
    taps.push((nearest / engine.rate) * 1000);
    box("tap-says").textContent = `${taps.length} of ${TAPS}`;
    if (taps.length >= TAPS) stopTaps();
  }
  function stopTaps() {
    const sorted = [...taps].sort((a, b) => a - b);
    taps = null;
    setClick();
    if (part.isPlaying) part.toggle();
    if (sorted.length < TAPS) return;
    const median = (sorted[3] + sorted[4]) / 2;
    box("tap-says").textContent = `${median.toFixed(1)} ms late, within ${(sorted.at(-1) - sorted[0]).toFixed(0)} ms`;
    localStorage.setItem("latency", String(Math.round(median * 10) / 10));
    box("latency").value = String(Math.round(median * 10) / 10);
  }

  document.addEventListener("click", ({ target }) => {
    if (target.closest?.("#record")) begin();
    if (target.closest?.("#tap-test")) tap();
  });
  document.addEventListener("change", ({ target }) => {
    if (target.id === "latency") localStorage.setItem("latency", target.value);
    if (target.id === "click" || target.id === "click-level") setClick();
  });
  session.addEventListener("marked", () => {
    const latency = box("latency");
    if (latency && !latency.dataset.known) {
      latency.dataset.known = "";
      latency.value = localStorage.getItem("latency") ?? "0";
    }
    show();
  });
  part.ready.then(() => {
    part.model.addEventListener("loaded", sendAll);
    sendAll();
  });
  return { begin, end, isOn };
}

/** The passes of the part: heard, muted, or one chosen among them. */
export function startPasses({ model }) {
  const box = document.getElementById("passes");
  const { passes } = model.about;
  document.getElementById("no-passes").hidden = passes.length > 0;
  box.replaceChildren(
    ...passes.map(([pk, number, isMuted]) => {
      const line = document.createElement("li");
      const count = model.hits.reduce((sum, { pass, velocity }) => sum + (pass === pk && velocity > 0), 0);
      line.append(`Pass ${number} · ${count} hits `);
      const act = (text, what) => {
        const button = Object.assign(document.createElement("button"), { type: "button", className: "quiet small", textContent: text });
        button.setAttribute("aria-label", `${text}: pass ${number}`);
        button.addEventListener("click", () => (what === "select" ? model.select(model.hits.filter(({ pass }) => pass === pk).map(({ id }) => id)) : model.edit(`passes/${pk}/${what}`)));
        return button;
      };
      line.append(act(isMuted ? "hear" : "mute", isMuted ? "hear" : "mute"), act("only this", "only"), act("select", "select"));
      return line;
    }),
  );
}
