import { expect, type Page, test } from "@playwright/test";
import { port } from "./playwright.config";
import { bazaar, processing, rowsOf, signIn } from "./world";

// How catalogs come in: a wholesaler's list by mouse and by keyboard, a list that changes, links, files that are none.
test.describe.configure({ mode: "serial" });

const northlight = `http://127.0.0.1:${port + 6}`;
const corvane = `http://127.0.0.1:${port + 7}`;
const tern = `http://127.0.0.1:${port + 5}`;

const line = (page: Page, name: string) => rowsOf(page).filter({ hasText: name });

async function list(day: number, renamed: boolean) {
  expect((await fetch(`${northlight}/-/list?day=${day}&renamed=${renamed}`, { method: "PUT" })).ok).toBe(true);
}

test("a price list is looked at, corrected by dragging, and taken in", async ({ page }) => {
  await signIn(page);
  await page.goto("/sources");
  await page.getByRole("button", { name: "Connect a price list" }).click();
  await page.getByLabel("Or the address it is fetched from").fill(`${northlight}/price-list.csv`);
  await page.getByRole("button", { name: "Analyze" }).click();
  await expect(page.getByRole("button", { name: "Delimiter: semicolons" })).toBeVisible();
  await expect(page.getByRole("button", { name: "Encoding: Windows-1252" })).toBeVisible();
  await expect(page.getByRole("button", { name: "Decimal sign: a comma" })).toBeVisible();
  await expect(page.getByRole("button", { name: "Header row: in row 4" })).toBeVisible();
  await expect(page.getByLabel("What Net price € holds")).toHaveValue("cost");
  await expect(page.getByLabel("What Désignation holds")).toHaveValue("title");
  await expect(page.getByRole("table")).toContainText("EUR 3.71");
  await expect(page.getByText(/Rejected: the supplier wants to be asked for the cost/).first()).toBeVisible();

  // Dragged onto the wrong column, and put right again.
  const chip = page.getByRole("button", { name: "description", exact: true });
  const column = page.getByRole("listitem").filter({ hasText: "Range" });
  await chip.hover();
  await page.mouse.down();
  const box = await column.boundingBox();
  if (!box) throw new Error("the column is not there");
  await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2, { steps: 8 });
  await page.mouse.up();
  await expect(page.getByLabel("What Range holds")).toHaveValue("description");
  await page.getByLabel("What Range holds").selectOption("category");
  await expect(page.getByRole("table")).toContainText("Camp kitchen");

  // Another decimal sign makes other costs, and is seen at once.
  await page.getByRole("button", { name: "Decimal sign: a comma" }).click();
  await page.getByRole("button", { name: "a point" }).click();
  await expect(page.getByText(/“3,71” is not an amount/).first()).toBeVisible();
  await page.getByRole("button", { name: "Decimal sign: a point" }).click();
  await page.getByRole("button", { name: "a comma" }).click();
  await expect(page.getByRole("table")).toContainText("EUR 3.71");

  await page.getByRole("textbox", { name: "Supplier" }).fill("Northlight Wholesale");
  await page.getByLabel("Ships from").selectOption("DE");
  await processing(page, 1, 2);
  await page.getByRole("button", { name: "Add a delivery" }).click();
  await page.getByLabel("Name of the delivery").fill("Parcel");
  await page.getByLabel("Where it goes").fill("US, DE");
  await page.getByLabel(/^First piece/).fill("4.90");
  await page.getByLabel("Days in transit, at least").fill("3");
  await page.getByLabel("Days in transit, at most").fill("6");
  await page.getByRole("button", { name: "Add it" }).click();
  await page.getByRole("button", { name: "Import" }).click();
  await expect(line(page, "Northlight Wholesale")).toContainText("258 offers", { timeout: 30_000 });
  await expect(line(page, "Northlight Wholesale")).toContainText("OK");
  await line(page, "Northlight Wholesale").click();
  await page.getByText("12 rejected").click();
  await expect(page.getByText(/the stock: “01.12.2026” is a date/).first()).toBeVisible();
  const [file] = await Promise.all([
    page.waitForEvent("download"),
    page.getByRole("link", { name: "Download them with their reasons" }).click(),
  ]);
  expect(file.suggestedFilename()).toMatch(/^set-aside-\d+\.csv$/);
});

test("a list that has changed is asked about, not loaded wrongly", async ({ page }) => {
  await signIn(page);
  await list(0, true);
  await page.goto("/sources");
  await line(page, "Northlight Wholesale").click();
  await page.getByRole("button", { name: "Import now" }).click();
  const held = page.getByRole("region", { name: "Waits for you" });
  await expect(held).toContainText("its column “Net price €” is not there any more", { timeout: 30_000 });
  await held.getByRole("button", { name: "Review its columns" }).click();
  await expect(page.getByLabel(/What Net £/)).toHaveValue("cost");
  await page.getByRole("button", { name: "Cancel" }).click();
  await line(page, "Northlight Wholesale").click();
  await held.getByRole("button", { name: "Discard this import" }).click();
  await expect(held).toBeHidden();
  await list(0, false);
  await page.getByRole("button", { name: "Import now" }).click();
  await expect(page.getByText("0 new, 0 changed, 258 unchanged").first()).toBeVisible({ timeout: 30_000 });
});

