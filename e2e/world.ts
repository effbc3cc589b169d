import { readFileSync } from "node:fs";
import AxeBuilder from "@axe-core/playwright";
import { expect, type Locator, type Page } from "@playwright/test";
import { demoDir, port } from "./playwright.config";

export const bazaar = `http://127.0.0.1:${port + 1}`;
export const goods = `http://127.0.0.1:${port + 2}`;
export const nord = `http://127.0.0.1:${port + 3}`;
export const bazaarSecret = "demo-quayside-secret";

/** The offers that the demo keeps for failing: one with too many variants, one that its supplier withdraws. */
export const overLimit = "QB-100012";
export const leaving = "QB-100007";

type Faults = Partial<{
  latency_ms: number;
  error_percent: number;
  too_many: number;
  retry_after: number;
  cut_after: number;
  down: boolean;
  revoke_tokens: boolean;
  only: string;
}>;

/** rowsOf are those of the list in sight, without its head; pointed is the one with the cursor. */
export const rowsOf = (where: Page | Locator) => where.locator("[role=row]:has([role=gridcell])");
export const pointed = (where: Page | Locator) => where.locator("[data-cursor]");

/** misbehave makes a stand-in misbehave; with nothing it is well again. */
export async function misbehave(standin: string, faults: Faults = {}) {
  const answer = await fetch(`${standin}/-/faults`, { method: "PUT", body: JSON.stringify(faults) });
  expect(answer.ok).toBe(true);
}

/** kill ends the application as a power cut would. The demo starts it again. */
export function kill() {
  process.kill(Number(readFileSync(new URL(`${demoDir}/application.pid`, import.meta.url), "utf8")), "SIGKILL");
}

/** signIn signs a member in; the way through the form is the journey's. */
export async function signIn(page: Page, email = "ines@saltmarsh.example", password = "harbour-lantern") {
  await api(page, "POST", "/api/session", { email, password });
}

/** enter signs a member in by the form. */
export async function enter(page: Page, email = "ines@saltmarsh.example", password = "harbour-lantern") {
  await page.goto("/");
  await page.getByLabel("Mail address").fill(email);
  await page.getByLabel("Password").fill(password);
  await page.getByRole("button", { name: "Sign in" }).click();
  await expect(page.getByRole("navigation", { name: "Stations" })).toBeVisible();
}

/** connectStore approves a store, unless it is connected already, and has it in use. */
export async function connectStore(page: Page, address = goods) {
  if (page.url() === "about:blank") {
    const [first] = await api<{ address: string; state: string }[]>(page, "GET", "/api/stores");
    if (first?.address === address && first.state === "connected") return; // what a new browser has in use
  }
  await page.goto("/store");
  await page.getByRole("heading", { level: 1 }).waitFor();
  const link = page.getByRole("link", { name: address });
  if (await link.isVisible()) {
    const use = page.getByRole("article").filter({ has: link }).getByRole("button", { name: "Use this store" });
    if (await use.isVisible()) await use.click();
    return;
  }
  await page.getByLabel(/^Address of/).fill(address);
  await page.getByRole("button", { name: "Go to the store to approve" }).click();
  await page.getByRole("button", { name: "Approve" }).click();
  await page.getByRole("button", { name: "It is: connect it" }).click();
  await expect(page.getByRole("status").filter({ hasText: "is connected" })).toBeVisible();
}

/** api asks the application as the page does. */
export async function api<T>(page: Page, method: string, path: string, body?: unknown): Promise<T> {
  const answer = await page.request.fetch(path, {
    method,
    ...(body ? { data: body } : {}),
    headers: { "Sec-Fetch-Site": "same-origin" },
  });
  expect(answer.ok(), `${method} ${path}: ${await answer.text()}`).toBe(true);
  return (answer.status() === 204 ? undefined : await answer.json()) as T;
}

type Found = { offers: { id: number; title: string; drafts: number[]; no_price: string }[] };

/** fresh finds offers that can be sold and that nobody has taken yet. */
export async function fresh(page: Page, count: number, words = ""): Promise<{ id: number; title: string }[]> {
  const found = await api<Found>(page, "GET", `/api/offers?store=1&limit=200&sort=landed&words=${words}`);
  return found.offers.filter((o) => o.drafts.length === 0 && o.no_price === "").slice(0, count);
}

