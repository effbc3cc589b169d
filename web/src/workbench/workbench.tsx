import { useInfiniteQuery, useQueryClient } from "@tanstack/react-query";
import { type ComponentProps, memo, useEffect, useMemo, useRef, useState } from "react";
import type { Draft, Problem } from "../api/client";
import { type Away, useAway } from "../api/connection";
import { useSession } from "../frame/session";
import { Button, Notice } from "../parts/controls";
import { FieldMap, Fields } from "../parts/fields";
import { useKept } from "../parts/kept";
import { useKeys } from "../parts/keys";
import { movedByKey } from "../parts/list";
import { useNarrow } from "../parts/room";
import { Link, useNavigate, useParams } from "../parts/route";
import { type Dialog, Dialogs } from "./dialogs";
import { useDraft } from "./draft";
import { Editor } from "./editor";
import { FilterSentence, useDraftFilter } from "./filter";
import { DraftList } from "./list";
import { editsWait, type Pending } from "./pending";
import { priceField } from "./price";
import { draftQuery, draftsQuery, linesOf } from "./queries";
import { StorePreview } from "./store-preview";
import { TrayStrip } from "./trays";

/** Workbench holds drafts: what each lacks, the one being edited, and how it will stand in the store. */
export default function Workbench() {
  const { storeId, may } = useSession();
  const go = useNavigate();
  const wanted = Number(useParams().id) || 0;
  const { filter, change, search, asked } = useDraftFilter();
  const drafts = useInfiniteQuery({ ...draftsQuery(storeId, filter), placeholderData: (before) => before });
  const list = useMemo(() => linesOf(drafts.data?.pages), [drafts.data]);
  const total = drafts.data?.pages[0]?.total ?? 0;
  const aside = drafts.data?.pages[0]?.aside ?? 0;
  const to = (id: number) => ({ pathname: `/workbench/${id}`, search });
  const more = drafts.hasNextPage && !drafts.isFetchingNextPage ? () => void drafts.fetchNextPage() : undefined;
  const found = list.findIndex((d) => d.id === wanted);
  const at = wanted ? found : list.length > 0 ? 0 : -1; // none where there is no such draft
  const here = list[at];
  const [selected, setMarked] = useKept<Set<number>>("workbench.selected", () => new Set());
  const [dialog, setDialog] = useState<Dialog>();
  const { read, draft, edit, undo, redo, edits, saving } = useDraft(wanted || (here?.id ?? 0));
  const away = useAway();
  const fields = useRef(new FieldMap()).current;
  const narrow = useNarrow(); // the list and a draft are two views then

  const move = (by: number) => {
    const next = list[at < 0 ? 0 : Math.max(0, Math.min(at + by, list.length - 1))];
    if (at + by >= list.length) more?.();
    movedByKey();
    fields.wanted = "";
    if (next) go(to(next.id), { replace: true });
  };
  const mark = (id: number | undefined) => {
    if (!id) return;
    setMarked((before) => {
      const next = new Set(before);
      if (!next.delete(id)) next.add(id);
      return next;
    });
  };
  const ids = [...selected].filter((id) => list.some((d) => d.id === id));
  // Of all that are selected, in the order of the list, which is that of a pasted column; or of the one that is shown.
  const onMany = (of: "publish" | "prices" | "change" | "move") => () => {
    if (!here || (!storeId && (of === "publish" || of === "prices"))) return;
    setDialog({ of, ids: ids.length > 0 ? list.filter((d) => selected.has(d.id)).map((d) => d.id) : [here.id] });
  };
  const onDraft = (of: "tidy" | "history") => () => draft && setDialog({ of });
  const undoNow = () => {
    if (!draft || (!draft.undo && edits.length === 0)) return;
    if (draft.undo_bulk && edits.length === 0) setDialog({ of: "undo bulk", bulk: draft.undo_bulk });
    else
      undo.mutate(undefined, {
        onError: (error) => error.value !== undefined && setDialog({ of: "undo since", words: error.message }),
      });
  };
  const redoNow = () => draft?.redo && redo.mutate(undefined);
  // All there are: those that were not read yet are read first.
  const selectAll = async (all: boolean) => {
    let read = drafts.data;
    while (all && read && (read.pages.at(-1)?.next ?? 0) > 0) read = (await drafts.fetchNextPage()).data;
    setMarked(new Set(all ? linesOf(read?.pages).map((d) => d.id) : []));
  };
  useNeighbours(storeId, list[at - 1]?.id, list[at + 1]?.id);
  const { toField, toPrice } = useFieldKeys(fields, draft?.id === (wanted || here?.id) ? draft : undefined);
  useBenchKeys({
    move,
    select: () => mark(here?.id),
    toField,
    toPrice,
    alternatives: () => draft && go(`/catalog/alternatives/${draft.offer_id}?draft=${draft.id}`),
    onMany,
    onDraft,
    undo: undoNow,
    redo: redoNow,
    table: () => go({ pathname: "/workbench/table", search }),
    clear: () => setMarked(new Set()),
  });

  if (drafts.error && !drafts.data)
    return <NotListed why={drafts.error.message} onAgain={() => void drafts.refetch()} />;
  if (drafts.data && list.length === 0 && !asked && aside === 0) return <NoDrafts />;
  return (
    <Fields value={fields}>
      <main className="flex min-h-0 grow max-md:flex-col">
        <h1 className="sr-only">Workbench</h1>
        {narrow && wanted > 0 ? (
          <AllDrafts search={search} />
        ) : (
          <DraftList
            list={list}
            total={total}
            more={more}
            at={at}
            selected={selected}
            onSelect={mark}
            onSelectAll={(all) => void selectAll(all)}
            onPoint={(id) => go(to(id))}
            aside={aside}
            table={{ pathname: "/workbench/table", search }}
            onDrag={may("editor") ? (id) => (selected.has(id) ? ids : [id]) : undefined}
          >
            <FilterSentence filter={filter} change={change} />
            <TrayStrip
              filter={filter}
              change={change}
              readOnly={!may("editor")}
              onManage={() => setDialog({ of: "trays" })}
            />
          </DraftList>
        )}
        {read.error && !draft ? (
          <NotRead error={read.error} id={wanted} onAgain={() => void read.refetch()} />
        ) : (
          draft &&
          (narrow ? wanted : wanted || here) && (
            <>
              <OneDraft key={draft.id} draft={draft} edit={edit} edits={edits} />
              <StorePreview
                draft={draft}
                selected={ids.length}
                state={stateOf(edits, saving, undo.isPending, away)}
                onClean={() => edit({ remove_contacts: true })}
                onPublish={onMany("publish")}
                onPrice={onMany("prices")}
                onChange={onMany("change")}
                onTidy={onDraft("tidy")}
                onHistory={onDraft("history")}
                onUndo={undoNow}
                onRedo={redoNow}
                onDiscard={() => here && setDialog({ of: "discard", draft: here })}
              />
            </>
          )
        )}
        {drafts.data && list.length === 0 && !wanted && (
          <NoMatch aside={aside} onClear={asked ? () => go("/workbench") : undefined} />
        )}
        {dialog && (
          <Dialogs
            dialog={dialog}
            draft={draft}
            edit={edit}
            onUndo={() => undo.mutate({ force: true })}
            onClose={() => setDialog(undefined)}
          />
        )}
      </main>
    </Fields>
  );
}

