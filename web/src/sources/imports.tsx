import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, ask, type Schemas, type Source, upload } from "../api/client";
import { refresh } from "../api/refresh";
import { useSession } from "../frame/session";
import { Button } from "../parts/controls";
import { Heard } from "../parts/heard";
import { moneyText } from "../parts/money";
import { type Column, Table } from "../parts/table";
import { ago } from "../parts/time";
import { useSay } from "../parts/toast";
import { rejectedQuery } from "./queries";
import { accepted, type ImportRun, number } from "./words";

/** Progress is how far an import has come. */
export function Progress({ run }: { run: ImportRun }) {
  const reading = run.phase === "reading";
  const [done, all] = reading ? [run.seen, run.expected] : [run.merged, run.staged];
  const words =
    run.state === "waiting"
      ? "Waiting to be imported"
      : reading
        ? all > 0
          ? `Reading: ${number(done)} of ${number(all)}`
          : `Reading: ${number(done)} so far`
        : run.phase === "checking"
          ? "Comparing with the catalog"
          : `Updating the catalog: ${number(done)} of ${number(all)}`;
  return (
    <span className="block">
      <span className="block text-sm">{words}</span>
      <progress
        value={all > 0 ? Math.min(done / all, 1) * 100 : 0}
        max={100}
        aria-label="Import"
        className="h-1.5 w-full accent-(--profit)"
      />
    </span>
  );
}

/** Approval asks about an import that would change too much, or whose list has changed. */
export function Approval({ run, onColumns }: { run: ImportRun; onColumns: () => void }) {
  const { may } = useSession();
  const client = useQueryClient();
  const say = useSay();
  const approval = run.approval;
  const decide = useMutation({
    mutationFn: (goOn: boolean) =>
      ask(api.POST("/api/imports/{id}/decide", { params: { path: { id: run.id } }, body: { approve: goOn } })),
    onSuccess: (_, goOn) =>
      say(
        goOn
          ? "It goes on."
          : approval?.kind === "prices"
            ? "These offers keep the costs that they had. The next import asks again where they still differ."
            : "Dropped. Nothing has changed.",
      ),
    onError: (error) => say(error.message, true),
    onSettled: () => refresh(client, "sources"),
  });
  if (!approval) return null;
  return (
    <section aria-label="Waits for you" className="mt-3 rounded-md border border-beak bg-beak-wash p-3">
      <h3 className="mb-1">Needs your approval</h3>
      <p>
        {approval.reason}
        {approval.kind !== "prices" && " Nothing has been changed so far."}
      </p>
      {(approval.examples?.length ?? 0) > 0 && (
        <ul className="mt-2 space-y-1 text-sm">
          {approval.examples?.map((e) => (
            <li key={`${e.number}${e.after?.value ?? ""}`}>
              <span className="text-ink-2">{e.number}</span> {e.title}
              {e.before && e.after ? (
                <b>
                  : {moneyText(e.before, "")} → {moneyText(e.after, "")}
                </b>
              ) : (
                <b>: would leave</b>
              )}
            </li>
          ))}
        </ul>
      )}
      {may("editor") && (
        <div className="mt-3 flex flex-wrap gap-2">
          {approval.kind === "layout" ? (
            <Button tone="main" onClick={onColumns}>
              Review its columns
            </Button>
          ) : (
            <Button tone="main" onClick={() => decide.mutate(true)} disabled={decide.isPending}>
              {approval.kind === "prices" ? "Import these costs" : "Import anyway"}
            </Button>
          )}
          <Button onClick={() => decide.mutate(false)} disabled={decide.isPending}>
            {approval.kind === "prices" ? "Keep the old costs" : "Discard this import"}
          </Button>
        </div>
      )}
    </section>
  );
}

