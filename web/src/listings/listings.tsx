import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";
import { api, ask, type Listing, type Run } from "../api/client";
import { useSession } from "../frame/session";
import { Button, Notice, Picture } from "../parts/controls";
import { Grid, GridRow } from "../parts/grid";
import { useKeys } from "../parts/keys";
import { useCursor, useRows } from "../parts/list";
import { Money } from "../parts/money";
import { Sheet } from "../parts/sheet";
import { ago } from "../parts/time";
import { useSay } from "../parts/toast";
import { Trace } from "../parts/trace";
import { listingsQuery, runsQuery } from "./queries";

const rowHeight = 65;
const columns = "grid grid-cols-[52px_minmax(160px,1fr)_minmax(120px,180px)_130px_96px_180px] items-center gap-x-4";

/** Listings is what is live in the store in use, and the runs that made it so. */
export default function Listings() {
  const { store, storeId, may } = useSession();
  const say = useSay();
  const go = useNavigate();
  const [params] = useSearchParams();
  const listings = useQuery(listingsQuery(storeId));
  const list = listings.data ?? [];
  const [cursor, setCursor] = useCursor(list.length, "listing");
  const { box, items, size } = useRows(list.length, rowHeight, cursor);
  const here = list[cursor];
  const wanted = Number(params.get("listing")) || 0;
  useEffect(() => {
    const at = list.findIndex((l) => l.id === wanted);
    if (at >= 0) setCursor(at);
  }, [wanted, list, setCursor]);
  const check = useMutation({
    mutationFn: () => ask(api.POST("/api/listings/check", { params: { query: { store: storeId } } })),
    onSuccess: () => say("The store is asked about each listing. Duplicates are shown in their rows."),
    onError: (error) => say(error.message, true),
  });
  const seeInStore = () => here?.url && window.open(here.url, "_blank", "noreferrer");
  useKeys([
    { keys: ["v"], label: "see it in the store", run: () => void seeInStore() },
    { keys: ["Enter"], label: "edit its draft", run: () => here && go(`/workbench/${here.draft_id}`) },
  ]);
  return (
    <main className="flex min-h-0 grow">
      <div className="flex min-w-0 grow flex-col">
        <div className="flex items-center justify-between px-4 py-2">
          <h1 className="text-xl">
            Listings {store && <span className="font-sans text-base font-normal text-ink-2">live in {store.name}</span>}
          </h1>
          {store && list.length > 0 && may("editor") && (
            <Button onClick={() => check.mutate()} disabled={check.isPending}>
              Look for duplicates in the store
            </Button>
          )}
        </div>
        {!store ? (
          <Notice title="No store is connected">
            <Button tone="main" onClick={() => go("/store")}>
              Connect a store
            </Button>
          </Notice>
        ) : listings.error && !listings.data ? (
          <Notice title="The listings cannot be shown" error>
            <p>{listings.error.message}</p>
            <Button onClick={() => void listings.refetch()}>Try again</Button>
          </Notice>
        ) : listings.data && list.length === 0 ? (
          <Notice title="Nothing is live yet">
            <p>
              Drafts that are published from the Workbench are listed here, with the way to the store and to the
              supplier.
            </p>
            <Button tone="main" onClick={() => go("/workbench")}>
              Go to the Workbench
            </Button>
          </Notice>
        ) : (
          <>
            <div className={`${columns} h-7 shrink-0 border-y border-line px-4 text-sm text-ink-2`}>
              <span className="col-start-2">Listing</span>
              <span>Supplier</span>
              <span className="text-right">Price</span>
              <span>Sent</span>
              <span>See it</span>
            </div>
            <Grid box={box} label="Listings" count={list.length} size={size}>
              {items.map((item) => {
                const l = list[item.index];
                return (
                  l && (
                    <Row
                      key={l.id}
                      listing={l}
                      index={item.index}
                      start={item.start}
                      current={item.index === cursor}
                      onPoint={() => setCursor(item.index)}
                    />
                  )
                );
              })}
            </Grid>
          </>
        )}
      </div>
      <Runs />
    </main>
  );
}

