import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate, useParams } from "react-router";
import { api, ask, type RunInFull, type Schemas } from "../api/client";
import { useSession } from "../frame/session";
import { Button, Notice, Picture } from "../parts/controls";
import { useKeys } from "../parts/keys";
import { useCursor } from "../parts/list";
import { Money } from "../parts/money";
import { RowButton, RowLink, RowOut } from "../parts/row";
import { type Column, LongTable } from "../parts/table";
import { ago } from "../parts/time";
import { useSay } from "../parts/toast";
import { Trace } from "../parts/trace";
import { runQuery } from "./queries";

type Item = Schemas["PublishingItem"];

const rowHeight = 49;

/** Run is one act of publishing: what succeeded, what failed and why, and what to do about it. */
export default function RunPlace() {
  const id = Number(useParams().id) || 0;
  const { may } = useSession();
  const go = useNavigate();
  const say = useSay();
  const client = useQueryClient();
  const run = useQuery(runQuery(id));
  const items = run.data?.items ?? [];
  const [cursor, setCursor] = useCursor(items.length, "item");
  const here = items[cursor];
  const again = {
    onSettled: () => client.invalidateQueries({ queryKey: runQuery(id).queryKey }),
    onError: (error: Error) => say(error.message, true),
  };
  const retry = useMutation({
    mutationFn: (ids: number[]) =>
      ask(api.POST("/api/runs/{id}/retry", { params: { path: { id } }, body: { item_ids: ids } })),
    ...again,
  });
  const stop = useMutation({
    mutationFn: () => ask(api.POST("/api/runs/{id}/stop", { params: { path: { id } } })),
    ...again,
  });
  const failed = items.filter((i) => i.state === "failed");
  const mend = (item: Item | undefined) => item && go(`/workbench/${item.draft_id}`);
  const nextFailed = () => {
    const after = items.findIndex((i, n) => n > cursor && i.state === "failed");
    const at = after >= 0 ? after : items.findIndex((i) => i.state === "failed");
    if (at >= 0) setCursor(at);
  };
  useKeys([
    { keys: ["n"], label: "next that needs you", run: nextFailed },
    ...(may("editor")
      ? [{ keys: ["r"], label: "try again", run: () => here?.state === "failed" && retry.mutate([here.id]) }]
      : []),
    {
      keys: ["v"],
      label: "see it in the store",
      run: () => void (here?.url && window.open(here.url, "_blank", "noreferrer")),
    },
    { keys: ["Enter"], label: "open its draft", run: () => void mend(here) },
    { keys: ["Escape"], label: "all listings", run: () => go("/listings") },
  ]);
  if (!run.data)
    return (
      <main className="grow">
        {run.error && (
          <Notice alone title="This run cannot be shown" error>
            <p>{run.error.message}</p>
            <Button onClick={() => void run.refetch()}>Try again</Button>
          </Notice>
        )}
      </main>
    );
  const r = run.data;
  const left = r.waiting + r.sending;
  const columns = itemColumns(r.store, may("editor") ? (item) => retry.mutate([item.id]) : undefined);
  return (
    <main className="flex min-h-0 grow flex-col">
      <div className="border-b border-line bg-surface px-4 py-3 text-lg">
        <h1 className="inline font-sans text-lg font-normal">
          {r.finished_at ? "Published" : "Publishing"}{" "}
          <b>{items.length === 1 ? "one draft" : `${items.length} drafts`}</b> to <b>{r.store}</b>,{" "}
          <b>{r.visible ? "visible" : "hidden"}</b>, <b>{r.sell_empty ? "selling on" : "not selling"}</b> when out of
          stock.
        </h1>
        <span className="ml-2 text-sm text-ink-2">
          started {ago(r.started_at)} by {r.started_by}
        </span>
      </div>
      <div className="flex flex-wrap items-center gap-x-8 gap-y-2 border-b border-line px-4 py-3">
        <Bar run={r} total={items.length} />
        <Figure n={r.published} words="published" tone="text-profit-ink" />
        <Figure n={r.failed} words={r.failed === 1 ? "needs you" : "need you"} tone={r.failed > 0 ? "text-loss" : ""} />
        <Figure n={left} words="to go" tone="" />
        <span className="grow" />
        {may("editor") && failed.length > 0 && (
          <Button onClick={() => retry.mutate(failed.map((i) => i.id))} disabled={retry.isPending}>
            Try {failed.length === 1 ? "it" : `all ${failed.length}`} again
          </Button>
        )}
        {may("editor") && r.waiting > 0 && (
          <Button tone="danger" onClick={() => stop.mutate()} disabled={stop.isPending}>
            Stop the rest
          </Button>
        )}
        <Link to="/listings" className="font-semibold underline underline-offset-2">
          All listings
        </Link>
      </div>
      <LongTable
        rows={items}
        columns={columns}
        rowKey={(item) => item.id}
        label="Items of the run"
        rowHeight={rowHeight}
        cursor={{ at: cursor, set: setCursor }}
      />
      <p className="sr-only" role="status">
        {r.finished_at
          ? `The run has ended: ${r.published} published, ${r.failed} failed.`
          : `${r.published} of ${items.length} published.`}
      </p>
    </main>
  );
}

