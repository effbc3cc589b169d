import type { ReactNode } from "react";
import type { Schemas } from "../api/client";
import { Picture } from "../parts/controls";
import { checked } from "../parts/field";
import { Money } from "../parts/money";
import { typedNumber } from "../parts/number";
import { ReadinessMarks } from "../parts/readiness";

export type TableRow = Schemas["WorkbenchTableRow"];
export type TableVariant = Schemas["WorkbenchTableVariant"];
export type Input = Schemas["WorkbenchEditInput"];

/** A Line of the table: a draft, or one of its variants. */
export type Line = { draft: TableRow; variant: TableVariant | undefined };

export type TableColumn = {
  id: string;
  name: string;
  /** In pixels. */
  width: number;
  align?: "right";
  /** Only where rows are variants, or drafts. */
  ofVariant?: boolean;
  ofDraft?: boolean;
  /** Hidden until it is asked for. */
  extra?: boolean;
  /** What a cell holds as text: for cells that are edited, and those that are copied. */
  text: (line: Line) => string;
  /** What typing a text does; left out where the cell cannot be edited. */
  set?: (text: string, line: Line) => Partial<Input>;
  /** What is wrong with a text. */
  check?: (text: string, currency: string) => string | undefined;
  /** The line as it looks with the text, until the server has answered. */
  show?: (line: Line) => ReactNode;
};

const list = (text: string) =>
  text
    .split(",")
    .map((n) => n.trim())
    .filter(Boolean);

const reserve = { least: 0, most: 1_000_000, whole: true };

/** The columns of the table of many drafts, from left to right. */
export const tableColumns: TableColumn[] = [
  {
    id: "picture",
    name: "Picture",
    width: 44,
    text: () => "",
    show: ({ draft }) => <Picture path={draft.picture} width={96} className="size-7 border border-line" />,
  },
  { id: "title", name: "Title", width: 280, text: (l) => l.draft.title, set: (title) => ({ title }) },
  { id: "values", name: "Variant", width: 130, ofVariant: true, text: (l) => l.variant?.values.join(" ") ?? "" },
  { id: "type", name: "Type", width: 110, text: (l) => l.draft.type, set: (type) => ({ type }) },
  { id: "vendor", name: "Vendor", width: 120, extra: true, text: (l) => l.draft.vendor, set: (vendor) => ({ vendor }) },
  {
    id: "collections",
    name: "Collections",
    width: 170,
    text: (l) => l.draft.collections.join(", "),
    set: (text) => ({ collections: list(text) }),
  },
  {
    id: "tags",
    name: "Tags",
    width: 140,
    text: (l) => l.draft.tags.join(", "),
    set: (text) => ({ tags: list(text) }),
  },
  {
    id: "search_title",
    name: "Search title",
    width: 200,
    extra: true,
    text: (l) => l.draft.search_title,
    set: (search_title) => ({ search_title }),
  },
  {
    id: "search_description",
    name: "Search description",
    width: 240,
    extra: true,
    text: (l) => l.draft.search_description,
    set: (search_description) => ({ search_description }),
  },
  {
    id: "reserve",
    name: "Stock reserve",
    width: 90,
    align: "right",
    extra: true,
    text: (l) => String(l.draft.reserve),
    set: (text) => ({ reserve: Number(text || "0") }),
    check: (text) => checked(text, reserve).error,
  },
  {
    id: "sku",
    name: "SKU",
    width: 130,
    ofVariant: true,
    text: (l) => l.variant?.sku ?? "",
    set: (sku, l) => ({ codes: l.variant ? [{ variant_id: l.variant.id, sku }] : [] }),
  },
  {
    id: "barcode",
    name: "Barcode",
    width: 130,
    ofVariant: true,
    extra: true,
    text: (l) => l.variant?.barcode ?? "",
    set: (barcode, l) => ({ codes: l.variant ? [{ variant_id: l.variant.id, barcode }] : [] }),
  },
  {
    id: "price",
    name: "Price",
    width: 100,
    align: "right",
    ofVariant: true,
    text: (l) => l.variant?.price?.value ?? "",
    set: (text, l) => ({ prices: l.variant?.price ? [{ variant_id: l.variant.id, price: typedNumber(text) }] : [] }),
    check: (text, currency) => checked(text, { least: 0, currency }).error,
  },
  {
    id: "cost",
    name: "Cost",
    width: 110,
    align: "right",
    ofVariant: true,
    extra: true,
    text: (l) => l.variant?.cost.value ?? "",
    show: (l) => l.variant && <Money of={l.variant.cost} />,
  },
  {
    id: "landed",
    name: "Landed cost",
    width: 100,
    align: "right",
    ofVariant: true,
    extra: true,
    text: (l) => l.variant?.landed?.value ?? "",
    show: (l) => l.variant?.landed && <Money of={l.variant.landed} />,
  },
  {
    id: "from",
    name: "Price from",
    ofDraft: true,
    width: 90,
    align: "right",
    text: (l) => l.draft.from?.value ?? "",
    show: (l) => l.draft.from && <Money of={l.draft.from} />,
  },
  {
    id: "profit",
    name: "Profit",
    width: 90,
    align: "right",
    text: (l) => (l.variant ? l.variant.profit : l.draft.least_profit)?.value ?? "",
    show: (l) => {
      const profit = l.variant ? l.variant.profit : l.draft.least_profit;
      return profit && <Money of={profit} signed />;
    },
  },
  {
    id: "stock",
    name: "Stock",
    width: 80,
    align: "right",
    text: (l) => String(l.variant ? l.variant.stock : l.draft.stock),
    show: (l) => (l.variant ? l.variant.stock : l.draft.stock).toLocaleString("en"),
  },
  { id: "supplier", name: "Supplier", width: 150, extra: true, text: (l) => l.draft.supplier },
  { id: "source", name: "Source", width: 130, extra: true, text: (l) => l.draft.source },
  {
    id: "ready",
    name: "Readiness",
    width: 110,
    text: (l) => (l.draft.report.ready ? "ready" : "not ready"),
    show: (l) => <ReadinessMarks report={l.draft.report} />,
  },
];

