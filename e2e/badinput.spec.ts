import { createServer, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import { deflateSync } from "node:zlib";
import { expect, type Page, test } from "@playwright/test";
import { rowsOf, signIn } from "./world";

// Whatever comes in wrong is said on screen in a plain sentence: files, rows, links and pictures.
test.describe.configure({ mode: "serial" });

let server: Server;
let address = "";

/** png is a picture whose header says how large it is, whatever is in it. */
function png(width: number, height: number): Buffer {
  const table = Array.from({ length: 256 }, (_, n) => {
    let c = n;
    for (let k = 0; k < 8; k++) c = c & 1 ? 0xedb88320 ^ (c >>> 1) : c >>> 1;
    return c >>> 0;
  });
  const chunk = (kind: string, data: Buffer) => {
    const body = Buffer.concat([Buffer.from(kind), data]);
    let crc = 0xffffffff;
    for (const b of body) crc = (table[(crc ^ b) & 255] ?? 0) ^ (crc >>> 8);
    const out = Buffer.alloc(8);
    out.writeUInt32BE(data.length, 0);
    out.writeUInt32BE((crc ^ 0xffffffff) >>> 0, 4);
    return Buffer.concat([out.subarray(0, 4), body, out.subarray(4)]);
  };
  const head = Buffer.alloc(13);
  head.writeUInt32BE(width, 0);
  head.writeUInt32BE(height, 4);
  head[8] = 8;
  return Buffer.concat([
    Buffer.from("\x89PNG\r\n\x1a\n", "latin1"),
    chunk("IHDR", head),
    chunk("IDAT", deflateSync(Buffer.alloc(100))),
    chunk("IEND", Buffer.alloc(0)),
  ]);
}

const product = (picture: string, price = "9.80") =>
  `<html><script type="application/ld+json">{"@context":"https://schema.org","@type":"Product","name":"Bad picture ${picture}","sku":"${picture}","image":"${address}/${picture}",` +
  `"offers":{"@type":"Offer","price":"${price}","priceCurrency":"EUR","availability":"InStock"}}</script></html>`;

test.beforeAll(async () => {
  server = createServer((request, answer) => {
    const path = request.url ?? "";
    if (path === "/private") return answer.writeHead(302, { Location: "http://10.0.0.1/admin" }).end();
    if (path === "/login")
      return answer
        .writeHead(200, { "Content-Type": "text/html" })
        .end("<html><form><input type=password name=p></form></html>");
    if (path === "/nothing")
      return answer.writeHead(200, { "Content-Type": "text/html" }).end("<html><h1>Hello</h1></html>");
    if (path === "/text.pdf") return answer.writeHead(200, { "Content-Type": "application/pdf" }).end("%PDF-1.7");
    if (path === "/free") return answer.writeHead(200, { "Content-Type": "text/html" }).end(product("free.png", "0"));
    if (path === "/p/page") return answer.writeHead(200, { "Content-Type": "text/html" }).end(product("page.jpg"));
    if (path === "/p/huge") return answer.writeHead(200, { "Content-Type": "text/html" }).end(product("huge.png"));
    if (path === "/page.jpg")
      return answer.writeHead(200, { "Content-Type": "image/jpeg" }).end("<html>not found</html>");
    if (path === "/huge.png") return answer.writeHead(200, { "Content-Type": "image/png" }).end(png(40_000, 40_000));
    return answer.writeHead(404).end();
  });
  await new Promise<void>((done) => server.listen(0, "127.0.0.1", done));
  address = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
});

test.afterAll(() => new Promise((done) => server.close(done)));

async function look(page: Page, name: string, content: string | Buffer) {
  await page.goto("/sources/list");
  await page
    .locator("input[type=file]")
    .first()
    .setInputFiles({
      name,
      mimeType: "application/octet-stream",
      buffer: Buffer.isBuffer(content) ? content : Buffer.from(content),
    });
}

test("rows that cannot be used are set aside beside those that can", async ({ page }) => {
  await signIn(page);
  const rows = [
    "sku,title,price,stock,ean,currency",
    "A1,Enamel mug,3.20,10,4006381333931,EUR",
    "A2,Call for it,call,10,,EUR",
    "A3,For nothing,0,10,,EUR",
    "A4,Less than nothing,-3,10,,EUR",
    "A5,Made-up money,3,10,,XYZ",
    "A6,Negative stock,3,-2,,EUR",
    "A7,A date for stock,3,12/11/2026,,EUR",
    "A1,The number again,3.20,10,,EUR",
    "A8,A formula,=1+1,10,,EUR",
    "A9,An error,#REF!,10,,EUR",
    "A10,A wrong barcode,3,10,4006381333932,EUR",
    "A11,Half a row",
    'A12,"A quote never closed,3,10,,EUR',
    "A13,Kettle,9.10,4,,EUR",
  ];
  await look(page, "mixed.csv", rows.join("\n"));
  await expect(page.getByRole("table")).toContainText("EUR 3.20");
  for (const words of [
    "the supplier wants to be asked for the cost",
    "the cost is EUR 0.00",
    "the cost is −EUR 3.00",
    "“XYZ” is not a currency",
    "less than none",
    "is a date",
    "is there twice",
    "it is the formula",
    "it is the error #REF! of a formula",
    "a quote is opened and never closed",
  ])
    await expect(page.getByText(words).first(), words).toBeVisible();
  await expect(page.getByRole("table")).toContainText("Kettle");
});

test("links that lead to no product are told apart", async ({ page }) => {
  await signIn(page);
  await page.goto("/sources");
  await page.getByRole("button", { name: "Paste links" }).click();
  await page
    .getByLabel("Links, one a line")
    .fill(
      ["/private", "/login", "/nothing", "/text.pdf", "/free", "/gone", "/p/page", "/p/huge"]
        .map((p) => address + p)
        .join("\n"),
    );
  await page.getByRole("button", { name: "Take them in" }).click();
  const dialog = page.getByRole("dialog");
  await expect(dialog.getByRole("status")).toContainText("2 of 8 came in", { timeout: 30_000 });
  for (const words of [
    "is a private address",
    "asks to sign in",
    "There is no product data",
    "not a web page",
    "the price",
    "There is no page any more.",
  ])
    await expect(dialog.getByText(new RegExp(words, "i")).first(), words).toBeVisible();
});

test("a picture that is none is said where it would be", async ({ page }) => {
  await signIn(page);
  for (const [name, reason] of [
    ["page.jpg", "what is there is not a picture"],
    ["huge.png", "it has 40000 by 40000 pixels, more than can be handled"],
  ] as const) {
    await page.goto(`/catalog?words=${encodeURIComponent(`Bad picture ${name}`)}`);
    await rowsOf(page).filter({ hasText: name }).first().click();
    await expect(page.getByText("picture broken").first()).toBeVisible();
    await expect(page.getByText(reason).first()).toBeVisible();
  }
});
