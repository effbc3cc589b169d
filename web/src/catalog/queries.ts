import { queryOptions } from "@tanstack/react-query";
import { api, ask, type Problem, type Schemas } from "../api/client";

/** offerQuery reads an offer with its prices in a store. */
export const offerQuery = (id: number, store: number, soldOut = false) =>
  queryOptions({
    queryKey: ["offer", id, store, soldOut],
    queryFn: () => ask(api.GET("/api/offers/{id}", { params: { path: { id }, query: { store, sold_out: soldOut } } })),
    staleTime: 30_000,
  });

/** versionsQuery reads what an offer said before it changed. */
export const versionsQuery = (id: number) =>
  queryOptions({
    queryKey: ["offer", id, "versions"],
    queryFn: () => ask(api.GET("/api/offers/{id}/versions", { params: { path: { id } } })),
  });

/** whatIfQuery works out what a supposed price or markup of an offer would earn. */
export const whatIfQuery = (id: number, query: { store: number; markup: string } | { store: number; price: string }) =>
  queryOptions<Schemas["SearchWhatIfResult"], Problem>({
    queryKey: ["offer", id, "what-if", query],
    queryFn: ({ signal }) => ask(api.GET("/api/offers/{id}/what-if", { params: { path: { id }, query }, signal })),
    retry: false,
  });

/** alternativesQuery finds the same item elsewhere: of an offer, or 0 and a link or a picture's file. */
export const alternativesQuery = (offer: number, store: number, market: string, link: string, file: string) =>
  queryOptions<Schemas["MatchingAlternatives"], Problem>({
    queryKey: ["offer", offer, "alternatives", store, market, link, file],
    queryFn: ({ signal }) =>
      ask(
        offer
          ? api.GET("/api/offers/{id}/alternatives", {
              params: { path: { id: offer }, query: { store, market } },
              signal,
            })
          : api.POST("/api/alternatives", { body: { link, file, store, market }, signal }),
      ),
    retry: false,
  });

/** standardQuery reads the seller's own standard. */
export const standardQuery = queryOptions({ queryKey: ["standard"], queryFn: () => ask(api.GET("/api/standard")) });

/** savedSearchesQuery reads the saved searches. */
export const savedSearchesQuery = queryOptions({
  queryKey: ["saved-searches"],
  queryFn: () => ask(api.GET("/api/saved-searches")),
});

/** synonymsQuery reads the seller's own list of words that mean the same. */
export const synonymsQuery = queryOptions({ queryKey: ["synonyms"], queryFn: () => ask(api.GET("/api/synonyms")) });
