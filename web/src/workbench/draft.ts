import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, ask, type Draft, type Problem, type Schemas } from "../api/client";
import { useSession } from "../frame/session";
import { useSay } from "../parts/toast";

export type Edit = Omit<Schemas["WorkbenchEdit"], "revision">;

/** EditDraft saves a change; refused puts back what is shown where it is not taken. */
export type EditDraft = (change: Edit, refused?: () => void) => void;

/** useDraft reads one draft, and edits it: each edit is saved at once, one after another. */
export function useDraft(id: number) {
  const { storeId } = useSession();
  const client = useQueryClient();
  const say = useSay();
  const key = ["draft", id, storeId];
  const draft = useQuery<Draft, Problem>({
    queryKey: key,
    queryFn: () => ask(api.GET("/api/drafts/{id}", { params: { path: { id }, query: { store: storeId } } })),
    enabled: id > 0,
  });
  const settle = (next: Draft) => {
    client.setQueryData(key, next);
    void client.invalidateQueries({ queryKey: ["drafts"] });
  };
  const refuse = (error: Problem) => {
    say(error.message, true);
    void client.invalidateQueries({ queryKey: key });
  };
  const edit = useMutation<Draft, Problem, Edit>({
    mutationKey: ["edit", id],
    onMutate: (change) => {
      client.setQueryData<Draft>(key, (now) => now && shownAtOnce(now, change));
    },
    scope: { id: `draft ${id}` },
    mutationFn: (change) => {
      const revision = client.getQueryData<Draft>(key)?.revision ?? 0;
      return ask(api.PATCH("/api/drafts/{id}", { params: { path: { id }, query: { store: storeId } }, body: { revision, ...change } }));
    },
    onSuccess: (next) => {
      // While later edits wait their turn, what they show stands; only the revision moves on.
      if (client.isMutating({ mutationKey: ["edit", id] }) > 1) client.setQueryData<Draft>(key, (now) => now && { ...now, revision: next.revision });
      else settle(next);
    },
    onError: refuse,
  });
  const undo = useMutation<Draft, Problem, void>({
    scope: { id: `draft ${id}` },
    mutationFn: () => ask(api.POST("/api/drafts/{id}/undo", { params: { path: { id }, query: { store: storeId } } })),
    onSuccess: (next) => {
      settle(next);
      say("Taken back.");
    },
    onError: refuse,
  });
  return { draft, edit, undo };
}

/** shownAtOnce is a draft as it looks before the server has answered; prices and readiness follow with the answer. */
function shownAtOnce(draft: Draft, change: Edit): Draft {
  const next = { ...draft };
  if (change.title !== undefined) next.title = change.title;
  if (change.collections) next.collections = change.collections;
  if (change.tags) next.tags = change.tags;
  if (change.description !== undefined) next.description = change.description;
  if (change.pictures)
    next.pictures = change.pictures.flatMap(({ place, shown }) => draft.pictures.filter((p) => p.place === place).map((p) => ({ ...p, shown })));
  if (change.options) {
    const options = change.options;
    const renamed = (value: string, i: number) => options[i]?.values[draft.options[i]?.values.findIndex((v) => v.name === value) ?? -1]?.name ?? value;
    next.options = options;
    next.variants = draft.variants.map((v) => ({ ...v, values: v.values.map(renamed) }));
  }
  if (change.chosen) {
    const chosen = new Set(change.chosen);
    next.variants = next.variants.map((v) => ({ ...v, chosen: chosen.has(v.id) }));
  }
  return next;
}
