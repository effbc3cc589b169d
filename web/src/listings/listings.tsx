import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";
import { api, ask, type Listing, type Run } from "../api/client";
import { useSession } from "../frame/session";
import { Button, Notice, Picture } from "../parts/controls";
import { useKeys } from "../parts/keys";
import { useCursor } from "../parts/list";
import { Money } from "../parts/money";
import { RowButton, RowLink, RowOut } from "../parts/row";
import { Sheet } from "../parts/sheet";
import { type Column, LongTable } from "../parts/table";
import { ago } from "../parts/time";
import { useSay } from "../parts/toast";
import { Trace } from "../parts/trace";
import { listingsQuery, runsQuery } from "./queries";

const rowHeight = 65;

/** Listings is what is live in the store in use, and the runs that made it so. */
export default function Listings() {
  const { store, storeId, may } = useSession();
  const say = useSay();
  const go = useNavigate();
  const [params] = useSearchParams();
  const listings = useQuery(listingsQuery(storeId));
  const list = listings.data ?? [];
  const [cursor, setCursor] = useCursor(list.length, "listing");
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
          <LongTable
            rows={list}
            columns={listingColumns}
            rowKey={(l) => l.id}
            label="Listings"
            rowHeight={rowHeight}
            cursor={{ at: cursor, set: setCursor }}
          />
        )}
      </div>
      <Runs />
    </main>
  );
}

const listingColumns: Column<Listing>[] = [
  {
    id: "picture",
    name: "Picture",
    unseen: true,
    track: "52px",
    show: (l) => <Picture path={l.picture} width={96} className="size-10 border border-line" />,
  },
  { id: "listing", name: "Listing", track: "minmax(160px,1fr)", show: (l) => <Title of={l} /> },
  {
    id: "supplier",
    name: "Supplier",
    track: "minmax(120px,180px)",
    className: "text-ink-2",
    show: (l) => (
      <>
        <span className="block truncate">{l.supplier}</span>
        <span className="block truncate text-sm">{l.source}</span>
      </>
    ),
  },
  { id: "price", name: "Price", track: "130px", align: "right", show: (l) => <Prices of={l} /> },
  { id: "sent", name: "Sent", track: "96px", className: "text-ink-2", show: (l) => ago(l.updated_at) },
  { id: "links", name: "See it", track: "180px", show: (l) => <Links of={l} /> },
];

/** Title is the listing by name, whether it is seen in the store, and what is the matter with it. */
function Title({ of: l }: { of: Listing }) {
  return (
    <>
      <RowLink to={`/workbench/${l.draft_id}`} className="block truncate font-semibold hover:underline" title={l.title}>
        {l.title}
      </RowLink>
      <span className="text-sm text-ink-2">
        {l.variants === 1 ? "1 variant" : `${l.variants} variants`} · {l.visible ? "visible" : "hidden"}
      </span>
      {l.withdrawn && <Withdrawn of={l} />}
      {l.duplicates.length > 0 && <Duplicates of={l} />}
    </>
  );
}

/** useSaid is what is said of an act on a listing, after which the listings are asked for anew. */
function useSaid(words: string) {
  const { storeId } = useSession();
  const client = useQueryClient();
  const say = useSay();
  return {
    onSuccess: () => {
      say(words);
      void client.invalidateQueries({ queryKey: listingsQuery(storeId).queryKey });
    },
    onError: (error: Error) => say(error.message, true),
  };
}

function Withdrawn({ of: l }: { of: Listing }) {
  const { may } = useSession();
  const hide = useMutation({
    mutationFn: () => ask(api.POST("/api/listings/{id}/hide", { params: { path: { id: l.id } } })),
    ...useSaid(`“${l.title}” is hidden in the store.`),
  });
  return (
    <span className="flex items-center gap-2 text-sm">
      <b className="truncate text-loss">no longer sold by the supplier</b>
      {l.visible && may("editor") && (
        <RowButton onClick={() => hide.mutate()} disabled={hide.isPending}>
          {hide.isPending ? "Hiding…" : "Hide in the store"}
        </RowButton>
      )}
    </span>
  );
}

function Duplicates({ of: l }: { of: Listing }) {
  const { may } = useSession();
  const unite = useMutation({
    mutationFn: () => ask(api.POST("/api/listings/{id}/duplicates/remove", { params: { path: { id: l.id } } })),
    ...useSaid("Removed from the store. The listing itself stays."),
  });
  const one = l.duplicates.length === 1;
  return (
    <span className="flex items-center gap-2 text-sm">
      <b className="truncate text-loss">
        {one ? (
          <>
            <RowOut href={l.duplicates[0]?.url ?? ""} className="underline">
              one more
            </RowOut>{" "}
            of it in the store
          </>
        ) : (
          `${l.duplicates.length} more of it in the store`
        )}
      </b>
      {may("editor") && (
        <RowButton onClick={() => unite.mutate()} disabled={unite.isPending}>
          Remove {one ? "it" : "them"}
        </RowButton>
      )}
    </span>
  );
}

function Prices({ of: l }: { of: Listing }) {
  return (
    <>
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
    </>
  );
}

function Links({ of: l }: { of: Listing }) {
  return (
    <span className="flex gap-3">
      {l.url && (
        <RowOut href={l.url} className="font-semibold underline decoration-beak underline-offset-2">
          in the store
        </RowOut>
      )}
      {l.offer_url && <RowOut href={l.offer_url}>at the supplier's</RowOut>}
    </span>
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