/** History draws what came in, changed and left, an import a bar. */
export function History({ runs }: { runs: ImportRun[] }) {
  const list = runs
    .filter((x) => x.state === "finished")
    .slice(0, 24)
    .reverse();
  if (list.length < 2) return null;
  const most = Math.max(1, ...list.map((x) => Math.max(x.added + x.changed, x.withdrawn)));
  const up = 34;
  const down = 14;
  // A root keeps a small change visible beside a first import of everything.
  const high = (n: number, room: number) => (n === 0 ? 0 : Math.max(1.5, Math.sqrt(n / most) * room));
  const total = (of: (x: ImportRun) => number) => number(list.reduce((sum, x) => sum + of(x), 0));
  return (
    <figure className="mt-4">
      <svg
        viewBox={`0 0 ${24 * 13} ${up + down + 4}`}
        className="w-full"
        role="img"
        aria-label={`The last ${list.length} imports: ${total((x) => x.added)} came in, ${total((x) => x.changed)} changed, ${total((x) => x.withdrawn)} left`}
      >
        <line x1="0" x2={24 * 13} y1={up + 1} y2={up + 1} stroke="var(--line-2)" />
        {list.map((x, i) => {
          const added = high(x.added, up);
          const changed = Math.min(high(x.changed, up), Math.max(up - added, 1.5));
          return (
            <g key={x.id} transform={`translate(${(24 - list.length + i) * 13 + 2} 0)`}>
              <title>{`${ago(x.finished_at)}: ${x.added} came in, ${x.changed} changed, ${x.withdrawn} left`}</title>
              <rect width="9" height={added} y={up - added} fill="var(--profit)" />
              <rect width="9" height={changed} y={up - added - changed} fill="var(--shipping)" />
              <rect width="9" height={high(x.withdrawn, down)} y={up + 2} fill="var(--loss)" />
            </g>
          );
        })}
      </svg>
      <figcaption className="flex gap-4 text-sm text-ink-2">
        {(
          [
            ["var(--profit)", "came in"],
            ["var(--shipping)", "changed"],
            ["var(--loss)", "left"],
          ] as const
        ).map(([colour, words]) => (
          <span key={words} className="flex items-center gap-1.5">
            <span className="inline-block size-2.5" style={{ background: colour }} />
            {words}
          </span>
        ))}
      </figcaption>
    </figure>
  );
}

const outcome: Record<ImportRun["state"], string> = {
  waiting: "Under way",
  running: "Under way",
  needs_approval: "Needs approval",
  finished: "Imported",
  failed: "Failed",
  discarded: "Discarded",
};

/** ImportsHeard says to those who hear the screen that an import began, and how it ended. */
export function ImportsHeard({ sources }: { sources: Source[] }) {
  const underWay = useRef(new Set<number>()).current; // those that were seen so
  const words = sources.flatMap(({ name, imports: [run] }) => {
    if (!run) return [];
    const going = run.state === "waiting" || run.state === "running";
    if (going) underWay.add(run.id);
    else if (!underWay.has(run.id)) return [];
    const counts = `${number(run.added)} new, ${number(run.changed)} changed`;
    return `${name}: ${outcome[run.state].toLowerCase()}${going ? "" : `, ${counts}`}.`;
  });
  return <Heard words={words.join(" ")} />;
}

/** ImportLine is one import with its counts and what was set aside. */
export function ImportLine({ source, run }: { source: Source; run: ImportRun }) {
  return (
    <div className="border-b border-line py-2">
      <div className="flex justify-between gap-3">
        <span className={run.state === "failed" ? "font-semibold text-loss" : "font-semibold"}>
          {run.state === "waiting" && run.error ? "Waits" : outcome[run.state]}
          {source.can.changes && !run.full && <span className="font-normal text-ink-2">, changes only</span>}
          {source.layout && !run.full && <span className="font-normal text-ink-2">, corrected rows only</span>}
        </span>
        <span className="whitespace-nowrap text-ink-2">{ago(run.finished_at ?? run.started_at)}</span>
      </div>
      {run.file_name && <p className="truncate text-sm text-ink-2">{run.file_name}</p>}
      <p className="text-sm text-ink-2">
        {number(run.seen)} seen: {number(run.added)} new, {number(run.changed)} changed, {number(run.unchanged)}{" "}
        unchanged
        {run.withdrawn > 0 && `, ${number(run.withdrawn)} withdrawn`}
      </p>
      {run.state !== "needs_approval" && run.error && <p className="text-sm text-loss">{run.error}</p>}
      {run.rejected > 0 && <RejectedRows source={source} run={run} />}
    </div>
  );
}

