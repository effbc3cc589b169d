import { useQueries, useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo } from "react";
import { useSearchParams } from "react-router";
import { api, ask, type Offer } from "../api/client";
import { type ClauseName, clauseNames, clauses } from "./clauses";

export const sorts = {
  relevance: "best match",
  landed: "lowest landed cost",
  item: "lowest item price",
  shipping: "cheapest shipping",
  days: "soonest at the door",
  units: "most sold",
  growth: "fastest growing",
  rating: "best rated",
  rivals: "fewest rivals",
  profit: "best profit at my markup",
  margin: "best margin",
  worth: "most profit times units a month per rival",
} as const;

export type Sort = keyof typeof sorts;

/** Those that need a store. */
export const pricedSorts: Sort[] = ["landed", "item", "shipping", "days", "profit", "margin", "worth"];

/** Question is the sentence as it stands in the address. A clause that is not there asks for nothing. */
export type Question = {
  words: string;
  values: Partial<Record<ClauseName, string[]>>;
  standard: boolean;
  sort: Sort;
};

export const nothingAsked: Question = { words: "", values: {}, standard: false, sort: "relevance" };

export function questionOf(params: URLSearchParams): Question {
  const sort = params.get("sort") as Sort | null;
  const values: Question["values"] = {};
  for (const name of clauseNames) {
    const given = params.getAll(name).filter((v) => v !== "" || name === "brand");
    if (given.length > 0) values[name] = clauses[name].kind === "many" ? given : given.slice(0, 1);
  }
  return { words: params.get("words") ?? "", values, standard: params.get("standard") === "true", sort: sort && sort in sorts ? sort : "relevance" };
}

/** asAddress is a question as it stands in the address. */
export function asAddress(question: Question): URLSearchParams {
  const out = new URLSearchParams();
  if (question.words) out.set("words", question.words);
  for (const name of clauseNames) for (const value of question.values[name] ?? []) out.append(name, value);
  if (question.standard) out.set("standard", "true");
  if (question.sort !== "relevance") out.set("sort", question.sort);
  return out;
}

/** useQuestion reads the sentence from the address and writes it there. A changed one is asked at once, while the page draws itself for it. */
export function useQuestion(store: number): [Question, (change: Partial<Question>) => void] {
  const [params, setParams] = useSearchParams();
  const client = useQueryClient();
  const question = useMemo(() => questionOf(params), [params]);
  const change = (part: Partial<Question>) => {
    const address = asAddress({ ...question, ...part });
    void client.prefetchQuery(asked(questionOf(address), store, 0));
    setParams(address, { replace: true });
  };
  return [question, change];
}

/** asQuery is a question as the API takes it. */
export function asQuery({ words, values, standard, sort }: Question, store: number) {
  const first = (name: ClauseName) => values[name]?.[0] ?? "";
  const number = (name: ClauseName) => Math.max(0, Math.round(Number(first(name)) || 0));
  return {
    words,
    store,
    sort,
    ...(standard && { standard }),
    category: first("category"),
    source: values.source ?? [],
    supplier: values.supplier ?? [],
    brand: values.brand ?? [],
    from: values.from ?? [],
    to: values.to ?? [],
    demand: values.demand ?? [],
    mine: values.mine ?? [],
    item: first("item"),
    under: first("under"),
    shipping: first("shipping"),
    ...(values.verified && { verified: true }),
    ...(values.tracked && { tracked: true }),
    ...(values.packs && { packs: true }),
    days: number("days"),
    processing: number("processing"),
    stock: number("stock"),
    rating: number("rating"),
    on_time: number("on_time"),
    week: number("week"),
    month: number("month"),
    returns: number("returns"),
    new: number("new"),
    rivals: first("rivals"),
  };
}

const pageSize = 50;

const asked = (question: Question, store: number, offset: number) => ({
  queryKey: ["offers", store, question, offset],
  queryFn: ({ signal }: { signal: AbortSignal }) =>
    ask(api.GET("/api/offers", { params: { query: { ...asQuery(question, store), offset, limit: pageSize } }, signal })),
  staleTime: 30_000,
});

/** useAnswer asks the sentence, and for the pages of its answer that are in sight. */
export function useAnswer(question: Question, store: number, firstRow: number, lastRow: number) {
  const first = useQuery({ ...asked(question, store, 0), placeholderData: (before) => before });
  const total = first.data?.total ?? 0;
  const pages = useMemo(() => {
    const list: number[] = [];
    for (let page = Math.max(1, Math.floor(firstRow / pageSize)); page <= Math.floor(lastRow / pageSize) && page * pageSize < total; page++) list.push(page);
    return list;
  }, [firstRow, lastRow, total]);
  const more = useQueries({ queries: pages.map((page) => asked(question, store, page * pageSize)) });
  const row = (i: number): Offer | undefined => {
    if (i < pageSize) return first.data?.offers[i];
    const page = Math.floor(i / pageSize);
    return more[pages.indexOf(page)]?.data?.offers[i - page * pageSize];
  };
  return { first, total, row };
}

/** useChoices counts what each clause's choices would leave, once a panel is open: "" is none. Those of before stay in sight in the same panel only. */
export function useChoices(question: Question, store: number, like: string, panel: string) {
  return useQuery({
    queryKey: ["offers", "choices", store, question, like, panel],
    queryFn: ({ signal }) => ask(api.GET("/api/offers", { params: { query: { ...asQuery(question, store), counts: true, like, limit: 0 } }, signal })),
    enabled: panel !== "",
    staleTime: 30_000,
    placeholderData: (before, query) => (query?.queryKey[5] === panel ? before : undefined),
  }).data?.choices;
}
