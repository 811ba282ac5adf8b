/** Whom the selected pad cuts, as arcs beside the sheet: by the letters and numbers that its row and the others carry. */
const SVG = "http://www.w3.org/2000/svg";

export function startArcs(session) {
  session.addEventListener("marked", () => {
    for (const old of document.querySelectorAll(".cut-arcs")) old.remove();
    const rows = /** @type {HTMLElement[]} */ ([...document.querySelectorAll(".sheet .row[data-pad]")]);
    const own = rows.find(({ dataset }) => Number(dataset.pad) === session.selected);
    if (!own) return;
    const { choke } = own.dataset;
    const silences = numbers(own.dataset.silences);
    const falls = ({ dataset }) => (choke && dataset.choke === choke) || numbers(dataset.silencedBy).some((number) => silences.includes(number));
    const cut = rows.filter((row) => row !== own && falls(row));
    if (cut.length) own.append(arcs(own, cut));
  });
}

const numbers = (words = "") => words.split(" ").filter(Boolean);

function arcs(own, cut) {
  const picture = document.createElementNS(SVG, "svg");
  picture.setAttribute("class", "cut-arcs");
  picture.setAttribute("aria-hidden", "true");
  const height = own.offsetHeight;
  const cell = /** @type {HTMLElement} */ (own.querySelector(".c-cuts"));
  if (cell) picture.style.left = `${cell.offsetLeft + cell.offsetWidth - 4}px`;
  for (const row of cut) {
    const away = row.offsetTop - own.offsetTop;
    const path = document.createElementNS(SVG, "path");
    const bend = Math.min(26, 8 + Math.abs(away) / 12);
    path.setAttribute("d", `M0 ${height / 2}C${bend} ${height / 2} ${bend} ${away + height / 2} 0 ${away + height / 2}m4 -3l-5 3l5 3`);
    picture.append(path);
  }
  return picture;
}
