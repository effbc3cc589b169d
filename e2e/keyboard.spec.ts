import { expect, test } from "@playwright/test";
import { connectStore, signIn } from "./world";

// The main path without a mouse: nothing here clicks or points.
test("from the Catalog to the storefront by keyboard alone", async ({ page }) => {
  await signIn(page);
  await connectStore(page);
  await page.goto("/catalog");
  const press = (key: string) => page.keyboard.press(key);
  await expect(page.getByRole("row").first()).toBeVisible();
  await press("/");
  await page.keyboard.type("lantern");
  await press("Enter");
  await expect(page.getByRole("row").first()).toContainText(/lantern|lamp/i);
  await press("Tab"); // to the first clause of the sentence
  await press("Tab");
  await press("Tab");
  await press("Tab");
  await expect(page.locator(":focus")).toHaveAttribute("aria-label", /^Days to the door/);
  await press("Enter");
  await expect(page.getByRole("dialog").getByRole("button", { name: /^16 days/ })).toBeVisible();
  for (const _ of ["5 days", "8 days", "12 days", "16 days"]) await press("ArrowDown");
  await expect(page.locator(":focus")).toContainText("16 days");
  await press("Enter");
  await expect(page).toHaveURL(/days=16/);
  await page.evaluate(() => (document.activeElement as HTMLElement).blur());
  const found = page.getByRole("row");
  await expect(found.nth(2)).toBeVisible();
  await press("j");
  // Which offer stands here changes with the day's rates, and other tests take some.
  while ((await page.locator("[role=row][aria-selected=true]").textContent())?.includes("in the Workbench"))
    await press("j");
  await press("x");
  await press("Shift+J");
  await expect(page.getByText("1 selected")).toBeVisible();
  await press("t");
  await expect(page.getByText(/in the Workbench\./)).toBeVisible();
  await press("g");
  await press("w");
  await expect(page.getByText("Before publishing")).toBeVisible();
  await press("1");
  await page.keyboard.type("Lantern by keyboard");
  await press("Enter");
  await expect(page.getByRole("list", { name: "Drafts" }).getByText(/Lantern by keyboard/)).toBeVisible();
  await press("2");
  await expect(page.locator(":focus")).toHaveAttribute("aria-label", /^Picture 1/);
  await press("3");
  await expect(page.locator(":focus")).toHaveAttribute("aria-label", /^Sell /);
  await press("4");
  await page.keyboard.type("44.00");
  await press("Enter");
  await expect(page.getByRole("button", { name: /^Use the rule price/ })).toBeVisible();
  await page.evaluate(() => (document.activeElement as HTMLElement).blur());
  await press("p");
  await expect(page.getByRole("dialog")).toContainText("visible to customers");
  await press("Enter");
  await expect(page.getByText(/The run has ended: 1 published, 0 failed/)).toBeAttached({ timeout: 30_000 });
  await press("Escape");
  await expect(page).toHaveURL(/\/listings(\?store=\d+)?$/);
  await expect(page.getByRole("row").filter({ hasText: "Lantern by keyboard" })).toBeVisible();
  await press("Control+k");
  await expect(page.getByPlaceholder("A station, an offer, a draft, a listing")).toBeFocused();
  await page.keyboard.type("markup");
  await press("Enter");
  await expect(page).toHaveURL(/\/markup(\?store=\d+)?$/);
  await press("?");
  await expect(page.getByRole("dialog", { name: "Keys that work here" })).toContainText("go to Catalog");
});