test("a catalogue document, by keyboard alone", async ({ page }) => {
  await signIn(page);
  await page.goto("/sources");
  await expect(line(page, "Northlight Wholesale")).toBeVisible();
  await page.keyboard.press("l");
  await expect(page.getByRole("heading", { name: "Connect a price list" })).toBeVisible();
  await page.keyboard.press("Tab");
  while (!(await page.getByLabel("Or the address it is fetched from").evaluate((e) => e === document.activeElement)))
    await page.keyboard.press("Tab");
  await page.keyboard.type(`${corvane}/catalogue.xml`);
  await page.keyboard.press("Enter");
  await expect(page.getByText("A UBL 2.1 catalogue.")).toBeVisible();
  while (!(await page.getByLabel("Ships from").evaluate((e) => e === document.activeElement)))
    await page.keyboard.press("Tab");
  await page.keyboard.type("Sweden");
  await page.keyboard.press("Tab");
  await page.keyboard.type("1");
  await page.keyboard.press("Tab");
  await page.keyboard.type("2");
  await page.keyboard.press("Tab");
  await expect(page.getByText("Say how many days the supplier takes")).toBeHidden();
  await page.keyboard.press("Control+Enter");
  await expect(line(page, "Corvane Supply")).toContainText("180 offers", { timeout: 30_000 });
});

test("links come in, a result a line", async ({ page }) => {
  await signIn(page);
  await page.goto("/sources");
  await expect(line(page, "Corvane Supply")).toBeVisible();
  await page.keyboard.press("p");
  await page
    .getByLabel("Links, one a line")
    .fill(
      [`${bazaar}/p/QB-100003`, `${tern}/p/TM-100005`, `${tern}/p/TM-999999`, "http://10.0.0.1/x", "lamp"].join("\n"),
    );
  await page.getByRole("button", { name: "Take them in" }).click();
  const dialog = page.getByRole("dialog");
  await expect(dialog.getByRole("status")).toContainText("2 of 5 came in", { timeout: 30_000 });
  for (const words of [
    "is in the catalog already",
    "by JSON-LD",
    "There is no page any more.",
    "is a private address",
    "Nothing answers at",
  ])
    await expect(dialog).toContainText(words);
  await dialog.getByRole("link", { name: "To the Catalog" }).click();
  await expect(page).toHaveURL(/\/catalog/);
});

test("files that are no price list are told apart", async ({ page }) => {
  await signIn(page);
  for (const [name, content, words] of [
    ["list.csv", "", "The file is empty."],
    ["list.csv", "SKU,Title,Price\n", "The file has a header and nothing under it."],
    ["list.xlsx", "<!doctype html><html><form><input type=password></form></html>", "perhaps one that asks to sign in"],
    ["list.xlsx", "PK\u0003\u0004 cut", "The workbook is damaged and cannot be opened."],
    ["list.xml", '<?xml version="1.0"?><!DOCTYPE a [<!ENTITY b "c">]><Catalogue/>', "The document declares entities"],
  ] as const) {
    await page.goto("/sources/list");
    await page
      .locator("input[type=file]")
      .setInputFiles({ name, mimeType: "application/octet-stream", buffer: Buffer.from(content, "latin1") });
    await expect(page.getByRole("alert")).toContainText(words);
  }
});

test("a schedule is a sentence, and a pause is said", async ({ page }) => {
  await signIn(page);
  await page.goto("/sources");
  await line(page, "Northlight Wholesale").click();
  await page.getByRole("button", { name: /^Schedule/ }).click();
  await page.getByLabel("Time of day").fill("07:30");
  await page.getByLabel("Day of the week").selectOption("TU");
  await page.getByRole("button", { name: "every Tuesday at 07:30" }).click();
  await expect(page.getByRole("button", { name: "Schedule: every Tuesday at 07:30" })).toBeVisible();
  await page.getByRole("button", { name: "Pause" }).click();
  await expect(line(page, "Northlight Wholesale")).toContainText("Paused; its offers stay.");
  await page.getByRole("button", { name: "Resume" }).click();
  await expect(page.getByText(/; next in \d/)).toBeVisible();
});

test("category names are mapped to one's own tree", async ({ page }) => {
  await signIn(page);
  await page.goto("/sources");
  await line(page, "Corvane Supply").click();
  await page.getByRole("button", { name: "Its categories" }).click();
  const camp = page.getByLabel("Where Camp kitchen belongs");
  await camp.fill("Kitchen > Camp kitchen");
  await camp.press("Enter");
  await expect(page.getByText("by Ines")).toBeVisible();
  await page.getByRole("button", { name: "Back" }).click();
  // Another supplier's name for the same is proposed from its words.
  await line(page, "Northlight Wholesale").click();
  await page.getByRole("button", { name: "Its categories" }).click();
  await expect(page.getByLabel("Where Camp kitchen belongs")).toHaveAttribute("placeholder", "Kitchen > Camp kitchen?");
  await page.getByRole("button", { name: "Take the proposal", exact: true }).click();
  await expect(page.getByLabel("Where Camp kitchen belongs")).toHaveValue("Kitchen > Camp kitchen");
  await page.goto("/catalog?category=Kitchen+%3E+Camp+kitchen");
  await expect(rowsOf(page).first()).toBeVisible();
});
