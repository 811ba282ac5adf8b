/** Chooses paper or night paper, and the height of the sheet's rows, before anything is drawn. */
const kept = localStorage.getItem("theme");
const night = kept ? kept === "night" : matchMedia("(prefers-color-scheme: dark)").matches;
document.documentElement.dataset.theme = night ? "night" : "paper";
document.documentElement.dataset.density = localStorage.getItem("density") ?? "open";
