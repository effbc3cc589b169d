import { useQueries, useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { useSearchParams } from "react-router";
import { api, ask, type Offer } from "../api/client";

export const sorts = {
  relevance: "best match",
  profit: "best profit at my markup",
  landed: "lowest landed cost",
  days: "soonest at the door",
  units: "most sold",
  rating: "best rated",
} as const;

export type Sort = keyof typeof sorts;

/** Question is the sentence as it stands in the address. */
export type Question = {
  words: string;
  source: number[];
  from: string[];
  category: string;
  days: number;
  under: string;
  stock: number;
  sort: Sort;
};

/** useQuestion reads the sentence from the address and writes it there. */
export function useQuestion(): [Question, (change: Partial<Question>) => void] {
  const [params, setParams] = useSearchParams();
  const question = useMemo<Question>(() => {
    const sort = params.get("sort") as Sort | null;
    return {
      words: params.get("words") ?? "",
      source: params.getAll("source").map(Number).filter(Boolean),
      from: params.getAll("from"),
      category: params.get("category") ?? "",
      days: Number(params.get("days")) || 0,
      under: params.get("under") ?? "",
      stock: Number(params.get("stock")) || 0,
      sort: sort && sort in sorts ? sort : "relevance",
    };
  }, [params]);
  const change = (part: Partial<Question>) => {
    const next = { ...question, ...part };
    setParams(
      (before) => {
        const out = new URLSearchParams(before);
        for (const [name, value] of Object.entries(next)) {
          out.delete(name);
          for (const one of Array.isArray(value) ? value : [value]) if (one && one !== "relevance") out.append(name, String(one));
        }
        out.delete("offer");
        return out;
      },
      { replace: true },
    );
  };
  return [question, change];
}

const pageSize = 50;

/** useAnswer asks the sentence, and for the pages of its answer that are in sight. */
export function useAnswer(question: Question, store: number, firstRow: number, lastRow: number) {
  const asked = (offset: number) => ({
    queryKey: ["offers", store, question, offset],
    queryFn: () => ask(api.GET("/api/offers", { params: { query: { ...question, store, offset, limit: pageSize } } })),
    staleTime: 30_000,
  });
  const first = useQuery({ ...asked(0), placeholderData: (before) => before });
  const total = first.data?.total ?? 0;
  const pages = useMemo(() => {
    const list: number[] = [];
    for (let page = Math.max(1, Math.floor(firstRow / pageSize)); page <= Math.floor(lastRow / pageSize) && page * pageSize < total; page++) list.push(page);
    return list;
  }, [firstRow, lastRow, total]);
  const more = useQueries({ queries: pages.map((page) => asked(page * pageSize)) });
  const row = (i: number): Offer | undefined => {
    if (i < pageSize) return first.data?.offers[i];
    const page = Math.floor(i / pageSize);
    return more[pages.indexOf(page)]?.data?.offers[i - page * pageSize];
  };
  return { first, total, row };
}
