import { expect, type Page, test } from "@playwright/test";
import { processing, rowsOf, signIn } from "./world";

// A list whose pictures lie in a zip beside it, and whose deliveries stand in a table of their own.
test.describe.configure({ mode: "serial" });

const picture = Buffer.from(
  "iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNkYPhfDwAChwGA60e6kgAAAABJRU5ErkJggg==",
  "base64",
);

/** zip is an archive of files that are stored as they are (PKWARE's APPNOTE, sections 4.3.7 to 4.3.16). */
function zip(files: [string, Buffer][]): Buffer {
  const crc = (data: Buffer) => {
    let c = 0xffffffff;
    for (const b of data) {
      c ^= b;
      for (let k = 0; k < 8; k++) c = c & 1 ? 0xedb88320 ^ (c >>> 1) : c >>> 1;
    }
    return (c ^ 0xffffffff) >>> 0;
  };
  const body: Buffer[] = [];
  const directory: Buffer[] = [];
  let at = 0;
  for (const [name, data] of files) {
    const facts = Buffer.alloc(22);
    facts.writeUInt16LE(20, 0);
    facts.writeUInt32LE(crc(data), 10);
    facts.writeUInt32LE(data.length, 14);
    facts.writeUInt32LE(data.length, 18);
    const sizes = Buffer.alloc(4);
    sizes.writeUInt16LE(name.length, 0);
    const local = Buffer.concat([Buffer.from("PK\x03\x04"), facts, sizes, Buffer.from(name), data]);
    const rest = Buffer.alloc(14);
    rest.writeUInt32LE(at, 10);
    directory.push(
      Buffer.concat([Buffer.from("PK\x01\x02"), Buffer.from([20, 0]), facts, sizes, rest, Buffer.from(name)]),
    );
    body.push(local);
    at += local.length;
  }
  const list = Buffer.concat(directory);
  const end = Buffer.alloc(18);
  end.writeUInt16LE(files.length, 4);
  end.writeUInt16LE(files.length, 6);
  end.writeUInt32LE(list.length, 8);
  end.writeUInt32LE(at, 12);
  return Buffer.concat([...body, list, Buffer.from("PK\x05\x06"), end]);
}

const file = (name: string, content: string | Buffer) => ({
  name,
  mimeType: "application/octet-stream",
  buffer: Buffer.from(content as string),
});

async function opened(page: Page) {
  await signIn(page);
  await page.goto("/sources");
  await rowsOf(page).filter({ hasText: "Harbour Row" }).click();
}

test("what delivery costs is read from a table", async ({ page }) => {
  await signIn(page);
  await page.goto("/sources/list");
  const rows = [
    "sku,title,price eur,stock,image",
    "HR-1,Cork mug,3.20,10,Cork Mug.png",
    "HR-2,Cork tray,9.10,4,tray.png",
    "HR-3,Cork lamp,7.00,2,lamp.png",
  ];
  await page
    .locator("input[type=file]")
    .first()
    .setInputFiles(file("harbour.csv", rows.join("\n")));
  await expect(page.getByText(/names its pictures without saying where they are/)).toBeVisible();
  await page.getByLabel("Table of deliveries").setInputFiles(file("prices.csv", rows.join("\n")));
  await expect(page.getByText(/There is no table of deliveries in it/)).toBeVisible();
  await page
    .getByLabel("Table of deliveries")
    .setInputFiles(
      file(
        "freight.csv",
        "Service;Land;Preis EUR;Tage\nPaket;Deutschland;4,90;2-3\nPaket;USA;19,00;6-9\nPaket;Narnia;1;1\n",
      ),
    );
  await expect(page.getByText("2 read.")).toBeVisible();
  await expect(page.getByText("Delivery in row 4 is left out: “Narnia” is not a country.")).toBeVisible();
  await expect(page.getByText("EUR 19.00 and EUR 19.00 each more; 6 to 9 days")).toBeVisible();
  await page.getByRole("textbox", { name: "Supplier" }).fill("Harbour Row");
  await page.getByLabel("Ships from").selectOption("DE");
  await processing(page, 1, 2);
  await page.getByRole("button", { name: "Import" }).click();
  await expect(rowsOf(page).filter({ hasText: "Harbour Row" })).toContainText("3 offers", {
    timeout: 30_000,
  });
});

