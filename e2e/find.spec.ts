import { expect, type Page, test } from "@playwright/test";
import { api, bazaar, connectStore, misbehave, rowsOf, signIn } from "./world";

// Finding and judging: clauses and their counts, the seller's own standard, kept sentences, side by side, the same
// item elsewhere.

const total = async (page: Page) =>
  Number((await page.getByText(/offers in \d+ ms/).textContent())?.match(/([\d,]+) offers/)?.[1]?.replaceAll(",", ""));

test.beforeEach(async ({ page }) => {
  await signIn(page);
  await connectStore(page);
});

test("a further clause is chosen from the list, and leaves what its panel promised", async ({ page }) => {
  await page.goto("/catalog?words=mug");
  for (const [clause, choice] of [
    ["Demand", /^steady/],
    ["Returns|Return policy", /^(14|30) days or longer/],
    ["Shipping price", /^for \$10/],
  ] as const) {
    await page.getByRole("button", { name: /^Further clauses/ }).click();
    await page.getByRole("button", { name: new RegExp(`^(${clause})$`) }).click();
    const one = page.getByRole("dialog").getByRole("button", { name: choice }).first();
    const promised = Number((await one.textContent())?.match(/([\d,]+)$/)?.[1]?.replaceAll(",", ""));
    await one.click();
    await page.keyboard.press("Escape");
    await expect.poll(() => total(page)).toBe(promised);
  }
  await page.reload();
  await expect(page.getByRole("button", { name: /^Demand: steady/ })).toBeVisible();
  await expect(page.getByRole("button", { name: /^Shipping price: for \$10/ })).toBeVisible();
});

test("pictures that are slow to come leave room for answers, and come all the same", async ({ page }) => {
  // Those that the page waits for at once: a request that it has given up may go on a little.
  await page.addInitScript(() => {
    const seen = { asked: 0, most: 0 };
    Object.assign(window, { seen });
    new MutationObserver(() => {
      const loading = Array.from(document.images).filter(
        (i) => i.getAttribute("src")?.startsWith("/pictures/") && !i.complete,
      ).length;
      if (loading > 0) seen.asked++;
      seen.most = Math.max(seen.most, loading);
    }).observe(document, { subtree: true, childList: true, attributeFilter: ["src"] });
  });
  const seen = () => page.evaluate(() => (window as unknown as { seen: { asked: number; most: number } }).seen);
  await page.route(/\/pictures\//, async (route) => {
    await new Promise((resolve) => setTimeout(resolve, 500));
    await route.continue().catch(() => {}); // it may be out of sight by now
  });
  await page.goto("/catalog");
  await expect.poll(async () => (await seen()).asked).toBeGreaterThan(3);
  await page.getByLabel("Search", { exact: true }).pressSequentially("mug", { delay: 150 });
  await expect(page).toHaveURL(/words=mug/);
  const rows = rowsOf(page.getByRole("grid", { name: "Offers" }));
  await expect
    .poll(
      () =>
        rows.evaluateAll(
          (list) => list.length > 3 && list.every((row) => (row.querySelector("img")?.naturalWidth ?? 0) > 0),
        ),
      { timeout: 20_000 },
    )
    .toBe(true);
  expect((await seen()).most).toBe(3);
});

