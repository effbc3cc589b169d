import type { Schemas, Source } from "../api/client";

export type ImportRun = Schemas["SourcesImportRun"];
export type Layout = Schemas["PricelistLayout"];
export type Looked = Schemas["SourcesAnalysis"];
export type Request = Schemas["RequestsQuoteRequest"];
export type Full = Schemas["RequestsInFull"];

/** requestState is how far a request has come. */
export function requestState(r: Request): string {
  if (r.state === "withdrawn") return "withdrawn";
  if (r.state === "settled") return "a quote was taken";
  return r.quotes === 0 ? "no quote yet" : r.quotes === 1 ? "1 quote" : `${r.quotes} quotes`;
}

/** underWay tells whether an import is read at this moment; one that waits for its source to answer again is not. */
export function underWay(run: ImportRun | undefined): boolean {
  return run !== undefined && (run.state === "running" || (run.state === "waiting" && run.error === ""));
}

/** number writes a count. */
export const number = (n: number) => n.toLocaleString("en");

/** kindWords is what a source is. */
export function kindWords(source: Source): string {
  if (!source.can.files) return source.kind;
  return source.address ? `${source.kind}, by address` : `${source.kind}, sent as a file`;
}

const days: Record<string, string> = {
  MO: "Monday",
  TU: "Tuesday",
  WE: "Wednesday",
  TH: "Thursday",
  FR: "Friday",
  SA: "Saturday",
  SU: "Sunday",
};

/** Rule is a schedule as its sentence knows it. */
export type Rule = {
  every: "never" | "hours" | "day" | "week" | "other";
  hours: number;
  at: string;
  days: string[];
  text: string;
};

/** readRule reads an RFC 5545 recurrence rule. */
export function readRule(text: string): Rule {
  const parts = Object.fromEntries(text.split(";").map((p) => p.split("=") as [string, string]));
  const at = `${(parts.BYHOUR ?? "6").padStart(2, "0")}:${(parts.BYMINUTE ?? "0").padStart(2, "0")}`;
  const rule: Rule = { every: "other", hours: 6, at, days: parts.BYDAY?.split(",") ?? ["MO"], text };
  if (text === "") return { ...rule, every: "never" };
  if (parts.FREQ === "HOURLY" && !parts.BYDAY && !parts.BYHOUR)
    return { ...rule, every: "hours", hours: Number(parts.INTERVAL ?? 1) };
  if (!parts.INTERVAL && /^\d+$/.test(parts.BYHOUR ?? "")) {
    if (parts.FREQ === "DAILY" && !parts.BYDAY) return { ...rule, every: "day" };
    if (parts.FREQ === "WEEKLY" && rule.days.every((d) => days[d])) return { ...rule, every: "week" };
  }
  return rule;
}

/** writeRule writes a schedule as a recurrence rule. */
export function writeRule(rule: Rule): string {
  const [hour, minute] = rule.at.split(":").map(Number);
  const clock = `BYHOUR=${hour ?? 0};BYMINUTE=${minute ?? 0}`;
  if (rule.every === "never") return "";
  if (rule.every === "hours") return `FREQ=HOURLY;INTERVAL=${rule.hours}`;
  if (rule.every === "day") return `FREQ=DAILY;${clock}`;
  if (rule.every === "week") return `FREQ=WEEKLY;BYDAY=${rule.days.join(",")};${clock}`;
  return rule.text;
}

/** ruleWords says a schedule. */
export function ruleWords(rule: Rule): string {
  if (rule.every === "never") return "only when you ask";
  if (rule.every === "hours") return rule.hours === 1 ? "every hour" : `every ${rule.hours} hours`;
  if (rule.every === "day") return `every day at ${rule.at}`;
  if (rule.every === "week") return `every ${rule.days.map((d) => days[d]).join(" and ")} at ${rule.at}`;
  return `by the rule ${rule.text}`;
}

export const dayNames = Object.entries(days);

/** soon says how far ahead a moment is. */
export function soon(moment: string): string {
  const minutes = Math.round((Date.parse(moment) - Date.now()) / 60000);
  if (minutes < 1) return "now";
  if (minutes < 60) return `in ${minutes} minute${minutes === 1 ? "" : "s"}`;
  if (minutes < 60 * 36) return `in ${Math.round(minutes / 60)} hour${Math.round(minutes / 60) === 1 ? "" : "s"}`;
  return `in ${Math.round(minutes / 1440)} days`;
}

/** fields are what a column can hold, as people call them. */
export const fields: [string, string][] = [
  ["number", "number of the item"],
  ["parent", "product number in common"],
  ["title", "title"],
  ["description", "description"],
  ["category", "category"],
  ["brand", "brand"],
  ["cost", "cost"],
  ["currency", "currency"],
  ["price_for", "unit of the price"],
  ["pack", "pieces in a pack"],
  ["min_order", "least order quantity"],
  ["stock", "stock"],
  ["barcode", "barcode"],
  ["weight", "weight"],
  ["min_advertised", "minimum advertised price"],
  ["list_price", "list price"],
  ["picture", "picture"],
  ["page", "page's address"],
  ["option", "option that varies"],
];

export const fieldName = (field: string) => fields.find(([f]) => f === field)?.[1] ?? "";

export const encodings: [string, string][] = [
  ["utf-8", "UTF-8"],
  ["windows-1252", "Windows-1252"],
  ["utf-16le", "UTF-16"],
  ["utf-16be", "UTF-16, the other way round"],
  ["windows-1250", "Windows-1250, Central European"],
  ["iso-8859-2", "ISO-8859-2, Central European"],
  ["windows-1251", "Windows-1251, Cyrillic"],
  ["koi8-r", "KOI8-R, Cyrillic"],
  ["windows-1253", "Windows-1253, Greek"],
  ["windows-1254", "Windows-1254, Turkish"],
  ["windows-1257", "Windows-1257, Baltic"],
  ["gbk", "GBK, Chinese"],
  ["big5", "Big5, Chinese"],
  ["shift_jis", "Shift_JIS, Japanese"],
  ["euc-jp", "EUC-JP, Japanese"],
  ["euc-kr", "EUC-KR, Korean"],
];

export const delimiters: [string, string][] = [
  [",", "commas"],
  [";", "semicolons"],
  ["\t", "tabs"],
  ["|", "bars"],
];

/** accepted are the files that a list or a catalogue document may come in. */
export const accepted = ".csv,.txt,.tsv,.xlsx,.xml";
