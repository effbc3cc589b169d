import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate, useParams } from "react-router";
import { api, ask, type Draft, type DraftLine } from "../api/client";
import { type Away, useAway } from "../api/connection";
import { useSession } from "../frame/session";
import { Button, Dialog, Notice, Picture, Tick } from "../parts/controls";
import { useKept } from "../parts/kept";
import { useKeys } from "../parts/keys";
import { useRows } from "../parts/list";
import { ReadinessMarks } from "../parts/readiness";
import { useSay } from "../parts/toast";
import { useDraft } from "./draft";
import { Editor } from "./editor";
import { editsWait, type Pending } from "./pending";
import { Prices } from "./prices";
import { Publish } from "./publish";
import { StorePreview } from "./store-preview";

const rowHeight = 50;

/** Workbench holds drafts: what each lacks, the one being edited, and how it will stand in the store. */
export default function Workbench() {
  const { storeId, may } = useSession();
  const go = useNavigate();
  const wanted = Number(useParams().id) || 0;
  const drafts = useQuery({
    queryKey: ["drafts", storeId],
    queryFn: () => ask(api.GET("/api/drafts", { params: { query: { store: storeId } } })),
  });
  const list = drafts.data ?? [];
  const found = list.findIndex((d) => d.id === wanted);
  const at = wanted ? found : list.length > 0 ? 0 : -1; // none where there is no such draft
  const here = list[at];
  const [selected, setMarked] = useKept<Set<number>>("workbench.selected", () => new Set());
  const [publishing, setPublishing] = useState<number[] | null>(null);
  const [pricing, setPricing] = useState<number[] | null>(null);
  const [bulk, setBulk] = useState<Draft["undo_bulk"]>();
  const [discarding, setDiscarding] = useState<DraftLine | null>(null);
  const { read, draft, edit, undo, edits, saving } = useDraft(wanted || (here?.id ?? 0));
  const away = useAway();

  const move = (by: number) => {
    const next = list[at < 0 ? 0 : Math.max(0, Math.min(at + by, list.length - 1))];
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
    else undo.mutate();
  };
  const field = (name: string) => () => document.querySelector<HTMLElement>(`[data-field=${name}]`)?.focus();
  useKeys([
    { keys: ["j", "ArrowDown"], label: "next draft", run: () => move(1) },
    { keys: ["k", "ArrowUp"], label: "previous", run: () => move(-1) },
    { keys: ["x"], label: "select", run: () => mark(here?.id) },
    { keys: ["1"], label: "words", run: field("title") },
    { keys: ["2"], label: "pictures", run: field("pictures") },
    { keys: ["3"], label: "variants", run: field("variants") },
    { keys: ["4"], label: "price", run: field("price") },
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
    return (
      <main className="grow">
        <Notice alone title="The Workbench cannot be shown" error>
          <p>{drafts.error.message}</p>
          <Button onClick={() => void drafts.refetch()}>Try again</Button>
        </Notice>
      </main>
    );
  if (drafts.data && list.length === 0)
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
  return (
    <main className="flex min-h-0 grow">
      <h1 className="sr-only">Workbench</h1>
      <DraftList
        list={list}
        at={at}
        selected={selected}
        onSelect={mark}
        onSelectAll={(all) => setMarked(new Set(all ? list.map((d) => d.id) : []))}
        onPoint={(id) => go(`/workbench/${id}`)}
      />
      {read.error && !draft ? (
        <Notice title={read.error.status === 404 ? "There is no such draft" : "This draft cannot be shown"} error>
          <p>
            {read.error.status === 404
              ? `Draft ${wanted} is not here: it was discarded, or never was.`
              : read.error.message}
          </p>
          {read.error.status === 404 ? (
            <Button onClick={() => go("/workbench")}>Show the newest draft</Button>
          ) : (
            <Button onClick={() => void read.refetch()}>Try again</Button>
          )}
        </Notice>
      ) : (
        draft && (
          <>
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
          </>
        )
      )}
      {pricing && <Prices ids={pricing} onClose={() => setPricing(null)} />}
      {publishing && <Publish ids={publishing} drafts={list} onClose={() => setPublishing(null)} />}
      {bulk && <UndoBulk bulk={bulk} onClose={() => setBulk(undefined)} />}
      {discarding && <Discard draft={discarding} onClose={() => setDiscarding(null)} />}
    </main>
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

/** UndoBulk asks before a change of many drafts is undone as one. */
function UndoBulk({ bulk, onClose }: { bulk: NonNullable<Draft["undo_bulk"]>; onClose: () => void }) {
  const client = useQueryClient();
  const say = useSay();
  const undo = useMutation({
    mutationFn: () => ask(api.POST("/api/drafts/bulk/{id}/undo", { params: { path: { id: bulk.id } } })),
    onSuccess: (result) => {
      say(
        `Undone in ${result.undone === 1 ? "1 draft" : `${result.undone} drafts`}${result.edited_since > 0 ? `; ${result.edited_since} were changed since and stay` : ""}.`,
      );
      for (const key of ["drafts", "draft"]) void client.invalidateQueries({ queryKey: [key] });
      onClose();
    },
  });
  return (
    <Dialog open onClose={onClose} title={`Undo the ${bulk.what} of ${bulk.drafts} drafts?`}>
      <p className="mb-4">
        This was one change of {bulk.drafts} drafts, and is undone in all of them. What was changed in them since stays.
      </p>
      {undo.error && (
        <p className="mb-3 text-loss" role="alert">
          {undo.error.message}
        </p>
      )}
      <div className="flex justify-end gap-2">
        <Button onClick={onClose}>Cancel</Button>
        <Button tone="main" onClick={() => undo.mutate()} disabled={undo.isPending} autoFocus>
          Undo in {bulk.drafts} drafts
        </Button>
      </div>
    </Dialog>
  );
}

function DraftList({
  list,
  at,
  selected,
  onSelect,
  onSelectAll,
  onPoint,
}: {
  list: DraftLine[];
  at: number;
  selected: Set<number>;
  onSelect: (id: number) => void;
  onSelectAll: (all: boolean) => void;
  onPoint: (id: number) => void;
}) {
  const { box, items, size } = useRows(list.length, rowHeight, at);
  const ready = list.filter((d) => d.report.ready).length;
  return (
    <div className="flex w-[248px] shrink-0 flex-col border-r border-line bg-sunk">
      <div className="flex h-9 items-center justify-between border-b border-line pr-3 pl-1">
        <span className="flex items-center">
          <Tick
            checked={list.length > 0 && selected.size === list.length}
            onChange={onSelectAll}
            label="Select all drafts"
          />
          <b>{list.length === 1 ? "1 draft" : `${list.length} drafts`}</b>
        </span>
        <span className="text-sm text-ink-2">{selected.size > 0 ? `${selected.size} selected` : `${ready} ready`}</span>
      </div>
      <div ref={box} className="min-h-0 grow overflow-auto">
        <ul className="relative" style={{ height: size }} aria-label="Drafts">
          {items.map((item) => {
            const d = list[item.index];
            if (!d) return null;
            return (
              <li
                key={d.id}
                className={`absolute inset-x-0 flex items-center border-b border-line pl-1 ${item.index === at ? "bg-surface shadow-[inset_3px_0_0_var(--beak)]" : "hover:bg-surface"}`}
                style={{ transform: `translateY(${item.start}px)`, height: rowHeight }}
              >
                <Tick checked={selected.has(d.id)} onChange={() => onSelect(d.id)} label={`Select ${d.title}`} />
                <button
                  type="button"
                  className="flex min-w-0 grow items-center gap-2 self-stretch pr-2 text-left"
                  onClick={() => onPoint(d.id)}
                  aria-current={item.index === at}
                >
                  <Picture path={d.picture} width={96} className="size-9 shrink-0 border border-line" />
                  <span className="min-w-0 grow">
                    <span className="block truncate font-semibold" title={d.title}>
                      {d.title || "No title"}
                    </span>
                    <ReadinessMarks report={d.report} />
                  </span>
                </button>
              </li>
            );
          })}
        </ul>
      </div>
      <p className="border-t border-line px-3 py-1.5 text-xs text-ink-2">marks: words · pictures · variants · price</p>
    </div>
  );
}

function Discard({ draft, onClose }: { draft: DraftLine; onClose: () => void }) {
  const client = useQueryClient();
  const say = useSay();
  const discard = useMutation({
    mutationFn: () => ask(api.DELETE("/api/drafts/{id}", { params: { path: { id: draft.id } } })),
    onSuccess: () => {
      say("Discarded. The offer is still in the Catalog.");
      for (const key of ["drafts", "quay", "offers", "offer"]) void client.invalidateQueries({ queryKey: [key] });
      onClose();
    },
    onError: (error) => {
      say(error.message, true);
      onClose();
    },
  });
  return (
    <Dialog open onClose={onClose} title="Discard this draft?">
      <p className="mb-4">
        Your words, pictures and prices for “{draft.title}” are thrown away. This cannot be undone.
      </p>
      <div className="flex justify-end gap-2">
        <Button onClick={onClose}>Cancel</Button>
        <Button tone="danger" onClick={() => discard.mutate()} disabled={discard.isPending}>
          Discard
        </Button>
      </div>
    </Dialog>
  );
}
