import { infiniteQueryOptions, type QueryClient, queryOptions } from "@tanstack/react-query";
import { api, ask, type Problem, type Schemas } from "../api/client";

export type Run = Schemas["PublishingRun"];
export type Item = Schemas["PublishingItem"];
export type Listing = Schemas["PublishingListing"];
export type RunInput = Schemas["PublishingStartInput"];

/** ListingFilter says which listings are listed; what is empty asks for nothing. */
export type ListingFilter = { words?: string; state?: ListingState };

/** listingStates are what may be the matter with a listing, in words that go on “live in the store”. */
export const listingStates = {
  visible: "visible to customers",
  hidden: "hidden from customers",
  edited: "changed here since they were sent",
  moved: "with prices that have moved",
  differs: "changed in the store",
  gone: "no longer in the store",
  withdrawn: "no longer sold by the supplier",
  sold_out: "sold out at the supplier",
  duplicates: "in the store more than once",
} as const;
export type ListingState = keyof typeof listingStates;

const pageSize = 100;

/** listingsQuery reads what is live in a store page by page, the newest first. */
export const listingsQuery = (store: number, filter: ListingFilter = {}) =>
  infiniteQueryOptions({
    queryKey: ["listings", store, filter],
    queryFn: ({ pageParam }) =>
      ask(api.GET("/api/listings", { params: { query: { ...filter, store, before: pageParam, limit: pageSize } } })),
    initialPageParam: 0,
    getNextPageParam: (last: Schemas["PublishingListingPage"]) => last.next || undefined,
    enabled: store > 0,
  });

/** listingQuery reads one listing, how it differs from its draft and in the store, and the prices that it had. */
export const listingQuery = (id: number) =>
  queryOptions<Schemas["PublishingListingInFull"], Problem>({
    queryKey: ["listings", "one", id],
    queryFn: () => ask(api.GET("/api/listings/{id}", { params: { path: { id } } })),
    enabled: id > 0,
  });

/** runsQuery reads the publish runs page by page, the newest first. */
export const runsQuery = infiniteQueryOptions({
  queryKey: ["runs"],
  queryFn: ({ pageParam }) => ask(api.GET("/api/runs", { params: { query: { before: pageParam, limit: 30 } } })),
  initialPageParam: 0,
  getNextPageParam: (last: Schemas["PublishingRunPage"]) => last.next || undefined,
});

/** runQuery reads a publish run, now and then while it is under way. */
export const runQuery = (id: number) =>
  queryOptions<Run, Problem>({
    queryKey: ["run", id],
    queryFn: () => ask(api.GET("/api/runs/{id}", { params: { path: { id } } })),
    refetchInterval: (query) => (query.state.data?.finished_at ? false : 4000), // in case an event is missed
  });

/** itemsQuery reads the items of a run page by page; those alone that need somebody where attention is asked for. */
export const itemsQuery = (id: number, attention: boolean) =>
  infiniteQueryOptions({
    queryKey: ["run", id, "items", attention],
    queryFn: ({ pageParam }) =>
      ask(api.GET("/api/runs/{id}/items", { params: { path: { id }, query: { after: pageParam, attention } } })),
    initialPageParam: 0,
    getNextPageParam: (last: Schemas["PublishingItemPage"]) => last.next || undefined,
  });

type Pages<P> = { pages: P[]; pageParams: number[] };

/** runMoved puts what an event says of a run into what is shown of it: nothing is asked for again. */
export function runMoved(client: QueryClient, { moved, ...run }: Run & { moved?: Item[] }) {
  client.setQueryData(runQuery(run.id).queryKey, run);
  client.setQueryData<Pages<Schemas["PublishingRunPage"]>>(runsQuery.queryKey, (now) =>
    now
      ? { ...now, pages: now.pages.map((p) => ({ ...p, runs: p.runs.map((r) => (r.id === run.id ? run : r)) })) }
      : now,
  );
  const fresh = new Map(moved?.map((item) => [item.id, item]));
  client.setQueriesData<Pages<Schemas["PublishingItemPage"]>>({ queryKey: ["run", run.id, "items"] }, (now) =>
    now ? { ...now, pages: now.pages.map((p) => ({ ...p, items: p.items.map((i) => fresh.get(i.id) ?? i) })) } : now,
  );
}

/** runWords says what a run has come to. */
export function runWords(run: Schemas["PublishingRun"]): string {
  const done = run.published + run.changed + run.unchanged;
  const parts = [`${done} of ${run.total} ${run.act === "publish" ? "in the store" : "done"}`];
  const need = run.failed + run.left_out;
  if (need > 0) parts.push(`${need} need${need === 1 ? "s" : ""} you`);
  if (run.unknown > 0) parts.push(`${run.unknown} not known`);
  if (run.waiting + run.sending > 0) parts.push(`${run.waiting + run.sending} to go`);
  if (run.held > 0) parts.push(`${run.held} held`);
  return parts.join(", ");
}

/** actWords are what a run does, as it begins a sentence. */
export const actWords = {
  publish: { doing: "Publishing", done: "Published", planned: "To publish" },
  show: { doing: "Showing", done: "Shown", planned: "To show" },
  hide: { doing: "Hiding", done: "Hidden", planned: "To hide" },
  take_down: { doing: "Taking down", done: "Taken down", planned: "To take down" },
} as const;

/** clockIn writes a moment as the clock shows it in a time zone. */
export function clockIn(moment: string, zone: string): string {
  return new Intl.DateTimeFormat("en-GB", {
    weekday: "short",
    day: "numeric",
    month: "short",
    hour: "2-digit",
    minute: "2-digit",
    timeZone: zone,
  }).format(new Date(moment));
}