function Row({
  listing: l,
  index,
  start,
  current,
  onPoint,
}: {
  listing: Listing;
  index: number;
  start: number;
  current: boolean;
  onPoint: () => void;
}) {
  const { may, storeId } = useSession();
  const client = useQueryClient();
  const say = useSay();
  const done = (words: string) => ({
    onSuccess: () => {
      say(words);
      void client.invalidateQueries({ queryKey: listingsQuery(storeId).queryKey });
    },
    onError: (error: Error) => say(error.message, true),
  });
  const hide = useMutation({
    mutationFn: () => ask(api.POST("/api/listings/{id}/hide", { params: { path: { id: l.id } } })),
    ...done(`“${l.title}” is hidden in the store.`),
  });
  const unite = useMutation({
    mutationFn: () => ask(api.POST("/api/listings/{id}/duplicates/remove", { params: { path: { id: l.id } } })),
    ...done("Removed from the store. The listing itself stays."),
  });
  return (
    <GridRow
      index={index}
      start={start}
      height={rowHeight}
      current={current}
      onPoint={onPoint}
      className={`${columns} px-4`}
    >
      <span role="gridcell">
        <Picture path={l.picture} width={96} className="size-10 border border-line" />
      </span>
      <span role="gridcell" className="min-w-0">
        <Link to={`/workbench/${l.draft_id}`} className="block truncate font-semibold hover:underline" title={l.title}>
          {l.title}
        </Link>
        <span className="text-sm text-ink-2">
          {l.variants === 1 ? "1 variant" : `${l.variants} variants`} · {l.visible ? "visible" : "hidden"}
        </span>
        {l.withdrawn && (
          <span className="flex items-center gap-2 text-sm">
            <b className="truncate text-loss">no longer sold by the supplier</b>
            {l.visible && may("editor") && (
              <button
                type="button"
                className="min-h-6 shrink-0 font-semibold underline"
                onClick={() => hide.mutate()}
                disabled={hide.isPending}
              >
                {hide.isPending ? "Hiding…" : "Hide in the store"}
              </button>
            )}
          </span>
        )}
        {l.duplicates.length > 0 && (
          <span className="flex items-center gap-2 text-sm">
            <b className="truncate text-loss">
              {l.duplicates.length === 1 ? (
                <>
                  <a href={l.duplicates[0]?.url} target="_blank" rel="noreferrer" className="underline">
                    one more
                  </a>{" "}
                  of it in the store
                </>
              ) : (
                `${l.duplicates.length} more of it in the store`
              )}
            </b>
            {may("editor") && (
              <button
                type="button"
                className="min-h-6 shrink-0 font-semibold underline"
                onClick={() => unite.mutate()}
                disabled={unite.isPending}
              >
                Remove {l.duplicates.length === 1 ? "it" : "them"}
              </button>
            )}
          </span>
        )}
      </span>
      <span role="gridcell" className="min-w-0 text-ink-2">
        <span className="block truncate">{l.supplier}</span>
        <span className="block truncate text-sm">{l.source}</span>
      </span>
      <span role="gridcell" className="text-right">
        <Trace steps={l.trace} label={`How the price of ${l.title} came about`}>
          <Money of={l.lowest} />
        </Trace>
        {l.highest.value !== l.lowest.value && (
          <>
            –<Money of={l.highest} />
          </>
        )}
        {l.moved > 0 && (
          <span className="block text-sm whitespace-nowrap text-beak-ink">
            {l.moved === 1 ? "1 has moved" : `${l.moved} have moved`}
          </span>
        )}
      </span>
      <span role="gridcell" className="text-ink-2">
        {ago(l.updated_at)}
      </span>
      <span role="gridcell" className="flex gap-3">
        {l.url && (
          <a
            href={l.url}
            target="_blank"
            rel="noreferrer"
            className="font-semibold underline decoration-beak underline-offset-2"
          >
            in the store
          </a>
        )}
        {l.offer_url && (
          <a href={l.offer_url} target="_blank" rel="noreferrer" className="underline underline-offset-2">
            at the supplier's
          </a>
        )}
      </span>
    </GridRow>
  );
}

function Runs() {
  const runs = useQuery(runsQuery);
  return (
    <Sheet label="Publish runs">
      <h2 className="mb-1 text-lg">Publish runs</h2>
      {runs.data?.length === 0 && <p className="text-ink-2">No run yet.</p>}
      <ul>
        {runs.data?.map((run) => (
          <li key={run.id} className="border-b border-line py-2">
            <Link
              to={`/listings/runs/${run.id}`}
              className="flex min-h-6 justify-between font-semibold hover:underline"
            >
              <span>{run.store}</span>
              <span className="font-normal text-ink-2">{ago(run.started_at)}</span>
            </Link>
            <p className="text-sm text-ink-2">
              {runWords(run)} · by {run.started_by}
            </p>
          </li>
        ))}
      </ul>
    </Sheet>
  );
}

function runWords(run: Run): string {
  const parts = [`${run.published} published`];
  if (run.failed > 0) parts.push(`${run.failed} need you`);
  if (run.waiting + run.sending > 0) parts.push(`${run.waiting + run.sending} to go`);
  return parts.join(", ");
}
