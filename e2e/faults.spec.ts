import { expect, type Page, test } from "@playwright/test";
import { api, bazaar, connectStore, goods, kill, misbehave, onTheShelf, rowsOf, signIn, takeFresh } from "./world";

test.beforeEach(async ({ page }) => {
  await signIn(page);
  await connectStore(page);
});

test.afterEach(async () => {
  await misbehave(goods);
  await misbehave(bazaar);
});

/** publish starts a run of drafts and goes to where it is watched. */
async function publish(page: Page, drafts: number[]) {
  const run = await api<{ id: number }>(page, "POST", "/api/runs", {
    draft_ids: drafts,
    stores: [{ store_id: 1, visible: true }],
  });
  await page.goto(`/listings/runs/${run.id}`);
}

async function endsWith(page: Page, published: number) {
  await expect(page.getByText(`The run has ended: ${published} in the store, 0 need you`)).toBeAttached({
    timeout: 60_000,
  });
}

test("the store asks to slow down", async ({ page }) => {
  const drafts = await takeFresh(page, 4, "Slowed");
  await misbehave(goods, { too_many: 6, retry_after: 1 });
  await publish(page, drafts);
  await expect(page.getByText(/The store asks us to slow down/).first()).toBeVisible();
  await endsWith(page, 4);
  expect([...(await onTheShelf("Slowed")).values()]).toEqual([1, 1, 1, 1]);
});

test("the store cuts the connection after creating: nothing is listed twice", async ({ page }) => {
  const drafts = await takeFresh(page, 4, "Cut off");
  await misbehave(goods, { cut_after: 3, only: "POST /api/products" });
  await publish(page, drafts);
  await endsWith(page, 4);
  expect([...(await onTheShelf("Cut off")).values()]).toEqual([1, 1, 1, 1]);
});

test("the marketplace is down: said in plain words, and the catalog goes on", async ({ page }) => {
  await misbehave(bazaar, { down: true });
  await page.goto("/sources");
  await page.getByRole("button", { name: "Import now" }).click();
  await expect(page.getByRole("alert").filter({ hasText: "Nothing answers at" }).first()).toBeVisible({
    timeout: 40_000,
  });
  await expect(page.getByRole("link", { name: /^Sources/ })).toContainText("1 with errors");
  await page.goto("/catalog?words=kettle");
  await expect(rowsOf(page).first()).toContainText(/kettle/i);
  await misbehave(bazaar);
  await page.goto("/sources");
  await page.getByRole("button", { name: "Import now" }).click();
  await expect(rowsOf(page).filter({ hasText: "Quayside Bazaar" })).toContainText("OK", {
    timeout: 40_000,
  });
});

test("the application is killed in mid-run and started again: the run finishes, nothing twice", async ({ page }) => {
  const drafts = await takeFresh(page, 12, "Survivor");
  await misbehave(goods, { latency_ms: 150 });
  await publish(page, drafts);
  await expect(rowsOf(page).filter({ hasText: "published" }).first()).toBeVisible({ timeout: 30_000 });
  kill();
  await expect(page.getByText("The run has ended: 12 in the store, 0 need you.")).toBeAttached({ timeout: 80_000 });
  const shelf = await onTheShelf("Survivor");
  expect(shelf.size).toBe(12);
  expect(new Set(shelf.values())).toEqual(new Set([1]));
});
