import { useInfiniteQuery } from "@tanstack/react-query";
import type { Problem } from "../api/client";
import { Button, Notice } from "../parts/controls";
import { useKeys } from "../parts/keys";
import { useCursor } from "../parts/list";
import { Link, useNavigate } from "../parts/route";
import { RowLink } from "../parts/row";
import { type Column, LongTable } from "../parts/table";
import { ago } from "../parts/time";
import { actWords, clockIn, type Run, runsQuery, runWords } from "./queries";

/** Runs lists all publish runs, the newest first. */
export default function Runs() {
  const go = useNavigate();
  const runs = useInfiniteQuery(runsQuery);
  const list = runs.data?.pages.flatMap((p) => p.runs) ?? [];
  const [cursor, setCursor] = useCursor(list.length, "run");
  const here = list[cursor];
  useKeys([
    { keys: ["Enter"], label: "open the run", run: () => here && go(`/listings/runs/${here.id}`) },
    { keys: ["Escape"], label: "listings", run: () => go("/listings") },
  ]);
  return (
    <main className="flex min-h-0 grow flex-col">
      <div className="flex items-baseline justify-between px-4 py-2">
        <h1 className="text-xl">Publish runs</h1>
        <Link to="/listings" className="underline underline-offset-2">
          Listings
        </Link>
      </div>
      {runs.error && !runs.data ? (
        <Notice title="The runs cannot be shown" error>
          <p>{(runs.error as Problem).message}</p>
          <Button onClick={() => void runs.refetch()}>Try again</Button>
        </Notice>
      ) : runs.data && list.length === 0 ? (
        <Notice title="No run yet">
          <p>What is published from the Workbench is a run, and can be found again here.</p>
          <Button tone="main" onClick={() => go("/workbench")}>
            Go to the Workbench
          </Button>
        </Notice>
      ) : (
        <LongTable
          rows={list}
          columns={columns}
          rowKey={(r) => r.id}
          label="Publish runs"
          rowHeight={44}
          cardHeight={84}
          cursor={{ at: cursor, set: setCursor }}
        />
      )}
      {runs.hasNextPage && (
        <p className="border-t border-line px-4 py-1.5">
          <Button tone="quiet" onClick={() => void runs.fetchNextPage()} disabled={runs.isFetchingNextPage}>
            Show older runs
          </Button>
        </p>
      )}
    </main>
  );
}

const stateWords = { scheduled: "planned", running: "under way", paused: "paused", finished: "" } as const;

const columns: Column<Run>[] = [
  {
    id: "what",
    name: "Run",
    card: "what",
    track: "minmax(13.75rem,1fr)",
    show: (r) => (
      <RowLink to={`/listings/runs/${r.id}`} className="font-semibold hover:underline">
        {r.state === "finished" ? actWords[r.act].done : actWords[r.act].doing}{" "}
        {r.act === "take_down" ? "from" : r.act === "publish" ? "to" : "in"}{" "}
        {r.targets.map((t) => t.store).join(" and ")}
      </RowLink>
    ),
  },
  {
    id: "state",
    name: "State",
    card: "top",
    track: "13.125rem",
    show: (r) =>
      r.state === "scheduled" && r.starts_at && r.targets[0]
        ? `begins ${clockIn(r.starts_at, r.targets[0].time_zone)}`
        : stateWords[r.state],
  },
  { id: "items", name: "Items", card: "line", track: "minmax(13.75rem,1fr)", className: "text-ink-2", show: runWords },
  { id: "by", name: "By", track: "7.5rem", show: (r) => r.started_by },
  {
    id: "when",
    name: "Started",
    card: "bottom",
    track: "6.875rem",
    className: "text-ink-2",
    show: (r) => ago(r.started_at),
  },
];
