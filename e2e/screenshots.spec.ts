import { expect, type Page, test } from "@playwright/test";
import { port } from "./playwright.config";
import { api, bazaar, connectStore, goods, overLimit, processing, rowsOf, signIn } from "./world";

// Pictures for the README, of the demo data; not a test. Run by `make screenshots`.
test.skip(!process.env.SCREENSHOTS, "only by make screenshots");

test("screenshots", async ({ page }) => {
  test.setTimeout(180_000);
  const shot = async (name: string) => {
    await page.waitForTimeout(1800); // pictures are drawn when first asked for
    await page.mouse.move(0, 799);
    await page.screenshot({ path: `../docs/screenshots/${name}.png` });
  };
  await page.addInitScript(() => localStorage.getItem("theme") || localStorage.setItem("theme", "light"));
  await signIn(page);
  await connectStore(page);
  await shot("store");
  await page.goto("/catalog?words=mug&days=16&sort=profit");
  await rowsOf(page).first().waitFor();
  await page.keyboard.press("j");
  await page.keyboard.press("x");
  await shot("catalog");
  for (const key of ["j", "x", "j", "x"]) await page.keyboard.press(key);
  await page.getByText("3 selected").waitFor();
  await page.keyboard.press("c");
  await page.getByRole("heading", { name: /side by side/ }).waitFor();
  await shot("compare");
  let sold = 1; // an item that several sell
  for (let id = 1; id < 60; id++) {
    const found = await api<{ offers: unknown[] }>(page, "GET", `/api/offers/${id}/alternatives?store=1`);
    if (found.offers.length > 4) {
      sold = id;
      break;
    }
  }
  await page.goto(`/catalog/alternatives/${sold}`);
  await page.getByText("▲ unbeaten:").waitFor();
  await shot("alternatives");
  const bought = await api<{ taken: { draft_id: number }[] }>(page, "POST", "/api/drafts/take", { offers: [sold] });
  const others = await api<{ offers: { id: number; is_subject: boolean; unbeaten: boolean }[] }>(
    page,
    "GET",
    `/api/offers/${sold}/alternatives?store=1`,
  );
  await page.goto(
    `/workbench/${bought.taken[0]?.draft_id}/swap/${others.offers.find((o) => !o.is_subject && o.unbeaten)?.id ?? others.offers.find((o) => !o.is_subject)?.id}`,
  );
  await page.getByRole("heading", { name: /Swap the supplier/ }).waitFor();
  await shot("swap");
  await page.request.delete(`/api/drafts/${bought.taken[0]?.draft_id}`, {
    headers: { "Sec-Fetch-Site": "same-origin" },
  });
  const wanted = ["mug", "kettle", "planter", "umbrella", "lantern", "basket"];
  const ids: number[] = [];
  for (const words of wanted) {
    const found = await api<{ offers: { id: number }[] }>(
      page,
      "GET",
      `/api/offers?store=1&days=16&words=${words}&limit=2&sort=units`,
    );
    ids.push(...found.offers.map((o) => o.id));
  }
  for (let id = 1; id <= 40; id++) {
    const sheet = await page.request.get(`/api/offers/${id}`);
    if (sheet.ok() && (await sheet.json()).number === overLimit) ids.push(id);
  }
  const { taken } = await api<{ taken: { draft_id: number }[] }>(page, "POST", "/api/drafts/take", { offers: ids });
  const titles = [
    "Speckled enamel camp mug",
    "Harbour mug, 350 ml",
    "Whistling kettle",
    "Fireside kettle",
    "Zinc planter, oval",
    "Herb planter for the sill",
    "Storm umbrella",
    "Folding umbrella",
    "Camp lantern",
    "Balcony lantern",
    "Rope basket",
    "Laundry basket",
  ];
  for (const [i, t] of taken.entries())
    if (titles[i]) await api(page, "PATCH", `/api/drafts/${t.draft_id}?store=1`, { title: titles[i] });
  const first = taken[0]?.draft_id ?? 0;
  type Draft = {
    revision: number;
    options: { name: string; values: { name: string }[] }[];
    variants: { id: number; ladder: { landed: { value: string } } }[];
  };
  const draft = await api<Draft>(page, "GET", `/api/drafts/${first}?store=1`);
  const options = draft.options.map((o, i) => ({ ...o, name: i === 0 ? "Colour" : o.name }));
  const last = draft.variants.at(-1);
  await api(page, "PATCH", `/api/drafts/${first}?store=1`, {
    options,
    description:
      "<p>A mug that shrugs off campfires. Two coats of enamel over steel, a rolled rim, and a handle wide enough for gloves.</p><ul><li>350 ml, 180 g</li><li>Safe on gas and open flame</li></ul>",
    prices: last ? [{ variant_id: last.id, price: last.ladder.landed.value }] : [],
  });
  await file(
    page,
    taken.map((t) => t.draft_id),
  );
  await page.goto(`/workbench/${first}`);
  await page.getByText("Before publishing").waitFor();
  await shot("workbench");
  await page.goto("/workbench/table");
  await page.getByRole("grid", { name: "Drafts" }).waitFor();
  await page
    .getByLabel(/^Type of/)
    .first()
    .focus();
  await page.keyboard.press("Shift+ArrowDown");
  await page.keyboard.press("Shift+ArrowDown");
  await page.keyboard.press("Shift+ArrowRight");
  await shot("table");
  await page.goto("/catalog?words=lantern&days=16&sort=profit");
  await page.getByLabel("Supposed price").focus();
  for (let i = 0; i < 5; i++) await page.keyboard.press("PageUp");
  await page.getByRole("button", { name: /^Take at/ }).scrollIntoViewIfNeeded();
  await shot("what-if");
  await rules(page, first);
  await page.goto(`/workbench/${first}`);
  await page
    .getByRole("button", { name: /how the price of/ })
    .first()
    .click();
  await shot("trace");
  await page.keyboard.press("Escape");
  await page.goto("/markup");
  await page.getByRole("heading", { name: "How prices stand" }).waitFor();
  await page.getByRole("button", { name: /^Formula, rule 4/ }).click();
  await page.getByRole("textbox", { name: "Multiple" }).fill("1.9");
  await page.keyboard.press("Enter");
  await page.getByText("If you apply this").waitFor();
  await shot("markup");
  await page.getByRole("heading", { name: "Past changes" }).scrollIntoViewIfNeeded();
  await page.getByRole("region", { name: "Past changes" }).locator("li").last().scrollIntoViewIfNeeded();
  await shot("money");
  const run = await api<{ id: number }>(page, "POST", "/api/runs", {
    draft_ids: taken.map((t) => t.draft_id),
    stores: [{ store_id: 1, visible: true }],
  });
  await page.goto(`/listings/runs/${run.id}`);
  await page.getByText(/The run has ended/).waitFor({ state: "attached", timeout: 60_000 });
  await shot("run");
  await page.goto("/listings");
  await rowsOf(page).first().waitFor();
  await shot("listings");
  await orders(page);
  await shot("orders");
  await page.goto("/sources/requests/new");
  await page.getByLabel("What is wanted").fill("Folding enamel mug with a cork base");
  await page.getByLabel("What matters about it").fill("Cork, not rubber. Three colours. A plain box without leaflets.");
  await page.getByLabel(/Cost at most/).fill("3.20");
  await page.getByLabel("Units a month").fill("150");
  await page.getByRole("button", { name: "Ask for quotes" }).click();
  await page.getByText("3 quotes; no more will come").waitFor({ timeout: 60_000 });
  await shot("requests");
  await page.goto("/sources/list");
  await page.getByLabel("Or the address").fill(`http://127.0.0.1:${port + 6}/price-list.csv`);
  await page.getByRole("button", { name: "Analyze" }).click();
  await page.getByText("The first rows as offers").waitFor();
  await page.getByRole("textbox", { name: "Supplier" }).fill("Northlight Wholesale");
  await page.getByLabel("Ships from").selectOption("DE");
  await processing(page, 1, 2);
  await page.getByText("Say how many days").waitFor({ state: "hidden" });
  await shot("price-list");
  await page.getByRole("button", { name: "Import" }).click();
  await rowsOf(page).filter({ hasText: "Northlight" }).getByText("OK", { exact: true }).waitFor({ timeout: 30_000 });
  await rowsOf(page).filter({ hasText: "Quayside" }).click();
  await page.getByRole("button", { name: "Compare everything" }).click();
  await page.getByText(/1,199 seen: 0 new/).waitFor({ timeout: 30_000 });
  await shot("sources");
  await page.goto("/members");
  await shot("members");
  await page.evaluate(() => localStorage.setItem("theme", "dark"));
  await page.goto("/catalog?words=kettle&days=16&sort=profit");
  await rowsOf(page).first().waitFor();
  await shot("catalog-dark");
});

