import { expect, type Page, test } from "@playwright/test";
import {
  accessible,
  api,
  bazaar,
  connectStore,
  customerBuys,
  enter,
  goods,
  live,
  misbehave,
  rowsOf,
  signIn,
} from "./world";

// Orders: from the customer's button on the storefront to the tracking number in the store.

test.beforeEach(async ({ page }) => {
  await signIn(page);
  await connectStore(page);
});

test.afterEach(async () => {
  await misbehave(goods);
  await misbehave(bazaar);
});

const sheet = (page: Page) => page.getByRole("region", { name: "Order", exact: true });

test("from the customer's order to tracking in the store, in under ten keys", async ({ page }) => {
  const name = `Sold${"x".repeat(test.info().retry)}`;
  await live(page, 1, name);
  const order = await customerBuys(page, `${name} 1`);
  await page.goto("/orders");
  const row = rowsOf(page).filter({ hasText: order.number });
  await expect(row).toContainText("to buy");
  await expect(sheet(page)).toContainText("418 Juniper Street");
  let keys = 0;
  const press = async (key: string) => {
    keys++;
    await page.keyboard.press(key);
  };
  await press("b");
  const dialog = page.getByRole("dialog");
  await expect(dialog.getByRole("button", { name: "Buy 1 purchase" })).toBeFocused();
  const check = accessible(page);
  await check("what buying comes to");
  await press("Enter");
  await expect(row).toContainText("to pay", { timeout: 30_000 });
  await press("p");
  await expect(page.getByRole("dialog").getByRole("button", { name: "Pay 1 purchase" })).toBeFocused();
  await check("what is owed");
  await press("Enter");
  await expect(row).toContainText("bought", { timeout: 30_000 });
  await fetch(`${bazaar}/-/day?day=4`, { method: "PUT" });
  await press("r");
  await expect(row).toContainText("on its way", { timeout: 30_000 });
  await expect(sheet(page)).toContainText("the store knows", { timeout: 30_000 });
  await fetch(`${bazaar}/-/day?day=1`, { method: "PUT" });
  await check("an order with its parcel");
  expect(keys).toBeLessThan(10);
  await page.goto(order.page);
  await expect(page.getByText(/On its way with Harbour Post: LX\d{9}CN/)).toBeVisible();
});

test("a doubtful address is corrected beside the customer's own, and a refusal is bought again", async ({ page }) => {
  const name = `Wrong${"x".repeat(test.info().retry)}`;
  await live(page, 1, name);
  const order = await customerBuys(page, `${name} 1`, "972");
  await page.goto("/orders?words=wrong");
  const row = rowsOf(page).filter({ hasText: order.number });
  await expect(row).toContainText("address doubtful");
  await page.keyboard.press("b");
  await expect(page.getByRole("dialog")).toContainText("Its address is doubtful");
  await expect(page.getByRole("dialog").getByRole("button", { name: /^Buy 0/ })).toBeDisabled();
  await page.keyboard.press("Escape");
  await sheet(page).getByRole("button", { name: "Correct it…" }).click();
  await accessible(page)("an address that is corrected");
  await sheet(page).getByLabel("Postcode").fill("97205");
  await sheet(page).getByRole("button", { name: "Save the address" }).click();
  await expect(sheet(page)).toContainText("The customer wrote: Maya Okafor, 418 Juniper Street, Portland OR 972");
  // The marketplace has nothing to sell for a moment: what it refuses is said, and bought again.
  await api(page, "GET", "/api/orders");
  await fetch(`${bazaar}/-/faults`, { method: "PUT", body: JSON.stringify({ empty: true }) });
  await page.keyboard.press("b");
  await page.getByRole("dialog").getByRole("button", { name: "Buy 1 purchase" }).click();
  await expect(row).toContainText("problem", { timeout: 30_000 });
  await expect(sheet(page)).toContainText("is not sold any more");
  await misbehave(bazaar, { cut_after: 1, only: "PUT /purchase-orders" });
  await page.keyboard.press("b");
  await page.getByRole("dialog").getByRole("button", { name: "Buy 1 purchase" }).click();
  await expect(row).toContainText("to pay", { timeout: 60_000 });
  // Put out of sight, and back.
  await page.keyboard.press("a");
  await expect(row).toHaveCount(0);
  await page.getByRole("button", { name: "Undo" }).click();
  await expect(row).toHaveCount(1);
});

