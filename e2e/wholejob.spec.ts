import { expect, type Page, test } from "@playwright/test";
import { bazaar, connectStore, customerBuys, pointed, rowsOf, signIn } from "./world";

// The whole job, from sign-in to a tracked order: once by keyboard alone, once by touch on a narrow screen. Only the
// customer, who buys in between, uses a mouse.

/** connected has the store connected, which the journey does by hand. */
test.beforeEach(async ({ browser }) => {
  const page = await (await browser.newContext()).newPage();
  await signIn(page);
  await connectStore(page);
  await page.context().close();
});

test.afterEach(async () => {
  await fetch(`${bazaar}/-/day?day=1`, { method: "PUT" });
});

/** customer buys in a browser of theirs. */
async function customer(page: Page, title: string) {
  const own = await page.context().browser()?.newContext();
  if (!own) throw new Error("there is no browser");
  const order = await customerBuys(await own.newPage(), title);
  await own.close();
  return order;
}

/** recorded keeps the accessibility tree of a step with the results, and holds it to what must be in it. */
async function recorded(page: Page, step: string, tree: string) {
  await expect(page.locator("body")).toMatchAriaSnapshot(tree);
  const body = await page.locator("body").ariaSnapshot();
  await test.info().attach(`${step}.yml`, { body, contentType: "text/yaml" });
}

test("the whole job by keyboard alone, with the accessibility tree of each step", async ({ page }) => {
  test.setTimeout(90_000);
  const press = async (...keys: string[]) => {
    for (const key of keys) await page.keyboard.press(key);
  };
  const title = `Lantern by keyboard${"x".repeat(test.info().retry)}`;
  await page.goto("/");
  await page.getByLabel("Mail address").waitFor();
  while (!(await page.getByLabel("Mail address").evaluate((e) => e === document.activeElement))) await press("Tab");
  await page.keyboard.type("ines@saltmarsh.example");
  await press("Tab");
  await page.keyboard.type("harbour-lantern");
  await press("Enter");
  await expect(rowsOf(page).first()).toBeVisible();
  await recorded(
    page,
    "catalog",
    `
    - banner:
      - navigation "Stations":
        - link /Sources/
        - link /Catalog/
        - link /Workbench/
        - link /Markup/
        - link /Listings/
        - link /Orders/
    - main:
      - heading "Catalog" [level=1]
      - search "Search the catalog":
        - textbox "Search"
      - grid "Offers":
        - row:
          - columnheader "Offer"
          - columnheader "Profit"
        - rowgroup:
          - row:
            - gridcell:
              - checkbox /Select /
    `,
  );
  await press("/");
  await page.keyboard.type("lantern");
  await press("Enter");
  await expect(rowsOf(page).first()).toContainText(/lantern|lamp/i);
  await press("Tab", "Tab", "Tab", "Tab"); // to the first clauses of the sentence
  await expect(page.locator(":focus")).toHaveAttribute("aria-label", /^Days to the door/);
  await press("Enter");
  await expect(page.getByRole("dialog").getByRole("button", { name: /^16 days/ })).toBeVisible();
  for (const _ of ["5 days", "8 days", "12 days", "16 days"]) await press("ArrowDown");
  await expect(page.locator(":focus")).toContainText("16 days");
  await press("Enter");
  await expect(page).toHaveURL(/days=16/);
  await press("F6"); // to the list
  await expect(pointed(page)).toBeFocused();
  // Which offer stands here changes with the day's rates, and other tests take some; a few are sold out.
  while (/in the Workbench|sold out/.test((await pointed(page).textContent()) ?? "")) await press("j");
  await press("x", "Shift+J");
  await expect(page.getByText("1 selected")).toBeVisible();
  await press("t");
  await expect(page.getByText(/in the Workbench\./)).toBeVisible();
  // What was said can be come to, and waits; a list that is drawn anew meanwhile may take the focus once.
  await expect(async () => {
    await press("F8");
    await expect(page.getByRole("button", { name: "Dismiss" })).toBeFocused({ timeout: 500 });
  }).toPass({ timeout: 4500 });
  await press("Enter");
  await expect(pointed(page)).toBeFocused();

  await press("g", "w");
  await expect(page.getByText("Before publishing")).toBeVisible();
  await press("1");
  await page.keyboard.type(title);
  await press("Enter");
  await expect(page.getByRole("grid", { name: "Drafts" }).getByText(title)).toBeVisible();
  await press("2");
  await expect(page.locator(":focus")).toHaveAttribute("aria-label", /^Picture 1/);
  await press("Shift+Tab");
  const words = page.getByRole("textbox", { name: "Description" });
  while (!(await words.evaluate((e) => e === document.activeElement))) await press("Shift+Tab");
  await page.keyboard.type("Lights the way. ");
  await press("Tab"); // leaves the editor, or what stands for it until it is there
  await expect(words).not.toBeFocused();
  await expect(words).toContainText("Lights the way.");
  await press("3");
  await expect(page.locator(":focus")).toHaveAttribute("aria-label", /^Sell /);
  await press("4");
  await page.keyboard.type("44.00");
  await press("Enter");
  await expect(page.getByRole("button", { name: /use the rule’s$/ })).toBeVisible();
  await recorded(
    page,
    "workbench",
    `
    - main:
      - heading "Workbench" [level=1]
      - grid "Drafts":
        - rowgroup:
          - row /Lantern by keyboard/
      - region "Description":
        - toolbar "Description's looks"
        - textbox "Description"
      - region "Pictures"
    `,
  );
  await press("Escape", "F6", "p");
  await expect(page.getByRole("dialog")).toContainText("visible to customers");
  await press("Enter");
  await expect(page.getByText(/The run has ended: 1 in the store, 0 need you/)).toBeAttached({ timeout: 30_000 });
  await recorded(
    page,
    "run",
    `
    - main:
      - grid "Items of the run":
        - rowgroup:
          - row /Lantern by keyboard/
    `,
  );
  await press("Escape");
  await expect(page).toHaveURL(/\/listings(\?store=\d+)?$/);
  await expect(rowsOf(page).filter({ hasText: title })).toBeVisible();

  const order = await customer(page, title);
  await press("g", "o");
  const row = rowsOf(page).filter({ hasText: order.number });
  await expect(row).toContainText("to buy");
  while (!(await row.evaluate((e) => e.hasAttribute("data-cursor")))) await press("j");
  await press("b");
  await expect(page.getByRole("dialog").getByRole("button", { name: /^Buy 1 purchase/ })).toBeFocused();
  await recorded(page, "buying", `- dialog:\n  - button "Buy 1 purchase"`);
  await press("Enter");
  await expect(row).toContainText("to pay", { timeout: 30_000 });
  await press("p");
  await expect(page.getByRole("dialog").getByRole("button", { name: /^Pay [1-9]\d* purchase/ })).toBeFocused();
  await press("Enter");
  await expect(row).toContainText("bought", { timeout: 30_000 });
  await fetch(`${bazaar}/-/day?day=4`, { method: "PUT" });
  await press("r");
  await expect(row).toContainText("on its way", { timeout: 30_000 });
  await expect(page.getByRole("region", { name: "Order", exact: true })).toContainText("the store knows", {
    timeout: 30_000,
  });
  await recorded(page, "order", `- main:\n  - grid "Orders"\n  - region "Order"`);
});

