// Looks at the Workbench as a person would, and says how long one waits. `pelican bench workbench` starts it; the
// result is one JSON object, in milliseconds.
import { readFileSync } from "node:fs";
import { chromium } from "@playwright/test";

const url = process.env.KEYS_URL;
const { args } = JSON.parse(readFileSync(new URL("chromium.json", import.meta.url), "utf8"));
const browser = await chromium.launch({
  executablePath: process.env.CHROMIUM ?? "/usr/bin/chromium-headless-shell",
  args,
});
const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, reducedMotion: "reduce" });
const page = await context.newPage();
const quantile = (list, q) =>
  [...list].sort((a, b) => a - b)[Math.min(list.length - 1, Math.floor(list.length * q))] ?? 0;
const round = (n) => Math.round(n * 10) / 10;

await page.goto(url);
await page.getByLabel("Mail address").fill(process.env.KEYS_MAIL);
await page.getByLabel("Password").fill(process.env.KEYS_PASSWORD);
await page.getByRole("button", { name: "Sign in" }).click();
await page.getByRole("navigation", { name: "Stations" }).waitFor();

/** Runs in the page: from now until a thing is there, and on screen by the frame after the next. */
async function until(act, there) {
  const began = performance.now();
  act();
  for (;;) {
    await new Promise((done) => requestAnimationFrame(done));
    if (there()) break;
    if (performance.now() - began > 20_000) throw new Error("it does not come");
  }
  await new Promise((done) => requestAnimationFrame(done));
  return performance.now() - began;
}

/** opened is how long the list takes to open from the Catalog, in a page that has not shown it yet. */
async function opened() {
  const fresh = await context.newPage();
  await fresh.goto(`${url}/catalog`);
  await fresh.locator("[role=row]").nth(3).waitFor();
  await fresh.waitForTimeout(1500);
  await fresh.evaluate(`window.until = ${until}`);
  const took = await fresh.evaluate(() =>
    window.until(
      () => document.querySelector('a[href^="/workbench"]').click(),
      () => document.querySelectorAll('[role=grid][aria-label="Drafts"] [role=row]').length > 5,
    ),
  );
  await fresh.close();
  return took;
}

/** bare is how long a page takes that lists as many titles as text, from the same answer. */
async function bare() {
  const fresh = await context.newPage();
  await fresh.goto(`${url}/nowhere`);
  await fresh.evaluate(`window.until = ${until}`);
  const took = await fresh.evaluate(() =>
    window.until(
      () =>
        fetch("/api/drafts?store=1&limit=200").then(async (answer) => {
          const { drafts } = await answer.json();
          document.body.innerHTML = drafts.map((d) => `<p class=one>${d.title}</p>`).join("");
        }),
      () => document.querySelectorAll(".one").length > 5,
    ),
  );
  await fresh.close();
  return took;
}

const opens = [];
const bares = [];
for (let i = 0; i < 7; i++) {
  opens.push(await opened());
  bares.push(await bare());
}

// Scrolled through: of each frame, the main thread's work from its beginning until it is free again.
await page.goto(`${url}/workbench`);
await page.locator('[role=grid][aria-label="Drafts"] [role=row]').nth(5).waitFor();
await page.getByLabel("Title", { exact: true }).waitFor();
await page.waitForTimeout(2000);
await page.mouse.move(120, 500);
await page.evaluate(() => {
  window.frames_ = [];
  const { port1, port2 } = new MessageChannel();
  let began = 0;
  port1.onmessage = () => window.frames_.push(performance.now() - began);
  const frame = (at) => {
    began = at;
    port2.postMessage(0);
    if (!window.stop_) requestAnimationFrame(frame);
  };
  requestAnimationFrame(frame);
});
for (let i = 0; i < 120; i++) {
  await page.mouse.wheel(0, 400);
  await page.waitForTimeout(16);
}
const frames = await page.evaluate(() => {
  window.stop_ = true;
  return window.frames_;
});

// Typed in a title: from a key to the frame after the one that shows it.
const title = page.getByLabel("Title", { exact: true });
await title.focus();
await page.evaluate(() => {
  window.keys_ = [];
  document.addEventListener(
    "input",
    (e) => {
      const at = e.timeStamp;
      requestAnimationFrame(() => requestAnimationFrame(() => window.keys_.push(performance.now() - at)));
    },
    true,
  );
});
for (const key of " typed as one does, a letter at a time") {
  await page.keyboard.press(key);
  await page.waitForTimeout(60);
}
await page.waitForTimeout(500);
const keys = await page.evaluate(() => window.keys_);

// A draft of 100 variants: typing in a cell, and from draft to draft.
await page.keyboard.press("Escape");
await page.getByRole("button", { name: "Columns" }).click();
await page.getByLabel("SKU", { exact: true }).check();
await page.keyboard.press("Escape");
await page.goto(`${url}/workbench?words=Wide`);
await page
  .getByLabel(/^SKU of/)
  .nth(99)
  .waitFor();
await page.evaluate(`window.until = ${until}`);
const paste = await page.evaluate(async () => {
  const first = document.querySelector('input[aria-label^="SKU of"]');
  first.focus();
  const data = new DataTransfer();
  data.setData("text", Array.from({ length: 100 }, (_, i) => `W-${i}\t${20 + i}.50`).join("\n"));
  return window.until(
    () => first.dispatchEvent(new ClipboardEvent("paste", { clipboardData: data, bubbles: true })),
    () => document.querySelectorAll('input[aria-label^="SKU of"]')[99].value === "W-99",
  );
});

// A block over the table of drafts: 100 rows of four cells.
await page.goto(`${url}/workbench/table`);
await page.locator("[role=grid] [role=row]").nth(5).waitFor();
await page.waitForTimeout(1500);
await page.evaluate(`window.until = ${until}`);
const block = await page.evaluate(async () => {
  const first = document.querySelector('input[aria-label^="Title of"]');
  first.focus();
  const data = new DataTransfer();
  data.setData(
    "text",
    Array.from({ length: 100 }, (_, i) => `Pasted ${i}\tType ${i % 5}\tCamp, ${i % 3}\ttag ${i}`).join("\n"),
  );
  return window.until(
    () => first.dispatchEvent(new ClipboardEvent("paste", { clipboardData: data, bubbles: true })),
    () => document.querySelectorAll('input[aria-label^="Title of"]')[9].value === "Pasted 9",
  );
});
await page.waitForTimeout(2500);
await browser.close();

process.stdout.write(
  `${JSON.stringify({
    open_median_ms: round(quantile(opens, 0.5)),
    open_max_ms: round(quantile(opens, 1)),
    bare_page_median_ms: round(quantile(bares, 0.5)),
    frames: frames.length,
    frame_median_ms: round(quantile(frames, 0.5)),
    frame_p95_ms: round(quantile(frames, 0.95)),
    key_median_ms: round(quantile(keys, 0.5)),
    key_p95_ms: round(quantile(keys, 0.95)),
    paste_200_cells_of_100_variants_ms: round(paste),
    paste_400_cells_of_100_drafts_ms: round(block),
  })}\n`,
);
