import type { QueryClient } from "@tanstack/react-query";

/** Topic is what a query is about: the first part of its key. */
export type Topic =
  | "categories"
  | "change-many"
  | "changes"
  | "choices"
  | "combine"
  | "commands"
  | "draft"
  | "draft-names"
  | "draft-table"
  | "drafts"
  | "effect"
  | "header"
  | "history"
  | "links"
  | "listings"
  | "look"
  | "me"
  | "members"
  | "money-rules"
  | "offer"
  | "offers"
  | "orders"
  | "price-many"
  | "rates"
  | "rejected"
  | "request"
  | "requests"
  | "run"
  | "runs"
  | "saved-searches"
  | "sources"
  | "standard"
  | "stores"
  | "swap"
  | "synonyms"
  | "tokens"
  | "trays"
  | "wording";

declare module "@tanstack/react-query" {
  interface Register {
    queryKey: readonly [Topic, ...unknown[]];
    mutationKey: readonly unknown[];
  }
}

/** refresh asks again for what is shown of some topics. */
export const refresh = (client: QueryClient, ...topics: Topic[]) =>
  Promise.all(topics.map((topic) => client.invalidateQueries({ queryKey: [topic] })));
