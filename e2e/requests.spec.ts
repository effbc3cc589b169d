import { expect, test } from "@playwright/test";
import { bazaar, connectStore, misbehave, rowsOf, signIn } from "./world";

// A product that nobody carries: asked for, quoted, taken; by mouse, and by keys alone while the marketplace is down.
test.describe.configure({ mode: "serial" });

test("a product is asked for, quotes lie side by side, one is taken", async ({ page }) => {
  await signIn(page);
  await connectStore(page);
  await page.goto("/sources");
  await page.getByRole("button", { name: "Requests" }).click();
  await page.getByRole("button", { name: "Ask for a product" }).click();
  await page.getByLabel("What is wanted").fill("Kettle with a folding spout");
  await page.getByLabel(/Cost at most/).fill("call");
  await page.getByRole("button", { name: "Ask for quotes" }).click();
  await expect(page.getByText("“call” is not a cost in USD.")).toBeVisible();
  await page.getByLabel(/Cost at most/).fill("9,50");
  await page.getByLabel("Picture").setInputFiles("../docs/screenshots/catalog.png");
  await page.getByRole("button", { name: "Ask for quotes" }).click();
  await expect(page.getByRole("heading", { name: "Kettle with a folding spout" })).toBeVisible();
  await expect(page.getByAltText("What is wanted")).toBeVisible();
  await expect(page.getByText("3 quotes; no more will come")).toBeVisible({ timeout: 60_000 });
  const lands = page.getByRole("row", { name: /Landed cost/ }).getByRole("cell");
  await expect(lands).toHaveCount(3);
  const figures = (await lands.allTextContents()).map((t) => Number(/\$([\d.]+)/.exec(t)?.[1]));
  expect(figures.every((n) => n > 0)).toBe(true);
  expect([...figures].sort((a, b) => a - b)).toEqual(figures);
  await page.getByRole("button", { name: "Take this quote" }).first().click();
  await page.getByRole("link", { name: "See it in the Catalog" }).click({ timeout: 30_000 });
  await expect(rowsOf(page).filter({ hasText: /Kettle with a folding spout/i })).toBeVisible();
});

test("by keys, while the marketplace is out of order", async ({ page }) => {
  await signIn(page);
  await page.goto("/sources/requests");
  await expect(page.getByRole("heading", { name: "Requests" })).toBeVisible();
  await misbehave(bazaar, { error_percent: 100 });
  await page.keyboard.press("n");
  await expect(page.getByLabel("What is wanted")).toBeFocused();
  await page.keyboard.type("Rope basket with a lid");
  await page.keyboard.press("Enter");
  await expect(page.getByText(/is out of order.*It is tried again/)).toBeVisible({ timeout: 60_000 });
  await misbehave(bazaar, {});
  await page.keyboard.press("r");
  await expect(page.getByText(/quotes? so far|no more will come/)).toBeVisible({ timeout: 60_000 });
  await page.keyboard.press("x");
  await page.keyboard.press("Escape");
  await expect(rowsOf(page).filter({ hasText: "Rope basket with a lid" })).not.toContainText("withdrawn");
  await page.keyboard.press("x");
  await expect(page.getByRole("button", { name: "Withdraw it" })).toBeFocused();
  await page.keyboard.press("Enter");
  await expect(rowsOf(page).filter({ hasText: "Rope basket with a lid" })).toContainText("withdrawn");
});
