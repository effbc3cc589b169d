import { readFileSync } from "node:fs";
import { expect, type Page, test } from "@playwright/test";
import { api, connectStore, signIn } from "./world";

type Rules = {
  revision: number;
  rules: { id: number; formula: { kind: string; bands: { ratio: string }[] } }[];
  [part: string]: unknown;
};
type Draft = { id: number; variants: { manual: boolean; ladder: { price: { value: string } } | null }[] };

const at = "/api/stores/1/money-rules";

/** begin signs in, with drafts in the Workbench and one plain rule in force. */
async function begin(page: Page): Promise<number[]> {
  await signIn(page);
  await connectStore(page);
  const found = await api<{ offers: { id: number }[] }>(
    page,
    "GET",
    "/api/offers?store=1&words=enamel&stock=20&days=16&limit=6",
  );
  await api(page, "POST", "/api/drafts/take", { offers: found.offers.map((o) => o.id), again: false });
  await plainly(page);
  const { drafts } = await api<{ drafts: { id: number }[] }>(page, "GET", "/api/drafts?store=1");
  for (const d of drafts)
    await api(page, "POST", "/api/drafts/prices", {
      store: 1,
      drafts: [d.id],
      act: "release",
      end: false,
      apply: true,
    });
  return drafts.map((d) => d.id);
}

/** plainly puts one rule in force, twice what an item lands for. */
async function plainly(page: Page, change: Record<string, unknown> = {}) {
  const { revision, what, changed_by, changed_at, $schema, ...rules } = await api<Rules>(page, "GET", at);
  const last = rules.rules.at(-1);
  if (last)
    last.formula = {
      kind: "multiple",
      basis: "landed",
      bands: [{ from: { value: "0", currency: "USD" }, ratio: "2" }],
    } as never;
  await api(page, "PUT", at, {
    rules: {
      ...rules,
      rules: [last],
      imports: [],
      rates: { max_age_days: 4, manual: [] },
      delivery: { way: "cheapest", otherwise: "any_fastest" },
      ...change,
    },
    revision,
  });
  await settled(page);
}

/** settled waits until no repricing is under way. */
async function settled(page: Page) {
  await expect(async () =>
    expect((await api<{ repricing: number }>(page, "GET", "/api/header?store=1")).repricing).toBe(0),
  ).toPass();
}

const standing = (page: Page) => expect(page.getByRole("heading", { name: "How prices stand" })).toBeVisible();

test("a rule is written as a sentence, seen, applied to what is selected, and taken back", async ({ page }) => {
  await begin(page);
  await page.goto("/markup");
  await standing(page);
  await page.getByRole("button", { name: "Add a rule" }).click();
  await page.getByRole("button", { name: /^Another condition, rule 1/ }).click();
  await page.getByText("category", { exact: false }).first().click();
  await page.getByLabel("Find a category").fill("camp");
  await page.keyboard.press("Enter");
  await page.getByRole("button", { name: /^Formula, rule 1/ }).click();
  await page.getByRole("button", { name: "Other numbers above a cost" }).click();
  await page.getByLabel("Band 2 from").fill("12");
  await page.getByLabel("Band 1 times").fill("3");
  await page.getByLabel("Band 2 times").fill("2.6");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("button", { name: /^Formula, rule 1/ })).toHaveText(
    "under $12.00: 3 × landed; from $12.00: 2.6 × landed",
  );
  await page.getByRole("button", { name: /^Ceiling, rule 1/ }).click();
  await page.getByRole("textbox", { name: "The market" }).fill("3");
  await page.keyboard.press("Enter");
  await page.getByRole("button", { name: /cap, unless/ }).click();
  await page.keyboard.press("Escape");
  await page.getByRole("button", { name: /^Was price, rule 1/ }).click();
  await page.getByRole("textbox", { name: "The price and" }).fill("25");
  await page.keyboard.press("Enter");
  await page.keyboard.press("Escape");
  const effect = page.getByRole("region", { name: "Effect" });
  await expect(effect).toContainText("A rule added");
  await expect(effect.getByRole("row").nth(1)).toContainText("was $");
  await effect
    .getByRole("button", { name: /how the price of/ })
    .first()
    .click();
  await expect(page.getByRole("dialog", { name: "How this price came about" })).toContainText("× landed");
  await page.keyboard.press("Escape");
  await effect.getByRole("checkbox").nth(1).check();
  await page.getByRole("button", { name: "Only the 1 selected" }).click();
  await expect(page.getByText("Applied to 1 selected.")).toBeVisible();
  await settled(page);
  await expect(effect).toContainText("pinned to earlier rules");
  await page.getByRole("button", { name: /^Update \d+ pinned/ }).click();
  await expect(page.getByText("Applied. Drafts are being repriced")).toBeVisible();
  await standing(page);
  await expect(page.getByRole("region", { name: "Past changes" })).toContainText(
    "Every draft brought to the rules in force",
  );
  await page.getByRole("button", { name: "Undo this change" }).click();
  await expect(page.getByRole("region", { name: "Past changes" })).toContainText("Undone: Every draft brought");
});

