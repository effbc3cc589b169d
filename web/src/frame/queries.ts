import { queryOptions } from "@tanstack/react-query";
import { api, ask, type Problem, type Schemas } from "../api/client";

/** meQuery reads who is signed in. */
export const meQuery = queryOptions<Schemas["MembersMember"], Problem>({
  queryKey: ["me"],
  queryFn: () => ask(api.GET("/api/me")),
  retry: false,
  staleTime: Number.POSITIVE_INFINITY,
});

/** storesQuery reads the stores. */
export const storesQuery = queryOptions({ queryKey: ["stores"], queryFn: () => ask(api.GET("/api/stores")) });

/** unconfirmedQuery reads the stores that were approved and wait to be accepted. */
export const unconfirmedQuery = queryOptions({
  queryKey: ["stores", "unconfirmed"],
  queryFn: () => ask(api.GET("/api/stores/unconfirmed")),
});

/** headerQuery reads the figures beside the stations. */
export const headerQuery = (store: number) =>
  queryOptions({
    queryKey: ["header", store],
    queryFn: () => ask(api.GET("/api/header", { params: { query: { store } } })),
  });

/** commandOffersQuery finds the first offers for what is typed into the list of commands. */
export const commandOffersQuery = (text: string, store: number) =>
  queryOptions({
    queryKey: ["commands", text, store],
    queryFn: () => ask(api.GET("/api/offers", { params: { query: { words: text, limit: 6, store } } })),
    enabled: text.length > 1,
  });
