import { countryName } from "../parts/countries";

/** A Clause is one thing that the catalog's sentence can ask. Its name is the one in the address. */
export type ClauseName =
  | "category"
  | "brand"
  | "source"
  | "supplier"
  | "verified"
  | "from"
  | "to"
  | "days"
  | "processing"
  | "tracked"
  | "under"
  | "item"
  | "shipping"
  | "profit"
  | "margin"
  | "stock"
  | "rating"
  | "on_time"
  | "week"
  | "month"
  | "demand"
  | "rivals"
  | "returns"
  | "packs"
  | "new"
  | "mine";

/** Saying is how a clause says its values: with the store's currency, and the sources' names. */
export type Saying = { amount: (value: string) => string; source: (id: string) => string };

export type ClauseOf = {
  /** What the list of further clauses and a screen reader call it. */
  label: string;
  /** What stands before it in the sentence. */
  before: string;
  /** What it says when it asks for nothing. */
  none: string;
  /** Many takes any of several values; one takes one of them; number and amount have bounds; yes is there or not. */
  kind: "many" | "one" | "number" | "amount" | "yes";
  /** How one value reads in the sentence, and in the panel. */
  say: (value: string, how: Saying) => string;
  /** It needs a store: its market, rules and currency. */
  priced?: boolean;
  /** It always stands in the sentence. */
  always?: boolean;
  /** What follows a number that is typed. */
  unit?: string;
  /** What a typed number is multiplied with to be asked: a rating of 4.6 is asked as 46. */
  times?: number;
  /** It may be less than nothing. */
  negative?: boolean;
  /** The most that may be typed. */
  most?: number;
};

const plain = (value: string) => value;
const tenths = (value: string) => (Number(value) / 10).toFixed(1);

/** None is the choice of what has no brand, no category, or does not say where it ships. */
export const none = "(none)";

const mine: Record<string, string> = { no: "not mine yet", workbench: "in my Workbench", listings: "in my Listings" };

/** The clauses, in the order in which the sentence says them. */
export const clauses: Record<ClauseName, ClauseOf> = {
  category: {
    label: "Category",
    before: "in",
    none: "any category",
    kind: "one",
    say: (v) => (v === none ? "no category" : v),
    always: true,
  },
  brand: {
    label: "Brand",
    before: "of brand",
    none: "any brand",
    kind: "many",
    say: (v) => (v === none ? "no brand" : v),
  },
  source: {
    label: "Source",
    before: "from",
    none: "any source",
    kind: "many",
    say: (v, how) => how.source(v),
    always: true,
  },
  supplier: { label: "Supplier", before: "sold by", none: "any supplier", kind: "many", say: plain },
  verified: {
    label: "Verified supplier",
    before: "by",
    none: "any supplier, verified or not",
    kind: "yes",
    say: () => "verified suppliers",
  },
  from: {
    label: "Ships from",
    before: ", shipped from",
    none: "anywhere",
    kind: "many",
    say: (v) => (v === none ? "a country not told" : countryName(v)),
    always: true,
  },
  to: {
    label: "Ships to",
    before: "and also to",
    none: "any country",
    kind: "many",
    say: (v) => (v === "*" ? "the whole world" : v === none ? "countries not told" : countryName(v)),
  },
  days: {
    label: "Days to the door",
    before: "within",
    none: "any time",
    kind: "number",
    say: (v) => `${v} days`,
    priced: true,
    always: true,
    unit: "days",
    most: 365,
  },
  processing: {
    label: "Processing days",
    before: ", processed within",
    none: "any time",
    kind: "number",
    say: (v) => (v === "1" ? "1 day" : `${v} days`),
    unit: "days",
    most: 365,
  },
  tracked: {
    label: "Tracked delivery",
    before: ",",
    none: "tracked or not",
    kind: "yes",
    say: () => "tracked",
    priced: true,
  },
  under: {
    label: "Landed cost under",
    before: ", landed under",
    none: "any cost",
    kind: "amount",
    say: (v, how) => how.amount(v),
    priced: true,
    always: true,
  },
  item: {
    label: "Item price",
    before: ", the item under",
    none: "any price",
    kind: "amount",
    say: (v, how) => how.amount(v),
    priced: true,
  },
  shipping: {
    label: "Shipping price",
    before: ", shipping",
    none: "at any price",
    kind: "amount",
    say: (v, how) => (Number(v) === 0 ? "free" : `for ${how.amount(v)} at most`),
    priced: true,
  },
  profit: {
    label: "Profit",
    before: ", profit",
    none: "of any size",
    kind: "amount",
    say: (v, how) => `of ${how.amount(v)} or more`,
    priced: true,
    negative: true,
  },
  margin: {
    label: "Margin",
    before: ", margin",
    none: "of any size",
    kind: "number",
    say: (v) => `of ${v} % or more`,
    priced: true,
    unit: "% or more",
    most: 100,
  },
  stock: {
    label: "Stock",
    before: ", with",
    none: "any stock",
    kind: "number",
    say: (v) => `${v} or more in stock`,
    always: true,
    unit: "or more",
  },
  rating: {
    label: "Rating",
    before: ", rated",
    none: "anything",
    kind: "number",
    say: (v) => `★ ${tenths(v)} or better`,
    unit: "★ or more",
    times: 10,
    most: 5,
  },
  on_time: {
    label: "On-time rate",
    before: ", on time",
    none: "however often",
    kind: "number",
    say: (v) => `${v} % of the time or more`,
    unit: "% or more",
    most: 100,
  },
  week: {
    label: "Sold in 7 days",
    before: ", selling",
    none: "any number a week",
    kind: "number",
    say: (v) => `${v} or more in 7 days`,
    unit: "or more",
  },
  month: {
    label: "Sold in 30 days",
    before: ", selling",
    none: "any number a month",
    kind: "number",
    say: (v) => `${v} or more in 30 days`,
    unit: "or more",
  },
  demand: {
    label: "Demand",
    before: ", demand",
    none: "whatever it does",
    kind: "many",
    say: (v) => (v === "too little data" ? "not known" : v),
  },
  rivals: {
    label: "Rivals",
    before: ", sold by",
    none: "any number of stores",
    kind: "number",
    say: (v) => (v === "0" ? "no other store" : `${v} other stores at most`),
    unit: "at most",
  },
  returns: {
    label: "Return policy",
    before: ", taken back within",
    none: "any time or never",
    kind: "number",
    say: (v) => (v === "1" ? "some time" : `${v} days or longer`),
    unit: "days or more",
  },
  packs: {
    label: "Packs with my brand",
    before: ",",
    none: "packed in any way",
    kind: "yes",
    say: () => "packed with my brand",
  },
  new: {
    label: "New since",
    before: ", new",
    none: "or old",
    kind: "number",
    say: (v) => (v === "1" ? "today" : `in the last ${v} days`),
    unit: "days",
  },
  mine: { label: "Already mine", before: ",", none: "mine or not", kind: "many", say: (v) => mine[v] ?? v },
};

export const clauseNames = Object.keys(clauses) as ClauseName[];
