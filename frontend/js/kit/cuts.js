/**
 * The matrix of a kit: a row is struck, a column falls silent or sounds along. A press sets or takes a dot away; where it
 * links, up and down is the strength. From name to name a link is drawn. By keyboard: arrows walk, Enter presses, Shift
 * Enter lets both cut each other.
 */
const USUAL_STRENGTH = 0.5;
const DRAG_PX = 3;

export function startCuts(session, input) {
  const view = () => document.getElementById("cuts");
  const picture = () => /** @type {SVGElement} */ (view()?.querySelector(".matrix-svg"));
  const pads = () => [...(view()?.querySelectorAll("#matrix-rows li") ?? [])].map((row) => Number(row.dataset.pad));
  const names = () => [...(view()?.querySelectorAll("#matrix-rows li span") ?? [])].map(({ textContent }) => textContent);
  const mode = () => /** @type {HTMLInputElement} */ (view()?.querySelector("[name=dots]:checked"))?.value ?? "cut";
  const says = (text) => (document.getElementById("cut-says").textContent = text);
  let cursor = [0, 0];
  let held = null;
  /** The row a link is being drawn from. @type {number | null} */
  let from = null;

  /** @param {number[]} at @param {string} kind */
  const dotAt = ([row, column], kind) => picture().querySelector(`${kind}[data-at="${row} ${column}"]`);
  /** @param {string} name @param {number[]} at */
  const url = (name, [row, column]) => view().dataset[name].replace("/0/", `/${pads()[row]}/`).replace(/\/1\/$/, `/${pads()[column]}/`);

  function place(event) {
    const { left, top, width, height } = picture().getBoundingClientRect();
    const count = pads().length;
    const [column, row] = [Math.floor(((event.clientX - left) / width) * count), Math.floor(((event.clientY - top) / height) * count)];
    return row >= 0 && column >= 0 && row < count && column < count ? [row, column] : null;
  }

  /** @param {number[]} at */
  function show(at) {
    cursor = at;
    const [row, column] = at;
    const mark = picture().querySelector(".cursor");
    mark.setAttribute("x", String(column));
    mark.setAttribute("y", String(row));
    for (const [n, line] of [...view().querySelectorAll("#matrix-rows li")].entries()) line.classList.toggle("here", n === row);
    for (const [n, line] of [...view().querySelectorAll(".matrix-columns li")].entries()) line.classList.toggle("here", n === column);
    const cut = dotAt(at, ".cut");
    const link = /** @type {HTMLElement} */ (dotAt(at, ".link"));
    const [by, of] = [names()[row], names()[column]];
    const cuts = cut?.getAttribute("data-words") ?? `${by} does not cut ${row === column ? "itself" : of}`;
    says(link ? `${cuts}; ${of} sounds along at ${Math.round(Number(link.dataset.strength) * 100)} %` : cuts);
  }

  function press(at, isBoth = mode() === "both") {
    if (mode() === "link") return link(at, dotAt(at, ".link") ? "" : String(USUAL_STRENGTH));
    return session.post(url("cut", at), isBoth ? { both: "1" } : {});
  }

  const link = (at, value) => (at[0] === at[1] ? session.say("A pad can't sound along with itself.", true) : session.post(url("link", at), { value }));

  /** The row whose name is under the pointer, or -1. */
  function nameAt(event) {
    const row = document.elementFromPoint(event.clientX, event.clientY)?.closest("#matrix-rows li");
    return row ? [...row.parentElement.children].indexOf(row) : -1;
  }

  /** Draw the link under way to the row at the pointer, or nothing. @param {number} to */
  function drawLink(to) {
    const rows = /** @type {HTMLElement[]} */ ([...view().querySelectorAll("#matrix-rows li")]);
    const arcs = /** @type {SVGElement} */ (view().querySelector(".matrix-links"));
    const width = arcs.clientWidth;
    const [y, y2] = [from, to].map((n) => (n === null || n < 0 ? 0 : rows[n].offsetTop - rows[0].offsetTop + rows[n].offsetHeight / 2));
    arcs.querySelector(".drawn").setAttribute("d", from === null || to < 0 || to === from ? "" : `M${width} ${y}C4 ${y} 4 ${y2} ${width} ${y2}m-5 -3l5 3l-5 3`);
    if (from !== null) says(to < 0 || to === from ? `${names()[from]}: draw to the pad that is to sound along` : `${names()[to]} sounds along with ${names()[from]}`);
  }

  document.addEventListener("pointerdown", (event) => {
    const name = event.target.closest?.("#matrix-rows li");
    if (name && !event.button) {
      event.preventDefault(); // no text is selected
      from = nameAt(event);
      show([from, cursor[1]]);
      input.pad(pads()[from], 100, "cuts", event.timeStamp);
      return drawLink(from);
    }
    const at = event.target.closest?.(".matrix-svg") && place(event);
    if (!at || event.button) return;
    const dot = dotAt(at, ".link");
    held = { at, y: event.clientY, strength: Number(dot?.dataset.strength ?? USUAL_STRENGTH), was: Boolean(dot), isMoved: false };
    picture().setPointerCapture(event.pointerId);
    show(at);
    input.pad(pads()[at[0]], 100, "cuts", event.timeStamp);
  });
  document.addEventListener("pointermove", (event) => {
    if (!view()) return;
    if (from !== null) return drawLink(nameAt(event));
    if (!held) {
      const at = event.target.closest?.(".matrix-svg") && place(event);
      if (at) show(at);
      return;
    }
    if (!(mode() === "link" || held.was) || Math.abs(event.clientY - held.y) < DRAG_PX) return;
    held.isMoved = true;
    held.now = Math.min(2, Math.max(0.01, Math.round((held.strength + (held.y - event.clientY) / 150) * 100) / 100));
    says(`${names()[held.at[1]]} sounds along at ${Math.round(held.now * 100)} %`);
    dotAt(held.at, ".link")?.setAttribute("r", String(0.12 + 0.3 * Math.min(1, held.now)));
  });
  document.addEventListener("pointerup", (event) => {
    if (from !== null && view()) {
      const [by, of] = [from, nameAt(event)];
      endLink();
      if (of < 0 || of === by) return;
      if (dotAt([by, of], ".link")) session.say(`${names()[of]} sounds along already; drag its ring for how strongly.`);
      else link([by, of], String(USUAL_STRENGTH));
      return;
    }
    if (!held) return;
    const { at, isMoved, now } = held;
    held = null;
    if (isMoved) link(at, String(now));
    else press(at, mode() === "both" || event.shiftKey);
  });
  document.addEventListener("pointercancel", () => {
    held = null;
    endLink();
  });

  function endLink() {
    if (from === null) return;
    from = null;
    if (view()) drawLink(-1);
  }

  document.addEventListener("change", ({ target }) => {
    const field = target.closest?.("[data-link-at]");
    if (field) link(field.dataset.linkAt.split(" ").map(Number), field.value.replace(",", "."));
  });
  session.addEventListener("marked", () => {
    if (!picture()) return;
    const known = names();
    for (const line of /** @type {NodeListOf<HTMLElement>} */ (view().querySelectorAll(".link-words"))) {
      const [row, column] = line.dataset.at.split(" ").map(Number);
      line.textContent = `${known[column]} with ${known[row]}`;
    }
    if (cursor[0] >= known.length || cursor[1] >= known.length) cursor = [0, 0];
  });

  return (event) => {
    if (!picture() || !event.target.closest?.("#matrix") || event.ctrlKey || event.metaKey || event.altKey) return false;
    const by = { ArrowRight: [0, 1], ArrowLeft: [0, -1], ArrowDown: [1, 0], ArrowUp: [-1, 0] }[event.key];
    const last = pads().length - 1;
    if (by) show([Math.min(last, Math.max(0, cursor[0] + by[0])), Math.min(last, Math.max(0, cursor[1] + by[1]))]);
    else if (event.key === "Enter") press(cursor, mode() === "both" || event.shiftKey);
    else return false;
    return true;
  };
}
