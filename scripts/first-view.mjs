// first-view.mjs says how many bytes of script, as sent, a view loads: the page's own, the view's, and all that they
// import at once. `node scripts/first-view.mjs VIEW [DIR]`
import { existsSync, readdirSync, readFileSync, statSync } from "node:fs";

const view = process.argv[2] ?? "catalog";
const dir = process.argv[3] ?? "web/dist/assets";
const found = new Set();
const follow = (name) => {
  if (found.has(name)) return;
  found.add(name);
  const script = readFileSync(`${dir}/${name}`, "utf8");
  // A static import or export from; a dynamic one has a bracket.
  for (const [, from] of script.matchAll(/(?:from|import)\s*["']\.\/([^"']+\.js)["']/g)) follow(from);
};
for (const name of readdirSync(dir).filter((n) => new RegExp(`^(index|${view})-[\\w-]+\\.js$`).test(n))) follow(name);
const sent = (name) => statSync(existsSync(`${dir}/${name}.br`) ? `${dir}/${name}.br` : `${dir}/${name}`).size;
console.log([...found].reduce((sum, name) => sum + sent(name), 0));