function Figure({ n, words, tone }: { n: number; words: string; tone: string }) {
  return (
    <span className={tone}>
      <b className="text-lg">{n}</b> {words}
    </span>
  );
}

function Bar({ run, total }: { run: RunInFull; total: number }) {
  const share = (n: number) => `${(n / Math.max(1, total)) * 100}%`;
  return (
    <div
      role="img"
      aria-label={`${run.published} published, ${run.failed} failed, of ${total}`}
      className="flex h-4 w-80 gap-0.5 overflow-hidden rounded-sm bg-sunk"
    >
      <span className="bg-profit" style={{ width: share(run.published) }} />
      <span className="bg-beak" style={{ width: share(run.sending) }} />
      <span className="bg-loss" style={{ width: share(run.failed) }} />
    </div>
  );
}

const stateTone: Record<string, string> = {
  published: "text-profit-ink",
  failed: "text-loss",
  sending: "text-beak-ink",
  waiting: "text-ink-2",
};
const mending: Record<string, string> = {
  description: "Edit its description",
  pictures: "Edit its pictures",
  variants: "Edit its variants",
  price: "Edit its price",
};

/** itemColumns are what is told of an item, and where it may be, the way to send it once more. */
function itemColumns(store: string, onRetry: ((item: Item) => void) | undefined): Column<Item>[] {
  return [
    {
      id: "picture",
      name: "Picture",
      unseen: true,
      track: "52px",
      show: (item) => <Picture path={item.picture} width={96} className="size-9 border border-line" />,
    },
    {
      id: "draft",
      name: "Draft",
      track: "minmax(180px,1fr)",
      show: (item) => (
        <>
          <span className="block truncate font-semibold">{item.title}</span>
          <span className="text-sm text-ink-2">{item.variants === 1 ? "1 variant" : `${item.variants} variants`}</span>
        </>
      ),
    },
    {
      id: "state",
      name: store,
      track: "170px",
      show: (item) => (
        <span className={`font-semibold ${stateTone[item.state]}`}>
          {item.state}
          {item.price && (
            <>
              {" "}
              ·{" "}
              <Trace steps={item.trace} label={`How the price of ${item.title} came about`}>
                <Money of={item.price} className="font-normal" />
              </Trace>
            </>
          )}
        </span>
      ),
    },
    {
      id: "words",
      name: "In words",
      track: "minmax(200px,1.4fr)",
      className: "line-clamp-2 text-ink-2",
      show: (item) => item.reason || (item.state === "published" ? "The store has every field as sent." : ""),
    },
    {
      id: "next",
      name: "What to do",
      unseen: true,
      track: "170px",
      show: (item) => <Next item={item} onRetry={onRetry && (() => onRetry(item))} />,
    },
  ];
}

function Next({ item, onRetry }: { item: Item; onRetry: (() => void) | undefined }) {
  return (
    <span className="flex items-center gap-2">
      {item.url && (
        <RowOut href={item.url} className="font-semibold underline decoration-beak underline-offset-2">
          see it
        </RowOut>
      )}
      {item.state === "failed" && (
        <RowLink to={`/workbench/${item.draft_id}`} className="font-semibold underline underline-offset-2">
          {mending[item.area] ?? "Open it"}
        </RowLink>
      )}
      {item.state === "failed" && onRetry && (
        <RowButton onClick={onRetry} aria-label={`Try ${item.title} again`}>
          try again
        </RowButton>
      )}
    </span>
  );
}
