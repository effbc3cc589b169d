import { useInfiniteQuery, useMutation } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { api, ask, type Problem } from "../api/client";
import { useSession } from "../frame/session";
import { OneOf } from "../parts/clause";
import { Button, Notice, Picture, Tick } from "../parts/controls";
import { More, NoStore, Words } from "../parts/found";
import { useKeys } from "../parts/keys";
import { useCursor } from "../parts/list";
import { Money } from "../parts/money";
import { Link, useNavigate, useSearchParams } from "../parts/route";
import { RowLink, RowOut } from "../parts/row";
import { Sheet } from "../parts/sheet";
import { type Column, LongTable } from "../parts/table";
import { ago } from "../parts/time";
import { useSay } from "../parts/toast";
import { Trace } from "../parts/trace";
import { Publish } from "../workbench/publish";
import { type Act, ActOnListings } from "./act";
import { ListingSheet } from "./listing-sheet";
import { type Listing, type ListingFilter, type ListingState, listingStates, listingsQuery } from "./queries";

const rowHeight = 65;

/** Listings is what is live in the store in use: found by a sentence, acted on one by one or many at once. */
export default function Listings() {
  const { store, storeId, may } = useSession();
  const go = useNavigate();
  const { filter, change, wanted } = useListingFilter();
  const pages = useInfiniteQuery(listingsQuery(storeId, filter));
  const list = useMemo(() => pages.data?.pages.flatMap((p) => p.listings) ?? [], [pages.data]);
  const total = pages.data?.pages[0]?.total ?? 0;
  const [cursor, setCursor] = useCursor(list.length, "listing");
  const here = list[cursor];
  const [selected, setSelected] = useState(new Set<number>());
  const [asking, setAsking] = useState<Act>();
  useEffect(() => {
    const at = list.findIndex((l) => l.id === wanted);
    if (at >= 0) setCursor(at);
  }, [wanted, list, setCursor]);
  const mark = (l: Listing | undefined) =>
    l &&
    setSelected((before) => {
      const next = new Set(before);
      if (!next.delete(l.draft_id)) next.add(l.draft_id);
      return next;
    });
  const all = useMutation({
    mutationFn: () => ask(api.GET("/api/listings/drafts", { params: { query: { ...filter, store: storeId } } })),
    onSuccess: (ids) => setSelected(new Set(ids)),
  });
  const drafts = selected.size > 0 ? [...selected] : here ? [here.draft_id] : [];
  const [send, setSending] = useState<number[]>();
  const act = (what: Act) => () => drafts.length > 0 && setAsking(what);
  const seeInStore = () => here?.url && window.open(here.url, "_blank", "noreferrer");
  useKeys([
    { keys: ["x"], label: "select", run: () => mark(here) },
    { keys: ["v"], label: "see it in the store", run: () => void seeInStore() },
    { keys: ["Enter"], label: "edit its draft", run: () => here && go(`/workbench/${here.draft_id}`) },
    ...(may("editor")
      ? [
          { keys: ["p"], label: "send again", run: () => drafts.length > 0 && setSending(drafts) },
          { keys: ["h"], label: "hide", run: act("hide") },
          { keys: ["Delete"], label: "take down", run: act("take_down") },
        ]
      : []),
    { keys: ["Escape"], label: "", run: () => setSelected(new Set()) },
  ]);
  if (!store) return <NoStore />;
  return (
    <main className="flex min-h-0 grow max-md:flex-col">
      <div className="flex min-w-0 grow flex-col max-md:shrink-0">
        <Head filter={filter} change={change} total={total} known={pages.data !== undefined} />
        {may("editor") && list.length > 0 && (
          <div className="flex min-h-10 shrink-0 flex-wrap items-center gap-1 border-b border-line px-3">
            <Tick
              checked={selected.size > 0 && selected.size >= total}
              onChange={(now) => (now ? all.mutate() : setSelected(new Set()))}
              label={`Select all ${total}`}
            />
            <span className="mr-2 text-ink-2">
              {selected.size > 0 ? `${selected.size.toLocaleString("en")} selected` : "this one"}
            </span>
            <Button onClick={() => setSending(drafts)}>Send again…</Button>
            <Button tone="quiet" onClick={act("show")}>
              Show
            </Button>
            <Button tone="quiet" onClick={act("hide")}>
              Hide
            </Button>
            <Button tone="quiet" onClick={act("take_down")}>
              Take down…
            </Button>
          </div>
        )}
        {pages.error && !pages.data ? (
          <Notice title="The listings cannot be shown" error>
            <p>{(pages.error as Problem).message}</p>
            <Button onClick={() => void pages.refetch()}>Try again</Button>
          </Notice>
        ) : pages.data && list.length === 0 ? (
          <Nothing
            asked={Object.keys(filter).length > 0}
            onClear={() => change({ words: undefined, state: undefined })}
          />
        ) : (
          <LongTable
            rows={list}
            columns={listingColumns(may("editor") ? selected : undefined, mark)}
            rowKey={(l) => l.id}
            label="Listings"
            rowHeight={rowHeight}
            cursor={{ at: cursor, set: setCursor }}
          />
        )}
        {pages.hasNextPage && (
          <More
            left={total - list.length}
            page={100}
            busy={pages.isFetchingNextPage}
            onMore={() => void pages.fetchNextPage()}
          />
        )}
      </div>
      <Sheet label="Listing">
        {here ? <ListingSheet key={here.id} listing={here} onSend={setSending} /> : <p>Nothing is live.</p>}
      </Sheet>
      {send && <Publish ids={send} onClose={() => setSending(undefined)} />}
      {asking && <ActOnListings act={asking} drafts={drafts} onClose={() => setAsking(undefined)} />}
    </main>
  );
}

