import { readFileSync } from "node:fs";
import { expect, type Page, test } from "@playwright/test";
import { api, connectStore, fresh, pointed, rowsOf, signIn, takeFresh } from "./world";

type Draft = {
  id: number;
  title: string;
  collections: string[];
  options: { name: string; values: { name: string }[] }[];
  variants: { id: number; values: string[]; sku: string; ladder: { price: { value: string } } }[];
  dropped: unknown[];
};

const draft = (page: Page, id: number) => api<Draft>(page, "GET", `/api/drafts/${id}?store=1`);

/** open shows in the Workbench the drafts with a word in their titles. */
async function open(page: Page, words: string) {
  await page.goto(`/workbench?words=${words}`);
  await page.getByLabel("Title", { exact: true }).waitFor();
}

/** named is a word that no other test has in its titles, nor this one when it was tried before. */
const named = (word: string) => `${word}${"r".repeat(test.info().retry)}`;

test.beforeEach(async ({ page }) => {
  await signIn(page);
  await connectStore(page);
});

test("what is typed before the editor of descriptions is there is kept, and who has left is left alone", async ({
  page,
}) => {
  const name = named("Slowmug");
  await takeFresh(page, 1, name);
  let letThrough = () => {};
  const held = new Promise<void>((done) => {
    letThrough = done;
  });
  await page.route(/assets\/description-[^/]*\.js/, async (route) => {
    await held;
    await route.continue();
  });
  await open(page, name);
  const words = page.getByRole("textbox", { name: "Description" });
  await words.focus();
  await page.keyboard.type("Holds 1 < 2 litres & more. ");
  await page.keyboard.press("Tab");
  await expect(words).not.toBeFocused();
  const at = await page.evaluate(() => document.activeElement?.outerHTML);
  letThrough();
  await expect(words).toContainText("Holds 1 < 2 litres & more.");
  expect(await page.evaluate(() => document.activeElement?.outerHTML)).toBe(at);
  await expect
    .poll(async () => {
      const { drafts } = await api<{ drafts: { id: number }[] }>(page, "GET", `/api/drafts?words=${name}&store=1`);
      return (await api<{ description: string }>(page, "GET", `/api/drafts/${drafts[0]?.id}?store=1`)).description;
    })
    .toContain("Holds 1 &lt; 2 litres &amp; more.");
});

test("collections of many drafts are seen, set as one step, and undone", async ({ page }) => {
  const name = named("Manymug");
  await takeFresh(page, 8, name);
  await open(page, name);
  await page.getByLabel("Select all drafts").check();
  await page.keyboard.press("b");
  const dialog = page.getByRole("dialog", { name: "Change 8 drafts" });
  await dialog.getByLabel("Add to collections").fill("Garden party");
  await page.keyboard.press("Enter");
  await expect(dialog.getByText("8 would change")).toBeVisible();
  // One of them is left out.
  await dialog.getByLabel(`Change ${name} 3`, { exact: true }).uncheck();
  await dialog.getByRole("button", { name: "Change 7 drafts" }).click();
  await page.getByText("7 drafts are changed.").waitFor();
  const list = () =>
    api<{ drafts: { title: string; collections: string[] }[] }>(page, "GET", `/api/drafts?words=${name}&store=1`);
  const filed = (await list()).drafts.filter((d) => d.collections.includes("Garden party"));
  expect(filed.map((d) => d.title)).not.toContain(`${name} 3`);
  expect(filed).toHaveLength(7);
  await page.getByRole("button", { name: "Undo", exact: true }).click();
  await page.getByText("Undone in 7 drafts.").waitFor();
  expect((await list()).drafts.filter((d) => d.collections.length > 0)).toHaveLength(0);
  // What cannot be changed says why, and what is missing stops nothing.
  await page.keyboard.press("b");
  await dialog.getByText("Title", { exact: true }).click();
  await dialog.getByLabel("Fill a pattern").check();
  await dialog.getByLabel("Pattern", { exact: true }).fill("{title} {oops");
  await expect(dialog.getByRole("alert")).toContainText("there has to be the name of a fact");
  await dialog.getByLabel("Pattern", { exact: true }).fill("{title} of {oops}");
  await expect(dialog.getByText("8 cannot")).toBeVisible();
  await expect(dialog.getByText("Not known: oops.").first()).toBeVisible();
  await dialog.getByLabel("Pattern", { exact: true }).fill("{title}, no. {number}");
  await expect(dialog.getByText("8 would change")).toBeVisible();
});