/** merged are two parts of edits of one draft as one. */
export function merged(a: Partial<Input>, b: Partial<Input>): Partial<Input> {
  const codes = [...(a.codes ?? [])];
  for (const c of b.codes ?? []) {
    const at = codes.findIndex((x) => x.variant_id === c.variant_id);
    if (at < 0) codes.push(c);
    else codes[at] = { ...codes[at], ...c };
  }
  const prices = [
    ...(a.prices ?? []).filter((p) => !b.prices?.some((q) => q.variant_id === p.variant_id)),
    ...(b.prices ?? []),
  ];
  return { ...a, ...b, ...(codes.length > 0 && { codes }), ...(prices.length > 0 && { prices }) };
}

/** shownWith is a row as it looks with an edit, until the server has answered. */
export function shownWith(row: TableRow, e: Partial<Input>): TableRow {
  const next = { ...row, variants: row.variants };
  for (const f of ["title", "type", "vendor", "search_title", "search_description"] as const)
    if (e[f] !== undefined) next[f] = e[f];
  if (e.collections) next.collections = e.collections;
  if (e.tags) next.tags = e.tags;
  if (e.reserve !== undefined) next.reserve = e.reserve;
  if (e.codes || e.prices)
    next.variants = next.variants.map((v) => {
      const c = e.codes?.find((x) => x.variant_id === v.id);
      const p = e.prices?.find((x) => x.variant_id === v.id);
      return {
        ...v,
        sku: c?.sku ?? v.sku,
        barcode: c?.barcode ?? v.barcode,
        price: p?.price && v.price ? { ...v.price, value: p.price } : v.price,
      };
    });
  return next;
}