/** useListingFilter keeps the filter in the address, where a listing may be named, too. */
function useListingFilter() {
  const [params, setParams] = useSearchParams();
  const text = params.toString();
  const filter = useMemo<ListingFilter>(() => {
    const read = new URLSearchParams(text);
    const state = read.get("state") as ListingState | null;
    const words = read.get("words");
    return { ...(words && { words }), ...(state && state in listingStates && { state }) };
  }, [text]);
  const change = (part: { words?: string | undefined; state?: ListingState | undefined }) => {
    const next = new URLSearchParams();
    for (const [name, value] of Object.entries({ ...filter, ...part })) if (value) next.set(name, value);
    setParams(next, { replace: "words" in part });
  };
  return { filter, change, wanted: Number(params.get("listing")) || 0 };
}

/** Head is the sentence that says which listings are listed, and what can be done with the store as a whole. */
function Head({
  filter,
  change,
  total,
  known,
}: {
  filter: ListingFilter;
  change: ReturnType<typeof useListingFilter>["change"];
  total: number;
  known: boolean;
}) {
  const { store, storeId, may } = useSession();
  const say = useSay();
  const check = useMutation({
    mutationFn: () => ask(api.POST("/api/listings/check", { params: { query: { store: storeId } } })),
    onSuccess: () => say("The store is read anew. What differs there is shown in the rows."),
    onError: (error) => say(error.message, true),
  });
  const address = new URLSearchParams({ ...filter, store: String(storeId) });
  return (
    <div className="flex flex-wrap items-center gap-x-4 border-b border-line bg-surface px-4 py-2">
      <h1 className="sr-only">Listings</h1>
      <search className="grow text-lg leading-9" aria-label="Filter listings">
        {known && <b>{total.toLocaleString("en")}</b>} live in <b>{store?.name}</b>,{" "}
        <OneOf
          label="State"
          value={filter.state}
          words={listingStates}
          none="in any state"
          width="w-80"
          onChange={(state) => change({ state })}
        />
        , with <Words value={filter.words} label="Words in the title or SKU" onChange={(words) => change({ words })} />
      </search>
      <Link to="/listings/runs" className="underline underline-offset-2">
        Publish runs
      </Link>
      <a href={`/api/listings/export?${address}`} className="underline underline-offset-2">
        Save as CSV
      </a>
      {may("editor") && (
        <Button onClick={() => check.mutate()} disabled={check.isPending}>
          Read the store anew
        </Button>
      )}
    </div>
  );
}