test.describe("by touch", () => {
  test.use({ viewport: { width: 320, height: 640 }, hasTouch: true, isMobile: true });

  test("the whole job by touch at 320 px", async ({ page }) => {
    test.setTimeout(90_000);
    const title = `Lantern by touch${"x".repeat(test.info().retry)}`;
    const wide = async () =>
      expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(320);
    const to = async (station: RegExp) => {
      await page.locator("header button[aria-expanded]").first().tap();
      await page.getByRole("navigation", { name: "Stations" }).getByRole("link", { name: station }).tap();
    };
    await page.goto("/");
    await page.getByLabel("Mail address").tap();
    await page.keyboard.type("ines@saltmarsh.example");
    await page.getByLabel("Password").tap();
    await page.keyboard.type("harbour-lantern");
    await page.getByRole("button", { name: "Sign in" }).tap();
    await expect(rowsOf(page).first()).toBeVisible();
    await wide();
    await page.getByLabel("Search", { exact: true }).tap();
    await page.keyboard.type("lantern");
    await page.keyboard.press("Enter"); // the key of the keyboard on screen
    await expect(rowsOf(page).first()).toContainText(/lantern|lamp/i);
    await page.getByRole("button", { name: /^Stock: any/ }).tap();
    await page
      .getByRole("dialog")
      .getByRole("button", { name: /^20 or more/ })
      .tap();
    await expect(page).toHaveURL(/stock=20/);
    await page.keyboard.press("Escape");
    await rowsOf(page).filter({ hasNotText: "in the Workbench" }).first().tap();
    const offer = page.getByRole("dialog", { name: "Offer" });
    await offer.getByRole("button", { name: /^Take to the Workbench/ }).tap();
    await expect(page.getByText(/” is in the Workbench\./)).toBeVisible();
    await offer.getByRole("button", { name: "Close" }).tap();

    await to(/^Workbench/);
    await rowsOf(page.getByRole("grid", { name: "Drafts" }))
      .first()
      .tap();
    const field = page.getByLabel("Title", { exact: true });
    await field.fill(title);
    await field.press("Enter");
    await wide();
    await page.getByRole("button", { name: /^Before publishing/ }).tap();
    await page
      .getByRole("dialog")
      .getByRole("button", { name: /^Publish/ })
      .tap();
    await page.getByRole("dialog", { name: "Publish" }).getByRole("button", { name: "Publish 1" }).tap();
    await expect(page.getByText(/The run has ended: 1 in the store, 0 need you/)).toBeAttached({ timeout: 30_000 });
    await wide();

    const order = await customer(page, title);
    await to(/^Orders/);
    const row = rowsOf(page).filter({ hasText: order.number });
    await expect(row).toContainText("to buy");
    await row.getByRole("checkbox").tap();
    await page.getByRole("button", { name: "Buy…" }).tap();
    await page.getByRole("dialog").getByRole("button", { name: "Buy 1 purchase" }).tap();
    await expect(row).toContainText("to pay", { timeout: 30_000 });
    await page.getByRole("button", { name: "Pay suppliers…" }).tap();
    await page
      .getByRole("dialog")
      .getByRole("button", { name: /^Pay [1-9]\d* purchase/ })
      .tap();
    await expect(row).toContainText("bought", { timeout: 30_000 });
    await fetch(`${bazaar}/-/day?day=4`, { method: "PUT" });
    await page.getByRole("button", { name: "Look for news" }).tap();
    await expect(row).toContainText("on its way", { timeout: 30_000 });
    await row.tap();
    await expect(page.getByRole("dialog", { name: "Order" })).toContainText(/LX\d{9}CN/);
    await wide();
  });
});
