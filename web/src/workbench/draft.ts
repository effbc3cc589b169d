import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, ask, type Draft, type Problem, type Schemas } from "../api/client";
import { useSession } from "../frame/session";
import { useSay } from "../parts/toast";

export type Edit = Omit<Schemas["WorkbenchEdit"], "revision">;

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
    scope: { id: `draft ${id}` },
    mutationFn: (change) => {
      const revision = client.getQueryData<Draft>(key)?.revision ?? 0;
      return ask(api.PATCH("/api/drafts/{id}", { params: { path: { id }, query: { store: storeId } }, body: { revision, ...change } }));
    },
    onSuccess: settle,
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