test("a title is tidied part by part, and the history tells", async ({ page }) => {
  const name = named("Tidymug");
  await takeFresh(page, 1, name);
  await open(page, name);
  const id = (await api<{ drafts: { id: number }[] }>(page, "GET", `/api/drafts?words=${name}`)).drafts[0]?.id ?? 0;
  await api(page, "PATCH", `/api/drafts/${id}`, { title: `★ NEW ${name} HOT SALE enamel ${name.toLowerCase()}` });
  await expect(page.getByLabel("Title", { exact: true })).toHaveValue(/HOT SALE/);
  await page.keyboard.press("t");
  const dialog = page.getByRole("dialog", { name: "Tidy the words" });
  await expect(dialog.getByText(`It becomes: ${name} enamel`)).toBeVisible();
  await dialog.getByRole("button", { name: `said before: ${name.toLowerCase()} goes` }).click();
  await expect(dialog.getByText(`It becomes: ${name} enamel ${name.toLowerCase()}`)).toBeVisible();
  await dialog.getByRole("button", { name: "Tidy", exact: true }).click();
  await expect(page.getByLabel("Title", { exact: true })).toHaveValue(`${name} enamel ${name.toLowerCase()}`);
  await expect.poll(async () => (await draft(page, id)).title).toBe(`${name} enamel ${name.toLowerCase()}`);
  await page.keyboard.press("Control+z");
  await expect(page.getByLabel("Title", { exact: true })).toHaveValue(/HOT SALE/);
  await page.keyboard.press("Control+Shift+z");
  await expect(page.getByLabel("Title", { exact: true })).toHaveValue(`${name} enamel ${name.toLowerCase()}`);
  await page.keyboard.press("h");
  const history = page.getByRole("dialog", { name: "History" });
  await expect(history.getByText("Ines").first()).toBeVisible();
  await expect(history.getByText(/took back/).first()).toBeVisible();
  await history.getByRole("button", { name: "title", exact: true }).click();
  await expect.poll(async () => (await draft(page, id)).title).not.toContain("idymug enamel");
});

test("drafts are laid into trays by key and by drag, and what is put aside is out of sight", async ({ page }) => {
  const name = named("Traymug");
  const tray = named("Spring list");
  await takeFresh(page, 3, name);
  await open(page, name);
  await page.keyboard.press("v");
  const dialog = page.getByRole("dialog", { name: "Move 1 draft to a tray" });
  await dialog.getByLabel("A new tray").fill(tray);
  await dialog.getByRole("button", { name: "Make it and move" }).click();
  await page.getByText(`1 draft is in ${tray} now.`).waitFor();
  const strip = page.getByRole("button", { name: new RegExp(`^${tray} \\d+ drafts in this tray`) });
  await rowsOf(page.getByRole("grid", { name: "Drafts" }))
    .nth(1)
    .dragTo(strip);
  await expect(page.getByRole("button", { name: `${tray} 2 drafts in this tray` })).toBeVisible();
  await strip.click();
  await expect(page).toHaveURL(/tray=\d+/);
  await expect(page.getByText("2 drafts", { exact: true })).toBeVisible();
  await page.getByRole("button", { name: "Trays…" }).click();
  await page.getByRole("dialog", { name: "Trays" }).getByLabel("put aside").last().check();
  await page.keyboard.press("Escape");
  await open(page, name);
  await expect(page.getByText("1 draft", { exact: true })).toBeVisible();
  await expect(page.getByText("2 more put aside")).toBeVisible();
});

