import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect } from "react";
import { api, ask, type Draft, type Problem } from "../api/client";
import { refresh } from "../api/refresh";
import { useSession } from "../frame/session";
import { useSay } from "../parts/toast";
import { add, drop, type Edit, type Pending, send, usePending, whenSaved } from "./pending";
import { draftQuery, showDraft, showEdited } from "./queries";

export type { Edit } from "./pending";

/** EditDraft keeps a change and saves it. Seen is the draft as it was when the person began. */
export type EditDraft = (change: Edit, seen?: Draft) => void;

/** useDraft reads one draft as it looks with the edits that are not saved yet, and edits it. */
export function useDraft(id: number) {
  const { storeId } = useSession();
  const client = useQueryClient();
  const say = useSay();
  const read = useQuery(draftQuery(id, storeId));
  const { edits, saving } = usePending(id);
  useEffect(
    () =>
      whenSaved((saved, store, edited, change) => {
        showEdited(client, store, saved, edited);
        if (change.collections || change.tags || change.type || change.vendor) void refresh(client, "draft-names");
        if (change.tray !== undefined || change.bring_back) void refresh(client, "trays", "drafts", "header");
      }),
    [client],
  );
  useEffect(() => void send(), []); // what waited through a reload
  const draft = read.data && edits.filter((p) => !p.refused).reduce((now, p) => shownAtOnce(now, p.change), read.data);
  const undo = useMutation<Draft | undefined, Problem, { force?: boolean } | undefined>({
    scope: { id: `draft ${id}` },
    mutationFn: async (how) => {
      const last = edits.filter((p) => p.id !== saving).at(-1);
      if (last) {
        drop(last.id); // it was not saved yet
        return undefined;
      }
      return ask(
        api.POST("/api/drafts/{id}/undo", {
          params: { path: { id }, query: { store: storeId, force: how?.force ?? false } },
        }),
      );
    },
    onSuccess: (next) => {
      if (next) showDraft(client, storeId, next);
      say("Undone.");
    },
    onError: (error) => {
      void client.invalidateQueries({ queryKey: draftQuery(id, storeId).queryKey });
      if (!error.value) say(error.message, true); // else somebody changed it since, and is asked about
    },
  });
  const redo = useMutation<Draft, Problem, { force?: boolean } | undefined>({
    scope: { id: `draft ${id}` },
    mutationFn: (how) =>
      ask(
        api.POST("/api/drafts/{id}/redo", {
          params: { path: { id }, query: { store: storeId, force: how?.force ?? false } },
        }),
      ),
    onSuccess: (next) => {
      showDraft(client, storeId, next);
      say("Done again.");
    },
    onError: (error) => {
      void client.invalidateQueries({ queryKey: draftQuery(id, storeId).queryKey });
      say(error.message, true);
    },
  });
  const stored = read.data;
  const edit = useCallback<EditDraft>(
    (change, seen) => stored && add(seen ?? stored, storeId, change),
    [stored, storeId],
  );
  return { read, draft, edit, undo, redo, edits, saving };
}

/** refusedOf is the edit of a field that was refused and waits for a choice. */
export function refusedOf(edits: Pending[], field: keyof Edit): Pending | undefined {
  return edits.find((p) => p.refused && p.change[field] !== undefined);
}

/** shownAtOnce is a draft as it looks before the server has answered; prices and readiness follow with the answer. */
function shownAtOnce(draft: Draft, change: Edit): Draft {
  const next = { ...draft };
  if (change.title !== undefined) next.title = change.title;
  for (const f of ["type", "vendor", "search_title", "search_description"] as const)
    if (change[f] !== undefined) next[f] = change[f];
  if (change.delivery !== undefined) next.service = change.delivery;
  if (change.reserve !== undefined) next.reserve = change.reserve;
  if (change.tray !== undefined) next.tray_id = change.tray;
  if (change.own_title !== undefined) next.own = { ...next.own, title: change.own_title };
  if (change.own_description !== undefined) next.own = { ...next.own, description: change.own_description };
  const codes = change.codes;
  if (codes)
    next.variants = next.variants.map((v) => {
      const own = codes.find((c) => c.variant_id === v.id);
      return own ? { ...v, sku: own.sku ?? v.sku, barcode: own.barcode ?? v.barcode } : v;
    });
  if (change.collections) next.collections = change.collections;
  if (change.tags) next.tags = change.tags;
  if (change.description !== undefined) next.description = change.description;
  if (change.pictures)
    next.pictures = change.pictures.flatMap(({ id, shown }) =>
      draft.pictures.filter((p) => p.id === id).map((p) => ({ ...p, shown })),
    );
  if (change.options) {
    const options = change.options;
    const renamed = (value: string, i: number) =>
      options[i]?.values[draft.options[i]?.values.findIndex((v) => v.name === value) ?? -1]?.name ?? value;
    next.options = options;
    next.variants = draft.variants.map((v) => ({ ...v, values: v.values.map(renamed) }));
  }
  if (change.chosen) {
    const chosen = new Set(change.chosen);
    next.variants = next.variants.map((v) => ({ ...v, chosen: chosen.has(v.id) }));
  }
  return next;
}
