import { queryOptions } from "@tanstack/react-query";
import { api, ask } from "../api/client";

/** sourcesQuery reads the sources with their newest imports. */
export const sourcesQuery = queryOptions({ queryKey: ["sources"], queryFn: () => ask(api.GET("/api/sources")) });

/** categoriesQuery reads a source's category names and where they belong. */
export const categoriesQuery = (id: number) =>
  queryOptions({
    queryKey: ["categories", id],
    queryFn: () => ask(api.GET("/api/sources/{id}/categories", { params: { path: { id } } })),
  });

/** analysisQuery reads how the columns of a source's price list are read. */
export const analysisQuery = (id: string | undefined) =>
  queryOptions({
    queryKey: ["look", id],
    queryFn: () => ask(api.GET("/api/sources/{id}/analysis", { params: { path: { id: Number(id) } } })),
    enabled: id !== undefined,
    staleTime: Number.POSITIVE_INFINITY,
  });

/** rejectedQuery reads the rejected rows of an import. */
export const rejectedQuery = (importRun: number) =>
  queryOptions({
    queryKey: ["rejected", importRun],
    queryFn: () => ask(api.GET("/api/imports/{id}/rejected", { params: { path: { id: importRun } } })),
  });

/** linksQuery reads what an import from links has found, until it is through. */
export const linksQuery = (importRun: number | undefined) =>
  queryOptions({
    queryKey: ["links", importRun],
    queryFn: () => ask(api.GET("/api/imports/{id}/links", { params: { path: { id: importRun ?? 0 } } })),
    enabled: importRun !== undefined,
    refetchInterval: (query) => (query.state.data?.some((r) => !r.title && !r.error) !== false ? 700 : false),
  });

/** requestsQuery reads the quote requests. */
export const requestsQuery = queryOptions({ queryKey: ["requests"], queryFn: () => ask(api.GET("/api/requests")) });

/** requestQuery reads a quote request with its quotes, as they land in a store. */
export const requestQuery = (id: number, store: number) =>
  queryOptions({
    queryKey: ["request", id, store],
    queryFn: () => ask(api.GET("/api/requests/{id}", { params: { path: { id }, query: { store } } })),
  });