/** ofTwoOptions takes an offer whose variants have two options, and shows the draft of it. */
async function ofTwoOptions(page: Page): Promise<Draft> {
  for (const offer of await fresh(page, 40)) {
    const taken = await api<{ taken: { draft_id: number }[] }>(page, "POST", "/api/drafts/take", {
      offers: [offer.id],
    });
    const d = await draft(page, taken.taken[0]?.draft_id ?? 0);
    const [a, b] = d.options.map((o) => o.values.length);
    if (a && b && a > 1 && b > 1 && d.variants.length === a * b && d.variants.every((v) => v.ladder)) {
      await page.goto(`/workbench/${d.id}`);
      await page.getByLabel("Title", { exact: true }).waitFor();
      return d;
    }
  }
  throw new Error("no offer has two options");
}

test("the grid of variants is a spreadsheet, and options are reshaped in view", async ({ page }) => {
  const d = await ofTwoOptions(page);
  await page.getByRole("button", { name: "Columns" }).click();
  await page.getByLabel("SKU", { exact: true }).check();
  await page.keyboard.press("Escape");
  const skus = page.getByLabel(/^SKU of/);
  const skusNow = async () => (await draft(page, d.id)).variants.map((v) => v.sku);
  await skus.first().focus();
  await page.keyboard.type(`E${d.id}-A`);
  await page.keyboard.press("Enter");
  await expect(skus.nth(1)).toBeFocused();
  // A block of two columns from a spreadsheet.
  await page.evaluate((id) => {
    const data = new DataTransfer();
    data.setData("text", `E${id}-B\t41.50\nE${id}-C\t42,50\n`);
    document.activeElement?.dispatchEvent(new ClipboardEvent("paste", { clipboardData: data, bubbles: true }));
  }, d.id);
  await expect.poll(skusNow).toEqual([`E${d.id}-A`, `E${d.id}-B`, `E${d.id}-C`, ...d.variants.slice(3).map(() => "")]);
  await expect.poll(async () => (await draft(page, d.id)).variants[2]?.ladder.price.value).toBe("42.50");
  // Filled down over a block of prices.
  const prices = page.getByLabel(/^Price of/);
  await prices.nth(1).focus();
  await page.keyboard.press("Shift+ArrowDown");
  await page.keyboard.press("Shift+ArrowDown");
  await page.keyboard.press("Control+d");
  await expect.poll(async () => (await draft(page, d.id)).variants[3]?.ladder.price.value).toBe("41.50");
  await page.keyboard.press("Escape");
  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await draft(page, d.id)).variants[2]?.ladder.price.value).toBe("42.50");

  await page.getByRole("button", { name: "Options…" }).click();
  const second = d.options[1]?.name ?? "";
  await page.getByRole("region", { name: second }).getByRole("button", { name: "Drop option" }).click();
  const alike = page.getByRole("dialog", { name: `Drop ${second}: which variants stay?` });
  await alike.getByLabel("The cheapest").check();
  await alike.getByRole("button", { name: /^Keep \d+ variants/ }).click();
  await expect(alike).toBeHidden();
  await page.keyboard.press("Escape");
  const colours = d.options[0]?.values.length ?? 0;
  await expect(page.getByText(`${colours} of ${colours} chosen`)).toBeVisible();
  expect((await draft(page, d.id)).dropped).toHaveLength(d.variants.length - colours);
  await page.keyboard.press("Control+z");
  await expect(page.getByText(`${d.variants.length} of ${d.variants.length} chosen`)).toBeVisible();

  await page.getByRole("button", { name: "Options…" }).click();
  await page
    .getByRole("region", { name: d.options[0]?.name ?? "" })
    .getByRole("button", { name: "A draft for each value" })
    .click();
  await page.getByText(`There are ${colours} drafts now.`).waitFor();
  await page.getByRole("button", { name: "Undo", exact: true }).click();
  await expect(page.getByText(`${d.variants.length} of ${d.variants.length} chosen`)).toBeVisible();
});