test("the address follows what is typed once typing rests, and nothing that is typed is lost", async ({ page }) => {
  await page.goto("/catalog");
  const words = page.getByLabel("Search", { exact: true });
  await expect(rowsOf(page).nth(2)).toBeVisible();
  // Slower than typing rests, and faster; some keys come just while the address is being written, on a machine so slow
  // that several addresses are under way at once.
  const browser = await page.context().newCDPSession(page);
  await words.pressSequentially("enamel", { delay: 20 });
  await browser.send("Emulation.setCPUThrottlingRate", { rate: 15 });
  await words.pressSequentially(" mug camp", { delay: 301 });
  await browser.send("Emulation.setCPUThrottlingRate", { rate: 1 });
  await words.pressSequentially(" green", { delay: 60 });
  await expect(words).toHaveValue("enamel mug camp green");
  await expect(page).toHaveURL(/words=enamel\+mug\+camp\+green/);
  await expect(words).toHaveValue("enamel mug camp green");

  // On leaving the field it follows at once, and a clause takes what is typed along.
  await words.fill("mug");
  await words.press("Escape");
  await expect(page).toHaveURL(/words=mug$/);
  await words.fill("kettle");
  await page.getByRole("button", { name: /^Sorted/ }).click();
  await page.getByRole("dialog").getByRole("button", { name: "most sold" }).click();
  await expect(page).toHaveURL(/words=kettle&sort=units/);
  await expect(page.getByText(/offers in \d+ ms/)).toBeVisible();

  // Who is quick loses nothing: the offer under the cursor joins what was typed.
  await words.fill("lamp");
  await words.press("Escape");
  await page.keyboard.press("j");
  await page.keyboard.press("j");
  await expect(page).toHaveURL(/words=lamp&sort=units&offer=\d+$/);
  await page.reload();
  await expect(words).toHaveValue("lamp");

  // Another hand's address counts at once: what was typed does not come back.
  await words.fill("lantern");
  await page.getByRole("link", { name: /^Workbench/ }).click();
  await page.getByRole("link", { name: /^Catalog/ }).click();
  await expect(words).toHaveValue("");
  await page.waitForTimeout(400); // longer than typing rests
  await expect(words).toHaveValue("");
  await page.goBack();
  await page.goBack();
  await expect(words).toHaveValue("lantern");
});

test("while one types, neither sheets nor pictures are asked for; then the first offer's comes", async ({ page }) => {
  const sheet = page.getByRole("region", { name: "Offer" });
  const words = page.getByLabel("Search", { exact: true });
  const asked: string[] = [];
  page.on("request", (r) => asked.push(new URL(r.url()).pathname));
  // A machine that is busy may pause between two keys, and a pause is the end of typing: then it is typed once more.
  await expect(async () => {
    await page.goto("/catalog?words=mug");
    await expect(sheet).toBeVisible();
    for (let before = -1; before !== asked.length; ) {
      before = asked.length;
      await page.waitForTimeout(1500); // its pictures have come where none was asked for meanwhile
    }
    asked.length = 0;
    await words.selectText();
    await words.pressSequentially("garden hose", { delay: 80 });
    expect(asked.filter((path) => path.startsWith("/pictures/") || /^\/api\/offers\/\d+/.test(path))).toEqual([]);
    expect(asked.filter((path) => path === "/api/offers").length).toBeGreaterThan(5);
  }).toPass({ timeout: 60_000 });
  await expect.poll(() => asked.some((path) => /^\/api\/offers\/\d+$/.test(path))).toBe(true);
  await expect.poll(() => asked.some((path) => path.startsWith("/pictures/"))).toBe(true);
});

test("the steps of a price open by keyboard, again and again, and give the keyboard back", async ({ page }) => {
  await page.goto("/catalog?words=mug");
  const price = page
    .getByRole("grid", { name: "Offers" })
    .getByRole("button", { name: /how the price of/ })
    .first();
  await expect(price).toHaveAttribute("aria-expanded", "false");
  for (let i = 0; i < 2; i++) {
    await price.focus();
    await page.keyboard.press("Enter");
    const steps = page.getByRole("dialog", { name: "How this price came about" });
    await expect(steps.getByText("Landed cost")).toBeVisible();
    await expect(price).toHaveAttribute("aria-expanded", "true");
    await page.keyboard.press("Escape");
    await expect(steps).toBeHidden();
    await expect(price).toBeFocused();
  }
});

test("a supplier is looked for in its panel by words, and a bound can be typed", async ({ page }) => {
  await page.goto("/catalog?supplier=Linden+Home");
  await page.getByRole("button", { name: /^Supplier/ }).click();
  await page.getByRole("textbox", { name: "Look for supplier" }).fill("kestrel");
  const kestrel = page
    .getByRole("dialog")
    .getByRole("button", { name: /^Kestrel/ })
    .first();
  await kestrel.click();
  await page.keyboard.press("Escape");
  await expect(page).toHaveURL(/supplier=Linden\+Home&supplier=Kestrel/);
  await page.getByRole("button", { name: /^Landed cost under/ }).click();
  await page.getByRole("textbox", { name: "Landed cost under" }).fill("nonsense");
  await page.getByRole("button", { name: "Set", exact: true }).click();
  await expect(page.getByText("“nonsense” is not a number.")).toBeVisible(); // and the panel stays, with what was typed
  await page.getByRole("button", { name: "any cost", exact: true }).click();
  await expect(page.getByText(/offers in \d+ ms/)).toBeVisible();
});

