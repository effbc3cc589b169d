import { expect, type Page, test } from "@playwright/test";
import { api, connectStore, goods, live, misbehave, rowsOf, signIn, takeFresh } from "./world";

// Publishing beyond the first run: what would come of it, plans, what is live, what was changed in the store.

test.beforeEach(async ({ page }) => {
  await signIn(page);
  await connectStore(page);
});

test.afterEach(async () => misbehave(goods));

const listing = (page: Page) => page.getByRole("region", { name: "Listing" });

test("a run is planned, begun before its time, paused, gone on with and taken down, by keyboard where it counts", async ({
  page,
}) => {
  const name = `Planned${"x".repeat(test.info().retry)}`;
  const drafts = await takeFresh(page, 6, name);
  const tray = await api<{ id: number }>(page, "POST", "/api/trays", { name });
  for (const id of drafts.slice(0, 2)) await api(page, "PATCH", `/api/drafts/${id}?store=1`, { tray: tray.id });
  await page.goto(`/workbench?words=${name}`);
  await page.getByLabel("Title", { exact: true }).waitFor();
  await page.getByLabel("Select all drafts").check();
  await page.keyboard.press("p");
  const dialog = page.getByRole("dialog", { name: "Publish" });
  await expect(dialog).toContainText("6 new.");
  // A tray goes instead of what is selected, and back.
  await dialog.getByRole("button", { name: "Drafts: the 6 selected" }).click();
  await page.getByRole("button", { name: `2 drafts in ${name}` }).click();
  await expect(dialog.getByRole("button", { name: "Publish 2", exact: true })).toBeEnabled();
  await dialog.getByRole("button", { name: `Drafts: 2 drafts in ${name}` }).click();
  await page.getByRole("button", { name: "the 6 selected" }).click();
  await expect(dialog.getByRole("button", { name: "Publish 6", exact: true })).toBeEnabled();
  await dialog.getByRole("button", { name: "When: now" }).click();
  await page.getByRole("button", { name: "later" }).click();
  await expect(dialog).toContainText("as the clock shows it in America/New York");
  await dialog.getByRole("button", { name: "Plan it" }).click();
  await expect(page.getByText(/begins .* in Saltmarsh Goods, planned by Ines/)).toBeVisible();
  await misbehave(goods, { latency_ms: 400 });
  await page.getByRole("button", { name: "Begin now" }).click();
  await page.getByRole("button", { name: "Pause" }).click();
  await expect(page.getByText(/^paused, started/)).toBeVisible();
  await misbehave(goods);
  await page.getByRole("button", { name: "Go on" }).click();
  await expect(page.getByText("The run has ended: 6 in the store, 0 need you.")).toBeAttached({ timeout: 40_000 });
  await page.getByRole("button", { name: "Take down…" }).click();
  await page.getByRole("dialog").getByRole("button", { name: "Take 6 down" }).click();
  await expect(page.getByRole("heading", { name: /Taken down 6 drafts from Saltmarsh Goods/ })).toBeVisible({
    timeout: 40_000,
  });
  await page.getByRole("link", { name: "All runs" }).click();
  await expect(rowsOf(page).first()).toContainText("Taken down from Saltmarsh Goods");
  const shown = await api<{ total: number }>(page, "GET", `/api/listings?store=1&words=${name}`);
  expect(shown.total).toBe(0);
  expect(drafts.length).toBe(6);
});

