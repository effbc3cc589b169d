import { expect, test } from "@playwright/test";
import { accessible, connectStore, pointed, rowsOf, signIn, takeFresh } from "./world";

test("the row with the cursor has the focus, wherever it goes, and Tab leaves the list", async ({ page }) => {
  await signIn(page);
  await connectStore(page);
  await takeFresh(page, 3, "Focused");
  await page.goto("/catalog?words=mug");
  const offers = page.getByRole("grid", { name: "Offers" });
  await rowsOf(offers).nth(4).waitFor();
  await page.keyboard.press("j");
  await expect(rowsOf(offers).nth(1)).toBeFocused();
  await expect(rowsOf(offers).nth(1)).toHaveAttribute("aria-rowindex", "3"); // the head is the first
  await page.keyboard.press("Tab");
  await expect(rowsOf(offers).nth(1).getByRole("checkbox")).toBeFocused();
  await page.keyboard.press("j");
  await expect(rowsOf(offers).nth(2)).toBeFocused();
  // Where the focus is put, the cursor comes too.
  await rowsOf(offers).nth(4).getByRole("checkbox").focus();
  await expect(pointed(offers)).toHaveAttribute("aria-rowindex", "6");
  await page.keyboard.press("x");
  await expect(rowsOf(offers).nth(4).getByRole("checkbox")).toBeChecked();
  // A list of more rows than are drawn: its end, and back from where it was scrolled to.
  await page.goto("/catalog");
  await rowsOf(offers).nth(4).waitFor();
  await page.keyboard.press("End");
  await expect(pointed(offers)).toBeFocused();
  await offers.locator("[role=presentation]").evaluate((box) => box.scrollTo(0, 0));
  await expect(rowsOf(offers).first()).toHaveAttribute("aria-rowindex", "2");
  await expect(pointed(offers)).toBeFocused(); // though it is out of sight
  for (let presses = 0; (await offers.locator(":focus").count()) > 0; presses++) {
    expect(presses, "Tab does not leave the list").toBeLessThan(6);
    await page.keyboard.press("Tab");
  }
  // What is typed elsewhere keeps the focus and its letters, whatever the list does: here its end comes late.
  await page.keyboard.press("Home");
  let release = () => {};
  const late = new Promise<void>((resolve) => {
    release = resolve;
  });
  await page.route(/\/api\/offers\?.*offset=[1-9]/, async (route) => {
    await late;
    await route.continue().catch(() => {}); // asked no more
  });
  await page.reload();
  await rowsOf(offers).nth(4).waitFor();
  await page.keyboard.press("End");
  await expect(pointed(offers)).toBeFocused();
  await page.keyboard.press("/");
  await page.keyboard.type("k");
  release();
  await page.keyboard.type("ettle", { delay: 60 });
  await expect(page.getByLabel("Search", { exact: true })).toHaveValue("kettle");
  await expect(rowsOf(offers).first()).toContainText(/kettle/i);
  await page.unrouteAll({ behavior: "ignoreErrors" });
  await expect(page.getByLabel("Search", { exact: true })).toBeFocused();

  await page.goto("/workbench");
  const drafts = page.getByRole("grid", { name: "Drafts" });
  await rowsOf(drafts).nth(2).waitFor();
  await page.keyboard.press("j");
  await expect(rowsOf(drafts).nth(1)).toBeFocused();
  await expect(page.getByLabel("Title", { exact: true })).toHaveValue("Focused 2");
});

test("where there is no room beside, the sheet is a drawer that gives the focus back", async ({ page }) => {
  await page.setViewportSize({ width: 900, height: 760 });
  await signIn(page);
  await connectStore(page);
  await takeFresh(page, 1, "Drawer");
  await page.goto("/workbench");
  const strip = page.getByRole("button", { name: "Before publishing" });
  await strip.waitFor();
  await strip.focus();
  await page.keyboard.press("Enter");
  const drawer = page.getByRole("dialog", { name: "Before publishing" });
  await expect(drawer.getByRole("button", { name: /^Publish this/ })).toBeVisible();
  await page.keyboard.press("Escape");
  await expect(strip).toBeFocused();
  await page.goto("/catalog?words=mug");
  await rowsOf(page).first().waitFor();
  await page.keyboard.press("d");
  await expect(page.getByRole("dialog", { name: "Offer" }).getByRole("heading", { level: 2 }).nth(1)).toContainText(
    /mug/i,
  );
});

test("letters act as each member wants, and F6 goes from part to part", async ({ page }) => {
  await signIn(page);
  await connectStore(page);
  await page.goto("/catalog?words=mug");
  await rowsOf(page).nth(2).waitFor();
  const cursor = () => pointed(page).getAttribute("aria-rowindex");
  const first = await cursor();
  await page.keyboard.press("j");
  await expect.poll(cursor).not.toBe(first);
  // Who came to a button by key means that button.
  await page.getByRole("region", { name: "Offer" }).getByRole("button", { name: "View the picture large" }).waitFor();
  await page.keyboard.press("F6");
  await expect(page.getByRole("region", { name: "Offer" })).toBeFocused();
  await page.keyboard.press("Tab");
  const second = await cursor();
  await page.keyboard.press("j");
  expect(await cursor()).toBe(second);
  await page.keyboard.press("F6");
  await expect(page.locator("header :focus")).toHaveCount(1);
  await page.keyboard.press("F6");
  await expect(pointed(page)).toBeFocused();
  await page.keyboard.press("Shift+F6");
  await expect(page.locator("header :focus")).toHaveCount(1);
  await page.goto("/catalog?words=mug");
  await rowsOf(page).nth(2).waitFor();
  await page.keyboard.press("Tab");
  await page.keyboard.press("Enter");
  await expect(pointed(page)).toBeFocused();

  const choose = async (way: string) => {
    await page.getByRole("button", { name: /all keys/ }).click();
    await accessible(page)("the keys that work here");
    await page.getByRole("radio", { name: way }).check();
    await page.keyboard.press("Escape");
    await pointed(page).click();
  };
  await choose("with Alt alone");
  await expect(page.getByRole("contentinfo")).toContainText("Alt J");
  const before = await cursor();
  await page.keyboard.press("j");
  expect(await cursor()).toBe(before);
  await page.keyboard.press("Alt+j");
  await expect.poll(cursor).not.toBe(before);
  await choose("not at all");
  const now = await cursor();
  await page.keyboard.press("j");
  await page.keyboard.press("Alt+j");
  expect(await cursor()).toBe(now);
  await page.keyboard.press("ArrowDown");
  await expect.poll(cursor).not.toBe(now);
  await page.reload();
  await expect(page.getByRole("contentinfo")).not.toContainText("next offer");
  await choose("Letters act by themselves");
  await page.keyboard.press("k");
  await expect.poll(cursor).not.toBeNull();
});
