/** Plays stems in the page, one at a time. */
const FROM_BEGIN = 0.03; // a press nearer to the left edge means the begin

/** Equally loud, where that is asked for: as loud as the softest of the bounces that are shown. @param {HTMLElement} button */
function volumeOf({ dataset: { lufs } }) {
  const isAsked = /** @type {HTMLInputElement} */ (document.getElementById("equally-loud"))?.checked;
  if (!isAsked || !lufs) return 1;
  const all = [.../** @type {NodeListOf<HTMLElement>} */ (document.querySelectorAll("[data-lufs]"))].map((one) => Number(one.dataset.lufs));
  return 10 ** ((Math.min(...all) - Number(lufs)) / 20);
}

export function startBounces() {
  /** @type {{ sound: HTMLAudioElement, button: HTMLElement } | null} */ let playing = null;
  const stop = () => {
    playing?.sound.pause();
    playing?.button.setAttribute("aria-pressed", "false");
    playing = null;
  };
  const play = (button, share) => {
    const sound = new Audio(button.dataset.playStem);
    const stopThis = () => playing?.sound === sound && stop(); // another may play by then
    sound.volume = volumeOf(button);
    playing = { sound, button };
    button.setAttribute("aria-pressed", "true");
    sound.addEventListener("loadedmetadata", () => (sound.currentTime = share > FROM_BEGIN ? share * sound.duration : 0), { once: true });
    sound.addEventListener("ended", stopThis);
    sound.play().catch(stopThis);
  };
  document.addEventListener("click", ({ target, detail, clientX }) => {
    const button = /** @type {HTMLElement} */ (/** @type {HTMLElement} */ (target).closest?.("[data-play-stem]"));
    if (!button) return;
    const isSame = button === playing?.button;
    stop();
    const { left, width } = button.getBoundingClientRect();
    if (!isSame) play(button, detail ? (clientX - left) / width : 0);
  });
  document.addEventListener("keydown", ({ key }) => key === "Escape" && stop());
}
