// contrast.mjs computes the contrast of every pair of colours that stand on each other, WCAG 2.2 criteria 1.4.3 and
// 1.4.11, from the tokens of both themes. `node scripts/contrast.mjs`; it ends with 1 where one is too low.
import { readFileSync } from "node:fs";

/** luminance of a colour such as #17263a, as WCAG 2.2 defines relative luminance. */
const luminance = (hex) => {
  const [r, g, b] = [1, 3, 5]
    .map((i) => Number.parseInt(hex.slice(i, i + 2), 16) / 255)
    .map((c) => (c <= 0.04045 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4));
  return 0.2126 * r + 0.7152 * g + 0.0722 * b;
};

const contrast = (a, b) => {
  const [high, low] = [luminance(a), luminance(b)].sort((x, y) => y - x);
  return (high + 0.05) / (low + 0.05);
};

const grounds = ["paper", "surface", "sunk"];
// What stands on what: text needs 4.5, what is no text but says something 3.
const pairs = [
  ...["ink", "ink-2", "beak-ink", "profit-ink", "loss"].map((text) => [text, grounds, 4.5]),
  ["beak-ink", ["beak-wash"], 4.5],
  ["profit-ink", ["profit-wash"], 4.5],
  ["loss", ["loss-wash"], 4.5],
  ["quay-ink", ["quay", "quay-2"], 4.5],
  ["quay-ink-2", ["quay", "quay-2"], 4.5],
  ["line-2", grounds, 3], // borders of fields, and what can be pressed
  ["beak", grounds, 3], // the cursor, the promise on the ruler
  ["focus", [...grounds, "beak-wash"], 3],
  ["quay-ink", ["quay", "quay-2"], 3], // the focus in the header
  // Parts of the ladder stand apart by a gap, against which each is seen, 1.4.11.
  ...["cost", "shipping", "fees", "tax", "profit"].map((part) => [part, grounds, 3]),
];

let bad = 0;
for (const [, theme, body] of readFileSync("web/src/tokens.css", "utf8").matchAll(/(:root|\[data-theme="dark"\]) \{([^}]*)\}/g)) {
  const of = Object.fromEntries([...body.matchAll(/--([\w-]+): (#[0-9a-f]{6});/g)].map(([, name, hex]) => [name, hex]));
  for (const [front, backs, least] of pairs)
    for (const back of backs) {
      const is = contrast(of[front], of[back]);
      if (is < least) {
        bad++;
        console.log(`${theme}: ${front} on ${back} has ${is.toFixed(2)}, and needs ${least}`);
      }
    }
}
process.exit(bad > 0 ? 1 : 0);
