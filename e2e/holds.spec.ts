import { expect, test } from "@playwright/test";
import { api, connectStore, enter, nord, pointed, signIn, takeFresh } from "./world";

test.beforeEach(async ({ page }) => {
  await signIn(page);
  await connectStore(page);
});

test("row, sheet and keys mean the offer of the address; what is selected survives other views", async ({ page }) => {
  const found = await api<{ offers: { id: number; title: string }[] }>(
    page,
    "GET",
    "/api/offers?store=1&sort=units&offset=60&limit=5",
  );
  const wanted = found.offers[3] as { id: number; title: string };
  await page.goto(`/catalog?sort=units&offer=${wanted.id}`);
  const current = pointed(page);
  await expect(current).toContainText(wanted.title);
  await expect(page.getByRole("region", { name: "Offer", exact: true }).getByRole("heading").first()).toContainText(
    wanted.title.slice(0, 12),
  );
  await page.keyboard.press("x");
  await page.keyboard.press("j");
  await page.keyboard.press("x");
  await expect(page.getByText("2 selected")).toBeVisible();
  await page.keyboard.press("c");
  await expect(page).toHaveURL(/\/catalog\/compare\//);
  await page.goBack();
  await expect(page.getByText("2 selected")).toBeVisible();
  await page.keyboard.press("g");
  await page.keyboard.press("w");
  await expect(page).toHaveURL(/\/workbench/);
  await page.goBack();
  await expect(page.getByText("2 selected")).toBeVisible();
});

test("a dialog gives the keyboard back to what it was opened from", async ({ page }) => {
  await takeFresh(page, 1, "Focus");
  await page.goto("/workbench");
  const publish = page.getByRole("button", { name: /^Publish this/ });
  for (const close of ["Escape", "Cancel"]) {
    await publish.focus();
    await publish.press("Enter");
    await page.getByRole("dialog").waitFor();
    if (close === "Escape") await page.keyboard.press("Escape");
    else await page.getByRole("button", { name: "Cancel" }).click();
    await expect(publish).toBeFocused();
  }
});

test("the focus stays beside what is removed or disabled, and comes along into another view", async ({ page }) => {
  await takeFresh(page, 1, "Beside");
  for (const name of ["Here", "There", "Elsewhere"]) await api(page, "POST", "/api/trays", { name });
  await page.goto("/workbench");
  await page.getByRole("button", { name: "Trays…" }).click();
  const dialog = page.getByRole("dialog");
  await dialog.getByRole("button", { name: "Remove There" }).press("Enter");
  await expect(dialog.getByRole("button", { name: "Remove Elsewhere" })).toBeFocused();
  await dialog.getByRole("button", { name: "Move Elsewhere up" }).press("Enter"); // the first cannot go further
  await expect(dialog.getByRole("button", { name: "Move Elsewhere up" })).toBeDisabled();
  await expect(dialog.getByRole("button", { name: "Move Elsewhere down" })).toBeFocused();
  for (const name of ["Elsewhere", "Here"]) {
    await dialog.getByRole("button", { name: `Remove ${name}` }).press("Enter");
    await expect(dialog.getByRole("button", { name: `Remove ${name}` })).toHaveCount(0);
  }
  await expect(dialog.locator(":focus")).toHaveCount(1);
  await page.keyboard.press("Escape");
  await expect(dialog).toHaveCount(0);
  // A field that is left on purpose is left.
  await page.keyboard.press("1");
  await page.keyboard.type("Beside the focus");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("button", { name: /^Undo/ })).toBeVisible();
  await expect(page.locator("body")).toBeFocused();
  await page.keyboard.press("g");
  await page.keyboard.press("m");
  await expect(page.getByRole("heading", { name: /^Markup rules/ })).toBeVisible();
  await expect(page.locator("main")).toBeFocused();
  await page.keyboard.press("Tab");
  await expect(page.locator("main :focus")).toHaveCount(1);
});

test("a change of money rules waits until it is applied or discarded", async ({ page }) => {
  await page.goto("/markup");
  const promise = page.getByRole("button", { name: /^Promise/ });
  const before = (await promise.textContent()) as string;
  await promise.click();
  await page.getByLabel("Within").fill("11");
  await page.getByLabel("Within").press("Enter");
  await expect(promise).toHaveText("11 days");
  await page.keyboard.press("Escape"); // asks, and drops nothing by itself
  await page.getByRole("dialog", { name: "Discard the change?" }).getByRole("button", { name: "Cancel" }).click();
  await page.goto("/catalog");
  await page.goto("/markup");
  await expect(promise).toHaveText("11 days");
  await page.getByRole("button", { name: "Discard the change" }).click();
  await page.getByRole("dialog").getByRole("button", { name: "Discard the change" }).click();
  await expect(promise).toHaveText(before);
  await page.keyboard.press("ControlOrMeta+Z");
  await expect(promise).toHaveText("11 days");
  await page.keyboard.press("ControlOrMeta+Z");
  await page.evaluate(() => localStorage.removeItem("pelican.money-rules.1"));
});

