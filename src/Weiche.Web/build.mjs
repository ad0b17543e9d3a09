// Puts what the pages need from npm packages under wwwroot: libraries and the font as they are, styles built.
import { execFileSync } from "node:child_process";
import { copyFileSync, mkdirSync } from "node:fs";
import { dirname } from "node:path";

const copies = {
  "htmx.org/dist/htmx.min.js": "htmx.min.js",
  "htmx.org/LICENSE": "htmx.LICENSE.txt",
  "@microsoft/signalr/dist/browser/signalr.min.js": "signalr.min.js",
  "@fontsource-variable/overpass/files/overpass-latin-wght-normal.woff2": "overpass-latin.woff2",
  "@fontsource-variable/overpass/files/overpass-latin-ext-wght-normal.woff2": "overpass-latin-ext.woff2",
  "@fontsource-variable/overpass/LICENSE": "overpass.LICENSE.txt",
};

for (const [from, to] of Object.entries(copies)) {
  const target = `wwwroot/lib/${to}`;
  mkdirSync(dirname(target), { recursive: true });
  copyFileSync(`node_modules/${from}`, target);
}

mkdirSync("wwwroot/css", { recursive: true });
execFileSync(
  process.execPath,
  ["node_modules/@tailwindcss/cli/dist/index.mjs", "--input", "styles/site.css", "--output", "wwwroot/css/site.css", "--minify"],
  { stdio: "inherit" },
);
