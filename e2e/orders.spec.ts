import { expect, type Page, test } from "@playwright/test";
import { accessible, api, bazaar, connectStore, goods, live, misbehave, rowsOf, signIn } from "./world";

// Orders: from the customer's button on the storefront to the tracking number in the store.

test.beforeEach(async ({ page }) => {
  await signIn(page);
  await connectStore(page);
});

test.afterEach(async () => {
  await misbehave(goods);
  await misbehave(bazaar);
});

/** customerBuys fills in the storefront's form as a customer does, and gives the number of the order. */
async function customerBuys(page: Page, title: string, postcode = "97205") {
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
  const number = (await heading.textContent())?.match(/#\d+/)?.[0] ?? "";
  return { number, page: page.url() };
}

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
