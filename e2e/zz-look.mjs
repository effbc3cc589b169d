import { chromium } from "playwright-core";
const base = "http://localhost:31080", goods = "http://127.0.0.1:31082", bazaar="http://127.0.0.1:31081";
const b = await chromium.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox", "--disable-gpu", "--disable-quic"] });
const state = "/tmp/look/state.json";
import { existsSync } from "node:fs";
const ctx = await b.newContext({ viewport: { width: 1280, height: 800 }, reducedMotion: "reduce", ...(existsSync(state) ? { storageState: state } : {}) });
const page = await ctx.newPage();
await page.goto(base);
if (await page.getByLabel("Mail address").isVisible().catch(() => false) || !existsSync(state)) {
  await page.getByLabel("Mail address").fill("ines@saltmarsh.example");
  await page.getByLabel("Password").fill("harbour-lantern");
  await page.getByRole("button", { name: "Sign in" }).click();
  await page.getByRole("navigation", { name: "Stations" }).waitFor();
  await page.goto(base + "/store");
  await page.getByLabel(/^Address of/).fill(goods);
  await page.getByRole("button", { name: "Go to the store to approve" }).click();
  await page.getByRole("button", { name: "Approve" }).click();
  await page.getByRole("button", { name: "It is: connect it" }).click();
  await page.waitForTimeout(2000);
  await ctx.storageState({ path: state });
}
const { default: run } = await import(process.argv[2]);
await run({ page, base, goods, bazaar, ctx, shot: (n) => page.screenshot({ path: `/tmp/look/${n}.png` }) });
await b.close();
