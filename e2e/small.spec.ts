import { expect, type Page, test } from "@playwright/test";
import { accessible, api, connectStore, fresh, rowsOf, signIn } from "./world";

// Small screens, and large ones under zoom: 1280 x 800 at 200 % has 640 x 400 CSS pixels, 320 x 256 is 400 % of 1280.

const sizes = [
  { width: 640, height: 400 },
  { width: 390, height: 844 },
  { width: 320, height: 256 },
];

/** looked are those that look otherwise on a phone: axe looks at them once more. */
const looked = ["/sources", "/catalog", "/workbench", "/listings/runs", "/orders"];

test.beforeEach(async ({ page }) => {
  await signIn(page);
  await connectStore(page);
});

/** draftOf takes an offer that can be sold, and gives its draft. */
async function draftOf(page: Page): Promise<{ offer: number; draft: number }> {
  const [offer] = await fresh(page, 1);
  const id = offer?.id ?? 0;
  const taken = await api<{ taken: { draft_id: number }[] }>(page, "POST", "/api/drafts/take", { offers: [id] });
  return { offer: id, draft: taken.taken[0]?.draft_id ?? 0 };
}

for (const size of sizes)
  test(`nothing is lost at ${size.width} x ${size.height}, in every view`, async ({ page }) => {
    const { offer, draft } = await draftOf(page);
    await page.setViewportSize(size);
    const check = accessible(page);
    const views = [
      "/sources",
      "/sources/list",
      "/sources/requests",
      "/sources/requests/new",
      "/sources/categories",
      "/catalog",
      "/catalog/look",
      `/catalog/alternatives/${offer}`,
      `/catalog/compare/${offer},${offer + 1}`,
      "/workbench",
      `/workbench/${draft}`,
      "/workbench/table",
      "/markup",
      "/listings",
      "/listings/runs",
      "/orders",
      "/store",
      "/members",
    ];
    for (const view of views) {
      await page.goto(view);
      await page.locator("main h1").first().waitFor({ state: "attached" });
      await expect(page.getByText("…", { exact: true })).toHaveCount(0);
      const wide = await page.evaluate(() => {
        const main = document.querySelector("main");
        return (
          document.documentElement.scrollWidth - window.innerWidth + (main ? main.scrollWidth - main.clientWidth : 0)
        );
      });
      expect(wide, `${view} is wider than the screen`).toBeLessThanOrEqual(0);
      for (const list of await page.locator("[data-opens-sheet]").all())
        expect((await list.boundingBox())?.height ?? 200, `the list of ${view}`).toBeGreaterThanOrEqual(199);
      if (size.width === 390 && looked.includes(view)) await check(view);
    }
  });

test("on a phone a menu leads on, a tap opens the sheet, and a draft is a view of its own", async ({ page }) => {
  const { draft } = await draftOf(page);
  await page.setViewportSize({ width: 390, height: 844 });
  await page.goto("/catalog");
  await rowsOf(page).nth(1).click();
  const drawer = page.getByRole("dialog", { name: "Offer" });
  await expect(drawer.getByRole("heading").first()).toBeVisible();
  await accessible(page)("the drawer of an offer");
  await drawer.getByRole("button", { name: "Close" }).click();
  await expect(drawer).toBeHidden();
  await page.getByRole("button", { name: /^Catalog/ }).click();
  await page.keyboard.press("Escape");
  await expect(page.getByRole("button", { name: /^Catalog/ })).toBeFocused();
  await page.getByRole("button", { name: /^Catalog/ }).click();
  await page
    .getByRole("navigation", { name: "Stations" })
    .getByRole("link", { name: /^Workbench/ })
    .click();
  const list = page.getByRole("grid", { name: "Drafts" });
  await expect(list).toBeVisible();
  await expect(page.getByLabel("Title", { exact: true })).toHaveCount(0);
  await rowsOf(list).first().click();
  await expect(page.getByRole("link", { name: "‹ All drafts" })).toBeVisible();
  await expect(list).toHaveCount(0);
  await page.goto(`/workbench/${draft}`);
  await page.getByRole("button", { name: /^Before publishing/ }).click();
  await expect(page.getByRole("dialog").getByRole("button", { name: /^Publish/ })).toBeVisible();
});

test("where the system chooses the colours, cursor, station and readiness are still seen", async ({ page }) => {
  await draftOf(page);
  await page.emulateMedia({ forcedColors: "active" });
  await page.goto("/workbench");
  const outline = (of: string) =>
    page
      .locator(of)
      .first()
      .evaluate((e) => {
        const { outlineStyle, outlineWidth } = getComputedStyle(e);
        return `${outlineWidth} ${outlineStyle}`;
      });
  await expect(page.locator("[data-cursor]")).toBeVisible();
  expect(await outline("[data-cursor]")).toBe("2px solid");
  expect(await outline("nav a[aria-current=page]")).toBe("2px solid");
  const kept = await page
    .locator("[data-mark] > span")
    .first()
    .evaluate((e) => getComputedStyle(e).forcedColorAdjust);
  expect(kept).toBe("none");
  // A selected row is told from the one with the cursor, and the rule with the cursor from others.
  await page.goto("/catalog");
  await expect(page.locator("[data-cursor]")).toBeVisible();
  await page.keyboard.press("x");
  await page.keyboard.press("j");
  expect(await outline("[role=row][aria-selected=true]")).toBe("1px dashed");
  expect(await outline("[data-cursor]")).toBe("2px solid");
  await page.goto("/markup");
  await expect(page.locator("[data-rule]").first()).toBeVisible();
  expect(await outline("[data-rule][aria-current]")).toBe("2px solid");
});
