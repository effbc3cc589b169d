import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Problem } from "../api/client";
import { refresh } from "../api/refresh";
import { useSession } from "../frame/session";
import { Button, Dialog, Notice, Picture } from "../parts/controls";
import { Heard } from "../parts/heard";
import { useKeys } from "../parts/keys";
import { useCursor } from "../parts/list";
import { Money } from "../parts/money";
import { Check } from "../parts/radios";
import { Link, useNavigate, useParams } from "../parts/route";
import { RowButton, RowLink, RowOut } from "../parts/row";
import { type Column, LongTable } from "../parts/table";
import { ago } from "../parts/time";
import { useSay } from "../parts/toast";
import { Trace } from "../parts/trace";
import { actWords, clockIn, type Item, itemsQuery, type Run, runQuery } from "./queries";

const rowHeight = 49;
const needs = (item: Item | undefined) =>
  item?.state === "failed" || item?.state === "left_out" || item?.state === "unknown";

/** Run is one act of publishing: what succeeded, what failed and why, and what to do about it. */
export default function RunPlace() {
  const id = Number(useParams().id) || 0;
  const { may } = useSession();
  const go = useNavigate();
  const run = useQuery(runQuery(id));
  const [attention, setAttention] = useState(false);
  const pages = useInfiniteQuery(itemsQuery(id, attention));
  const items = pages.data?.pages.flatMap((p) => p.items) ?? [];
  const [cursor, setCursor] = useCursor(items.length, "item");
  const here = items[cursor];
  const acts = useRunActs(id);
  const mend = (item: Item | undefined) => item && go(`/workbench/${item.draft_id}`);
  const nextThatNeeds = () => {
    const after = items.findIndex((i, n) => n > cursor && needs(i));
    const at = after >= 0 ? after : items.findIndex(needs);
    if (at >= 0) setCursor(at);
  };
  useKeys([
    { keys: ["n"], label: "next that needs you", run: nextThatNeeds },
    ...(may("editor")
      ? [{ keys: ["r"], label: "try again", run: () => here && needs(here) && acts.retry.mutate([here.id]) }]
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
  const done = r.published + r.changed + r.unchanged;
  const columns = itemColumns(r, may("editor") ? (item) => acts.retry.mutate([item.id]) : undefined);
  return (
    <main className="flex min-h-0 grow flex-col">
      <Head run={r} />
      <div className="flex flex-wrap items-center gap-x-7 gap-y-2 border-b border-line px-4 py-3">
        <Bar run={r} />
        <Figure n={done} words={r.act === "publish" ? "in the store" : "done"} tone="text-profit-ink" />
        <Figure
          n={r.failed + r.left_out}
          words={r.failed + r.left_out === 1 ? "needs you" : "need you"}
          tone={r.failed + r.left_out > 0 ? "text-loss" : ""}
        />
        {r.unknown > 0 && <Figure n={r.unknown} words="not known" tone="text-beak-ink" />}
        <Figure n={r.waiting + r.sending + r.held} words={r.held > 0 ? "held" : "to go"} tone="" />
        <span className="grow" />
        <Check checked={attention} onChange={setAttention}>
          only what needs you
        </Check>
        {may("editor") && <Acts run={r} acts={acts} />}
      </div>
      {pages.error && !pages.data ? (
        <Notice title="The items cannot be shown" error>
          <p>{(pages.error as Problem).message}</p>
          <Button onClick={() => void pages.refetch()}>Try again</Button>
        </Notice>
      ) : pages.data && items.length === 0 ? (
        <p className="p-4 text-ink-2">{attention ? "Nothing needs you." : "There is nothing in this run."}</p>
      ) : (
        <LongTable
          rows={items}
          columns={columns}
          rowKey={(item) => item.id}
          label="Items of the run"
          rowHeight={rowHeight}
          cardHeight={100}
          cursor={{ at: cursor, set: setCursor }}
        />
      )}
      {pages.hasNextPage && (
        <p className="border-t border-line px-4 py-1.5">
          <Button tone="quiet" onClick={() => void pages.fetchNextPage()} disabled={pages.isFetchingNextPage}>
            Show {Math.min(200, r.total - items.length).toLocaleString("en")} more
          </Button>
        </p>
      )}
      <Heard
        words={
          r.finished_at
            ? `The run has ended: ${done} in the store, ${r.failed + r.left_out} need you.`
            : `${done} of ${r.total} in the store.`
        }
      />
    </main>
  );
}

/** useRunActs are what can be done to a run; each answer is the run as it is then. */
function useRunActs(id: number) {
  const say = useSay();
  const client = useQueryClient();
  const go = useNavigate();
  const settled = {
    onSettled: () => refresh(client, "run", "runs", "header"),
    onError: (error: Error) => say(error.message, true),
  };
  return {
    retry: useMutation({
      mutationFn: (ids: number[]) =>
        ask(
          api.POST("/api/runs/{id}/retry", { params: { path: { id } }, body: ids.length > 0 ? { item_ids: ids } : {} }),
        ),
      ...settled,
    }),
    pause: useMutation({
      mutationFn: () => ask(api.POST("/api/runs/{id}/pause", { params: { path: { id } } })),
      ...settled,
    }),
    resume: useMutation({
      mutationFn: () => ask(api.POST("/api/runs/{id}/resume", { params: { path: { id } } })),
      ...settled,
    }),
    stop: useMutation({
      mutationFn: () => ask(api.POST("/api/runs/{id}/stop", { params: { path: { id } } })),
      ...settled,
    }),
    takeDown: useMutation<Run, Problem, void>({
      mutationFn: () => ask(api.POST("/api/runs/{id}/take-down", { params: { path: { id } } })),
      onSuccess: (made) => void go(`/listings/runs/${made.id}`),
      ...settled,
    }),
  };
}

/** Acts are the buttons of a run that its state allows. */
function Acts({ run: r, acts }: { run: Run; acts: ReturnType<typeof useRunActs> }) {
  const [asking, setAsking] = useState(false);
  const need = r.failed + r.left_out + r.unknown;
  return (
    <>
      {need > 0 && r.state !== "scheduled" && (
        <Button onClick={() => acts.retry.mutate([])} disabled={acts.retry.isPending}>
          Try {need === 1 ? "it" : `all ${need}`} again
        </Button>
      )}
      {r.state === "running" && r.waiting > 0 && (
        <Button onClick={() => acts.pause.mutate()} disabled={acts.pause.isPending}>
          Pause
        </Button>
      )}
      {(r.state === "paused" || r.state === "scheduled") && (
        <Button tone="main" onClick={() => acts.resume.mutate()} disabled={acts.resume.isPending}>
          {r.state === "paused" ? "Go on" : "Begin now"}
        </Button>
      )}
      {r.waiting + r.held > 0 && (
        <Button tone="danger" onClick={() => acts.stop.mutate()} disabled={acts.stop.isPending}>
          {r.state === "scheduled" ? "Call it off" : "Stop the rest"}
        </Button>
      )}
      {r.act === "publish" && r.state === "finished" && r.published > 0 && (
        <Button tone="quiet" onClick={() => setAsking(true)}>
          Take down…
        </Button>
      )}
      {asking && (
        <Dialog open onClose={() => setAsking(false)} title="Take down what this run published?">
          <p className="mb-4">
            {r.published === 1 ? "The one listing" : `The ${r.published} listings`} that this run made{" "}
            {r.published === 1 ? "goes" : "go"} out of {r.targets.map((t) => t.store).join(" and ")}. What was live
            before it stays. Drafts and prices stay here, and can be published again.
          </p>
          <div className="flex justify-end gap-2">
            <Button onClick={() => setAsking(false)} autoFocus>
              Cancel
            </Button>
            <Button
              tone="danger"
              disabled={acts.takeDown.isPending}
              onClick={() => acts.takeDown.mutate(undefined, { onSettled: () => setAsking(false) })}
            >
              Take {r.published === 1 ? "it" : `${r.published}`} down
            </Button>
          </div>
        </Dialog>
      )}
    </>
  );
}

/** Head says what the run does, where, and how. */
function Head({ run: r }: { run: Run }) {
  const words = actWords[r.act];
  const first = r.targets[0];
  return (
    <div className="border-b border-line bg-surface px-4 py-3 text-lg">
      <h1 className="inline font-sans text-lg font-normal">
        {r.state === "finished" ? words.done : r.state === "scheduled" ? words.planned : words.doing}{" "}
        <b>{r.total === 1 ? "one draft" : `${r.total.toLocaleString("en")} drafts`}</b>{" "}
        {r.act === "take_down" ? "from" : r.act === "publish" ? "to" : "in"}{" "}
        {r.targets.map((t, i) => (
          <span key={t.store_id}>
            {i > 0 && (i === r.targets.length - 1 ? " and " : ", ")}
            <b>{t.store}</b>
            {r.act === "publish" && `, ${settingsWords(t)}`}
          </span>
        ))}
        .
      </h1>
      <span className="ml-2 text-sm text-ink-2">
        {r.state === "scheduled" && r.starts_at && first
          ? `begins ${clockIn(r.starts_at, first.time_zone)} in ${first.store}, planned by ${r.started_by}`
          : `${r.state === "paused" ? "paused, " : ""}started ${ago(r.starts_at ?? r.started_at)} by ${r.started_by}`}
      </span>
      <Link to="/listings/runs" className="ml-4 text-sm underline underline-offset-2">
        All runs
      </Link>
    </div>
  );
}

type Target = Run["targets"][number];

/** settingsWords says how drafts go to a store. */
export function settingsWords(t: Target): string {
  const parts = [t.visible ? "visible" : "hidden", `${t.sell_empty ? "selling on" : "not selling"} when out of stock`];
  if (t.by_rules) parts.push("at the prices of the rules");
  if (t.reserve) parts.push(`${t.reserve} in reserve`);
  if (t.collections?.length) parts.push(`in ${t.collections.join(" and ")}`);
  return parts.join(", ");
}

function Figure({ n, words, tone }: { n: number; words: string; tone: string }) {
  return (
    <span className={tone}>
      <b className="text-lg">{n}</b> {words}
    </span>
  );
}

function Bar({ run }: { run: Run }) {
  const share = (n: number) => `${(n / Math.max(1, run.total)) * 100}%`;
  const done = run.published + run.changed + run.unchanged;
  return (
    <div
      role="img"
      aria-label={`${done} in the store, ${run.failed + run.left_out} need you, of ${run.total}`}
      className="flex h-4 w-72 gap-0.5 overflow-hidden rounded-sm bg-sunk"
    >
      <span className="bg-profit" style={{ width: share(done) }} />
      <span className="bg-beak" style={{ width: share(run.sending + run.unknown) }} />
      <span className="bg-loss" style={{ width: share(run.failed + run.left_out) }} />
    </div>
  );
}

const stateTone: Record<Item["state"], string> = {
  held: "text-ink-2",
  waiting: "text-ink-2",
  sending: "text-beak-ink",
  published: "text-profit-ink",
  changed: "text-profit-ink",
  unchanged: "text-ink",
  left_out: "text-loss",
  failed: "text-loss",
  unknown: "text-beak-ink",
};

/** stateWords are an item's state in words, by what its run does. */
function stateWords(item: Item, act: Run["act"]): string {
  if (item.state === "changed" && act !== "publish") return actWords[act].done.toLowerCase();
  const words: Record<Item["state"], string> = {
    held: "held",
    waiting: "waiting",
    sending: "sending",
    published: "published",
    changed: "changed",
    unchanged: "nothing to change",
    left_out: "left out",
    failed: "failed",
    unknown: "not known",
  };
  return words[item.state];
}

const mending: Record<string, string> = {
  description: "Edit its description",
  pictures: "Edit its pictures",
  variants: "Edit its variants",
  price: "Edit its price",
  store: "See the store",
};

/** itemColumns are what is told of an item, and where it may be, the way to send it once more. */
function itemColumns(run: Run, onRetry: ((item: Item) => void) | undefined): Column<Item>[] {
  const stores = new Map(run.targets.map((t) => [t.store_id, t.store]));
  return [
    {
      id: "picture",
      name: "Picture",
      unseen: true,
      track: "3.25rem",
      show: (item) => <Picture path={item.picture} width={96} className="size-9 border border-line" />,
    },
    {
      id: "draft",
      name: "Draft",
      card: "what",
      track: "minmax(11.25rem,1fr)",
      show: (item) => (
        <>
          <span className="block truncate font-semibold">{item.title}</span>
          <span className="text-sm text-ink-2">
            {run.targets.length > 1 && `${stores.get(item.store_id)} · `}
            {item.variants === 1 ? "1 variant" : `${item.variants} variants`}
          </span>
        </>
      ),
    },
    {
      id: "state",
      name: run.targets.length === 1 ? (run.targets[0]?.store ?? "State") : "State",
      card: "top",
      track: "11.875rem",
      show: (item) => (
        <span className={`font-semibold ${stateTone[item.state]}`}>
          {stateWords(item, run.act)}
          {item.price && run.act === "publish" && (
            <>
              {" "}
              ·{" "}
              <Trace steps={item.trace} label={`how the price of ${item.title} came about`}>
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
      card: "line",
      track: "minmax(12.5rem,1.4fr)",
      className: "line-clamp-2 text-ink-2",
      show: (item) => item.reason || told(item, run.act),
    },
    {
      id: "next",
      name: "What to do",
      card: "bottom",
      unseen: true,
      track: "11.875rem",
      show: (item) => <Next item={item} onRetry={onRetry && (() => onRetry(item))} />,
    },
  ];
}

function told(item: Item, act: Run["act"]): string {
  if (act !== "publish") return "";
  if (item.state === "published") return "The store has every field as sent.";
  if (item.state === "changed") return "The store had it; what differed was sent.";
  return item.state === "unchanged" ? "The store shows it as it is here." : "";
}

function Next({ item, onRetry }: { item: Item; onRetry: (() => void) | undefined }) {
  return (
    <span className="flex items-center gap-2">
      {item.url && (
        <RowOut href={item.url} className="font-semibold underline decoration-beak underline-offset-2">
          see it
        </RowOut>
      )}
      {needs(item) && (
        <RowLink
          to={item.area === "store" ? "/store" : `/workbench/${item.draft_id}`}
          className="font-semibold underline underline-offset-2"
        >
          {mending[item.area] ?? "Open it"}
        </RowLink>
      )}
      {needs(item) && onRetry && (
        <RowButton onClick={onRetry} aria-label={`Try again: ${item.title}`}>
          try again
        </RowButton>
      )}
    </span>
  );
}