test("pictures come in a zip, and what is none of them is set aside", async ({ page }) => {
  await opened(page);
  const archive = zip([
    ["photos/cork mug.png", picture],
    ["TRAY.png", picture],
    ["lamp.png", Buffer.from("<html>not found</html>")],
  ]);
  await page.getByLabel("Upload a new file, or pictures").setInputFiles(file("pictures.zip", archive));
  await expect(page.getByText("2 pictures sent beside it")).toBeVisible({ timeout: 30_000 });
  await expect(page.getByText(/1 rejected/).first()).toBeVisible();
  await page.goto("/catalog?words=cork+mug");
  await expect(rowsOf(page).filter({ hasText: "Cork mug" }).locator("img").first()).toHaveJSProperty("naturalWidth", 1);
  await page.goto("/catalog?words=cork+lamp");
  await expect(rowsOf(page).filter({ hasText: "Cork lamp" })).toContainText("no picture");
});

test("what a list does not say is asked before it goes in, by keyboard alone", async ({ page }) => {
  await signIn(page);
  await page.goto("/sources/list");
  const rows = [
    "Page;Code;Name;VAT %;Price;Special price;Pack size;Availability",
    "12;QR-1;Header kettle;20;3,20;2,40;12;In stock",
    "12;QR-2;Header tray;20;9,10;8,40;1;Out of stock",
  ];
  await page
    .locator("input[type=file]")
    .first()
    .setInputFiles(file("quay.csv", rows.join("\n")));
  const questions = page.getByRole("region", { name: "Questions about this list" });
  await expect(questions).toContainText("Which of these do you pay?");
  await expect(page.getByText("Not read: Page (a position or page), VAT % (a tax).")).toBeVisible();
  await page.getByRole("textbox", { name: "Supplier" }).fill("Header Row");
  await page.getByLabel("Ships from").selectOption("DE");
  await processing(page, 1, 2);
  const take = page.getByRole("button", { name: "Import" });
  await expect(take).toBeDisabled();
  const answer = async (name: string | RegExp) => {
    const radio = questions.getByRole("radio", { name });
    await radio.focus();
    await page.keyboard.press("Space");
    await expect(radio).toBeChecked();
  };
  await answer(/^Special price/);
  await answer(/^A pack/);
  await answer(/^EUR/);
  await questions.getByRole("textbox", { name: /“In stock” means how many\?/ }).focus();
  await page.keyboard.type("25");
  await page.keyboard.press("Enter");
  await expect(questions).toContainText("all answered");
  const first = page.getByRole("row").filter({ hasText: "Header kettle" });
  await expect(first).toContainText("EUR 0.20");
  await expect(first).toContainText("EUR 2.40 for 12");
  await expect(first).toContainText("25");
  await take.click();
  await expect(rowsOf(page).filter({ hasText: "Header Row" })).toContainText("2 offers", {
    timeout: 30_000,
  });
  // A slip of the decimal sign in the next delivery waits, while the rest goes in.
  await rowsOf(page).filter({ hasText: "Header Row" }).click();
  await page
    .getByLabel("Upload a new file, or pictures")
    .setInputFiles(file("quay.csv", rows.join("\n").replace("8,40", "84,0")));
  const waits = page.getByRole("region", { name: "Waits for you" });
  await expect(waits).toContainText("1 offer with a cost that moves 5 times or more at once.", { timeout: 30_000 });
  await expect(waits).toContainText("EUR 8.40 → EUR 84.00");
  await waits.getByRole("button", { name: "Keep the old costs" }).click();
  await expect(waits).toBeHidden();
});
