import { expect, type Locator, type Page, test } from "@playwright/test";
import { api, connectStore, nord, rowsOf, signIn, takeFresh } from "./world";

test.beforeEach(async ({ page }) => {
  await signIn(page);
  await connectStore(page);
});

test("a second store, in euros with tax in its prices", async ({ page }) => {
  const [id] = await takeFresh(page, 1, "Two stores");
  await connectStore(page, nord);
  const card = page.getByRole("article", { name: "Saltmarsh Nord" });
  for (const fact of ["EUR", "Europe/Stockholm", "Germany, Sweden, France"]) await expect(card).toContainText(fact);
  await expect(page.getByRole("button", { name: /Saltmarsh Nord · EUR/ })).toBeVisible();
  await page.goto("/markup");
  await expect(page.getByRole("button", { name: /^Tax/ })).toHaveText("with 19 % tax in them, as in Germany");
  // The tax has a line of its own, and the lines add up.
  await page.goto("/catalog?words=mug&days=16");
  await rowsOf(page).first().click();
  const earning = page.getByRole("region", { name: "What it would earn" });
  await expect(earning).toContainText("Sales tax in the price");
  await expect(earning).toContainText("of the price without tax");
  const euros = async (line: RegExp) =>
    Math.round(
      100 *
        Number(
          (await earning.locator("div").filter({ hasText: line }).last().textContent())?.match(
            /€([\d.]+)(?:, how .*)?$/,
          )?.[1],
        ),
    );
  expect(await euros(/^Price by your markup/)).toBe(
    (await euros(/^Landed cost/)) +
      (await euros(/^Sales tax/)) +
      (await euros(/^Fees and/)) +
      (await euros(/^Profit(?! at)/)),
  );
  await page.goto(`/workbench/${id}`);
  await expect(page.getByRole("columnheader", { name: "Price, EUR" })).toBeVisible();
  await expect(page.getByRole("region", { name: "Before publishing" })).toContainText("€");
  await page
    .getByRole("button", { name: /how the price of/ })
    .first()
    .click();
  await expect(page.getByRole("dialog")).toContainText("with 19 % tax");
  await page.keyboard.press("Escape");
  const price = page.getByLabel(/^Price of /).first();
  await price.fill("77.00");
  await price.press("Enter");
  await expect(page.getByRole("button", { name: /use the rule’s$/ })).toBeVisible();

  await page.getByRole("button", { name: /Saltmarsh Nord · EUR/ }).click();
  await page.getByRole("menuitem", { name: /Saltmarsh Goods · USD/ }).click();
  await expect(page.getByRole("columnheader", { name: "Price, USD" })).toBeVisible();
  // Typed for the other store only
  await expect(page.getByRole("button", { name: /use the rule’s$/ })).toHaveCount(0);
});

test("two people on one draft: the second is told, nothing is overwritten", async ({ page, browser }) => {
  const [id] = await takeFresh(page, 1, "Shared");
  const other = await (await browser.newContext()).newPage();
  await signIn(other, "tomas@saltmarsh.example", "balcony-garden");
  await other.goto(`/workbench/${id}`);
  await page.goto(`/workbench/${id}`);
  const [mine, theirs] = [page, other].map((p) => p.getByLabel("Title", { exact: true })) as [Locator, Locator];
  await expect(theirs).toHaveValue("Shared 1");
  await mine.waitFor();
  await theirs.focus();
  await expect(page.getByText("Tomás is here, in Title").or(page.getByText("Tomas is here, in Title"))).toBeVisible();
  await theirs.blur();
  await mine.fill("Ines was first");
  await mine.press("Enter");
  // Heard of within a second, without a word about it, where nobody types.
  await expect(theirs).toHaveValue("Ines was first", { timeout: 1500 });
  await expect(other.getByRole("button", { name: /^Undo/ })).toHaveCount(0); // it is hers
  // Who was typing meanwhile sees both, and chooses.
  await theirs.pressSequentially(" and Tomas");
  await mine.fill("Ines again");
  await mine.press("Enter");
  await expect(page.getByRole("button", { name: "Undo title" })).toBeVisible();
  const choice = other.getByRole("alert").filter({ hasText: "could not be saved" });
  await expect(choice).toContainText("Ines's: “Ines again”");
  await expect(choice).toContainText("and Tomas");
  await choice.getByRole("button", { name: "Keep theirs" }).click();
  await expect(theirs).toHaveValue("Ines again");
  // Hers is undone though he changed it since only after she was asked.
  await theirs.fill("Tomas at last");
  await theirs.press("Enter");
  await expect(mine).toHaveValue("Tomas at last");
  await page.getByRole("button", { name: "Undo title" }).click();
  const asked = page.getByRole("dialog", { name: "Undo yours all the same?" });
  await expect(asked).toContainText("changed the title after you did");
  await asked.getByRole("button", { name: "Undo mine" }).click();
  await expect(theirs).toHaveValue("Ines was first");
  await other.context().close();
});

