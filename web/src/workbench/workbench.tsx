import { useInfiniteQuery } from "@tanstack/react-query";
import { useMemo, useRef, useState } from "react";
import { useNavigate, useParams } from "react-router";
import type { Draft, DraftLine, Problem } from "../api/client";
import { type Away, useAway } from "../api/connection";
import { useSession } from "../frame/session";
import { Button, Notice } from "../parts/controls";
import { Fields } from "../parts/fields";
import { useKept } from "../parts/kept";
import { useKeys } from "../parts/keys";
import { movedByKey } from "../parts/list";
import { Discard, UndoBulk, UndoSince } from "./dialogs";
import { useDraft } from "./draft";
import { Editor } from "./editor";
import { DraftList } from "./list";
import { editsWait, type Pending } from "./pending";
import { priceField } from "./price";
import { Prices } from "./prices";
import { Publish } from "./publish";
import { draftsQuery, linesOf } from "./queries";
import { StorePreview } from "./store-preview";

/** Workbench holds drafts: what each lacks, the one being edited, and how it will stand in the store. */
export default function Workbench() {
  const { storeId, may } = useSession();
  const go = useNavigate();
  const wanted = Number(useParams().id) || 0;
  const drafts = useInfiniteQuery(draftsQuery(storeId));
  const list = useMemo(() => linesOf(drafts.data?.pages), [drafts.data]);
  const total = drafts.data?.pages.at(-1)?.total ?? 0;
  const more = drafts.hasNextPage && !drafts.isFetchingNextPage ? () => void drafts.fetchNextPage() : undefined;
  const found = list.findIndex((d) => d.id === wanted);
  const at = wanted ? found : list.length > 0 ? 0 : -1; // none where there is no such draft
  const here = list[at];
  const [selected, setMarked] = useKept<Set<number>>("workbench.selected", () => new Set());
  const [publishing, setPublishing] = useState<number[] | null>(null);
  const [pricing, setPricing] = useState<number[] | null>(null);
  const [bulk, setBulk] = useState<Draft["undo_bulk"]>();
  const [since, setSince] = useState("");
  const [discarding, setDiscarding] = useState<DraftLine | null>(null);
  const { read, draft, edit, undo, edits, saving } = useDraft(wanted || (here?.id ?? 0));
  const away = useAway();

  const move = (by: number) => {
    const next = list[at < 0 ? 0 : Math.max(0, Math.min(at + by, list.length - 1))];
    if (at + by >= list.length) more?.();
    movedByKey();
    if (next) go(`/workbench/${next.id}`, { replace: true });
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
  const publish = () => {
    if (storeId && here) setPublishing(ids.length > 0 ? ids : [here.id]);
  };
  // In the order of the list, which is the order of a pasted column.
  const price = () => {
    if (storeId && here)
      setPricing(ids.length > 0 ? list.filter((d) => selected.has(d.id)).map((d) => d.id) : [here.id]);
  };
  const undoNow = () => {
    if (!draft || (!draft.undo && edits.length === 0)) return;
    if (draft.undo_bulk && edits.length === 0) setBulk(draft.undo_bulk);
    else undo.mutate(undefined, { onError: (error) => error.value !== undefined && setSince(error.message) });
  };
  // All there are: those that were not read yet are read first.
  const selectAll = async (all: boolean) => {
    let read = drafts.data;
    while (all && read && (read.pages.at(-1)?.next ?? 0) > 0) read = (await drafts.fetchNextPage()).data;
    setMarked(new Set(all ? linesOf(read?.pages).map((d) => d.id) : []));
  };
  const fields = useRef(new Map<string, HTMLElement>()).current;
  const toField = (name: string) => () => fields.get(name)?.focus();
  const toPrice = () => {
    const first = draft?.variants.findIndex((_, row) => fields.has(priceField(row))) ?? -1;
    fields.get(priceField(first))?.focus();
  };
  useKeys([
    { keys: ["j", "ArrowDown"], label: "next draft", run: () => move(1) },
    { keys: ["k", "ArrowUp"], label: "previous draft", run: () => move(-1) },
    { keys: ["x"], label: "select", run: () => mark(here?.id) },
    { keys: ["1"], label: "description", run: toField("title") },
    { keys: ["2"], label: "pictures", run: toField("pictures") },
    { keys: ["3"], label: "variants", run: toField("variants") },
    { keys: ["4"], label: "price", run: toPrice },
    {
      keys: ["e"],
      label: "other suppliers",
      run: () => draft && go(`/catalog/alternatives/${draft.offer_id}?draft=${draft.id}`),
    },
    ...(may("editor")
      ? [
          { keys: ["p"], label: "publish", run: publish },
          { keys: ["c"], label: "change prices", run: price },
          { keys: ["ctrl+z"], label: "undo", run: undoNow },
        ]
      : []),
    { keys: ["Escape"], label: "", run: () => setMarked(new Set()) },
  ]);

  if (drafts.error && !drafts.data)
    return <NotListed why={drafts.error.message} onAgain={() => void drafts.refetch()} />;
  if (drafts.data && list.length === 0) return <NoDrafts />;
  return (
    <main className="flex min-h-0 grow">
      <h1 className="sr-only">Workbench</h1>
      <DraftList
        list={list}
        total={total}
        more={more}
        at={at}
        selected={selected}
        onSelect={mark}
        onSelectAll={(all) => void selectAll(all)}
        onPoint={(id) => go(`/workbench/${id}`)}
      />
      {read.error && !draft ? (
        <NotRead error={read.error} id={wanted} onAgain={() => void read.refetch()} />
      ) : (
        draft && (
          <Fields value={fields}>
            <Editor key={draft.id} draft={draft} edit={edit} edits={edits} readOnly={!may("editor")} />
            <StorePreview
              draft={draft}
              selected={ids.length}
              state={stateOf(edits, saving, undo.isPending, away)}
              onClean={() => edit({ remove_contacts: true })}
              onPublish={publish}
              onPrice={price}
              onUndo={undoNow}
              onDiscard={() => here && setDiscarding(here)}
            />
          </Fields>
        )
      )}
      {pricing && <Prices ids={pricing} onClose={() => setPricing(null)} />}
      {publishing && <Publish ids={publishing} drafts={list} onClose={() => setPublishing(null)} />}
      {bulk && <UndoBulk bulk={bulk} onClose={() => setBulk(undefined)} />}
      {since && (
        <UndoSince
          words={since}
          onUndo={() => {
            setSince("");
            undo.mutate({ force: true });
          }}
          onClose={() => setSince("")}
        />
      )}
      {discarding && <Discard draft={discarding} onClose={() => setDiscarding(null)} />}
    </main>
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
