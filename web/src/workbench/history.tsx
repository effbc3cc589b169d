import { useInfiniteQuery } from "@tanstack/react-query";
import { api, ask, type Draft, type Problem, type Schemas } from "../api/client";
import { useSession } from "../frame/session";
import { Button, Dialog } from "../parts/controls";
import { Difference } from "../parts/difference";
import { ago } from "../parts/time";
import type { Edit, EditDraft } from "./draft";

type Page = Schemas["WorkbenchHistory"];

const restorable: { field: NonNullable<Edit["restore"]>[number]; name: string }[] = [
  { field: "title", name: "title" },
  { field: "description", name: "description" },
  { field: "pictures", name: "pictures" },
  { field: "options", name: "options" },
];

/** History says who changed what in a draft, the last first, and brings fields back to what the supplier says. */
export function History({ draft, edit, onClose }: { draft: Draft; edit: EditDraft; onClose: () => void }) {
  const { may } = useSession();
  const pages = useInfiniteQuery<Page, Problem, { pages: Page[] }, readonly ["history", number, number], number>({
    queryKey: ["history", draft.id, draft.revision],
    queryFn: ({ pageParam }) =>
      ask(api.GET("/api/drafts/{id}/history", { params: { path: { id: draft.id }, query: { before: pageParam } } })),
    initialPageParam: 0,
    getNextPageParam: (last) => last.next || undefined,
  });
  const entries = pages.data?.pages.flatMap((p) => p.entries ?? []) ?? [];
  const restore = (fields: typeof restorable) => {
    edit({ restore: fields.map((r) => r.field) });
    onClose();
  };
  return (
    <Dialog open onClose={onClose} title="History" size="wide">
      {pages.error && (
        <p className="text-loss" role="alert">
          {pages.error.message}
        </p>
      )}
      {pages.data && entries.length === 0 && <p className="text-ink-2">Nothing was changed since it was taken.</p>}
      <ol className="divide-y divide-line">
        {entries.map((e) => (
          <li key={e.id} className={`py-2 ${e.undone ? "text-ink-2" : ""}`}>
            <p>
              <b className="font-semibold">{e.member}</b> {e.undoes ? `took back: ${e.what}` : `changed the ${e.what}`}
              {e.drafts > 1 && ` of ${e.drafts} drafts`}{" "}
              <span className="text-sm text-ink-2">
                {ago(e.at)}
                {e.undone && ", taken back since"}
              </span>
            </p>
            {e.changes?.map((c) => (
              <p key={c.field} className="text-sm">
                <span className="text-ink-2">{c.field}: </span>
                <Difference before={c.before} after={c.after} />
              </p>
            ))}
          </li>
        ))}
      </ol>
      {pages.hasNextPage && (
        <Button tone="quiet" onClick={() => void pages.fetchNextPage()} disabled={pages.isFetchingNextPage}>
          Show earlier ones
        </Button>
      )}
      {may("editor") && (
        <p className="mt-3 flex flex-wrap items-center gap-1.5 border-t border-line pt-3">
          <span className="text-ink-2">Back to the supplier's:</span>
          {restorable.map((r) => (
            <Button key={r.field} tone="quiet" onClick={() => restore([r])}>
              {r.name}
            </Button>
          ))}
          <Button tone="quiet" onClick={() => restore(restorable)}>
            all of these
          </Button>
        </p>
      )}
    </Dialog>
  );
}
