import { queryOptions, useQueries, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { api, ask, type Offer, type Schemas } from "../api/client";
import { useSearchParams } from "../parts/route";
import { rest, typing } from "../parts/turns";
import { type ClauseName, clauseNames, clauses, none } from "./clauses";

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
  /** Figures are those of the cheapest variant, though it is sold out. */
  soldOut: boolean;
  sort: Sort;
};

export const nothingAsked: Question = { words: "", values: {}, standard: false, soldOut: false, sort: "relevance" };

export function questionOf(params: URLSearchParams): Question {
  const sort = params.get("sort") as Sort | null;
  const values: Question["values"] = {};
  for (const name of clauseNames) {
    const given = params
      .getAll(name)
      .map((v) => (v === "" && name === "brand" ? none : v)) // as searches were saved before
      .filter((v) => v !== "");
    if (given.length > 0) values[name] = clauses[name].kind === "many" ? given : given.slice(0, 1);
  }
  return {
    words: params.get("words") ?? "",
    values,
    standard: params.get("standard") === "true",
    soldOut: params.get("sold_out") === "true",
    sort: sort && sort in sorts ? sort : "relevance",
  };
}

/** asAddress is a question as it stands in the address. */
export function asAddress(question: Question): URLSearchParams {
  const out = new URLSearchParams();
  if (question.words) out.set("words", question.words);
  for (const name of clauseNames) for (const value of question.values[name] ?? []) out.append(name, value);
  if (question.standard) out.set("standard", "true");
  if (question.soldOut) out.set("sold_out", "true");
  if (question.sort !== "relevance") out.set("sort", question.sort);
  return out;
}

type Asking = {
  question: Question;
  /** Whether what is typed is not in the address yet. */
  open: boolean;
  change: (part: Partial<Question>) => void;
  settle: () => void;
};

/**
 * useQuestion reads the sentence from the address and writes it there, a clause as a step of its own that the
 * browser's Back undoes; what is typed is written once typing rests, or at settle: at each key that would take the
 * browser as long as an answer. A changed sentence is asked at once, before the page draws itself for it.
 */
export function useQuestion(store: number): Asking {
  const [params, setParams] = useSearchParams();
  const client = useQueryClient();
  const address = asAddress(questionOf(params)).toString();
  const held = useMemo(() => questionOf(new URLSearchParams(address)), [address]);
  // What was changed here counts until another hand changes the address, which follows a little later.
  const [changed, setChanged] = useState<{ question: Question; over: string[] }>();
  // What was written on the way here: on a slow machine several are under way before the first one arrives.
  const wrote = useRef<string[]>([]);
  const mine = changed !== undefined && (changed.over.includes(address) || wrote.current.includes(address));
  const question = mine ? changed.question : held;
  const shown = useRef(address);
  useEffect(() => {
    shown.current = address;
  }, [address]);
  const write = useRef<{ timer: number; now: () => void }>(undefined);
  const settle = useCallback(() => {
    clearTimeout(write.current?.timer);
    write.current?.now();
    write.current = undefined;
  }, []);
  useEffect(() => {
    if (!mine) return;
    return () => {
      // For another hand's, or on leaving, what waits to be written is dropped.
      clearTimeout(write.current?.timer);
      write.current = undefined;
      wrote.current = [];
    };
  }, [mine]);
  const change = (part: Partial<Question>) => {
    const there = asAddress({ ...question, ...part });
    const next = questionOf(there);
    void client.prefetchQuery(asked(next, store, 0));
    const typed = "words" in part && Object.keys(part).length === 1;
    const over = [address];
    if (!typed && write.current) {
      // What was typed is a step of its own: Back undoes the clause alone.
      over.push(asAddress(question).toString());
      settle();
    }
    setChanged({ question: next, over });
    clearTimeout(write.current?.timer);
    const now = () => {
      const arrived = Math.max(0, wrote.current.lastIndexOf(shown.current)); // what came before it is over
      wrote.current = [...wrote.current.slice(arrived), there.toString()];
      setParams(there, { replace: typed });
    };
    write.current = { timer: window.setTimeout(settle, rest), now };
    if (typed) typing();
    else settle();
  };
  return { question, open: mine && asAddress(question).toString() !== address, change, settle };
}

