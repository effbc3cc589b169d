import { test } from "@playwright/test";
import { api, connectStore, overLimit, signIn } from "./world";

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
  await page.getByRole("row").first().waitFor();
  await page.keyboard.press("j");
  await page.keyboard.press("x");
  await shot("catalog");
  const wanted = ["mug", "kettle", "planter", "umbrella", "lantern", "basket"];
  const ids: number[] = [];
  for (const words of wanted) {
    const found = await api<{ offers: { id: number }[] }>(page, "GET", `/api/offers?store=1&days=16&words=${words}&limit=2&sort=units`);
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
  for (const [i, t] of taken.entries()) if (titles[i]) await api(page, "PATCH", `/api/drafts/${t.draft_id}?store=1`, { revision: 0, title: titles[i] });
  const first = taken[0]?.draft_id ?? 0;
  type Draft = { revision: number; options: { name: string; values: { name: string }[] }[]; variants: { id: number; ladder: { landed: { value: string } } }[] };
  const draft = await api<Draft>(page, "GET", `/api/drafts/${first}?store=1`);
  const options = draft.options.map((o, i) => ({ ...o, name: i === 0 ? "Colour" : o.name }));
  const last = draft.variants.at(-1);
  await api(page, "PATCH", `/api/drafts/${first}?store=1`, {
    revision: 0,
    options,
    description:
      "<p>A mug that shrugs off campfires. Two coats of enamel over steel, a rolled rim, and a handle wide enough for gloves.</p><ul><li>350 ml, 180 g</li><li>Safe on gas and open flame</li></ul>",
    prices: last ? [{ variant_id: last.id, price: last.ladder.landed.value }] : [],
  });
  await page.goto(`/workbench/${first}`);
  await page.getByText("Before it goes out").waitFor();
  await shot("workbench");
  await page.goto("/markup");
  await page.getByRole("button", { name: /^Formula/ }).click();
  await page.getByLabel("Multiple").fill("1.9");
  await page.keyboard.press("Enter");
  await page.getByText("If you apply this").waitFor();
  await shot("markup");
  const run = await api<{ id: number }>(page, "POST", "/api/runs", { store_id: 1, draft_ids: taken.map((t) => t.draft_id), visible: true, sell_empty: false });
  await page.goto(`/listings/runs/${run.id}`);
  await page.getByText(/The run has ended/).waitFor({ state: "attached", timeout: 60_000 });
  await shot("run");
  await page.goto("/listings");
  await page.getByRole("row").first().waitFor();
  await shot("listings");
  await page.goto("/sources");
  await page.getByRole("button", { name: "Take in now" }).click();
  await page.getByText(/1,199 seen: 0 new/).waitFor({ timeout: 30_000 });
  await shot("sources");
  await page.goto("/members");
  await shot("members");
  await page.evaluate(() => localStorage.setItem("theme", "dark"));
  await page.goto("/catalog?words=kettle&days=16&sort=profit");
  await page.getByRole("row").first().waitFor();
  await shot("catalog-dark");
});
