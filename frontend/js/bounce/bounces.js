/** Plays stems in the page, one at a time. */
export function startBounces() {
  let audio = null;
  let playing = null;
  const stop = () => {
    audio?.pause();
    playing?.setAttribute("aria-pressed", "false");
    audio = playing = null;
  };
  document.addEventListener("click", (event) => {
    const button = event.target.closest?.("[data-play-stem]");
    if (!button) return;
    const isSame = button === playing;
    stop();
    if (isSame) return;
    audio = new Audio(button.dataset.playStem);
    playing = button;
    button.setAttribute("aria-pressed", "true");
    const box = button.getBoundingClientRect();
    const share = event.detail ? (event.clientX - box.left) / box.width : 0;
    audio.addEventListener("loadedmetadata", () => (audio.currentTime = share > 0.03 ? share * audio.duration : 0), { once: true });
    audio.addEventListener("ended", stop);
    audio.play().catch(stop);
  });
  document.addEventListener("keydown", ({ key }) => key === "Escape" && stop());
}
