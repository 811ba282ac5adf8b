/** Builds frontend/ into dactyl/site/static: scripts by esbuild, styles by Tailwind, fonts copied. */
import { execFileSync } from "node:child_process";
import { copyFileSync, mkdirSync } from "node:fs";
import { build } from "esbuild";

const out = "dactyl/site/static";
const shared = { bundle: true, format: "esm", target: "es2022", outdir: out, legalComments: "none", minify: true };
await build({ ...shared, entryPoints: { dactyl: "frontend/js/main.js", worklet: "frontend/js/sound/worklet.js" } });
await build({ ...shared, format: "iife", entryPoints: { theme: "frontend/js/page/theme.js", tables: "frontend/js/sound/tables.js" } });
execFileSync("node_modules/.bin/tailwindcss", ["--input", "frontend/dactyl.css", "--output", `${out}/dactyl.css`, "--minify"], { stdio: ["ignore", "ignore", "inherit"] });

mkdirSync(`${out}/fonts`, { recursive: true });
for (const cut of ["next", "mono"]) {
  const name = `atkinson-hyperlegible-${cut}`;
  copyFileSync(`node_modules/@fontsource-variable/${name}/files/${name}-latin-wght-normal.woff2`, `${out}/fonts/${cut}.woff2`);
}
copyFileSync("frontend/mark.svg", `${out}/mark.svg`);