/** rules puts a list in force that shows what rules can say. */
async function rules(page: import("@playwright/test").Page, draft: number) {
  const { revision, what, changed_by, changed_at, $schema, ...now } = await api<
    Record<string, unknown> & { rules: Record<string, unknown>[] }
  >(page, "GET", "/api/stores/1/money-rules");
  const usd = (value: string) => ({ value, currency: "USD" });
  const base = now.rules[0] ?? {};
  const list = [
    {
      ...base,
      id: 2,
      conditions: { categories: ["Camp kitchen"], from: usd("5.00"), under: usd("25.00") },
      formula: {
        kind: "multiple",
        basis: "landed",
        bands: [
          { from: usd("0"), ratio: "2.6" },
          { from: usd("12.00"), ratio: "2.2" },
        ],
      },
      floor: { least_profit: usd("4.00"), least_margin: "0.2" },
      ceiling: { list: false, market: "1.1", caps: true },
      was: { kind: "percent", percent: "0.25", ending: { allowed: [".99"], up: false } },
    },
    {
      ...base,
      id: 3,
      conditions: { tags: ["summer"] },
      formula: { kind: "margin", basis: "landed", bands: [{ from: usd("0"), ratio: "0.38" }] },
      ending: { allowed: [".99", ".49"], up: false },
    },
    {
      ...base,
      id: 4,
      conditions: { ships_from: ["JP"], under: usd("9.00"), categories: ["Camp kitchen"], from: usd("6.00") },
      formula: { kind: "fixed", basis: "landed", bands: [{ from: usd("0"), ratio: "0", amount: usd("9.00") }] },
    },
    base,
  ];
  const rates = { max_age_days: 4, manual: [{ currency: "CNY", rate: "0.1402" }] };
  const imports = [{ from: "*", to: "US", threshold: usd("20.00"), duty: "0.05", tax: "0" }];
  await api(page, "PUT", "/api/stores/1/money-rules", { rules: { ...now, rules: list, rates, imports }, revision });
  await api(page, "PATCH", `/api/drafts/${draft}?store=1`, {
    tags: ["summer"],
    collections: ["Camp mornings"],
  });
  await page.waitForTimeout(1500);
}