test("what somebody changed in the store is seen, and theirs is taken or ours sent; hiding is by key", async ({
  page,
}) => {
  const name = `Edited there${"x".repeat(test.info().retry)}`;
  const [draft] = await live(page, 1, name);
  // Somebody edits it in the store's own pages.
  const shop = await (await fetch(goods)).text();
  const handle = shop.match(new RegExp(`/products/(${name.toLowerCase().replaceAll(" ", "-")}[a-z0-9-]*)`))?.[1];
  const id = handle?.match(/(\d+)$/)?.[1];
  const edited = await fetch(`${goods}/-/products/${id}`, {
    method: "PUT",
    body: JSON.stringify({ title: `${name} by hand`, vendor: "Somebody" }),
  });
  expect(edited.ok).toBe(true);
  await page.goto(`/listings?words=${encodeURIComponent(name)}`);
  await page.getByRole("button", { name: "Read the store anew" }).click();
  const row = rowsOf(page).first();
  await expect(row).toContainText("2 fields were changed there");
  await expect(listing(page).getByRole("region", { name: "Changed in the store" })).toContainText(`${name} by hand`);
  await listing(page).getByRole("button", { name: "Take their title" }).click();
  await expect(row).toContainText("1 field was changed there");
  expect((await api<{ title: string }>(page, "GET", `/api/drafts/${draft}?store=1`)).title).toBe(`${name} by hand`);
  await listing(page).getByRole("button", { name: "Send our vendor" }).click();
  await expect(row).not.toContainText("changed there");
  expect(await (await fetch(`${goods}/products/${handle}`)).text()).not.toContain("Somebody");

  await expect(rowsOf(page).first()).toContainText("visible");
  await page.keyboard.press("h");
  await page.getByRole("dialog").getByRole("button", { name: "Hide it" }).press("Enter");
  await expect(page.getByText("The run has ended: 1 in the store, 0 need you.")).toBeAttached({ timeout: 40_000 });
  await page.goto(`/listings?words=${encodeURIComponent(name)}&state=hidden`);
  await expect(rowsOf(page)).toHaveCount(1);
  // A draft that was changed since says so in both places.
  await page.goto(`/workbench/${draft}`);
  await page.getByLabel("Title", { exact: true }).fill(`${name} once more`);
  await expect(page.getByText(/Changed here since it was sent to Saltmarsh Goods/)).toBeVisible();
  await page.goto(`/listings?words=${encodeURIComponent(name)}&state=edited`);
  await expect(listing(page).getByRole("region", { name: "Changed here since it was sent" })).toContainText(
    "once more",
  );
});

test("a store without an API is added, published to, and its files taken", async ({ page }) => {
  const name = `Stall${"x".repeat(test.info().retry)}`;
  await page.goto("/store");
  await page.getByRole("button", { name: "Add a store without an API" }).click();
  await page.getByLabel("Name", { exact: true }).fill(name);
  await page.getByLabel(/^Currency/).fill("EUR");
  await page.getByLabel("Time zone").fill("Mars");
  await page.getByLabel(/^Countries/).fill("PT, ES");
  await page.getByRole("button", { name: "Add it" }).click();
  await expect(page.getByText("“Mars” is no time zone")).toBeVisible();
  await page.getByLabel("Time zone").fill("Europe/Lisbon");
  await page.getByRole("button", { name: "Add it" }).click();
  const card = page.getByRole("article", { name, exact: true });
  await expect(card).toContainText("without an API, served by files");
  const stores = await api<{ id: number; name: string }[]>(page, "GET", "/api/stores");
  const id = stores.find((s) => s.name === name)?.id;
  const [draft] = await takeFresh(page, 1, `For the ${name}`);
  await expect
    .poll(async () => {
      const found = await api<{ report: { ready: boolean } }>(page, "GET", `/api/drafts/${draft}?store=${id}`);
      return found.report.ready;
    })
    .toBe(true);
  await page.goto(`/workbench/${draft}`);
  await page.getByRole("button", { name: /^Publish this/ }).click();
  await expect(page.getByRole("dialog").getByRole("region", { name })).toContainText("1 new.");
  await page.getByRole("dialog").getByRole("button", { name: "Publish 1" }).click();
  await expect(page.getByText("The run has ended: 1 in the store, 0 need you.")).toBeAttached({ timeout: 40_000 });
  await page.goto("/store");
  const [file] = await Promise.all([
    page.waitForEvent("download"),
    card.getByRole("link", { name: "Products as CSV" }).click(),
  ]);
  expect(file.suggestedFilename()).toBe("products.csv");
  // The other tests' store is in use again.
  await connectStore(page);
});