test("my standard hides what misses it, and says how many", async ({ page }) => {
  await page.goto("/catalog?words=kettle");
  await expect(page.getByText(/offers in \d+ ms/)).toBeVisible();
  const all = await total(page);
  await page.getByRole("checkbox", { name: "Hide what misses my standard" }).click();
  await expect(page.getByText(/hides \d+/)).toBeVisible();
  const hidden = Number((await page.getByText(/hides \d+/).textContent())?.match(/hides (\d+)/)?.[1]);
  await expect.poll(() => total(page)).toBe(all - hidden);
  await page.getByRole("button", { name: /^My standard/ }).click();
  await page.getByLabel("Days to the door, at most").fill("900");
  await page.getByRole("button", { name: "Set my standard" }).click();
  await expect(page.getByText("From 0, which is any, to 365")).toBeVisible();
  for (const [label, value] of [
    ["Days to the door, at most", "0"],
    ["Rating, at least", "0"],
    ["On time in percent, at least", "0"],
  ] as const)
    await page.getByLabel(label).fill(value);
  await page.getByRole("checkbox", { name: "Tracked delivery only" }).uncheck();
  await page.getByRole("button", { name: "Set my standard" }).click();
  await expect(page.getByText("hides 0")).toBeVisible();
  await expect.poll(() => total(page)).toBe(all);
  await api(page, "PUT", "/api/standard", { days: 16, tracked: true, rating: 43, on_time: 90 });
});

test("a search is saved, used again, deleted, and saved after all; its answer is a file", async ({ page }) => {
  await page.goto("/catalog?words=umbrella&days=16&sort=profit");
  await expect(page.getByText(/offers in \d+ ms/)).toBeVisible();
  const found = await total(page);
  await page.getByRole("button", { name: /^Saved searches/ }).click();
  await page.getByLabel("Save this search as").fill("Rain, soon");
  await page.getByRole("button", { name: "Save", exact: true }).click();
  await expect(page.getByText("Saved as “Rain, soon”.")).toBeVisible();
  await page.goto("/catalog");
  await page.getByRole("button", { name: /^Saved searches/ }).click();
  await page.getByRole("button", { name: /^Rain, soon/ }).click();
  await expect(page).toHaveURL(/words=umbrella&days=16&sort=profit/);
  await expect.poll(() => total(page)).toBe(found);
  await page.getByRole("button", { name: /^Saved searches/ }).click();
  await page.getByRole("button", { name: "Delete Rain, soon" }).click();
  await page.getByRole("button", { name: "Undo" }).click();
  await expect(page.getByText("Saved as “Rain, soon”.").last()).toBeVisible();
  const [file] = await Promise.all([
    page.waitForEvent("download"),
    page.getByRole("link", { name: "Export CSV" }).click(),
  ]);
  const rows = await (await file.createReadStream()).toArray();
  const lines = Buffer.concat(rows).toString("utf8").trim().split("\n");
  expect(lines.length).toBe(found + 1);
  expect(lines[0]).toContain("landed,price,tax in it,fees,profit");
});