/** takeFresh takes offers to the Workbench and names the drafts so that the store shows them apart. */
export async function takeFresh(page: Page, count: number, name: string): Promise<number[]> {
  const offers = await fresh(page, count);
  const { taken } = await api<{ taken: { draft_id: number }[] }>(page, "POST", "/api/drafts/take", {
    offers: offers.map((o) => o.id),
  });
  for (const [i, draft] of taken.entries())
    await api(page, "PATCH", `/api/drafts/${draft.draft_id}?store=1`, { title: `${name} ${i + 1}` });
  return taken.map((t) => t.draft_id);
}

/** onTheShelf counts how often the storefront shows each title that begins so. */
export async function onTheShelf(name: string): Promise<Map<string, number>> {
  const page = await (await fetch(goods)).text();
  const titles = [...page.matchAll(/<b>([^<]+)<\/b>/g)].map((m) => m[1] ?? "").filter((t) => t.startsWith(name));
  const counts = new Map<string, number>();
  for (const title of titles) counts.set(title, (counts.get(title) ?? 0) + 1);
  return counts;
}

/** processing says how many days a list's supplier takes before it ships. */
export async function processing(page: Page, least: number, most: number) {
  await page.getByLabel("Processing days, at least").fill(String(least));
  await page.getByLabel("Processing days, at most").fill(String(most));
  await page.getByLabel("Processing days, at most").blur();
}

type Run = { id: number; state: string; held: number };

/** live publishes new drafts and gives their ids. */
export async function live(page: Page, count: number, name: string) {
  const drafts = await takeFresh(page, count, name);
  const run = await api<Run>(page, "POST", "/api/runs", {
    draft_ids: drafts,
    stores: [{ store_id: 1, visible: true }],
  });
  await expect
    .poll(async () => (await api<Run>(page, "GET", `/api/runs/${run.id}`)).state, { timeout: 40_000 })
    .toBe("finished");
  return drafts;
}

/** customerBuys fills in the storefront's form as a customer does, and gives the number of the order. */
export async function customerBuys(page: Page, title: string, postcode = "97205") {
  await page.goto(goods);
  await page.getByRole("link", { name: title }).first().click();
  await page.getByLabel("Name").fill("Maya Okafor");
  await page.getByLabel("Mail").fill("maya@mail.example");
  await page.getByLabel("Telephone").fill("+1 503 555 0142");
  await page.getByLabel("Street").fill("418 Juniper Street");
  await page.getByLabel("City").fill("Portland");
  await page.getByLabel("State").fill("OR");
  await page.getByLabel("Postcode").fill(postcode);
  await page.getByRole("button", { name: "Buy and pay" }).click();
  const heading = page.getByRole("heading", { name: /Your order is/ });
  await expect(heading, (await page.locator("body").textContent()) ?? "").toBeVisible();
  const number = (await heading.textContent())?.match(/#\d+/)?.[0] ?? "";
  return { number, page: page.url() };
}

type Check = (place: string) => Promise<void>;

/** accessible looks at a place with axe: by all rules in the light theme, by those of colour in the dark one. */
export const accessible =
  (page: Page): Check =>
  async (place) => {
    // What is opened hides the rest, which was looked at before.
    const open = (await page.locator("[role=dialog]").count()) > 0;
    const look = async (theme: "light" | "dark") => {
      await page.evaluate((t) => document.documentElement.setAttribute("data-theme", t), theme);
      // Without frames nothing has to be gathered in a page of its own.
      const axe = new AxeBuilder({ page }).setLegacyMode();
      if (open) axe.include("[role=dialog]");
      // Another theme has other colours, and nothing else.
      if (theme === "dark") axe.withRules(["color-contrast", "link-in-text-block"]);
      else
        axe.options({
          runOnly: {
            type: "tag",
            values: ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"],
          },
          // Names begin with what is seen, WCAG 2.5.3: axe has the rule, and does not run it by itself.
          rules: { "label-content-name-mismatch": { enabled: true } },
        });
      const { violations } = await axe.analyze();
      const found = violations.map((v) => `${v.id} at ${v.nodes.map((n) => n.target.join(" ")).slice(0, 3)}`);
      expect(found, `${place}, ${theme}`).toEqual([]);
    };
    await look("dark");
    await look("light");
  };
