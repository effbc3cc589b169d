import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate, useParams } from "react-router";
import { api, ask, type DraftLine } from "../api/client";
import { useSession } from "../frame/session";
import { Button, Dialog, Notice, Picture, Tick } from "../parts/controls";
import { useKeys } from "../parts/keys";
import { useRows } from "../parts/list";
import { ReadinessMarks } from "../parts/readiness";
import { useSay } from "../parts/toast";
import { useDraft } from "./draft";
import { Editor } from "./editor";
import { Prices } from "./prices";
import { Publish } from "./publish";
import { Shelf } from "./shelf";

const rowHeight = 50;

/** Workbench holds drafts: what each lacks, the one being edited, and how it will stand in the store. */
export default function Workbench() {
  const { storeId, may } = useSession();
  const go = useNavigate();
  const wanted = Number(useParams().id) || 0;
  const drafts = useQuery({ queryKey: ["drafts", storeId], queryFn: () => ask(api.GET("/api/drafts", { params: { query: { store: storeId } } })) });
  const list = drafts.data ?? [];
  const at = Math.max(
    0,
    list.findIndex((d) => d.id === wanted),
  );
  const here = list[at];
  const [marked, setMarked] = useState<Set<number>>(new Set());
  const [publishing, setPublishing] = useState<number[] | null>(null);
  const [pricing, setPricing] = useState<number[] | null>(null);
  const [discarding, setDiscarding] = useState<DraftLine | null>(null);
  const { draft, edit, undo } = useDraft(here?.id ?? 0);

  const move = (by: number) => {
    const next = list[Math.max(0, Math.min(at + by, list.length - 1))];
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
  const ids = [...marked].filter((id) => list.some((d) => d.id === id));
  const publish = () => {
    if (storeId && here) setPublishing(ids.length > 0 ? ids : [here.id]);
  };
  // In the order of the list, which is the order of a pasted column.
  const price = () => {
    if (storeId && here) setPricing(ids.length > 0 ? list.filter((d) => marked.has(d.id)).map((d) => d.id) : [here.id]);
  };
  const field = (name: string) => () => document.querySelector<HTMLElement>(`[data-field=${name}]`)?.focus();
  useKeys([
    { keys: ["j", "ArrowDown"], label: "next draft", run: () => move(1) },
    { keys: ["k", "ArrowUp"], label: "draft before", run: () => move(-1) },
    { keys: ["x"], label: "mark", run: () => mark(here?.id) },
    { keys: ["1"], label: "words", run: field("title") },
    { keys: ["2"], label: "pictures", run: field("pictures") },
    { keys: ["3"], label: "variants", run: field("variants") },
    { keys: ["4"], label: "price", run: field("price") },
    { keys: ["e"], label: "other suppliers", run: () => draft.data && go(`/catalog/elsewhere/${draft.data.offer_id}?draft=${draft.data.id}`) },
    ...(may("editor")
      ? [
          { keys: ["p"], label: "publish", run: publish },
          { keys: ["c"], label: "change prices", run: price },
          { keys: ["ctrl+z"], label: "undo", run: () => draft.data?.undo && undo.mutate() },
        ]
      : []),
    { keys: ["Escape"], label: "", run: () => setMarked(new Set()) },
  ]);

  if (drafts.error)
    return (
      <main className="grow">
        <Notice alone title="The Workbench cannot be shown" trouble>
          <p>{drafts.error.message}</p>
          <Button onClick={() => void drafts.refetch()}>Try again</Button>
        </Notice>
      </main>
    );
  if (drafts.data && list.length === 0)
    return (
      <main className="grow">
        <Notice alone title="The Workbench is empty">
          <p>Take offers here from the Catalog. Each becomes a draft: your own words, pictures, variants and price, ready to publish.</p>
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
        marked={marked}
        onMark={mark}
        onMarkAll={(all) => setMarked(new Set(all ? list.map((d) => d.id) : []))}
        onPoint={(id) => go(`/workbench/${id}`)}
      />
      {draft.error ? (
        <Notice title="This draft cannot be shown" trouble>
          <p>{draft.error.message}</p>
        </Notice>
      ) : (
        draft.data && (
          <>
            <Editor key={draft.data.id} draft={draft.data} edit={(change, refused) => edit.mutate(change, { onError: refused })} readOnly={!may("editor")} />
            <Shelf
              draft={draft.data}
              marked={ids.length}
              saving={edit.isPending || undo.isPending}
              onPublish={publish}
              onPrice={price}
              onUndo={() => undo.mutate()}
              onDiscard={() => here && setDiscarding(here)}
            />
          </>
        )
      )}
      {pricing && <Prices ids={pricing} onClose={() => setPricing(null)} />}
      {publishing && <Publish ids={publishing} drafts={list} onClose={() => setPublishing(null)} />}
      {discarding && <Discard draft={discarding} onClose={() => setDiscarding(null)} />}
    </main>
  );
}

function DraftList({
  list,
  at,
  marked,
  onMark,
  onMarkAll,
  onPoint,
}: {
  list: DraftLine[];
  at: number;
  marked: Set<number>;
  onMark: (id: number) => void;
  onMarkAll: (all: boolean) => void;
  onPoint: (id: number) => void;
}) {
  const { box, items, size } = useRows(list.length, rowHeight, at);
  const ready = list.filter((d) => d.report.ready).length;
  return (
    <div className="flex w-[248px] shrink-0 flex-col border-r border-line bg-sunk">
      <div className="flex h-9 items-center justify-between border-b border-line pr-3 pl-1">
        <span className="flex items-center">
          <Tick checked={list.length > 0 && marked.size === list.length} onChange={onMarkAll} label="Mark all drafts" />
          <b>{list.length === 1 ? "1 draft" : `${list.length} drafts`}</b>
        </span>
        <span className="text-sm text-ink-2">{marked.size > 0 ? `${marked.size} marked` : `${ready} ready`}</span>
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
                <Tick checked={marked.has(d.id)} onChange={() => onMark(d.id)} label={`Mark ${d.title}`} />
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
      <p className="mb-4">Your words, pictures and prices for “{draft.title}” are thrown away. This cannot be undone.</p>
      <div className="flex justify-end gap-2">
        <Button onClick={onClose}>Keep it</Button>
        <Button tone="danger" onClick={() => discard.mutate()} disabled={discard.isPending}>
          Discard
        </Button>
      </div>
    </Dialog>
  );
}
