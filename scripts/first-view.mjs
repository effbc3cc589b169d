// first-view.mjs says how many bytes of script, gzipped, the first view loads: the page's own
// and the Catalog's, with all that they import at once. `node scripts/first-view.mjs [DIR]`
import { readdirSync, readFileSync } from "node:fs";
import { gzipSync } from "node:zlib";

const dir = process.argv[2] ?? "web/dist/assets";
const found = new Set();
const follow = (name) => {
  if (found.has(name)) return;
  found.add(name);
  const script = readFileSync(`${dir}/${name}`, "utf8");
  // A static import or export from; a dynamic one has a bracket.
  for (const [, from] of script.matchAll(/(?:from|import)\s*["']\.\/([^"']+\.js)["']/g)) follow(from);
};
for (const name of readdirSync(dir).filter((n) => /^(index|catalog)-[\w-]+\.js$/.test(n))) follow(name);
let total = 0;
for (const name of found) total += gzipSync(readFileSync(`${dir}/${name}`)).length;
console.log(total);
