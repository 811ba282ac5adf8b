/** Borders between layers, dragged on a staircase: the line follows the pointer, the server hears where it was let go. */
const NEAR_PX = 6;

export function startBorders(session) {
  let drag = null;

  const bordersOf = (box) =>
    box.dataset.borders
      .split(",")
      .filter(Boolean)
      .map((pair) => pair.split(":").map(Number));
  const near = (event) => {
    const svg = event.target.closest?.("[data-borders] svg.steps");
    const box = svg?.closest("[data-borders]");
    if (!box) return null;
    const { left, width } = svg.getBoundingClientRect();
    const borders = bordersOf(box);
    for (let n = 0; n < borders.length - 1; n++) {
      const x = left + (borders[n][1] / 127) * width;
      if (Math.abs(event.clientX - x) <= NEAR_PX) return { box, svg, n, borders, left, width };
    }
    return null;
  };

  document.addEventListener("pointermove", (event) => {
    if (!drag) {
      const svg = event.target.closest?.("[data-borders] svg.steps");
      svg?.classList.toggle("on-border", near(event) !== null);
      return;
    }
    const { borders, n, left, width, svg } = drag;
    const low = n ? borders[n - 1][1] + 1 : 1;
    const high = borders[n + 1][1] - 1;
    drag.at = Math.min(high, Math.max(low, Math.round(((event.clientX - left) / width) * 127)));
    let line = svg.querySelector(".dragged");
    if (!line) {
      line = document.createElementNS("http://www.w3.org/2000/svg", "path");
      line.setAttribute("class", "dragged");
      svg.append(line);
    }
    line.setAttribute("d", `M${drag.at} 0V42`);
    session.say(`Layer ${n + 1} ends at ${drag.at}, layer ${n + 2} begins at ${drag.at + 1}`);
  });
  document.addEventListener("pointerdown", (event) => {
    const found = event.button ? null : near(event);
    if (!found) return;
    event.preventDefault();
    event.stopPropagation();
    drag = { ...found, at: found.borders[found.n][1] };
    found.svg.setPointerCapture?.(event.pointerId);
  });
  const end = () => {
    if (!drag) return;
    const { borders, n, at, svg } = drag;
    svg.querySelector(".dragged")?.remove();
    const [layer, was] = borders[n];
    drag = null;
    if (at !== was) session.post(`/kits/${session.kit}/layers/${layer}/border/`, { value: String(at) });
  };
  document.addEventListener("pointerup", end);
  document.addEventListener("pointercancel", end);
}
