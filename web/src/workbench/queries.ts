import { infiniteQueryOptions, type QueryClient, type QueryKey, queryOptions } from "@tanstack/react-query";
import { api, ask, type Draft, type DraftLine, type Problem, type Schemas } from "../api/client";

export type DraftPage = Schemas["WorkbenchPage"];
export type Edited = Schemas["WorkbenchEdited"];

const pageSize = 200;

/** draftQuery reads one draft as it stands in a store. */
export const draftQuery = (id: number, store: number) =>
  queryOptions<Draft, Problem>({
    queryKey: ["draft", id, store],
    queryFn: () => ask(api.GET("/api/drafts/{id}", { params: { path: { id }, query: { store } } })),
    enabled: id > 0,
  });

/** DraftFilter says which drafts are listed; what is empty asks for nothing. */
export type DraftFilter = {
  words?: string;
  /** -1 is in no tray. */
  tray?: number;
  collection?: string[];
  tag?: string[];
  type?: string[];
  source?: number[];
  supplier?: string[];
  live?: "yes" | "no" | "changed";
  state?: "ready" | "stopped" | "description" | "pictures" | "variants" | "price";
  profit_under?: string;
  edited?: "day" | "week" | "month";
};

/** draftsQuery reads the drafts that a filter finds page by page, the newest first. */
export const draftsQuery = (store: number, filter: DraftFilter = {}) =>
  infiniteQueryOptions({
    queryKey: ["drafts", store, filter],
    queryFn: ({ pageParam }) =>
      ask(api.GET("/api/drafts", { params: { query: { ...filter, store, before: pageParam, limit: pageSize } } })),
    initialPageParam: 0,
    getNextPageParam: (last: DraftPage) => last.next || undefined,
  });

/** linesOf are the drafts of all pages that were read. */
export const linesOf = (pages: DraftPage[] | undefined): DraftLine[] => pages?.flatMap((p) => p.drafts) ?? [];

type Pages = { pages: DraftPage[]; pageParams: number[] };

/** updateLines puts lines into the lists that hold them; the rest of the lists is not asked for again. */
function updateLines(client: QueryClient, store: number, change: (line: DraftLine) => DraftLine) {
  client.setQueriesData<Pages>({ queryKey: ["drafts", store] as QueryKey }, (now) =>
    now ? { ...now, pages: now.pages.map((p) => ({ ...p, drafts: p.drafts.map(change) })) } : now,
  );
}

/** refreshLines asks for some lines of a store's list again. */
export async function refreshLines(client: QueryClient, store: number, ids: number[]) {
  const page = await ask(api.GET("/api/drafts", { params: { query: { store, ids, limit: ids.length } } }));
  const fresh = new Map(page.drafts.map((d) => [d.id, d]));
  updateLines(client, store, (line) => fresh.get(line.id) ?? line);
}

/** showDraft puts a draft as it was read into what is shown of it. */
export function showDraft(client: QueryClient, store: number, draft: Draft) {
  client.setQueryData(draftQuery(draft.id, store).queryKey, draft);
  updateLines(client, store, (line) =>
    line.id === draft.id
      ? {
          id: draft.id,
          offer_id: draft.offer_id,
          title: draft.title,
          picture: draft.picture,
          report: draft.report,
          collections: draft.collections,
          tags: draft.tags,
          type: draft.type,
          vendor: draft.vendor,
          tray_id: draft.tray_id,
          revision: draft.revision,
        }
      : line,
  );
}

/** showEdited puts what an edit changed into what is shown of the draft. */
export function showEdited(client: QueryClient, store: number, id: number, edited: Edited) {
  if (edited.draft) return showDraft(client, store, edited.draft);
  const now = client.getQueryData(draftQuery(id, store).queryKey);
  if (!now) return void refreshLines(client, store, [id]);
  const findings = [...edited.readiness.findings, ...now.report.findings.filter((f) => f.area !== "description")];
  showDraft(client, store, {
    ...now,
    title: edited.title,
    description: edited.description,
    revision: edited.revision,
    changes: edited.changes,
    changed_in: now.live_in, // as the database marks each listing of a draft whose words were changed
    undo: edited.undo,
    undo_bulk: undefined,
    report: {
      ...now.report,
      description: edited.readiness.description,
      findings,
      ready: findings.every((f) => !f.stops),
    },
  });
}

/** namesQuery are the names that drafts have, for completion and for the filter. */
export const namesQuery = queryOptions({
  queryKey: ["draft-names"],
  queryFn: () => ask(api.GET("/api/drafts/names")),
  staleTime: 30_000,
});

/** traysQuery are the trays in order. */
export const traysQuery = queryOptions({ queryKey: ["trays"], queryFn: () => ask(api.GET("/api/trays")) });

/** wordingQuery are the lists of words that tidying goes by, and those that may not be used. */
export const wordingQuery = queryOptions({ queryKey: ["wording"], queryFn: () => ask(api.GET("/api/wording")) });

/** tidyQuery is what is proposed to tidy in a draft as it stands at a revision. */
export const tidyQuery = (id: number, revision: number) =>
  queryOptions({
    queryKey: ["draft", id, "tidy", revision],
    queryFn: () => ask(api.GET("/api/drafts/{id}/tidy", { params: { path: { id } } })),
  });

/** proposalsQuery are what could be put right with the options of a draft, as they are. */
export const proposalsQuery = (id: number, options: string) =>
  queryOptions({
    queryKey: ["draft", id, "proposals", options],
    queryFn: () => ask(api.GET("/api/drafts/{id}/proposals", { params: { path: { id } } })),
    staleTime: 60_000,
  });

type TableRow = Schemas["WorkbenchTableRow"];
type TablePage = Schemas["WorkbenchTablePage"];

/** tableQuery reads the drafts that a filter finds as rows of a table, with their variants where those are rows. */
export const tableQuery = (store: number, filter: DraftFilter, variants: boolean) =>
  infiniteQueryOptions({
    queryKey: ["draft-table", store, filter, variants],
    queryFn: ({ pageParam }) =>
      ask(
        api.GET("/api/drafts/table", {
          params: { query: { ...filter, store, variants, before: pageParam, limit: 100 } },
        }),
      ),
    initialPageParam: 0,
    getNextPageParam: (last: TablePage) => last.next || undefined,
  });

/** updateRows changes rows of the table as they are shown. */
export function updateRows(client: QueryClient, key: readonly unknown[], change: (row: TableRow) => TableRow) {
  client.setQueryData<{ pages: TablePage[]; pageParams: number[] }>(key as unknown as QueryKey, (now) =>
    now ? { ...now, pages: now.pages.map((p) => ({ ...p, rows: p.rows.map(change) })) } : now,
  );
}

/** undoBulk takes back a change of many drafts. */
export const undoBulk = (id: number) => ask(api.POST("/api/drafts/bulk/{id}/undo", { params: { path: { id } } }));

/** undoneWords says what was taken back, and what stays. */
export function undoneWords({ undone, edited_since }: Schemas["WorkbenchUndoBulkResult"]): string {
  const stay = edited_since > 0 ? `; ${edited_since} were edited since and stay` : "";
  return `Undone in ${undone === 1 ? "1 draft" : `${undone} drafts`}${stay}.`;
}