/** AllDrafts leads back to the list on a narrow screen, where a draft is a view of its own. */
function AllDrafts({ search }: { search: string }) {
  return (
    <Link to={{ pathname: "/workbench", search }} className="flex min-h-11 shrink-0 items-center px-4 font-semibold">
      ‹ All drafts
    </Link>
  );
}

/** OneDraft is a draft to be edited, or to be brought back. */
const OneDraft = memo(function OneDraft({ draft, edit, edits }: Omit<ComponentProps<typeof Editor>, "readOnly">) {
  const { may } = useSession();
  const changes = may("editor");
  if (draft.discarded)
    return <Discarded draft={draft} onBack={changes ? () => edit({ bring_back: true }) : undefined} />;
  return <Editor draft={draft} edit={edit} edits={edits} readOnly={!changes} />;
});

function Discarded({ draft, onBack }: { draft: Draft; onBack: (() => void) | undefined }) {
  return (
    <Notice title="This draft was discarded">
      <p>“{draft.title}” can be brought back for thirty days.</p>
      {onBack && <Button onClick={onBack}>Bring it back</Button>}
    </Notice>
  );
}

function NoMatch({ aside, onClear }: { aside: number; onClear: (() => void) | undefined }) {
  return (
    <Notice title="No draft matches">
      <p>{aside > 0 ? `${aside} that match are put aside: choose their tray to see them.` : "Ask for less."}</p>
      {onClear && <Button onClick={onClear}>Clear the filter</Button>}
    </Notice>
  );
}

function NotListed({ why, onAgain }: { why: string; onAgain: () => void }) {
  return (
    <main className="grow">
      <Notice alone title="The Workbench cannot be shown" error>
        <p>{why}</p>
        <Button onClick={onAgain}>Try again</Button>
      </Notice>
    </main>
  );
}