test("each problem of an order has its way out, and its effect on the profit", async ({ page }) => {
  test.setTimeout(150_000);
  const name = `Mended${"x".repeat(test.info().retry)}`;
  await live(page, 1, name);
  const order = await customerBuys(page, `${name} 1`);
  await page.goto("/orders");
  const row = rowsOf(page).filter({ hasText: order.number });
  await row.click();
  await expect(row).toContainText("to buy");
  const check = accessible(page);
  await sheet(page)
    .getByRole("button", { name: /^Another supplier of/ })
    .click();
  const others = page.getByRole("dialog", { name: /^Another supplier of/ });
  await expect(others).not.toContainText("looking for the same item", { timeout: 20_000 });
  await check("other suppliers of a line");
  await page.keyboard.press("Escape");
  await sheet(page).getByRole("button", { name: "Do not buy it" }).click();
  await expect(row).toContainText("cancelled");
  await sheet(page).getByRole("button", { name: "Buy it after all" }).click();
  await expect(row).toContainText("to buy");
  await page.keyboard.press("b");
  await expect(page.getByRole("dialog").getByRole("button", { name: "Buy 1 purchase" })).toBeFocused();
  await page.keyboard.press("Enter");
  await expect(row).toContainText("to pay", { timeout: 30_000 });
  const owed = await api<{ id: number; order: string }[]>(page, "GET", "/api/purchases/owed");
  await api(page, "POST", "/api/purchases/pay", { ids: owed.filter((p) => p.order === order.number).map((p) => p.id) });
  await expect(row).toContainText("bought", { timeout: 30_000 });
  // The supplier is written to, and answers; the packing slip is saved.
  await sheet(page).getByRole("button", { name: "Write to the supplier…" }).click();
  await sheet(page)
    .getByLabel(/^To .*, about /)
    .fill("Please send it without a leaflet.");
  await check("a message to a supplier");
  await sheet(page).getByRole("button", { name: "Send the message" }).click();
  await expect(sheet(page).getByRole("button", { name: "Send the message" })).toHaveCount(0);
  await expect(sheet(page)).toContainText("Please send it without a leaflet.");
  await expect(sheet(page)).not.toContainText("being sent");
  await page.keyboard.press("r");
  await expect(sheet(page)).toContainText("We look into it", { timeout: 30_000 });
  const slip = page.waitForEvent("download");
  await page.getByRole("button", { name: "Packing slips" }).click();
  expect((await slip).suggestedFilename()).toBe("packing-slips.pdf");
  // What went wrong is claimed, and written off.
  await sheet(page).getByRole("button", { name: "Something went wrong…" }).click();
  await sheet(page).getByLabel("It arrived damaged").check();
  await sheet(page).getByLabel("What the customer says").fill("The lid is broken");
  await sheet(page).getByLabel("Buy it again").uncheck();
  await check("what went wrong");
  await sheet(page).getByRole("button", { name: "Save the claim" }).click();
  await expect(row).toContainText("problem");
  await expect(sheet(page)).toContainText("“The lid is broken”");
  await sheet(page).getByRole("button", { name: "Write it off" }).click();
  await expect(row).toContainText("bought");
  // The customer gets something back, and not more than was paid.
  await sheet(page).getByRole("button", { name: "Refund the customer…" }).click();
  await sheet(page)
    .getByLabel(/^Amount to give back/)
    .fill("99999");
  await page.keyboard.press("Enter");
  await expect(sheet(page)).toContainText("at most the");
  await sheet(page)
    .getByLabel(/^Amount to give back/)
    .fill("1.50");
  await check("a refund");
  await page.keyboard.press("Enter");
  await expect(sheet(page)).toContainText("$1.50 given back by Ines", { timeout: 20_000 });
  await expect(sheet(page)).toContainText("Given back to the customer");
  // The customer's own page names no supplier.
  const supplier = (await row.getByRole("gridcell").nth(4).textContent()) ?? "";
  const link = sheet(page).getByRole("link", { name: "The customer's tracking page" });
  await page.goto((await link.getAttribute("href")) ?? "");
  await expect(page.getByRole("heading", { level: 1 })).toHaveText(`Order ${order.number}`);
  expect(supplier.length).toBeGreaterThan(3);
  await expect(page.locator("body")).not.toContainText(supplier);
  await check("the customer's page");
});

