/** The passes of the part: heard, muted, or one chosen among them. @param {{ model: import("./model.js").PartModel }} editor */
export function showPasses({ model }) {
  const { passes } = model.about;
  document.getElementById("no-passes").hidden = passes.length > 0;
  document.getElementById("passes").replaceChildren(...passes.map((pass) => line(model, pass)));
}

function line(model, [pk, number, isMuted]) {
  const own = model.hits.filter(({ pass }) => pass === pk);
  const item = document.createElement("li");
  item.append(`Pass ${number} · ${own.filter(({ velocity }) => velocity).length} hits `);
  const button = (text, act) => {
    const made = Object.assign(document.createElement("button"), { type: "button", className: "quiet small", textContent: text });
    made.setAttribute("aria-label", `${text}: pass ${number}`);
    made.addEventListener("click", act);
    return made;
  };
  const edit = (what) => () => model.edit(`passes/${pk}/${what}`);
  const hear = isMuted ? "hear" : "mute";
  item.append(button(hear, edit(hear)), button("only this", edit("only")), button("select", () => model.select(own.map(({ id }) => id))));
  return item;
}
