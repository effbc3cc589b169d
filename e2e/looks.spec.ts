import { expect, type Page, test } from "@playwright/test";
import { port } from "./playwright.config";
import { accessible, api, connectStore, rowsOf, signIn, takeFresh } from "./world";

const places = [
  "/sources",
  "/sources/requests",
  "/sources/requests/new",
  "/catalog",
  "/catalog/compare/1,2,3",
  "/catalog/alternatives",
  "/catalog/alternatives/1",
  "/workbench",
  "/workbench/table",
  "/listings",
  "/store",
  "/markup",
  "/members",
  "/orders",
  "/nowhere",
];

/** Text as far apart as readers may set it, WCAG 1.4.12. */
const spaced = "* { line-height: 1.5 !important; letter-spacing: 0.12em !important; word-spacing: 0.16em !important; }";

/** apart adds a style, as a reader's own is added; an empty one takes it away. */
const apart = (page: Page, style: string) =>
  page.evaluate((text) => {
    const sheet = new CSSStyleSheet();
    sheet.replaceSync(text);
    document.adoptedStyleSheets = [sheet];
  }, style);

/** settle waits until a place shows what it has. */
async function settle(page: Page) {
  await page.waitForLoadState("networkidle").catch(() => {}); // the progress stream stays open
}

/** looked signs in, with a store and a draft to look at. */
async function looked(page: Page) {
  await page.addInitScript(() => localStorage.setItem("theme", "light"));
  await signIn(page);
  await connectStore(page);
  const [id] = await takeFresh(
    page,
    1,
    "A title as long as a store takes them, which goes on in its field until the last of its words",
  );
  return id;
}

/** complaintsOf gathers what the browser complains of, and what is asked of other hosts. */
function complaintsOf(page: Page) {
  const complaints: string[] = [];
  page.on("console", (m) => m.type() === "error" && !m.text().includes("401") && complaints.push(m.text()));
  page.on("pageerror", (e) => complaints.push(e.message));
  page.on(
    "request",
    (r) =>
      new URL(r.url()).hostname !== "localhost" && !r.url().startsWith("data:") && complaints.push(`asked ${r.url()}`),
  );
  return complaints;
}

/**
 * cutOff are the controls and words of a page that cannot be read whole, and have no tooltip that says them. Where text
 * stands apart, those that leave their row are among them.
 */
const cutOff = (page: Page, apart = false) =>
  page.evaluate((apart) => {
    const pen = document.createElement("canvas").getContext("2d");
    const found: string[] = [];
    for (const el of Array.from(document.querySelectorAll<HTMLElement>("main *, header *, footer *"))) {
      const box = el.getBoundingClientRect();
      if (box.width < 2 || box.height < 2 || !el.checkVisibility()) continue;
      const style = getComputedStyle(el);
      const words = (el instanceof HTMLSelectElement ? el.selectedOptions[0]?.text : el.textContent)?.trim() ?? "";
      const control = el.matches("button, a, select");
      // Beyond the page's edge, where nothing scrolls to it.
      let scrolls = false;
      for (let over = el.parentElement; over; over = over.parentElement)
        scrolls ||= /auto|scroll/.test(getComputedStyle(over).overflowX) && over.scrollWidth > over.clientWidth;
      if (control && box.right > innerWidth + 1 && !scrolls) found.push(`beyond the edge: ${words}`);
      if (el instanceof HTMLSelectElement && pen) {
        pen.font = style.font;
        // The arrow
        const room = el.clientWidth - Number.parseFloat(style.paddingLeft) - Number.parseFloat(style.paddingRight) - 18;
        if (pen.measureText(words).width > room) found.push(`cut off: ${words}`);
      }
      const leaf = Array.from(el.childNodes).some((n) => n.nodeType === Node.TEXT_NODE && n.textContent?.trim());
      if (leaf && style.textOverflow === "ellipsis" && el.scrollWidth > el.clientWidth && !el.closest("[title]"))
        found.push(`cut off: ${words}`);
      // Cut by the edge of what holds it.
      const frame =
        leaf && style.textOverflow !== "ellipsis"
          ? el.parentElement?.closest<HTMLElement>(".overflow-hidden")
          : undefined;
      const edge = frame?.getBoundingClientRect();
      if (
        edge &&
        !frame?.closest("[title]") &&
        box.left < edge.right &&
        box.right > edge.right + 1 &&
        box.top < edge.bottom
      )
        found.push(`cut by an edge: ${words}`);
      // Lines of a row that has one height, above or below it.
      const row = apart && leaf ? el.closest<HTMLElement>("[role=row]")?.getBoundingClientRect() : undefined;
      if (row && row.height > 1 && words && (box.top < row.top - 2 || box.bottom > row.bottom + 2))
        found.push(`out of its row: ${words}`);
    }
    return [...new Set(found)];
  }, apart);