test("many drafts are edited as one table, by keys and by a pasted block, and as a file", async ({ page }) => {
  const name = named("Tablemug");
  await takeFresh(page, 6, name);
  await open(page, name);
  await page.keyboard.press("o");
  const table = page.getByRole("grid", { name: "Drafts" });
  await expect(rowsOf(table)).toHaveCount(6);
  await table.getByLabel(`Type of ${name} 1`, { exact: true }).focus();
  await page.keyboard.type("Mug");
  await page.keyboard.press("Tab");
  await expect(table.getByLabel(`Collections of ${name} 1`, { exact: true })).toBeFocused();
  await page.evaluate(() => {
    const data = new DataTransfer();
    data.setData("text", Array.from({ length: 6 }, (_, i) => `Camp, Row ${i}\ttag ${i}`).join("\n"));
    document.activeElement?.dispatchEvent(new ClipboardEvent("paste", { clipboardData: data, bubbles: true }));
  });
  type Row = { title: string; type: string; collections: string[]; tags: string[] };
  const rows = async () =>
    (await api<{ drafts: Row[] }>(page, "GET", `/api/drafts?words=${name}&store=1`)).drafts.reverse();
  await expect.poll(async () => (await rows())[0]?.type).toBe("Mug");
  await expect.poll(async () => (await rows())[0]?.collections).toEqual(["Camp", "Row 0"]);
  await page.keyboard.press("Escape");
  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await rows())[0]?.collections).toEqual([]);

  await page.getByText("A row a variant").click();
  await table
    .getByLabel(/^Price of /)
    .first()
    .waitFor();
  await page.getByRole("button", { name: "File…" }).click();
  const dialog = page.getByRole("dialog", { name: "Drafts as a file" });
  const download = page.waitForEvent("download");
  await dialog.getByRole("link", { name: "Export CSV" }).click();
  const text = readFileSync(await (await download).path(), "utf8");
  await dialog.getByLabel("A file that was exported here, and changed").setInputFiles({
    name: "drafts.csv",
    mimeType: "text/csv",
    buffer: Buffer.from(text.replaceAll(`${name} 6`, `${name} 6 elsewhere`)),
  });
  await expect(dialog.getByText("1 cell of 1 draft would change.")).toBeVisible();
  await dialog.getByRole("button", { name: "Change 1 draft" }).click();
  await expect(table.getByLabel(new RegExp(`^Title of ${name} 6 elsewhere`)).first()).toBeVisible();
});

test("a session of twenty drafts, by keyboard alone", async ({ page }) => {
  const name = named("Keymug");
  await takeFresh(page, 20, name);
  await open(page, name);
  for (let i = 0; i < 20; i++) {
    await expect(pointed(page)).toHaveAttribute("aria-rowindex", String(i + 1));
    await expect(page.getByLabel("Title", { exact: true })).toHaveValue(`${name} ${20 - i}`);
    await page.keyboard.press("1");
    await page.keyboard.press("Control+a");
    await page.keyboard.type(`${name} renamed ${i}`);
    await page.keyboard.press("Enter");
    await page.keyboard.press("4");
    await page.keyboard.type(`${30 + i}.75`);
    await page.keyboard.press("Enter"); // to the next price, or out of the last
    if (await page.evaluate(() => document.activeElement?.tagName === "INPUT")) await page.keyboard.press("Escape");
    await expect.poll(() => page.evaluate(() => document.activeElement?.tagName)).not.toBe("INPUT");
    await page.keyboard.press("x");
    await page.keyboard.press("j");
  }
  await expect(page.getByText("20 selected", { exact: true })).toBeVisible();
  await page.keyboard.press("b");
  await page.getByRole("dialog").getByLabel("Add to collections").waitFor();
  await page.keyboard.type("Keyed");
  await page.keyboard.press("Enter");
  await expect(page.getByText("20 would change")).toBeVisible();
  await page.keyboard.press("Enter");
  await page.getByText("20 drafts are changed.").waitFor();
  // The last titles are on their way still.
  const renamed = () =>
    api<{ drafts: { title: string; id: number }[]; total: number }>(
      page,
      "GET",
      `/api/drafts?words=${name}+renamed&collection=Keyed&store=1`,
    );
  await expect.poll(async () => (await renamed()).total).toBe(20);
  const found = await renamed();
  const last = await draft(page, found.drafts[0]?.id ?? 0);
  expect(last.title).toBe(`${name} renamed 0`);
  expect(last.variants.some((v) => v.ladder.price.value === "30.75")).toBe(true);
});

