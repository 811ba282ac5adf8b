/** The sheet's two densities, and the way to a piece of a long one. */
export function startSheet(session) {
  const root = document.documentElement;
  const jump = () => document.getElementById("jump");

  const show = () => {
    const button = document.getElementById("density");
    button?.setAttribute("aria-pressed", String(root.dataset.density === "dense"));
  };
  const fill = () => {
    const pieces = [...document.querySelectorAll(".row[data-pad]")].filter((row) => row.matches(".first, :not(.tied)"));
    const options = pieces.map((row) => new Option(row.querySelector("strong")?.textContent ?? row.dataset.name, row.dataset.pad));
    jump().replaceChildren(jump().options[0], ...options);
  };

  document.addEventListener("click", ({ target }) => {
    if (!target.closest?.("#density")) return;
    root.dataset.density = root.dataset.density === "dense" ? "open" : "dense";
    localStorage.setItem("density", root.dataset.density);
    show();
  });
  for (const type of ["pointerdown", "focusin"]) document.addEventListener(type, ({ target }) => target.id === "jump" && fill());
  document.addEventListener("change", ({ target }) => {
    if (target.id !== "jump" || !target.value) return;
    session.select(Number(target.value));
    document.getElementById(`row-${target.value}`)?.focus();
    target.value = "";
  });
  session.addEventListener("marked", show);
  show();

  return {
    /** Open the list of pieces. */
    jump() {
      jump()?.focus();
      jump()?.showPicker?.();
    },
  };
}