function Nothing({ asked, onClear }: { asked: boolean; onClear: () => void }) {
  const go = useNavigate();
  if (asked)
    return (
      <Notice title="No listing matches">
        <Button onClick={onClear}>Show all</Button>
      </Notice>
    );
  return (
    <Notice title="Nothing is live yet">
      <p>
        Drafts that are published from the Workbench are listed here, with the way to the store and to the supplier.
      </p>
      <Button tone="main" onClick={() => go("/workbench")}>
        Go to the Workbench
      </Button>
    </Notice>
  );
}

/** listingColumns are what is told of a listing; where people may act, it is ticked. */
function listingColumns(selected: Set<number> | undefined, mark: (l: Listing) => void): Column<Listing>[] {
  return [
    ...(selected
      ? [
          {
            id: "tick",
            name: "Selected",
            unseen: true,
            card: "tick" as const,
            track: "1.75rem",
            show: (l: Listing) => (
              <Tick checked={selected.has(l.draft_id)} onChange={() => mark(l)} label={`Select ${l.title}`} />
            ),
          },
        ]
      : []),
    {
      id: "picture",
      name: "Picture",
      unseen: true,
      track: "2.75rem",
      show: (l) => <Picture path={l.picture} width={96} className="size-10 border border-line" />,
    },
    { id: "listing", name: "Listing", card: "what", track: "minmax(10rem,1fr)", show: (l) => <Title of={l} /> },
    {
      id: "supplier",
      name: "Supplier",
      track: "minmax(5.625rem,8.125rem)",
      className: "text-ink-2",
      show: (l) => (
        <>
          <span className="block truncate" title={l.supplier}>
            {l.supplier}
          </span>
          <span className="block truncate text-sm" title={l.source}>
            {l.source}
          </span>
        </>
      ),
    },
    {
      id: "stock",
      name: "Stock",
      track: "4rem",
      align: "right",
      show: (l) => (
        <span className={l.stock === 0 ? "font-semibold text-loss" : ""}>{l.stock.toLocaleString("en")}</span>
      ),
    },
    { id: "price", name: "Price", card: "top", track: "7.5rem", align: "right", show: (l) => <Prices of={l} /> },
    {
      id: "profit",
      name: "Profit",
      card: "bottom",
      track: "4.75rem",
      align: "right",
      show: (l) => (l.profit ? <Money of={l.profit} signed /> : "—"),
    },
    {
      id: "sent",
      name: "Sent",
      track: "5.5rem",
      className: "text-ink-2",
      show: (l) => (
        <>
          <span className="block">{ago(l.updated_at)}</span>
          {l.url && (
            <RowOut href={l.url} className="underline decoration-beak underline-offset-2">
              see it
            </RowOut>
          )}
        </>
      ),
    },
  ];
}

/** Title is the listing by name, whether it is seen in the store, and what is the matter with it. */
function Title({ of: l }: { of: Listing }) {
  const matters = [
    l.gone && "no longer in the store",
    l.withdrawn && "no longer sold by the supplier",
    l.differences > 0 &&
      (l.differences === 1 ? "1 field was changed there" : `${l.differences} fields were changed there`),
    l.duplicates.length > 0 && `${l.duplicates.length} more of it in the store`,
  ].filter(Boolean);
  return (
    <>
      <RowLink to={`/workbench/${l.draft_id}`} className="block truncate font-semibold hover:underline" title={l.title}>
        {l.title}
      </RowLink>
      <span className="block truncate text-sm text-ink-2">
        {l.variants === 1 ? "1 variant" : `${l.variants} variants`} · {l.visible ? "visible" : "hidden"}
        {l.edited && <span className="text-beak-ink"> · changed here since</span>}
      </span>
      {matters.length > 0 && (
        <b className="block truncate text-sm text-loss" title={matters.join(" · ")}>
          {matters.join(" · ")}
        </b>
      )}
    </>
  );
}

function Prices({ of: l }: { of: Listing }) {
  return (
    <>
      <Trace steps={l.trace} label={`how the price of ${l.title} came about`}>
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