test("numbers are read as people write them, and what is none is said", async ({ page }) => {
  await page.goto("/catalog");
  const under = page.getByRole("button", { name: /^Landed cost under/ });
  await under.click();
  await page.getByRole("textbox", { name: "Landed cost under" }).fill("nine");
  await page.getByRole("textbox", { name: "Landed cost under" }).press("Enter"); // what is wrong is heard then
  await expect(page.getByRole("dialog").getByRole("alert")).toContainText("is not a number");
  await page.getByRole("textbox", { name: "Landed cost under" }).fill("9,5");
  await page.getByRole("textbox", { name: "Landed cost under" }).press("Enter");
  await expect(under).toContainText("$9.50");
  await expect(page).toHaveURL(/under=9\.5/);
  await page.getByRole("button", { name: /^Further clauses/ }).click();
  await page.getByRole("button", { name: "Rating", exact: true }).click();
  await page.getByRole("textbox", { name: "Rating" }).fill("4.6");
  await page.getByRole("textbox", { name: "Rating" }).press("Enter");
  await expect(page.getByRole("button", { name: /^Rating/ })).toContainText("4.6 or better");
  // A rate that is far from the day's is asked about.
  await page.goto("/markup");
  await page.getByRole("button", { name: /^Rate of EUR/ }).click();
  await page.getByLabel("Manual rate").fill("115");
  await page.getByLabel("Manual rate").press("Enter");
  await expect(page.getByRole("alert").filter({ hasText: "The day's rate is" })).toContainText("times that");
  await page.keyboard.press("Escape");
});

test("the store in use belongs to the address", async ({ page, context }) => {
  await connectStore(page, nord);
  const stores = await api<{ id: number; name: string }[]>(page, "GET", "/api/stores");
  const id = (name: string) => stores.find((s) => s.name === name)?.id as number;
  await page.goto(`/catalog?store=${id("Saltmarsh Goods")}`);
  await expect(page.getByRole("button", { name: /Saltmarsh Goods · USD/ })).toBeVisible();
  const second = await context.newPage();
  await second.goto(`/catalog?store=${id("Saltmarsh Nord")}&under=12`);
  await expect(second.getByRole("button", { name: /^Landed cost under/ })).toContainText("€12.00");
  await page.reload();
  await expect(page.getByRole("button", { name: /Saltmarsh Goods · USD/ })).toBeVisible();
  await second.reload();
  await expect(second.getByRole("button", { name: /^Landed cost under/ })).toContainText("€12.00");
  await expect(second).toHaveTitle(/^Catalog · Saltmarsh Nord/);
  await second.close();
});

test("an address without a draft says so", async ({ page }) => {
  await takeFresh(page, 1, "There");
  await page.goto("/workbench/999999");
  await expect(page.getByText("There is no such draft")).toBeVisible();
  await expect(page.getByLabel("Title", { exact: true })).toHaveCount(0);
});

test("for the same field the second person sees both and chooses", async ({ page, browser }) => {
  const [id] = await takeFresh(page, 1, "Both");
  await page.goto(`/workbench/${id}`);
  const title = page.getByLabel("Title", { exact: true });
  await expect(title).toHaveValue("Both 1");
  await page.route("**/api/drafts/*", (route) =>
    route.request().method() === "PATCH" ? route.abort() : route.continue(),
  );
  await title.fill("Ines's words");
  await title.press("Enter");
  const other = await (await browser.newContext()).newPage();
  await signIn(other, "tomas@saltmarsh.example", "balcony-garden");
  await other.goto(`/workbench/${id}`);
  await other.getByLabel("Title", { exact: true }).fill("Tomas's words");
  await other.getByLabel("Title", { exact: true }).press("Enter");
  await expect
    .poll(async () => (await api<{ title: string }>(page, "GET", `/api/drafts/${id}?store=1`)).title)
    .toBe("Tomas's words");
  await page.unroute("**/api/drafts/*");
  const choice = page.getByRole("alert").filter({ hasText: "could not be saved" });
  await expect(choice).toContainText("Tomas's words", { timeout: 20_000 });
  await expect(choice).toContainText("Ines's words");
  await choice.getByRole("button", { name: "Use mine" }).click();
  await expect
    .poll(async () => (await api<{ title: string }>(page, "GET", `/api/drafts/${id}?store=1`)).title)
    .toBe("Ines's words");
  await other.context().close();
});

test("members are shut out, and sign in again with what an owner set", async ({ page, browser }) => {
  await page.goto("/members");
  const other = await (await browser.newContext()).newPage();
  await enter(other, "wanda@saltmarsh.example", "rain-and-bicycle");
  await page.getByRole("button", { name: "Disable Wanda" }).click();
  await page.getByRole("dialog").getByRole("button", { name: "Disable Wanda" }).click();
  await expect(page.getByRole("listitem").filter({ hasText: "Wanda" })).toContainText("disabled");
  await other.reload();
  await expect(other.getByRole("button", { name: "Sign in" })).toBeVisible();
  await page.getByRole("button", { name: "Let sign in again: Wanda" }).click();
  await page.getByRole("button", { name: "Set a password for Wanda" }).click();
  await page.getByRole("textbox", { name: "New password" }).fill("rain-and-bicycle");
  await page.getByRole("button", { name: "Set the password" }).click();
  await expect(page.getByText("Wanda has a new password")).toBeVisible();
  await enter(other, "wanda@saltmarsh.example", "rain-and-bicycle");
  await other.context().close();
});
