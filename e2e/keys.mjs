// Types sentences into the Catalog as a person would, and says how long each key waited for its answer on screen.
// `pelican bench keys` starts it; the result is one JSON object, in milliseconds.
import { readFileSync } from "node:fs";
import { chromium } from "@playwright/test";

const url = process.env.KEYS_URL;
const sentences = [
  "enamel mug",
  "steel kettle",
  "wooden bowl set",
  "propagator",
  "kitchen rack",
  "merino socks",
  "travel bag",
  "camp lantern",
];
// No two begin alike: no answer is known before it is asked for
sentences.push("balcony planter", "quilt", "linen", "garden hose", "jug", "umbrella", "rain jacket");

const { args } = JSON.parse(readFileSync(new URL("chromium.json", import.meta.url), "utf8"));
const browser = await chromium.launch({
  executablePath: process.env.CHROMIUM ?? "/usr/bin/chromium-headless-shell",
  args,
});

/**
 * Runs in the page: an answer is there once data-answers says what is in the input, and on screen by the frame after
 * the next.
 */
function watch() {
  const keys = [];
  let pressed = 0;
  window.keys = keys;
  performance.setResourceTimingBufferSize(5000);
  document.addEventListener("keydown", (e) => (pressed = e.timeStamp), true);
  document.addEventListener("input", (e) => keys.push({ at: pressed, words: e.target.value }), true);
  new MutationObserver((changes) => {
    const key = keys.at(-1);
    if (!key || key.painted || changes.at(-1).target.dataset.answers !== key.words) return;
    requestAnimationFrame(() =>
      requestAnimationFrame(() => {
        key.painted = performance.now();
      }),
    );
  }).observe(document, { subtree: true, attributeFilter: ["data-answers"] });
}

/** Types at some five keys a second, unevenly, and returns what each key waited for. */
async function typed(page) {
  const words = page.getByLabel("Search", { exact: true });
  let turn = 1;
  for (const sentence of ["vase", ...sentences.slice(0, Number(process.env.KEYS_SENTENCES ?? sentences.length))]) {
    await words.selectText();
    for (const key of sentence) {
      await page.keyboard.press(key);
      turn = (turn * 16807) % 2147483647;
      await page.waitForTimeout(140 + (turn % 120));
    }
    await page.waitForTimeout(800); // the answer is read: pictures come, and the first offer's sheet
  }
  await page.waitForTimeout(2000);
  const keys = await page.evaluate(() => {
    const answers = performance.getEntriesByType("resource").filter((r) => r.name.includes("/api/offers?"));
    return window.keys.map((key, i) => {
      const answer = answers.find(
        (r) => new URL(r.name).searchParams.get("words") === key.words && r.startTime >= key.at,
      );
      const inTime = key.painted && key.painted < (window.keys[i + 1]?.at ?? Number.POSITIVE_INFINITY);
      return {
        words: key.words,
        answered: answer ? answer.responseEnd - key.at : null,
        painted: inTime ? key.painted - key.at : null,
      };
    });
  });
  return keys.slice("vase".length);
}

const quantile = (list, q) => list.sort((a, b) => a - b)[Math.min(list.length - 1, Math.floor(list.length * q))] ?? 0;
const round = (n) => (n < 1e6 ? Math.round(n * 10) / 10 : -1);

const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
await page.goto(url);
await page.getByLabel("Mail address").fill(process.env.KEYS_MAIL);
await page.getByLabel("Password").fill(process.env.KEYS_PASSWORD);
await page.getByRole("button", { name: "Sign in" }).click();
await page.getByRole("navigation", { name: "Stations" }).waitFor();
await page.addInitScript(watch);
await page.goto(`${url}/catalog`);
await page.locator("[role=row]:has([role=gridcell])").nth(5).waitFor();
await page.waitForTimeout(3000);
if (process.env.KEYS_TRACE) await browser.startTracing(page, { path: process.env.KEYS_TRACE });
const keys = await typed(page);
if (process.env.KEYS_TRACE) await browser.stopTracing();
if (process.env.KEYS_PICTURE) await page.screenshot({ path: process.env.KEYS_PICTURE });

const bare = await browser.newPage({
  viewport: { width: 1280, height: 800 },
  storageState: await page.context().storageState(),
  bypassCSP: true,
});
await page.close();
await bare.addInitScript(watch);
await bare.goto(`${url}/healthz`);
await bare.evaluate(() => {
  document.body.innerHTML = '<input aria-label="Search" /><ol></ol>';
  document.querySelector("input").addEventListener("input", async ({ target: { value: words } }) => {
    const answer = await (
      await fetch(`/api/offers?${new URLSearchParams({ words, store: "1", sort: "relevance", limit: "50" })}`)
    ).json();
    const lines = answer.offers.map((o) => Object.assign(document.createElement("li"), { textContent: o.title }));
    document.querySelector("ol").replaceChildren(...lines);
    document.body.dataset.answers = words;
  });
});
const yardstick = await typed(bare);
await browser.close();

const painted = (list) => list.map((k) => k.painted ?? Number.POSITIVE_INFINITY);
const answered = keys.flatMap((k) => (k.answered === null ? [] : [k.answered]));
const after = keys.flatMap((k) => (k.answered === null || k.painted === null ? [] : [k.painted - k.answered]));
console.error(
  keys
    .filter((k) => !(k.painted < 150))
    .map((k) => `${k.words}: ${k.answered?.toFixed()} ${k.painted?.toFixed()}`)
    .join("\n"),
);
console.log(
  JSON.stringify({
    keys: keys.length,
    overtaken: keys.filter((k) => k.painted === null).length,
    median_ms: round(quantile(painted(keys), 0.5)),
    p95_ms: round(quantile(painted(keys), 0.95)),
    answer_median_ms: round(quantile(answered, 0.5)),
    answer_p95_ms: round(quantile(answered, 0.95)),
    painted_median_ms: round(quantile(after, 0.5)),
    painted_p95_ms: round(quantile(after, 0.95)),
    bare_page_median_ms: round(quantile(painted(yardstick), 0.5)),
    bare_page_p95_ms: round(quantile(painted(yardstick), 0.95)),
  }),
);