test("rules are moved by drag, switched off, duplicated, and one that is never reached is pointed out", async ({
  page,
}) => {
  await begin(page);
  await page.goto("/markup");
  await standing(page);
  await page.getByRole("button", { name: "Add a rule" }).click();
  // The one at the end: the new rule holds for everything too
  await expect(page.getByText("never reached")).toHaveCount(1);
  await page.getByRole("button", { name: /^Another condition, rule 1/ }).click();
  await page.getByText("cost range").click();
  await page.getByLabel("to under").fill("9");
  await page.keyboard.press("Enter");
  await expect(page.getByText("never reached")).toHaveCount(0);
  await page.getByRole("button", { name: "What to do with rule 1" }).click();
  await page.getByRole("menuitem", { name: "Duplicate" }).click();
  await expect(page.getByText("never reached: rule 1 takes all of these")).toBeVisible();
  await page.getByRole("button", { name: /^Cost range, rule 2/ }).click();
  await page.getByLabel("to under").fill("20");
  await page.keyboard.press("Enter");
  await expect(page.getByText("never reached")).toHaveCount(0);
  const second = page.locator('[data-rule="1"] [aria-hidden=true]').first();
  const first = page.locator('[data-rule="0"] [aria-hidden=true]').first();
  await second.hover();
  await page.mouse.down();
  const box = await first.boundingBox();
  await page.mouse.move((box?.x ?? 0) + 10, (box?.y ?? 0) + 60, { steps: 5 });
  await page.mouse.move((box?.x ?? 0) + 10, (box?.y ?? 0) + 4, { steps: 10 });
  await page.mouse.up();
  await expect(page.getByRole("button", { name: /^Cost range, rule 1/ })).toHaveText("under $20.00");
  await expect(page.getByText("never reached: rule 1 takes all of these")).toBeVisible();
  await page.getByRole("button", { name: "What to do with rule 1" }).click();
  await page.getByRole("menuitem", { name: "Switch off" }).click();
  await expect(page.getByText("switched off")).toBeVisible();
  await expect(page.getByText("never reached")).toHaveCount(0);
  await page.getByRole("button", { name: "Discard the change" }).click();
  await page.getByRole("dialog").getByRole("button", { name: "Discard the change" }).click();
  await standing(page);
});

test("the second person sees the first one's change before theirs is applied", async ({ page, browser }) => {
  await begin(page);
  await page.goto("/markup");
  await standing(page);
  await page.getByRole("button", { name: /^Formula/ }).click();
  await page.getByRole("textbox", { name: "Multiple" }).fill("2.7");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("heading", { name: "If you apply this" })).toBeVisible();
  const other = await (await browser.newContext()).newPage();
  await signIn(other);
  await other.goto("/markup");
  await standing(other);
  await other.getByRole("button", { name: /^Promise/ }).click();
  await other.getByRole("textbox", { name: "Within" }).fill("21");
  await other.keyboard.press("Enter");
  await other.getByRole("button", { name: "Apply to all" }).click();
  await expect(other.getByText("Applied. Drafts")).toBeVisible();
  await expect(
    page.getByRole("status").filter({ hasText: "changed the money rules meanwhile: delivery" }),
  ).toBeVisible();
  await expect(page.getByRole("button", { name: /^Formula/ })).toHaveText("2.7 × landed");
  await expect(page.getByRole("button", { name: /^Promise/ })).toHaveText("21 days");
  await expect(page.getByText("working it out…")).toHaveCount(0); // the effect on top of theirs
  await page.getByRole("button", { name: "Apply to all" }).click();
  await expect(page.getByText("Applied. Drafts")).toBeVisible();
  const now = await api<Rules>(page, "GET", at);
  expect([now.promise_days, now.rules[0]?.formula.bands[0]?.ratio]).toEqual([21, "2.7"]);
  await other.context().close();
});