type Rejected = Schemas["SourcesRejectedRow"] & { i: number };

const rejectedColumns: Column<Rejected>[] = [
  { id: "row", name: "Row", className: "pr-2 font-semibold", by: (row) => row.position, show: (row) => row.position },
  {
    id: "reason",
    name: "Why",
    className: "max-w-64 py-1",
    by: (row) => row.reason,
    show: (row) => (
      <>
        {row.reason}
        {row.cells.length > 0 && (
          <span className="block truncate text-ink-2">{row.cells.filter(Boolean).join(" · ")}</span>
        )}
      </>
    ),
  },
];

function RejectedRows({ source, run }: { source: Source; run: ImportRun }) {
  const { may } = useSession();
  const [open, setOpen] = useState(false);
  const rows = useQuery({ ...rejectedQuery(run.id), enabled: open });
  const list = rows.data ?? [];
  return (
    <details onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary className="min-h-6 text-sm font-semibold text-beak-ink">{number(run.rejected)} rejected</summary>
      {rows.error && <p className="text-sm text-loss">{rows.error.message}</p>}
      {list.length > 0 && (
        <div className="max-h-64 overflow-auto text-sm" role="region" aria-label="Rejected rows" tabIndex={0}>
          <Table
            rows={list.map((row, i) => ({ ...row, i }))}
            columns={rejectedColumns}
            rowKey={(row) => row.i}
            rowClass={() => "align-top"}
          />
        </div>
      )}
      {run.rejected > list.length && list.length > 0 && (
        <p className="text-sm text-ink-2">The first {number(list.length)}; the file has all.</p>
      )}
      <div className="mt-2 flex flex-wrap items-center gap-x-4 gap-y-1 text-sm">
        <a className="font-semibold text-beak-ink underline" href={`/api/imports/${run.id}/rejected.csv`} download>
          Download them with their reasons
        </a>
        {source.can.columns && may("editor") && source.state === "connected" && <SendFile source={source} partial />}
      </div>
    </details>
  );
}

/** SendFile takes a new file of a list in, or some mended rows. */
export function SendFile({
  source,
  partial = false,
  tone,
}: {
  source: Source;
  partial?: boolean;
  tone?: "main" | "plain";
}) {
  const input = useRef<HTMLInputElement>(null);
  const client = useQueryClient();
  const say = useSay();
  const take = useMutation({
    mutationFn: async (file: File) => {
      const body = await upload(file);
      return ask(
        api.POST("/api/sources/{id}/files", { params: { path: { id: source.id }, query: { partial } }, body }),
      );
    },
    onSuccess: () =>
      say(
        partial ? "The corrected rows are being imported." : "The list is being imported. You can leave; it goes on.",
      ),
    onError: (error) => say(error.message, true),
    onSettled: () => refresh(client, "sources"),
  });
  const words = partial
    ? "Upload corrected rows"
    : source.can.pictures
      ? "Upload a new file, or pictures"
      : "Upload a new file";
  return (
    <>
      <Button tone={tone ?? "plain"} onClick={() => input.current?.click()} disabled={take.isPending}>
        {take.isPending ? "Sending…" : words}
      </Button>
      <input
        ref={input}
        type="file"
        accept={partial ? accepted : `${accepted},.zip`}
        aria-label={words}
        className="hidden"
        onChange={(e) => {
          const file = e.currentTarget.files?.[0];
          if (file) take.mutate(file);
          e.currentTarget.value = "";
        }}
      />
    </>
  );
}