/** file has drafts in trays and collections, with types and tags. */
async function file(page: Page, ids: number[]) {
  const tray = await api<{ id: number }>(page, "POST", "/api/trays", { name: "Spring list" });
  await api(page, "POST", "/api/trays", { name: "Later", aside: true });
  const change = (drafts: number[], what: object) =>
    api(page, "POST", "/api/drafts/change", { drafts, change: what, apply: true });
  await change(ids.slice(0, 6), { act: "move_to_tray", number: tray.id });
  await change(ids.slice(0, 4), { act: "add_collections", names: ["Camp kitchen"] });
  await change(ids.slice(4, 8), { act: "add_collections", names: ["Garden and rain"] });
  await change(ids.slice(0, 2), { act: "set_text", field: "type", text: "Mug" });
  await change(ids.slice(2, 4), { act: "set_text", field: "type", text: "Kettle" });
  await change(ids.slice(0, 3), { act: "add_tags", names: ["enamel"] });
}

/** orders has customers buy, buys for some of them, and shows the orders with one on its way. */
async function orders(page: Page) {
  await fetch(`${goods}/-/orders?count=11`, { method: "POST" });
  const list = async () => (await api<{ orders: { id: number }[] }>(page, "GET", "/api/orders")).orders;
  await expect.poll(async () => (await list()).length, { timeout: 30_000 }).toBe(11);
  const ids = (await list()).map((o) => o.id);
  await api(page, "POST", "/api/orders/buy", { order_ids: ids.slice(4), accept_addresses: true });
  const owed = () => api<{ id: number }[]>(page, "GET", "/api/purchases/owed");
  await expect.poll(async () => (await owed()).length, { timeout: 30_000 }).toBeGreaterThan(5);
  await api(page, "POST", "/api/purchases/pay", { ids: (await owed()).slice(3).map((p) => p.id) });
  await page.waitForTimeout(3000);
  await fetch(`${bazaar}/-/day?day=4`, { method: "PUT" });
  await api(page, "POST", "/api/orders/read");
  await page.goto("/orders?state=shipped");
  await rowsOf(page).first().waitFor({ timeout: 30_000 });
  await page.goto("/orders");
  await rowsOf(page).first().waitFor();
  await page.keyboard.press("End");
  await fetch(`${bazaar}/-/day?day=1`, { method: "PUT" });
}
