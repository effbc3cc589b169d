import { queryOptions } from "@tanstack/react-query";
import { api, ask, type Problem, type Schemas } from "../api/client";

const of = (store: number) => ({ params: { path: { id: store } } });

/** rulesQuery reads the money rules in force in a store. */
export const rulesQuery = (store: number) =>
  queryOptions({
    queryKey: ["money-rules", store],
    queryFn: () => ask(api.GET("/api/stores/{id}/money-rules", of(store))),
  });

/** changesQuery reads the changes of a store's money rules, the newest first. */
export const changesQuery = (store: number) =>
  queryOptions({
    queryKey: ["changes", store],
    queryFn: () => ask(api.GET("/api/stores/{id}/money-rules/changes", of(store))),
  });

/** choicesQuery reads what the conditions of rules can be about. */
export const choicesQuery = (store: number) =>
  queryOptions({
    queryKey: ["choices", store],
    queryFn: () => ask(api.GET("/api/stores/{id}/money-rules/choices", of(store))),
    staleTime: 60_000,
  });

/** effectQuery works out what edited rules would move, compared with those of a revision. */
export const effectQuery = (store: number, revision: number, edited: Schemas["PricingMoneyRules"]) =>
  queryOptions<Schemas["PricingEffect"], Problem>({
    queryKey: ["effect", store, revision, edited],
    queryFn: ({ signal }) =>
      ask(api.POST("/api/stores/{id}/money-rules/effect", { ...of(store), body: edited, signal })),
    retry: false,
    staleTime: 0,
  });

/** ratesQuery reads the day's exchange rates with a store's own. */
export const ratesQuery = (store: number) =>
  queryOptions({
    queryKey: ["rates", store],
    queryFn: () => ask(api.GET("/api/rates", { params: { query: { store } } })),
  });
