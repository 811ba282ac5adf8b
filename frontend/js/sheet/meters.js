/** Meters what leaves each output, as a desk would; and says when a sound was stood in for. */
const FLOOR_DB = -48;
const FALL_DB = 1.6; // for each report, about 43 ms

export function startMeters(engine) {
  const box = document.getElementById("meters");
  let levels = [];
  let tops = [];
  let names = [];

  engine.addEventListener("playbook", ({ detail }) => {
    names = detail.outputs.map((output) => output.name);
    levels = names.map(() => FLOOR_DB);
    tops = names.map(() => -Infinity);
    box.replaceChildren(...names.map((name, number) => meter(name, number)));
  });
  engine.addEventListener("report", ({ detail }) => {
    detail.peaks.forEach((peak, number) => {
      if (!(number in levels)) return;
      const db = peak > 0 ? 20 * Math.log10(peak) : -Infinity;
      if (db < FLOOR_DB && levels[number] === FLOOR_DB && tops[number] >= db) return; // as it is drawn
      levels[number] = Math.max(FLOOR_DB, db, levels[number] - FALL_DB);
      tops[number] = Math.max(tops[number], db);
      draw(box.children[number], levels[number], tops[number]);
    });
  });
  box.addEventListener("click", () => {
    tops = tops.map(() => -Infinity);
    levels.forEach((level, number) => draw(box.children[number], level, -Infinity));
  });
}

function meter(name, number) {
  const row = document.createElement("div");
  row.className = "meter";
  row.innerHTML = `<span class="out tone-${number}">${number + 1}</span><span class="meter-name"></span>
    <svg viewBox="0 0 54 8" preserveAspectRatio="none" aria-hidden="true"><path class="under" d="M0 4H54"/><path class="zero"
    d="M48 0V8"/><path class="level" d="M0 4H0"/></svg><output class="mono"></output>`;
  row.querySelector(".meter-name").textContent = name;
  row.title = "Peak in dB; click to forget";
  return row;
}

function draw(row, level, top) {
  row.querySelector(".level").setAttribute("d", `M0 4H${Math.min(54, level - FLOOR_DB).toFixed(1)}`);
  row.classList.toggle("over", top > 0);
  row.querySelector("output").textContent = top > -99 ? top.toFixed(1).replace("-", "−") : "";
}
