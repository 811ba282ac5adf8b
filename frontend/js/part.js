/** Plays the part on the audio thread, and draws where it is. */
export function startPart(session, engine) {
  const button = document.getElementById("play");
  const loop = document.getElementById("loop");
  const choice = document.getElementById("part-choice");
  const about = document.getElementById("part-about");
  const part = { current: null, isPlaying: false, toggle, stopped };
  let wanted = "";

  async function choose(id) {
    if (!id || id === wanted) return;
    wanted = id;
    sessionStorage.setItem("part", id);
    await engine.ready;
    const chosen = await engine.setPart(id);
    if (wanted !== id) return;
    if (!chosen) return sessionStorage.removeItem("part");
    part.current = { ...chosen, rate: engine.rate };
    if (![...choice.options].some((option) => option.value === id)) choice.add(new Option(chosen.name, id));
    choice.value = id;
    choice.disabled = button.disabled = false;
    about.textContent = `${chosen.bars} bar${chosen.bars === 1 ? "" : "s"} · ${Math.round(chosen.bpm)}`;
    about.title = `${chosen.bpm} beats a minute`;
  }

  function show() {
    engine.isPartPlaying = part.isPlaying;
    button.textContent = part.isPlaying ? "■ Stop" : "▶ Play";
    button.setAttribute("aria-pressed", String(part.isPlaying));
  }

  function toggle() {
    if (!part.current) return;
    part.isPlaying = !part.isPlaying;
    if (part.isPlaying) engine.play();
    else engine.stop();
    show();
  }

  function stopped() {
    part.isPlaying = false;
    show();
  }

  button.addEventListener("click", toggle);
  loop.addEventListener("change", () => engine.setLoop(loop.checked));
  choice.addEventListener("change", () => {
    choose(choice.value);
    document.querySelector(`.choice[data-part="${choice.value}"]`)?.click();
  });
  engine.addEventListener("ended", stopped);
  engine.addEventListener("report", ({ detail }) => {
    const head = document.getElementById("playhead");
    if (head) head.setAttribute("transform", `translate(${(detail.position ?? 0) * 1000} 0)`);
    head?.classList.toggle("running", detail.position !== null);
  });
  const shown = () => document.getElementById("lanes")?.dataset.part;
  const kept = () => [...choice.options].find(({ value }) => value === sessionStorage.getItem("part"))?.value;
  session.addEventListener("marked", () => choose(shown()));
  choose(shown() ?? kept() ?? choice.value);
  return part;
}
