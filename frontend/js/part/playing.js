/** The transport: which part is open, whether it plays and loops, from where; and where it is. */
import { PartModel } from "./model.js";

export function startPart(session, engine, ways) {
  const button = document.getElementById("play");
  const loop = document.getElementById("loop");
  const choice = document.getElementById("part-choice");
  const about = document.getElementById("part-about");
  const grids = JSON.parse(document.body.dataset.grids);
  let model = null;
  const part = {
    isPlaying: false,
    isRecording: false,
    start: 0, // tick at which it begins
    /** Ticks of the loop; the whole part where both are 0. @type {[number, number]} */ range: [0, 0],
    frame: null, // of the part, while it plays
    /** What is played in the part's place: a recording with the hits found in it. @type {{ start: number, name: string } | null} */ instead: null,
    playInstead,
    toggle,
    play,
    stopped,
    setRange,
    choose,
    /** The ticks that turn; null where nothing does. @returns {[number, number] | null} */
    get turn() {
      if (!loop.checked || !model?.time) return null;
      return part.range[1] > part.range[0] ? part.range : [0, model.about.loopTicks];
    },
    /** Whether the part that is shown is still on its way. */
    isComing: () => Boolean(shown()) && shown() !== String(model?.id),
    ready: engine.ready.then(() => {
      model = part.model = new PartModel({ rate: engine.rate, grids, engine, ways, say: (text, isWarning) => session.say(text, isWarning) });
      model.addEventListener("loaded", show);
      model.addEventListener("changed", () => {
        show();
        if (!part.instead) setRange(part.range); // its frames are others where the tempo is
      });
      return choose(shown() ?? kept() ?? choice.value);
    }),
    model: null,
  };

  async function choose(id) {
    if (!model || !id || id === String(model.id)) return;
    const isThere = await model.open(Number(id));
    if (!model.id) sessionStorage.removeItem("part");
    if (!isThere) return;
    sessionStorage.setItem("part", id);
    part.start = 0;
    setRange([0, 0]);
  }

  function show() {
    button.textContent = part.isPlaying ? "■ Stop" : "▶ Play";
    button.setAttribute("aria-pressed", String(part.isPlaying));
    const { about: known } = model ?? {};
    button.disabled = !known && !part.instead;
    if (part.instead) {
      about.textContent = part.instead.name;
      return;
    }
    if (!known) return;
    const id = String(known.id);
    const option = [...choice.options].find(({ value }) => value === id) ?? choice.appendChild(new Option(known.name, id));
    option.textContent = known.name;
    choice.value = id;
    choice.disabled = false;
    about.textContent = `${known.bars} bar${known.bars === 1 ? "" : "s"} · ${Math.round(known.bpm)}`;
    about.title = `${known.bpm} beats a minute`;
  }

  function toggle() {
    if (part.isPlaying) stop();
    else play();
  }

  /** @param {[number, number][]} countIn clicks before it, as frames before and accent */
  function play(countIn = []) {
    if (!model?.time && !part.instead) return;
    part.isPlaying = engine.isPartPlaying = true;
    engine.play(part.instead ? part.instead.start : model.time.frameAt(part.start), countIn);
    show();
  }

  function stop() {
    engine.stop();
    stopped();
  }

  function stopped() {
    part.isPlaying = engine.isPartPlaying = false;
    part.frame = null;
    show();
    session.dispatchEvent(new Event("part-stopped"));
  }

  function setRange(range) {
    part.range = range;
    engine.setRange(model?.time ? [model.time.frameAt(range[0]), model.time.frameAt(range[1])] : [0, 0]);
  }

  /** Let something else be played in the part's place; null gives it back. @param {{ start: number, name: string } | null} instead */
  function playInstead(instead) {
    if (part.isPlaying) stop();
    part.instead = instead;
    if (!model) return;
    model.isAside = Boolean(instead);
    if (!instead) {
      model.play();
      setRange(part.range);
    }
    show();
  }

  button.addEventListener("click", toggle);
  loop.addEventListener("change", () => engine.setLoop(loop.checked));
  choice.addEventListener("change", () => {
    const { value } = choice;
    if (!shown()) return choose(value);
    session.show(`/parts/of/${session.kit}/?part=${value}`, { isNew: false });
  });
  engine.addEventListener("ended", stopped);
  engine.addEventListener("report", ({ detail }) => {
    if (part.isPlaying) part.frame = detail.frame;
  });
  const shown = () => document.getElementById("part-editor")?.dataset.part;
  const kept = () => [...choice.options].find(({ value }) => value === sessionStorage.getItem("part"))?.value;
  session.addEventListener("marked", () => choose(shown()));
  return part;
}
