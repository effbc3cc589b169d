import { spawn } from "node:child_process";
import { existsSync, readFileSync } from "node:fs";
import { expect, test } from "@playwright/test";
import { demoDir } from "./playwright.config";
import { api, connectStore, rowsOf, signIn, takeFresh } from "./world";

/** The demo's database, as its process was started. */
function database(): { pid: number; command: string[] } {
  const own = new URL(`${demoDir}/postgres`, import.meta.url).pathname;
  const at = [own, `/var/tmp/pelican${own.replaceAll("/", "-")}`]
    .map((f) => `${f}/data`)
    .find((f) => existsSync(`${f}/postmaster.pid`));
  const pid = Number(readFileSync(`${at}/postmaster.pid`, "utf8").split("\n")[0]);
  return { pid, command: readFileSync(`/proc/${pid}/cmdline`, "utf8").split("\0").filter(Boolean) };
}

test.beforeEach(async ({ page }) => {
  await signIn(page);
  await connectStore(page);
});

test("what is typed while the database is away is kept, and saved when it is back", async ({ page }) => {
  test.setTimeout(150_000);
  const [id] = await takeFresh(page, 1, "Away");
  await page.goto(`/workbench/${id}`);
  const title = page.getByLabel("Title", { exact: true });
  await expect(title).toHaveValue("Away 1");
  const description = page.getByRole("textbox", { name: "Description" });
  await description.waitFor();
  const { pid, command } = database();
  process.kill(pid, "SIGINT");
  try {
    await page.waitForTimeout(1500);
    await title.fill("Typed while the database was away");
    await title.press("Enter");
    await description.click();
    await page.keyboard.press("ControlOrMeta+A");
    await page.keyboard.type("Described while it was away.");
    await expect(page.getByText(/edits? waits? in this browser/).first()).toBeVisible({ timeout: 20_000 });
    await expect(title).toHaveValue("Typed while the database was away");
    await expect(page.getByRole("contentinfo")).toContainText("does not answer");
    // A page that is opened meanwhile says so, and comes back by itself.
    const second = await page.context().newPage();
    await second.goto("/catalog");
    await expect(second.getByText("does not answer").first()).toBeVisible();
    await page.waitForTimeout(27_000);
    await start(command);
    await expect(second.getByRole("navigation", { name: "Stations" })).toBeVisible({ timeout: 30_000 });
    await second.close();
  } finally {
    await start(command);
  }
  await expect
    .poll(
      async () =>
        (await page.request.get(`/api/drafts/${id}?store=1`)).status() === 200 &&
        (await api<{ title: string }>(page, "GET", `/api/drafts/${id}?store=1`)).title,
      {
        timeout: 40_000,
      },
    )
    .toBe("Typed while the database was away");
  await expect
    .poll(async () => (await api<{ description: string }>(page, "GET", `/api/drafts/${id}?store=1`)).description, {
      timeout: 20_000,
    })
    .toContain("Described while it was away.");
  await expect(page.getByText(/Saved (just now|.* ago)/)).toBeVisible();
  await expect(title).toHaveValue("Typed while the database was away");
});

let running: { kill: () => void } | undefined;

/** start starts the database again, once, with what it was started with. */
async function start(command: string[]) {
  if (running) return;
  const [program, ...args] = process.getuid?.() === 0 ? ["runuser", "-u", "postgres", "--", ...command] : command;
  const child = spawn(program as string, args, { detached: true, stdio: "ignore", cwd: "/" });
  child.unref();
  running = child;
}

test("edits wait through a reload while the application cannot save them", async ({ page }) => {
  const [id] = await takeFresh(page, 1, "Reloaded");
  await page.goto(`/workbench/${id}`);
  const title = page.getByLabel("Title", { exact: true });
  await expect(title).toHaveValue("Reloaded 1");
  await page.route("**/api/drafts/*", (route) =>
    route.request().method() === "PATCH" ? route.abort() : route.continue(),
  );
  await title.fill("Kept through a reload");
  await title.press("Enter");
  await expect(page.getByText(/1 edit waits/).first()).toBeVisible();
  await page.reload();
  await expect(title).toHaveValue("Kept through a reload");
  await page.unroute("**/api/drafts/*");
  await page.reload();
  await expect
    .poll(async () => (await api<{ title: string }>(page, "GET", `/api/drafts/${id}?store=1`)).title)
    .toBe("Kept through a reload");
});

test("ten tabs leave room for answers: one stream a browser", async ({ page, context }) => {
  const streams: string[] = [];
  context.on("request", (r) => r.url().endsWith("/api/progress") && streams.push(r.url()));
  await page.goto("/catalog");
  await rowsOf(page).nth(3).waitFor();
  const others = [];
  for (let i = 0; i < 9; i++) {
    const tab = await context.newPage();
    await tab.goto("/sources");
    await tab.getByRole("navigation", { name: "Stations" }).waitFor();
    others.push(tab);
  }
  await page.bringToFront();
  await page.getByLabel("Search", { exact: true }).fill("mug");
  await expect(page.locator("main")).toHaveAttribute("data-answers", "mug", { timeout: 5_000 });
  expect(streams.length).toBeLessThanOrEqual(2); // the first tab's, and one more where it went to another address
  for (const tab of others) await tab.close();
});
