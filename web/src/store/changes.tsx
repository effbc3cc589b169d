import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Problem, type Schemas, type Store } from "../api/client";
import { refresh } from "../api/refresh";
import { useSession } from "../frame/session";
import { listingsQuery } from "../listings/queries";
import { Button } from "../parts/controls";
import { Link } from "../parts/route";
import { ago } from "../parts/time";
import { useSay } from "../parts/toast";
import { changesQuery } from "./queries";

/** Changes lists who changed the money rules, when, what, and how many prices moved; the newest can be taken back. */
export function Changes({ store, newest }: { store: Store; newest: number }) {
  const { may } = useSession();
  const [all, setAll] = useState(false);
  const client = useQueryClient();
  const say = useSay();
  const changes = useQuery(changesQuery(store.id));
  const back = useMutation<unknown, Problem, number>({
    mutationFn: (revision) =>
      ask(api.POST("/api/stores/{id}/money-rules/undo", { params: { path: { id: store.id } }, body: { revision } })),
    onSuccess: () => {
      say("Undone. Prices go back to what they were.");
      void refresh(client, "money-rules", "changes", "header");
    },
    onError: (error) => say(error.message, true),
  });
  const list = changes.data ?? [];
  const shown = all ? list : list.slice(0, 6);
  return (
    <section className="mt-6 mb-4" aria-label="Past changes">
      <NotSent store={store} />
      <h2 className="mb-1 text-lg">Past changes</h2>
      <ul>
        {shown.map((c) => (
          <li key={`${c.revision} ${c.run?.id}`} className="flex items-start gap-3 border-t border-line py-1.5">
            <span className="min-w-0 grow">
              <span className={c.undone ? "line-through decoration-ink-2" : ""}>{c.what}</span>
              <span className="block text-sm text-ink-2">
                {c.changed_by || "Plain Pelican"}, {ago(c.changed_at)} · {runWords(c.run)}
              </span>
            </span>
            {c.revision === newest && c.revision > 1 && may("owner") && (
              <Button onClick={() => back.mutate(c.revision)} disabled={back.isPending}>
                Undo this change
              </Button>
            )}
          </li>
        ))}
      </ul>
      {list.length > 6 && !all && (
        <button type="button" className="min-h-7 underline" onClick={() => setAll(true)}>
          All {list.length} changes
        </button>
      )}
    </section>
  );
}

/** NotSent says how many listings still show prices from before, and leads to where they are sent. */
function NotSent({ store }: { store: Store }) {
  const moved = useInfiniteQuery(listingsQuery(store.id, { state: "moved" })).data?.pages[0]?.total ?? 0;
  if (moved === 0) return null;
  return (
    <p className="mb-3 rounded-md bg-beak-wash p-2.5">
      {moved === 1 ? "1 listing shows" : `${moved.toLocaleString("en")} listings show`} prices in {store.name} that have
      moved here since.{" "}
      <Link to="/listings?state=moved" className="underline">
        See them and send them
      </Link>
    </p>
  );
}

function runWords(run: Schemas["PricingRun"] | null): string {
  if (!run) return "the beginning";
  const moved = run.moved === 1 ? "1 price moved" : `${run.moved.toLocaleString("en")} prices moved`;
  return run.state === "finished"
    ? moved
    : `repricing, ${run.seen.toLocaleString("en")} of ${run.drafts.toLocaleString("en")} drafts so far, ${moved}`;
}