test("side by side and the same item elsewhere, by keyboard alone", async ({ page }) => {
  await page.goto("/catalog?words=mug&days=16&sort=landed");
  await rowsOf(page.getByRole("grid", { name: "Offers" }))
    .nth(3)
    .waitFor();
  for (const key of ["x", "j", "x", "j", "x", "c"]) await page.keyboard.press(key);
  await expect(page.getByRole("heading", { name: "3 offers side by side" })).toBeVisible();
  await expect(page.getByRole("row", { name: /Landed cost \(they differ\)/ })).toContainText("$");
  await page.keyboard.press("Escape");
  await rowsOf(page.getByRole("grid", { name: "Offers" }))
    .first()
    .waitFor();
  // An item that several sell.
  let id = 0;
  for (let at = 1; at < 60 && !id; at++) {
    const found = await api<{ offers: { is_subject: boolean; strength: number }[] }>(
      page,
      "GET",
      `/api/offers/${at}/alternatives?store=1`,
    );
    if (found.offers.filter((o) => !o.is_subject && o.strength < 90).length > 1) id = at;
  }
  await page.goto(`/catalog?offer=${id}`);
  await page.getByRole("region", { name: "Offer", exact: true }).getByRole("heading").first().waitFor();
  await page.keyboard.press("e");
  await expect(page.getByRole("heading", { name: "Other suppliers of this item" })).toBeVisible();
  await expect(page.getByText("▲ unbeaten:")).toBeVisible();
  const rows = page.locator("tbody").first().locator("tr");
  await rows.nth(1).waitFor();
  const before = await rows.count();
  while ((await page.locator("tr[aria-selected=true]").textContent())?.includes("the one that was asked for"))
    await page.keyboard.press("j");
  await page.keyboard.press("n");
  await expect(page.getByText(/is not the same: remembered/)).toBeVisible();
  await expect(rows).toHaveCount(before - 1);
  await page.reload();
  await expect(page.getByRole("button", { name: "1 said not to be the same" })).toBeVisible();
  await page.getByRole("button", { name: "1 said not to be the same" }).click();
  await page.getByRole("button", { name: "Undo that" }).click();
  await expect(rows).toHaveCount(before);
  // And from a pasted link.
  const { page_url } = await api<{ page_url: string }>(page, "GET", `/api/offers/${id}`);
  await page.goto("/catalog");
  await page.getByLabel("Search", { exact: true }).fill(page_url);
  await expect(page).toHaveURL(/\/catalog\/alternatives\?link=/);
  await expect(page.getByText("the one that was asked for")).toBeVisible();
  await expect(rows).toHaveCount(before);
  await page.goto("/catalog");
  await page.getByLabel("Search", { exact: true }).fill("https://nowhere.example/x");
  await expect(page.getByText(/It cannot be looked for/)).toBeVisible();
});

/** several finds an offer whose item others sell too, and that nobody has taken. */
async function several(page: Page) {
  for (let id = 1; id < 80; id++) {
    const found = await api<{ offers: { is_subject: boolean; drafts: number[]; ladder: unknown }[] }>(
      page,
      "GET",
      `/api/offers/${id}/alternatives?store=1`,
    );
    const itself = found.offers.find((o) => o.is_subject);
    if (found.offers.length > 2 && itself?.ladder && found.offers.every((o) => o.drafts.length === 0)) return id;
  }
  throw new Error("no item is sold by several");
}

test("what a picture shows is found: chosen, pasted, or none at all", async ({ page }) => {
  const id = await several(page);
  const { title } = await api<{ title: string }>(page, "GET", `/api/offers/${id}?store=1`);
  const itself = page.getByRole("row").filter({ hasText: title }).filter({ hasText: "the same picture" });
  await api(page, "GET", `/api/offers/${id}/alternatives?store=1`); // its picture has been looked at from here on
  const picture = await (await page.request.get(`/pictures/${id}/0`)).body();
  await page.goto("/catalog");
  await page.getByRole("link", { name: "by link or picture" }).click();
  await page
    .getByLabel(/Drop a picture here/)
    .setInputFiles({ name: "seen.jpg", mimeType: "image/jpeg", buffer: picture });
  await expect(page.getByText("What the picture shows:")).toBeVisible();
  await expect(itself.first()).toBeVisible();
  await page.goto("/catalog");
  await page.getByRole("grid", { name: "Offers" }).waitFor();
  await page.evaluate(
    (bytes) => {
      const clipboard = new DataTransfer();
      clipboard.items.add(new File([new Uint8Array(bytes)], "pasted.jpg", { type: "image/jpeg" }));
      document.dispatchEvent(new ClipboardEvent("paste", { clipboardData: clipboard }));
    },
    [...picture],
  );
  await expect(itself.first()).toBeVisible();
  await expect(page.getByText("pasted.jpg")).toBeVisible();
  await page.goto("/catalog/alternatives");
  await page
    .getByLabel(/Drop a picture here/)
    .setInputFiles({ name: "page.png", mimeType: "image/png", buffer: Buffer.from("<html>") });
  await expect(page.getByText("It cannot be looked for: what is there is not a picture.")).toBeVisible();
});

