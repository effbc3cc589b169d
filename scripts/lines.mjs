// Fails where a line is longer than 120 columns, a tab being 4. In TypeScript a line may be longer by a string or a
// template alone, such as a list of classes: cutting one in two reads worse.
import { execFileSync } from "node:child_process";
import { readFileSync } from "node:fs";

const max = 120;
const files = execFileSync("git", ["ls-files", "-z", "*.go", "*.ts", "*.tsx", "*.mjs"], { encoding: "utf8" });
let found = 0;
for (const file of files.split("\0").filter((f) => f && !f.includes("generated"))) {
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
process.exit(found > 0 ? 1 : 0);