/** withoutStore is a question without what only a store can answer. */
export function withoutStore(question: Question): Question {
  const values = Object.fromEntries(
    Object.entries(question.values).filter(([name]) => !clauses[name as ClauseName].priced),
  );
  return {
    ...question,
    values,
    standard: false,
    soldOut: false,
    sort: pricedSorts.includes(question.sort) ? "relevance" : question.sort,
  };
}

/** asQuery is a question as the API takes it. */
export function asQuery({ words, values, standard, soldOut, sort }: Question, store: number) {
  const first = (name: ClauseName) => values[name]?.[0] ?? "";
  const number = (name: ClauseName) => Math.max(0, Math.round(Number(first(name)) || 0));
  return {
    words,
    store,
    sort,
    ...(standard && { standard }),
    ...(soldOut && { sold_out: true }),
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
    profit: first("profit"),
    margin: first("margin"),
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

/** maxCompared is how many offers are compared at once at most. */
export const maxCompared = 6;

const pageSize = 50;

const asked = (question: Question, store: number, offset: number) =>
  queryOptions({
    queryKey: ["offers", store, question, offset],
    queryFn: ({ signal }) =>
      ask(
        api.GET("/api/offers", { params: { query: { ...asQuery(question, store), offset, limit: pageSize } }, signal }),
      ),
    staleTime: 30_000,
  });

/** positionQuery finds where an offer stands in an answer. */
export const positionQuery = (question: Question, store: number, offer: number) =>
  queryOptions({
    queryKey: ["offers", "place", store, question, offer],
    queryFn: ({ signal }) =>
      ask(
        api.GET("/api/offers", {
          params: { query: { ...asQuery(question, store), limit: 0, find: offer } },
          signal,
        }),
      ),
    enabled: offer > 0,
  });

/** useAnswer asks the sentence. Until there is an answer, that of the sentence before stands. */
export function useAnswer(question: Question, store: number) {
  return useQuery({ ...asked(question, store, 0), placeholderData: (before) => before });
}

/** useOffers finds an answer's offers by their place, and asks for the pages of it that are in sight. */
export function useOffers(
  question: Question,
  store: number,
  answer: Schemas["SearchResult"] | undefined,
  firstRow: number,
  lastRow: number,
) {
  const total = answer?.total ?? 0;
  const pages = useMemo(() => {
    const list: number[] = [];
    for (
      let page = Math.max(1, Math.floor(firstRow / pageSize));
      page <= Math.floor(lastRow / pageSize) && page * pageSize < total;
      page++
    )
      list.push(page);
    return list;
  }, [firstRow, lastRow, total]);
  const more = useQueries({ queries: pages.map((page) => asked(question, store, page * pageSize)) });
  return (place: number): Offer | undefined => {
    if (place < pageSize) return answer?.offers[place];
    const page = Math.floor(place / pageSize);
    return more[pages.indexOf(page)]?.data?.offers[place - page * pageSize];
  };
}

/**
 * useChoices counts what each clause's choices would leave, once a panel is open: "" is none. Those of before stay in
 * sight in the same panel only.
 */
export function useChoices(question: Question, store: number, like: string, panel: string) {
  return useQuery({
    queryKey: ["offers", "choices", store, question, like, panel],
    queryFn: ({ signal }) =>
      ask(
        api.GET("/api/offers", {
          params: { query: { ...asQuery(question, store), counts: true, like, limit: 0 } },
          signal,
        }),
      ),
    enabled: panel !== "",
    staleTime: 30_000,
    placeholderData: (before, query) => (query?.queryKey[5] === panel ? before : undefined),
  }).data?.facets;
}
