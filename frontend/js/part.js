/** Plays the part on the audio thread, and draws where it is. */
export function startPart(session, engine) {
  const button = document.getElementById("play");
  const loop = document.getElementById("loop");
  const name = document.getElementById("part-name");
  const part = { current: null, isPlaying: false, toggle, stopped };
  let wanted = null;

  async function choose(id) {
    if (!id || id === wanted) return;
    wanted = id;
    sessionStorage.setItem("part", id);
    await engine.ready;
    const chosen = await engine.setPart(id);
    if (wanted !== id) return;
    if (!chosen) {
      sessionStorage.removeItem("part");
      return;
    }
    part.current = { ...chosen, rate: engine.rate };
    name.textContent = `${chosen.name} · ${chosen.bars} bar${chosen.bars === 1 ? "" : "s"} · ${chosen.bpm} bpm`;
    button.disabled = false;
  }

  function show() {
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
  engine.addEventListener("ended", stopped);
  engine.addEventListener("report", ({ detail }) => {
    const head = document.getElementById("playhead");
    if (head) head.setAttribute("transform", `translate(${(detail.position ?? 0) * 1000} 0)`);
    head?.classList.toggle("running", detail.position !== null);
  });
  const lookForPart = () => choose(document.getElementById("lanes")?.dataset.part);
  session.addEventListener("marked", lookForPart);
  lookForPart();
  if (!wanted) choose(sessionStorage.getItem("part") ?? document.getElementById("part-name").dataset.part);
  return part;
}