test("every place is accessible and readable, and the browser complains of nothing", async ({ page }) => {
  test.setTimeout(300_000);
  const check = accessible(page);
  await page.goto("/");
  await page.getByLabel("Mail address").waitFor();
  await check("sign in");
  const draft = await looked(page);
  const complaints = complaintsOf(page);
  for (const place of [...places, `/workbench/${draft}`]) {
    await page.goto(place);
    await page.getByRole("main").waitFor();
    await settle(page);
    await check(place);
    expect.soft(await cutOff(page), place).toEqual([]);
    await apart(page, spaced);
    expect.soft(await cutOff(page, true), `${place}, spaced`).toEqual([]);
    await apart(page, "");
    await page.setViewportSize({ width: 1024, height: 768 });
    expect.soft(await page.evaluate(() => document.documentElement.scrollWidth), place).toBeLessThanOrEqual(1024);
    await page.setViewportSize({ width: 1280, height: 800 });
  }
  await page.getByText("Before publishing").waitFor();
  await page.keyboard.press("p"); // a dialog, which locks scrolling with a style of its own
  await page.getByRole("dialog").waitFor();
  expect(complaints).toEqual([]);
});

test("type follows the size that the browser is told to write", async ({ page }) => {
  const draft = await looked(page);
  const browser = await page.context().newCDPSession(page);
  await browser.send("Page.setFontSizes", { fontSizes: { standard: 20 } });
  for (const place of [
    "/sources",
    "/catalog",
    "/workbench",
    `/workbench/${draft}`,
    "/markup",
    "/listings",
    "/orders",
  ]) {
    await page.goto(place);
    await page.getByRole("main").waitFor();
    await settle(page);
    const size = await page.evaluate(() => Number.parseFloat(getComputedStyle(document.body).fontSize));
    expect.soft(size, place).toBeCloseTo(16.25); // 13 px at the usual 16
    expect.soft(await cutOff(page, true), place).toEqual([]);
    expect.soft(await page.evaluate(() => document.documentElement.scrollWidth), place).toBeLessThanOrEqual(1280);
  }
});

test("every dialog and panel is accessible", async ({ page }) => {
  test.setTimeout(400_000);
  const check = accessible(page);
  await looked(page);
  await page.goto("/sources/list");
  await page.getByLabel("Or the address").fill(`http://127.0.0.1:${port + 6}/price-list.xlsx`);
  await page.getByRole("button", { name: "Analyze" }).click();
  await page.getByText("The first rows as offers").waitFor();
  await page.getByRole("button", { name: "Add a delivery" }).click();
  expect.soft(await cutOff(page), "a price list").toEqual([]);
  await check("price list");
  const { runs } = await api<{ runs: { id: number }[] }>(page, "GET", "/api/runs");
  if (runs[0]) {
    await page.goto(`/listings/runs/${runs[0].id}`);
    await settle(page);
    await check("run");
  }
  await page.goto("/workbench");
  await page.getByRole("button", { name: /^Publish/ }).click();
  await check("publish");
  await page.keyboard.press("Escape");
  await page.keyboard.press("?");
  await check("keys");
  await page.keyboard.press("Escape");
  await page.getByRole("button", { name: /^Change prices/ }).click();
  await page
    .getByRole("dialog")
    .getByLabel(/^Percent/)
    .fill("5");
  await expect(page.getByRole("dialog")).toContainText("rise,");
  await check("many prices");
  await page.keyboard.press("Escape");
  for (const [key, title] of [
    ["b", /^Change/],
    ["t", /^Tidy/],
    ["v", /^Move/],
    ["h", /^History/],
  ] as const) {
    await page.keyboard.press(key);
    await page.getByRole("dialog", { name: title }).waitFor();
    await settle(page);
    await check(`workbench, ${title}`);
    await page.keyboard.press("Escape");
  }
  await page
    .getByRole("button", { name: "Trays…" })
    .or(page.getByRole("button", { name: "Make a tray" }))
    .click();
  await check("trays");
  await page.keyboard.press("Escape");
  await page.getByText("Search engines and").click();
  await page.getByRole("button", { name: "Columns" }).click();
  await check("columns of variants");
  await page.keyboard.press("Escape");
  const options = page.getByRole("button", { name: "Options…" });
  if (await options.isVisible()) {
    await options.click();
    await check("options");
    await page.keyboard.press("Escape");
  }
  await page.getByRole("button", { name: "Page", exact: true }).click();
  await check("store page");
  await page.keyboard.press("Escape");
  await page.goto("/catalog?words=mug");
  await page.keyboard.press("w");
  await settle(page);
  await check("wall");
  await page.keyboard.press("w");
  await page.goto("/workbench/table");
  await page.getByRole("grid", { name: "Drafts" }).waitFor();
  await page.getByText("A row a variant").click();
  await settle(page);
  await check("table of variants");
  await page.getByRole("button", { name: "File…" }).click();
  await check("drafts as a file");
  await page.keyboard.press("Escape");
  await page.goto("/markup");
  for (const panel of [/^Formula/, /^Ending/, /^Ceiling/, /^Was price/, /^Payment fee/, /^Delivery/, /^Rate of CNY/]) {
    await page.getByRole("button", { name: panel }).last().click();
    await check(`money rules, ${panel}`);
    await page.keyboard.press("Escape");
  }
});

test("roles are told what they may not", async ({ page }) => {
  await signIn(page, "wanda@saltmarsh.example", "rain-and-bicycle");
  await page.goto("/catalog");
  await expect(rowsOf(page).first()).toBeVisible();
  await expect(page.getByRole("button", { name: "Take to the Workbench" })).toHaveCount(0);
  await page.goto("/sources");
  await expect(page.getByRole("heading", { name: "Sources" })).toBeVisible();
  await expect(page.getByRole("button", { name: "Disconnect" })).toHaveCount(0);
  expect((await page.request.post("/api/drafts/take", { data: { offers: [1] } })).status()).toBe(403);
});