test("orders are bought without a person as a sentence says", async ({ page }) => {
  await page.goto("/orders");
  await page.getByRole("button", { name: "Automatic buying…" }).click();
  const dialog = page.getByRole("dialog", { name: "Automatic buying" });
  await dialog.getByLabel("Buy without a person").check();
  await dialog.getByRole("button", { name: "Save the rule" }).click();
  await expect(dialog.getByRole("alert")).toContainText("at which times");
  await dialog.getByRole("button", { name: /^What the customer paid/ }).click();
  await page.getByLabel("What the customer paid").getByRole("textbox").fill("80");
  await page.keyboard.press("Enter");
  await dialog.getByRole("button", { name: /^Times of the day/ }).click();
  await page.getByRole("button", { name: "10:00" }).click();
  await page.getByRole("button", { name: "16:00" }).click();
  await page.keyboard.press("Escape");
  await expect(dialog).toContainText("under $80.00");
  await expect(dialog).toContainText("at 10:00 and 16:00");
  await accessible(page)("automatic buying");
  await dialog.getByRole("button", { name: "Save the rule" }).click();
  await expect(page.getByText("Orders that keep to this are bought at these times.")).toBeVisible();
  await page.getByRole("button", { name: "Automatic buying…" }).click();
  await expect(dialog).toContainText("under $80.00");
  await dialog.getByLabel("Buy without a person").uncheck();
  await dialog.getByRole("button", { name: "Save the rule" }).click();
  await expect(page.getByText("Automatic buying is off.")).toBeVisible();
});

test("who handles orders alone sees orders, and neither costs nor profits", async ({ page, browser }) => {
  const name = `Handled${"x".repeat(test.info().retry)}`;
  await live(page, 1, name);
  const order = await customerBuys(page, `${name} 1`);
  const email = `olaf${test.info().retry}-${Date.now()}@saltmarsh.example`;
  await api(page, "POST", "/api/members", { email, name: "Olaf", role: "order_handler", password: "a quay for Olaf" });
  const other = await (await browser.newContext()).newPage();
  await enter(other, email, "a quay for Olaf");
  await expect(other).toHaveURL(/\/orders/);
  await expect(other.getByRole("navigation", { name: "Stations" }).getByRole("link")).toHaveCount(1);
  const row = rowsOf(other).filter({ hasText: order.number });
  await row.click();
  await expect(sheet(other)).toContainText("418 Juniper Street");
  await expect(sheet(other)).toContainText("The customer paid");
  await accessible(other)("orders without costs");
  await other.keyboard.press("b");
  const dialog = other.getByRole("dialog");
  await expect(dialog.getByRole("button", { name: "Buy 1 purchase" })).toBeFocused();
  for (const where of [dialog, other.locator("body")])
    await expect(where).not.toContainText(/Profit|Landed|leaves|To pay afterwards/);
  await other.keyboard.press("Enter");
  await expect(row).toContainText("to pay", { timeout: 30_000 });
  await expect(sheet(other)).toContainText("for an amount, by");
  await expect(other.getByRole("button", { name: /Pay suppliers|Refund|another supplier/ })).toHaveCount(0);
  await other.goto("/workbench");
  await expect(other).toHaveURL(/\/orders/);
  await other.context().close();
});
