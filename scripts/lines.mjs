// Fails where a line is longer than 120 columns, a tab being 4. In TypeScript a line may be longer by a string or a
// template alone, such as a list of classes: cutting one in two reads worse. Fails too where a function of the front
// end has 150 lines or more: it is split into hooks and parts then.
import { execFileSync } from "node:child_process";
import { existsSync, readFileSync } from "node:fs";
import ts from "../web/node_modules/typescript/lib/typescript.js";

const max = 120;
const mostLines = 150;
const files = execFileSync("git", ["ls-files", "-z", "*.go", "*.ts", "*.tsx", "*.mjs"], { encoding: "utf8" });
let found = 0;
for (const file of files.split("\0").filter((f) => f && existsSync(f) && !f.includes("generated") && f !== "core/order/formats.go")) {
  readFileSync(file, "utf8")
    .split("\n")
    .forEach((line, i) => {
      const width = [...line.replaceAll("\t", "    ")].length;
      if (width <= max) return;
      if (!file.endsWith(".go") && !/^\s*(\/\/|\/?\*)/.test(line) && [...line.replace(/(["`]).*\1/, "")].length <= max)
        return;
      console.error(`${file}:${i + 1} has ${width} columns`);
      found++;
    });
}

/** long finds the functions of a file that have too many lines. */
function long(file) {
  const source = ts.createSourceFile(file, readFileSync(file, "utf8"), ts.ScriptTarget.Latest, true);
  const at = (position) => source.getLineAndCharacterOfPosition(position).line;
  const visit = (node) => {
    const lines = at(node.end) - at(node.getStart()) + 1;
    if (ts.isFunctionLike(node) && lines >= mostLines) {
      console.error(`${file}:${at(node.getStart()) + 1} is a function of ${lines} lines`);
      found++;
    }
    ts.forEachChild(node, visit);
  };
  visit(source);
}
for (const file of execFileSync("git", ["ls-files", "-z", "web/src/*.ts", "web/src/*.tsx"], { encoding: "utf8" })
  .split("\0")
  .filter((f) => f && existsSync(f) && !f.includes("generated") && f !== "core/order/formats.go"))
  long(file);
process.exit(found > 0 ? 1 : 0);
