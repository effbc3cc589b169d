import type { Amount, MoneyRules, Rule, Schemas } from "../api/client";
import { moneyText } from "../parts/money";
import { typedNumber } from "../parts/number";

export type Band = Schemas["MarkupBand"];
export type Conditions = Schemas["MarkupConditions"];

/** toPercent writes a ratio such as 0.029 as 2.9; fromPercent reads it back, as decimal text. */
export const toPercent = (ratio: string) => String(Number((Number(ratio) * 100).toFixed(4)));
export const fromPercent = (text: string) => String(Number((Number(plain(text)) / 100).toFixed(6)));
export const percentText = (ratio: string) => `${toPercent(ratio)} %`;
export const plain = (text: string) => typedNumber(text.replace("%", "")) || "0";
export const amount = (text: string, currency: string): Amount => ({ value: plain(text), currency });

export const kinds: {
  kind: Rule["formula"]["kind"];
  name: string;
  ratio?: "percent" | "times";
  amount?: string;
  basis?: boolean;
}[] = [
  { kind: "multiple", name: "a multiple of cost", ratio: "times", basis: true },
  { kind: "percent", name: "a percent on cost", ratio: "percent", basis: true },
  { kind: "fixed", name: "an amount on cost", amount: "added", basis: true },
  { kind: "percent_plus", name: "a percent and an amount", ratio: "percent", amount: "added", basis: true },
  { kind: "margin", name: "a margin after fees", ratio: "percent" },
  { kind: "profit", name: "a profit after fees", amount: "profit" },
  { kind: "market", name: "a position against the market", ratio: "percent" },
];

/** bandWords says one band's numbers. */
function bandWords(rule: Rule, band: Band): string {
  const cost = rule.formula.basis === "item" ? "item cost" : "landed";
  const added = band.amount ? moneyText(band.amount, band.amount.currency) : "";
  switch (rule.formula.kind) {
    case "multiple":
      return `${Number(band.ratio)} × ${cost}`;
    case "percent":
      return `${cost} + ${percentText(band.ratio)}`;
    case "fixed":
      return `${cost} + ${added}`;
    case "percent_plus":
      return `${cost} + ${percentText(band.ratio)} + ${added}`;
    case "margin":
      return `a margin of ${percentText(band.ratio)}`;
    case "profit":
      return `a profit of ${added}`;
    default: {
      const at = Number(band.ratio);
      return at === 0
        ? "the market median"
        : `${percentText(String(Math.abs(at)))} ${at < 0 ? "below" : "above"} the market median`;
    }
  }
}

/** formulaWords says a formula, band by band. */
export function formulaWords(rule: Rule): string {
  const bands = rule.formula.bands;
  if (bands.length === 1 && bands[0]) return bandWords(rule, bands[0]);
  return bands
    .map((b, i) => {
      const next = bands[i + 1];
      const from = moneyText(b.from, b.from.currency);
      const range =
        i === 0 && next
          ? `under ${moneyText(next.from, next.from.currency)}`
          : next
            ? `to under ${moneyText(next.from, next.from.currency)}`
            : `from ${from}`;
      return `${range}: ${bandWords(rule, b)}`;
    })
    .join("; ");
}

export const conditionNames: { key: keyof Conditions & string; prefix: string; name: string }[] = [
  { key: "sources", prefix: "from the source", name: "source" },
  { key: "suppliers", prefix: "from", name: "supplier" },
  { key: "categories", prefix: "in", name: "category" },
  { key: "collections", prefix: "in the collection", name: "collection" },
  { key: "tags", prefix: "tagged", name: "tag" },
  { key: "ships_from", prefix: "shipped from", name: "ships from" },
  { key: "brands", prefix: "of the brand", name: "brand" },
];

export function rangeWords(c: Conditions, home: string): string {
  if (c.from && c.under) return `${moneyText(c.from, home)} to under ${moneyText(c.under, home)}`;
  if (c.under) return `under ${moneyText(c.under, home)}`;
  return c.from ? `${moneyText(c.from, home)} and more` : "";
}

export function endingWords(ending: Schemas["MarkupEnding"]): string {
  if (ending.allowed.length === 0) return "no rounding";
  const names = ending.allowed
    .map((e) => (e === "tens" ? "whole tens" : e === "hundreds" ? "whole hundreds" : e))
    .join(" or ");
  return ending.up ? `${names}, next up` : names;
}

export function ceilingWords(c: Schemas["MarkupCeiling"]): string {
  const over = [c.list ? "the list price" : "", Number(c.market) > 0 ? `${Number(c.market)} × the market median` : ""]
    .filter(Boolean)
    .join(" or ");
  if (!over) return "no ceiling";
  return c.caps ? `never above ${over}` : `warn above ${over}`;
}

export function wasWords(was: Schemas["MarkupWas"]): string {
  if (was.kind === "list") return "the list price";
  return was.kind === "percent" ? `${percentText(was.percent)} more` : "none";
}

/** newRule is a rule to begin with: the last one's, with an id of its own. */
export function newRule(rules: Rule[], like: Rule): Rule {
  return { ...structuredClone(like), id: Math.max(0, ...rules.map((r) => r.id)) + 1, off: false };
}

export const sections = ["rules", "fees", "imports", "rates", "delivery", "market", "promise_days"] as const;

/**
 * rebase puts what was edited onto rules that somebody else has changed meanwhile: parts that were not touched become
 * theirs.
 */
export function rebase(edited: MoneyRules, base: MoneyRules, theirs: MoneyRules): MoneyRules {
  const next: Record<string, unknown> = {};
  for (const key of sections) next[key] = same(edited[key], base[key]) ? theirs[key] : edited[key];
  return next as MoneyRules;
}

/**
 * same tells whether two parts of the rules say the same, however their numbers are written: 0 is 0.00, what is off
 * may be left out, and who typed a rate is the server's to say.
 */
export const same = (a: unknown, b: unknown) => JSON.stringify(canonical(a)) === JSON.stringify(canonical(b));

function canonical(value: unknown): unknown {
  if (typeof value === "string" && /^-?\d+(\.\d+)?$/.test(value)) return Number(value);
  if (Array.isArray(value)) return value.map(canonical);
  if (typeof value !== "object" || value === null) return value;
  const entries = Object.entries(value).filter(
    ([k, v]) => k !== "by" && k !== "at" && v !== undefined && v !== false && v !== "",
  );
  return Object.fromEntries(entries.sort(([a], [b]) => (a < b ? -1 : 1)).map(([k, v]) => [k, canonical(v)]));
}

/** rulesOf leaves out what is said about the rules and keeps the rules. */
export function rulesOf(f: MoneyRules): MoneyRules {
  const { rules, fees, imports, rates, delivery, market, promise_days } = f;
  return { rules, fees, imports, rates, delivery, market, promise_days };
}