/** random gives the numbers of a seed, each from 0 to 1: the mulberry32 generator. */
function random(seed: number) {
  let state = seed;
  return () => {
    state = (state + 0x6d2b79f5) | 0;
    let t = Math.imul(state ^ (state >>> 15), 1 | state);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}

test("two people change one draft at random, and both screens end alike", async ({ page, browser }) => {
  test.setTimeout(150_000);
  const seed = Number(process.env.TWO_SEED ?? Date.now() % 1_000_000);
  console.log(`TWO_SEED=${seed}`);
  let id = 0;
  for (const draft of await takeFresh(page, 8, "Random")) {
    const { variants } = await api<{ variants: unknown[] }>(page, "GET", `/api/drafts/${draft}?store=1`);
    if (variants.length >= 3) id = draft;
  }
  expect(id).toBeGreaterThan(0);
  const other = await (await browser.newContext()).newPage();
  await signIn(other, "tomas@saltmarsh.example", "balcony-garden");
  const people = [page, other];
  for (const p of people) {
    await p.goto(`/workbench/${id}`);
    await p
      .getByLabel(/^Price of /)
      .first()
      .waitFor();
  }
  const settle = async (p: Page, roll: () => number) => {
    const asked = p.getByRole("dialog", { name: "Undo yours all the same?" });
    if (await asked.isVisible())
      await asked.getByRole("button", { name: roll() < 0.5 ? "Undo mine" : "Cancel" }).click();
    const choice = p
      .getByRole("alert")
      .getByRole("button", { name: roll() < 0.5 ? /^(Use|Save) mine/ : /^(Keep|Discard)/ });
    if (await choice.first().isVisible()) await choice.first().click();
  };
  const acts = async (p: Page, who: string, roll: () => number) => {
    const field = async (name: string | RegExp, text: string, nth = 0) => {
      const input = p.getByLabel(name, typeof name === "string" ? { exact: true } : {}).nth(nth);
      await input.fill(text);
      await input.press("Enter");
    };
    for (let i = 0; i < 10; i++) {
      const n = Math.floor(roll() * 3);
      const what = Math.floor(roll() * 6);
      if (what === 0) await field("Title", `${who} says ${i}`);
      else if (what === 1) await field("Type", `${who}'s type ${i}`);
      else if (what === 2) await field(/^Price of /, `${20 + i}.5${n}`, n);
      else if (what === 3) await field(/^Price of /, "", n);
      else if (what === 4) await p.getByRole("checkbox", { name: /^Sell/ }).nth(n).click();
      else if (await p.getByRole("button", { name: /^Undo/ }).first().isVisible())
        await p
          .getByRole("button", { name: /^Undo/ })
          .first()
          .click({ timeout: 2000 })
          .catch(() => undefined);
      await p.waitForTimeout(roll() * 300);
      await settle(p, roll);
    }
  };
  await Promise.all([acts(page, "Ines", random(seed)), acts(other, "Tomas", random(seed + 1))]);
  // Everybody lets go of what they are in, chooses where they are asked, and waits until nothing is left to save.
  const roll = random(seed + 2);
  await expect
    .poll(
      async () => {
        let open = 0;
        for (const p of people) {
          await p.locator("body").press("Escape");
          await settle(p, roll);
          open += await p.getByRole("alert").getByRole("button").count();
          open += await p.getByText("Saving…").count();
        }
        return open;
      },
      { timeout: 40_000 },
    )
    .toBe(0);
  const shown = async (p: Page) => ({
    title: await p.getByLabel("Title", { exact: true }).inputValue(),
    type: await p.getByLabel("Type", { exact: true }).inputValue(),
    prices: await p.getByLabel(/^Price of /).evaluateAll((all) => all.map((e) => (e as HTMLInputElement).value)),
    sold: await p
      .getByRole("checkbox", { name: /^Sell/ })
      .evaluateAll((all) => all.map((e) => (e as HTMLInputElement).checked)),
  });
  type Stored = {
    title: string;
    type: string;
    variants: { chosen: boolean; ladder: { price: { value: string } } | null }[];
  };
  await expect
    .poll(async () => {
      const stored = await api<Stored>(page, "GET", `/api/drafts/${id}?store=1`);
      const kept = {
        title: stored.title,
        type: stored.type,
        prices: stored.variants.map((v) => v.ladder?.price.value ?? ""),
        sold: stored.variants.map((v) => v.chosen),
      };
      const [a, b] = [await shown(page), await shown(other)].map((s) => JSON.stringify(s));
      return a === b && a === JSON.stringify(kept) ? "alike" : `${a}\n${b}\n${JSON.stringify(kept)}`;
    })
    .toBe("alike");
  await other.context().close();
});

test("a column of prices is pasted, and undone as one step", async ({ page }) => {
  const [id] = await takeFresh(page, 1, "Pasted");
  const draft = await api<{ variants: unknown[] }>(page, "GET", `/api/drafts/${id}?store=1`);
  await page.goto(`/workbench/${id}`);
  const prices = page.getByLabel(/^Price of /);
  await expect(prices.first()).toBeVisible();
  const before = await prices.first().inputValue();
  const column = draft.variants.map((_, i) => `${50 + i},25`).join("\n");
  await prices.first().focus();
  await page.evaluate((text) => {
    const data = new DataTransfer();
    data.setData("text", `${text}\n`);
    document.activeElement?.dispatchEvent(
      new ClipboardEvent("paste", { clipboardData: data, bubbles: true, cancelable: true }),
    );
  }, column);
  if (draft.variants.length > 1) {
    await expect(prices.nth(1)).toHaveValue("51.25");
    await page.getByRole("button", { name: "Undo price" }).click();
    await expect(prices.first()).toHaveValue(before);
    await expect(page.getByRole("button", { name: /use the rule’s$/ })).toHaveCount(0);
  }
});

test("a shared address comes to the same sight", async ({ page, browser }) => {
  await page.goto("/catalog?words=kettle&days=16&sort=profit");
  await expect(rowsOf(page).nth(2)).toBeVisible();
  await page.keyboard.press("j");
  await page.keyboard.press("j");
  await expect(page).toHaveURL(/offer=\d+/);
  const title = await rowsOf(page).nth(2).locator("[title]").first().getAttribute("title");
  await expect(page.getByRole("region", { name: "Offer", exact: true }).getByRole("heading", { level: 2 })).toHaveText(
    title ?? "",
  );
  const other = await (await browser.newContext()).newPage();
  await signIn(other, "wanda@saltmarsh.example", "rain-and-bicycle");
  await other.goto(page.url());
  await expect(other.getByRole("region", { name: "Offer", exact: true }).getByRole("heading", { level: 2 })).toHaveText(
    title ?? "",
  );
  await other.context().close();
});

test("a token is shown once, works in a script, and is revoked", async ({ page, playwright, baseURL }) => {
  await page.goto("/members");
  await page.getByLabel("What it is for").fill("Nightly list");
  await page.getByRole("button", { name: "Make a token" }).click();
  const secret = (await page.locator("code").textContent()) ?? "";
  expect(secret).toMatch(/^pel_/);
  const script = await playwright.request.newContext({
    baseURL: baseURL ?? "",
    extraHTTPHeaders: { Authorization: `Bearer ${secret}` },
  });
  expect((await script.get("/api/offers?limit=1")).status()).toBe(200);
  await page.reload();
  await expect(page.getByText("Nightly list")).toBeVisible();
  await expect(page.getByText(secret)).toHaveCount(0);
  await page.getByRole("button", { name: "Revoke Nightly list" }).click();
  await expect(page.getByText("The token no longer works.")).toBeVisible();
  expect((await script.get("/api/offers?limit=1")).status()).toBe(401);
});

test("signing out leaves nothing behind", async ({ page }) => {
  await page.goto("/catalog");
  await page.getByRole("button", { name: /Saltmarsh .* · (USD|EUR)/ }).click();
  await page.getByRole("menuitem", { name: /^Sign out/ }).click();
  await expect(page.getByRole("button", { name: "Sign in" })).toBeVisible();
  await page.goto("/workbench");
  await expect(page.getByRole("button", { name: "Sign in" })).toBeVisible();
  await page.getByLabel("Mail address").fill("ines@saltmarsh.example");
  await page.getByLabel("Password").fill("wrong password");
  await page.getByRole("button", { name: "Sign in" }).click();
  await expect(page.getByRole("alert")).toContainText("do not belong together");
});