test("fees and tax, import charges, a typed rate and the delivery are words too", async ({ page }) => {
  await begin(page);
  await page.goto("/markup");
  await standing(page);
  const effect = page.getByRole("region", { name: "Effect" });
  await page.getByRole("button", { name: /^Payment fee/ }).click();
  await page.getByRole("textbox", { name: "Percent" }).fill("60");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("region", { name: "Fees and tax of this store" }).getByRole("alert")).toContainText(
    "from 0 to 50 %",
  );
  await page.evaluate(() => (document.activeElement as HTMLElement).blur());
  await page.keyboard.press("Control+z");
  await standing(page);
  await page.getByRole("button", { name: "Add charges between two countries" }).click();
  await page.getByRole("button", { name: /^Import 1 charges/ }).click();
  await page.getByRole("textbox", { name: "Duty", exact: true }).fill("10");
  await page.getByRole("textbox", { name: "Import tax" }).fill("5,5");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("button", { name: /^Import 1 charges/ })).toHaveText("10 % duty and 5.5 % tax");
  await expect(effect).toContainText("Import charges");
  await page.getByRole("button", { name: /^Rate of CNY/ }).click();
  await page.getByRole("textbox", { name: "Manual rate" }).fill("0.2");
  await page.keyboard.press("Enter");
  await page.getByRole("button", { name: /^Delivery/ }).click();
  await page.getByRole("button", { name: "the fastest, whatever it costs" }).click();
  await expect(effect).toContainText("Import charges, exchange rates, delivery");
  await page.getByRole("button", { name: "Apply to all" }).click();
  await expect(page.getByText("Applied. Drafts")).toBeVisible();
  await settled(page);
  await expect(page.getByRole("region", { name: "Exchange rates" })).toContainText("set by Ines");
  await page.goto("/workbench");
  await page
    .getByRole("button", { name: /how the price of/ })
    .first()
    .click();
  const trace = page.getByRole("dialog", { name: "How this price came about" });
  await expect(trace).toContainText("10 % duty on");
  await plainly(page);
});

test("what if: nothing is kept until it is asked for", async ({ page }) => {
  const before = (await begin(page)).length;
  await page.goto("/catalog?words=lantern&stock=20&days=16");
  const what = page.getByRole("region", { name: "What if" });
  await expect(what).toBeVisible();
  await what.getByLabel("Price").last().fill("3");
  await page.keyboard.press("Enter");
  await expect(what).toContainText("Under the floor of its rule: each sale loses");
  await what.getByLabel("Markup").fill("150");
  await page.keyboard.press("Enter");
  await expect(what).toContainText("Break-even return on ad spend");
  await what.getByLabel("Supposed price").focus();
  await page.keyboard.press("ArrowRight");
  await expect(what).toContainText("Against other stores");
  expect((await api<{ total: number }>(page, "GET", "/api/drafts?store=1")).total).toBe(before);
  await what.getByRole("button", { name: /^Take at/ }).click();
  await expect(
    page.getByText(/is in the Workbench; \d+ of \d+ variants/).or(page.getByText("It is in the Workbench already")),
  ).toBeVisible();
});

test("many prices at once, and back as one step", async ({ page }) => {
  const ids = await begin(page);
  await page.goto("/workbench");
  await page.getByLabel("Select all drafts").check();
  await page.getByRole("button", { name: /^Change prices of/ }).click();
  const dialog = page.getByRole("dialog");
  await dialog.getByLabel(/^Percent/).fill("-10");
  await expect(dialog).toContainText("0 rise,");
  await dialog.getByRole("button", { name: /^Set \d+ prices/ }).click();
  await expect(page.getByText(/prices moved\./)).toBeVisible();
  const typed = async () =>
    (await api<Draft>(page, "GET", `/api/drafts/${ids[0]}?store=1`)).variants.filter((v) => v.manual).length;
  expect(await typed()).toBeGreaterThan(0);
  await page.getByRole("button", { name: "Undo", exact: true }).click();
  await expect(page.getByText(/drafts are back/)).toBeVisible();
  expect(await typed()).toBe(0);
});