function NoDrafts() {
  const go = useNavigate();
  return (
    <main className="grow">
      <Notice alone title="The Workbench is empty">
        <p>
          Take offers here from the Catalog. Each becomes a draft: your own words, pictures, variants and price, ready
          to publish.
        </p>
        <Button tone="main" onClick={() => go("/catalog")}>
          Go to the Catalog
        </Button>
      </Notice>
    </main>
  );
}

function NotRead({ error, id, onAgain }: { error: Problem; id: number; onAgain: () => void }) {
  const go = useNavigate();
  if (error.status === 404)
    return (
      <Notice title="There is no such draft" error>
        <p>Draft {id} is not here: it was discarded, or never was.</p>
        <Button onClick={() => go("/workbench")}>Show the newest draft</Button>
      </Notice>
    );
  return (
    <Notice title="This draft cannot be shown" error>
      <p>{error.message}</p>
      <Button onClick={onAgain}>Try again</Button>
    </Notice>
  );
}

/** stateOf says whether what was typed is in the database. */
function stateOf(edits: Pending[], saving: string, undoing: boolean, away: Away | null): string {
  const waiting = edits.filter((p) => !p.refused).length;
  if (edits.some((p) => p.refused)) return "Not saved: choose above what to keep.";
  if (waiting > 0 && away) return `${editsWait(waiting)} in this browser. ${away.words}`;
  if (waiting > 0 || saving || undoing) return "Saving…";
  return "";
}

/** useNeighbours reads the drafts beside the one that is shown, so that J and K show them at once. */
function useNeighbours(store: number, previous: number | undefined, next: number | undefined) {
  const client = useQueryClient();
  useEffect(() => {
    const timer = setTimeout(() => {
      for (const id of [next, previous])
        if (id) void client.prefetchQuery({ ...draftQuery(id, store), staleTime: 30_000 });
    }, 150);
    return () => clearTimeout(timer);
  }, [client, store, previous, next]);
}

/** useFieldKeys leads to a field by its name; one of a draft that is not there yet is come to with it. */
function useFieldKeys(fields: FieldMap, draft: Draft | undefined) {
  const toField = (name: string) => {
    if (name === "filter" || draft) fields.come(name);
    else fields.wanted = name;
  };
  const toPrice = () => {
    fields.complete();
    const first = draft?.variants.find((v) => fields.has(priceField(v.id))) ?? draft?.variants[0];
    if (first) toField(priceField(first.id));
  };
  return { toField, toPrice };
}

type Acts = {
  move: (by: number) => void;
  select: () => void;
  toField: (name: string) => void;
  toPrice: () => void;
  alternatives: () => void;
  onMany: (of: "publish" | "prices" | "change" | "move") => () => void;
  onDraft: (of: "tidy" | "history") => () => void;
  undo: () => void;
  redo: () => void;
  table: () => void;
  clear: () => void;
};

/** useBenchKeys are the keys that work in the Workbench. */
function useBenchKeys(acts: Acts) {
  const { may } = useSession();
  const { toField, onMany, onDraft } = acts;
  useKeys([
    { keys: ["j", "ArrowDown"], label: "next draft", run: () => acts.move(1) },
    { keys: ["k", "ArrowUp"], label: "previous draft", run: () => acts.move(-1) },
    { keys: ["x"], label: "select", run: acts.select },
    { keys: ["1"], label: "description", run: () => toField("title") },
    { keys: ["2"], label: "pictures", run: () => toField("pictures") },
    { keys: ["3"], label: "variants", run: () => toField("variants") },
    { keys: ["4"], label: "price", run: acts.toPrice },
    { keys: ["e"], label: "other suppliers", run: acts.alternatives },
    ...(may("editor")
      ? [
          { keys: ["p"], label: "publish", run: onMany("publish") },
          { keys: ["c"], label: "change prices", run: onMany("prices") },
          { keys: ["b"], label: "change words", run: onMany("change") },
          { keys: ["v"], label: "move to a tray", run: onMany("move") },
          { keys: ["t"], label: "tidy", run: onDraft("tidy") },
          { keys: ["ctrl+z"], label: "undo", run: acts.undo },
          { keys: ["ctrl+shift+z", "ctrl+y"], label: "", run: acts.redo },
        ]
      : []),
    { keys: ["/"], label: "filter", run: () => toField("filter") },
    { keys: ["o"], label: "as a table", run: acts.table },
    { keys: ["h"], label: "history", run: onDraft("history") },
    { keys: ["Escape"], label: "", run: acts.clear },
  ]);
}