test("the supplier of a draft is swapped by keys while pictures cannot be had, and swapped back", async ({ page }) => {
  const id = await several(page);
  const { taken } = await api<{ taken: { draft_id: number }[] }>(page, "POST", "/api/drafts/take", { offers: [id] });
  const draft = taken[0]?.draft_id;
  const before = await api<{ supplier: string; variants: { values: string[] }[] }>(
    page,
    "GET",
    `/api/drafts/${draft}?store=1`,
  );
  await misbehave(bazaar, { down: true });
  await page.goto(`/workbench/${draft}`);
  await page.getByRole("link", { name: "other suppliers" }).waitFor();
  await page.keyboard.press("e");
  await page.locator("tbody tr").nth(1).waitFor();
  while ((await page.locator("tr[aria-selected=true]").textContent())?.includes("the one that was asked for"))
    await page.keyboard.press("j");
  await page.keyboard.press("b");
  await expect(page.getByRole("heading", { name: /^Swap the supplier of/ })).toBeVisible();
  // The first variant is chosen by hand: the last of what there is.
  const first = page.getByLabel(`${before.variants[0]?.values.join(" ")} is bought as`);
  await first.focus();
  await page.keyboard.press("End");
  await expect(page.getByText("chosen by hand").first()).toBeVisible();
  await page.keyboard.press("Control+Enter");
  await expect(page.getByText(/^Bought from .+ now\.$/)).toBeVisible();
  await expect(page).toHaveURL(new RegExp(`/workbench/${draft}$`));
  const after = await api<{ supplier: string; undo: string }>(page, "GET", `/api/drafts/${draft}?store=1`);
  expect(after.supplier).not.toBe(before.supplier);
  expect(after.undo).toBe("supplier");
  await page.getByRole("button", { name: "Undo", exact: true }).click();
  await expect(page.getByText(`Bought from ${before.supplier} again.`)).toBeVisible();
  await misbehave(bazaar);
});

test("Back undoes a clause, and what was typed before it stays", async ({ page }) => {
  await page.goto("/catalog");
  await page.getByLabel("Search", { exact: true }).fill("mug");
  await page.getByRole("button", { name: /^Days to the door/ }).click();
  await page
    .getByRole("dialog")
    .getByRole("button", { name: /^• ?16 days|16 days/ })
    .click();
  await expect(page).toHaveURL(/days=16/);
  await page.getByRole("button", { name: /^Further clauses/ }).click();
  await page.getByRole("button", { name: "Margin", exact: true }).click();
  await page
    .getByRole("dialog")
    .getByRole("button", { name: /^of 20 % or more/ })
    .click();
  await expect(page).toHaveURL(/margin=20/);
  await page.goBack();
  await expect(page).not.toHaveURL(/margin/);
  await expect(page.getByRole("button", { name: "Days to the door: 16 days" })).toBeVisible();
  await page.goBack();
  await expect(page).not.toHaveURL(/days/);
  await expect(page.getByLabel("Search", { exact: true })).toHaveValue("mug");
});

test("an answer says which word emptied it, what it did not understand, and finds a variant by its colour", async ({
  page,
}) => {
  await page.goto("/catalog?words=the+mug+xylophone+*");
  await expect(page.getByText("not understood: *")).toBeVisible();
  await expect(page.getByText("without “the”")).toBeVisible();
  await expect(page.getByText("“xylophone” left nothing.")).toBeVisible();
  await page.getByRole("button", { name: /offers without it$/ }).click();
  await expect(page.getByLabel("Search", { exact: true })).toHaveValue("mug");
  await page.getByLabel("Search", { exact: true }).fill("plum mug");
  await expect(page.getByRole("grid", { name: "Offers" }).getByText(/^plum/).first()).toBeVisible();
  expect(await total(page)).toBeGreaterThan(0);
});

test("a synonym that the seller says is found, by keyboard alone", async ({ page }) => {
  await page.goto("/catalog?words=mug");
  await expect.poll(() => total(page)).toBeGreaterThan(0);
  const mugs = await total(page);
  await page.getByRole("button", { name: /^Synonyms/ }).focus();
  await page.keyboard.press("Enter");
  await page.getByLabel(/^Words that mean the same/).fill("beaker = mug\nalone");
  await page.getByRole("button", { name: "Save synonyms" }).press("Enter");
  await expect(page.getByRole("alert").filter({ hasText: "stands alone" })).toBeVisible();
  await page.getByLabel(/^Words that mean the same/).fill("beaker = mug");
  await page.getByRole("button", { name: "Save synonyms" }).press("Enter");
  await expect(page.getByText("The synonyms are saved.")).toBeVisible();
  await page.goto("/catalog?words=beaker");
  await expect.poll(() => total(page)).toBe(mugs);
  const { version } = await api<{ version: string }>(page, "GET", "/api/synonyms");
  await api(page, "PUT", "/api/synonyms", { groups: [], version });
});