test("money rules by keyboard alone", async ({ page }) => {
  await begin(page);
  await page.goto("/catalog");
  await page.getByRole("navigation", { name: "Stations" }).waitFor();
  const press = async (...keys: string[]) => {
    for (const key of keys) await page.keyboard.press(key);
  };
  await page.evaluate(() => (document.activeElement as HTMLElement).blur());
  await press("g", "m");
  await standing(page);
  await press("n");
  await expect(page.locator('[data-rule="0"].border-beak')).toBeVisible();
  await press("Enter");
  await expect(page.getByRole("button", { name: /^Another condition, rule 1/ })).toBeFocused();
  await press("Tab", "Enter");
  await expect(page.getByRole("dialog", { name: /^Formula, rule 1/ })).toBeVisible();
  await page.keyboard.type("a margin");
  await press("Tab"); // from the choice of formulas to its number
  await expect(page.getByRole("textbox", { name: "Percent" })).toBeFocused();
  await page.keyboard.type("45");
  await press("Enter");
  await expect(page.getByRole("button", { name: /^Formula, rule 1/ })).toHaveText("a margin of 45 %");
  await press("Escape"); // asks, and drops it all
  await expect(page.getByRole("button", { name: "Discard the change", exact: true }).last()).toBeFocused();
  await press("Enter");
  await standing(page);
  await press("Control+z"); // and back
  await expect(page.getByRole("button", { name: /^Formula, rule 1/ })).toHaveText("a margin of 45 %");
  await page.evaluate(() => (document.activeElement as HTMLElement).blur());
  await press("k", "d", "Alt+ArrowUp", "o");
  await expect(page.getByText("switched off")).toBeVisible();
  await press("Delete"); // asks
  await expect(
    page.getByRole("dialog", { name: "Remove rule 1?" }).getByRole("button", { name: "Remove" }),
  ).toBeFocused();
  await expect(page.getByText("switched off")).toBeVisible();
  await press("Enter");
  await expect(page.getByText("switched off")).toHaveCount(0);
  await expect(page.getByRole("heading", { name: "If you apply this" })).toBeVisible();
  await page.waitForTimeout(600);
  await press("a"); // asks, since it changes all prices
  await expect(page.getByRole("dialog").getByRole("button", { name: "Apply", exact: true })).toBeFocused();
  await press("Enter");
  await expect(page.getByText("Applied. Drafts")).toBeVisible();
  await plainly(page);
});

test("money rules go out as a file, and one that was changed is seen before it is applied", async ({ page }) => {
  await signIn(page);
  await connectStore(page);
  await page.goto("/markup");
  const download = page.waitForEvent("download");
  await page.getByRole("button", { name: "Export rules" }).click();
  const text = readFileSync(await (await download).path(), "utf8");
  const file = page.getByLabel("A file of money rules");
  const read = (content: string) =>
    file.setInputFiles({ name: "rules.json", mimeType: "application/json", buffer: Buffer.from(content) });
  for (const [content, reason] of [
    ["{", "is not JSON"],
    ["[]", "does not hold money rules"],
    [text.replace('"USD"', '"EUR"'), "Its amounts are in EUR"],
    [text.replace('"promise_days"', '"promise"'), "Something is missing"],
  ] as const) {
    await read(content);
    await expect(page.getByText(reason).first()).toBeVisible();
  }
  const changed = JSON.parse(text) as { rules: { promise_days: number } };
  changed.rules.promise_days += 3;
  await read(JSON.stringify(changed));
  await expect(page.getByRole("button", { name: "Discard the change" })).toBeVisible();
  await expect(page.getByRole("button", { name: `${changed.rules.promise_days} days` }).first()).toBeVisible();
  await page.getByRole("button", { name: "Discard the change" }).click();
  await page.getByRole("dialog").getByRole("button", { name: "Discard the change" }).click();
  await expect(page.getByRole("button", { name: "Discard the change" })).toHaveCount(0);
});
