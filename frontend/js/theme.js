/** Chooses paper or night paper before anything is drawn. */
const kept = localStorage.getItem("theme");
const night = kept ? kept === "night" : matchMedia("(prefers-color-scheme: dark)").matches;
document.documentElement.dataset.theme = night ? "night" : "paper";
