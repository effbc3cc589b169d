import { queryOptions } from "@tanstack/react-query";
import { api, ask, type Problem, type Schemas } from "../api/client";

/** listingsQuery reads what is live in a store. */
export const listingsQuery = (store: number) =>
  queryOptions({
    queryKey: ["listings", store],
    queryFn: () => ask(api.GET("/api/listings", { params: { query: { store } } })),
    enabled: store > 0,
  });

/** runsQuery reads the publish runs, the newest first. */
export const runsQuery = queryOptions({ queryKey: ["runs"], queryFn: () => ask(api.GET("/api/runs")) });

/** runQuery reads a publish run with its items, now and then while it is under way. */
export const runQuery = (id: number) =>
  queryOptions<Schemas["PublishingRunInFull"], Problem>({
    queryKey: ["run", id],
    queryFn: () => ask(api.GET("/api/runs/{id}", { params: { path: { id } } })),
    refetchInterval: (query) => (query.state.data?.finished_at ? false : 4000), // in case an event is missed
  });