test("the Catalog is a wall of pictures with the same cursor, and all that match are taken", async ({ page }) => {
  await page.goto(`/catalog?words=${test.info().retry ? "kettle" : "lantern"}&days=30`);
  const offers = page.getByRole("grid", { name: "Offers" });
  await rowsOf(offers).nth(1).waitFor();
  const rows = await rowsOf(offers).count();
  await page.keyboard.press("w");
  await expect(offers.getByRole("gridcell").first()).toContainText("landed");
  expect(await rowsOf(offers).count()).toBeLessThan(rows);
  await page.keyboard.press("ArrowRight");
  await expect(pointed(offers)).toHaveAttribute("aria-colindex", "2");
  await expect(pointed(offers)).toBeFocused();
  await page.keyboard.press("x");
  await expect(page.getByText("1 selected")).toBeVisible();
  await page.keyboard.press("ArrowDown");
  await expect(pointed(offers)).toHaveAttribute("aria-colindex", "2");
  await page.keyboard.press("Escape");
  const before = (await api<{ total: number }>(page, "GET", "/api/drafts?store=1")).total;
  await page.getByRole("button", { name: /^Take all \d+$/ }).click();
  await page.getByText(/\d+ offers are in the Workbench\./).waitFor();
  expect((await api<{ total: number }>(page, "GET", "/api/drafts?store=1")).total).toBeGreaterThan(before + 1);
  await page.keyboard.press("Escape");
  await page.keyboard.press("w");
  await expect(rowsOf(offers).first()).toBeVisible();
});

test("the store page is shown with the variant that a customer chooses", async ({ page }) => {
  const d = await ofTwoOptions(page);
  await page.getByRole("button", { name: "Page", exact: true }).click();
  const shown = page.getByRole("dialog", { name: "As the store would show it" });
  const last = d.variants.at(-1);
  for (const value of last?.values ?? []) await shown.getByText(value, { exact: true }).click();
  await expect(shown).toContainText(last?.ladder.price.value ?? "none");
  await shown.getByLabel("Desk").check();
  await expect(shown.getByRole("radio", { name: last?.values[0] ?? "", exact: true })).toBeChecked();
});

test("another supplier's variants join a draft, each bought where it comes from, and leave it again", async ({
  page,
}) => {
  const [mug] = await fresh(page, 1, "enamel mug");
  const { taken } = await api<{ taken: { draft_id: number }[] }>(page, "POST", "/api/drafts/take", {
    offers: [mug?.id],
  });
  await page.goto(`/workbench/${taken[0]?.draft_id}`);
  const grid = page.getByRole("table", { name: "Variants", exact: true });
  const rows = grid.locator("tbody tr");
  await expect(rows.first()).toBeVisible();
  const own = await rows.count();
  await page.getByRole("button", { name: "Add a supplier…" }).click();
  await page.getByRole("list", { name: "Offers" }).getByRole("link").first().click();
  const theirs = page.getByRole("table", { name: "Variants of the other offer" }).locator("tbody tr");
  await expect(theirs.first()).toBeVisible();
  // An option that the other offer does not have is said, and until then nothing is added.
  await page
    .getByRole("combobox", { name: /is called there$/ })
    .first()
    .selectOption("none: say it here");
  await expect(page.getByRole("status").filter({ hasText: "Say which" })).toBeVisible();
  await expect(page.getByRole("button", { name: /^Add \d+ variant/ })).toBeDisabled();
  await page.getByRole("textbox", { name: "Name of the new option" }).fill("Finish");
  await page
    .getByRole("textbox", { name: /^What those added are in/ })
    .first()
    .fill("Harbour grey");
  await page
    .getByRole("textbox", { name: /^What the draft's own are in/ })
    .first()
    .fill("Plain");
  await expect(page.getByRole("button", { name: /^Add \d+ variant/ })).toBeEnabled();
  const added = await theirs.count();
  await page.keyboard.press("Control+Enter");
  await expect(rows).toHaveCount(own + added);
  await expect(grid.getByText("Harbour grey").first()).toBeVisible();
  await expect(grid.getByRole("columnheader", { name: "Supplier" })).toBeVisible();
  await page.getByRole("button", { name: "Undo", exact: true }).click();
  await expect(rows).toHaveCount(own);
});
