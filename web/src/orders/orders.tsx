import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { api, ask, type Problem } from "../api/client";
import { refresh } from "../api/refresh";
import { useSession } from "../frame/session";
import { OneOf } from "../parts/clause";
import { Button, Notice, Tick } from "../parts/controls";
import { countryName } from "../parts/countries";
import { More, NoStore, Words } from "../parts/found";
import { useKeys } from "../parts/keys";
import { useCursor } from "../parts/list";
import { Money } from "../parts/money";
import { useNavigate, useSearchParams } from "../parts/route";
import { Sheet } from "../parts/sheet";
import { type Column, LongTable } from "../parts/table";
import { ago } from "../parts/time";
import { useSay } from "../parts/toast";
import { AutoBuy } from "./auto-buy";
import { Buy } from "./buy";
import { OrderSheet } from "./order-sheet";
import { Pay } from "./pay";
import {
  ages,
  choicesQuery,
  type Matter,
  matters,
  type OrderFilter,
  type OrderRow,
  type OrderState,
  orderStates,
  ordersQuery,
  type Page,
  stateWords,
} from "./queries";
import { OrderSheets } from "./sheets";
import { saveSlips } from "./slips";

const rowHeight = 53;
/** mostSlips is how many orders' slips are in one file. */
const mostSlips = 500;

/** Orders is what customers bought: found by a sentence, bought from suppliers one by one or many at once. */
export default function Orders() {
  const { stores, may } = useSession();
  const all = may("fulfiller"); // else without costs
  const go = useNavigate();
  const { filter, change } = useOrderFilter();
  const pages = useInfiniteQuery(ordersQuery(filter));
  const list = useMemo(() => pages.data?.pages.flatMap((p) => p.orders) ?? [], [pages.data]);
  const first = pages.data?.pages[0];
  const [cursor, setCursor] = useCursor(list.length, "order");
  const here = list[cursor];
  const [selected, setSelected] = useState(new Set<number>());
  const [buying, setBuying] = useState<number[]>();
  const [open, setOpen] = useState<"pay" | "sheets" | "auto">();
  const mark = (o: OrderRow | undefined) =>
    o &&
    setSelected((before) => {
      const next = new Set(before);
      if (!next.delete(o.id)) next.add(o.id);
      return next;
    });
  // Of all that are selected, in the order of the list; or of the one under the cursor.
  const ids = selected.size > 0 ? list.filter((o) => selected.has(o.id)).map((o) => o.id) : here ? [here.id] : [];
  const buy = () => ids.length > 0 && setBuying(ids);
  const say = useSay();
  const { archive, read } = useOrderActs(() => setSelected(new Set()));
  useKeys([
    { keys: ["x"], label: "select", run: () => mark(here) },
    { keys: ["b"], label: "buy", run: buy },
    ...(all
      ? [
          { keys: ["p"], label: "pay suppliers", run: () => setOpen("pay") },
          { keys: ["s"], label: "order sheets", run: () => setOpen("sheets") },
        ]
      : []),
    { keys: ["t"], label: "packing slips", run: () => slips() },
    { keys: ["r"], label: "look for news", run: () => read.mutate() },
    { keys: ["a"], label: filter.archived ? "out of the archive" : "archive", run: () => put() },
    { keys: ["Escape"], label: "", run: () => setSelected(new Set()) },
  ]);
  const slips = () =>
    ids.length > 0 &&
    saveSlips(`/api/orders/packing-slips?ids=${ids.slice(0, mostSlips)}`, "packing-slips.pdf").then(
      () => say(ids.length > mostSlips ? `The first ${mostSlips} are saved: print the others apart.` : "Saved."),
      (error: Error) => say(error.message, true),
    );
  const put = () => ids.length > 0 && archive.mutate({ ids, archived: !filter.archived });
  if (stores.length === 0) return <NoStore />;
  return (
    <main className="flex min-h-0 grow max-md:flex-col">
      <div className="flex min-w-0 grow flex-col max-md:shrink-0">
        <Head filter={filter} change={change} page={first} />
        <div className="flex min-h-10 shrink-0 flex-wrap items-center gap-1 border-b border-line px-3">
          <Tick
            checked={list.length > 0 && selected.size >= list.length}
            onChange={(now) => setSelected(now ? new Set(list.map((o) => o.id)) : new Set())}
            label={`Select all ${list.length}`}
          />
          <span className="mr-2 text-ink-2">
            {selected.size > 0 ? `${selected.size.toLocaleString("en")} selected` : "this one"}
          </span>
          <Button tone="main" onClick={buy} disabled={ids.length === 0}>
            Buy…
          </Button>
          {all && (first?.counts.to_send ?? 0) > 0 && (
            <Button onClick={() => setOpen("sheets")}>Send order sheets…</Button>
          )}
          {all && <Button onClick={() => setOpen("pay")}>Pay suppliers…</Button>}
          <Button tone="quiet" onClick={slips} disabled={ids.length === 0}>
            Packing slips
          </Button>
          <Button tone="quiet" onClick={put} disabled={ids.length === 0}>
            {filter.archived ? "Take out of the archive" : "Archive"}
          </Button>
          <span className="ml-auto" />
          {all && (
            <Button tone="quiet" onClick={() => setOpen("auto")}>
              Automatic buying…
            </Button>
          )}
          <Button tone="quiet" onClick={() => read.mutate()} disabled={read.isPending}>
            Look for news
          </Button>
        </div>
        {pages.error && !pages.data ? (
          <Notice title="The orders cannot be shown" error>
            <p>{(pages.error as Problem).message}</p>
            <Button onClick={() => void pages.refetch()}>Try again</Button>
          </Notice>
        ) : pages.data && list.length === 0 ? (
          <Nothing asked={Object.keys(filter).length > 0} onClear={() => go("/orders")} />
        ) : (
          <LongTable
            rows={list}
            columns={orderColumns(selected, mark, stores.length > 1).filter((c) => all || c.id !== "profit")}
            rowKey={(o) => o.id}
            label="Orders"
            rowHeight={rowHeight}
            cursor={{ at: cursor, set: setCursor }}
          />
        )}
        {pages.hasNextPage && (
          <More
            left={(first?.total ?? 0) - list.length}
            page={100}
            busy={pages.isFetchingNextPage}
            onMore={() => void pages.fetchNextPage()}
          />
        )}
      </div>
      <Sheet label="Order" look="w-[26.25rem] bg-surface">
        {here ? <OrderSheet key={here.id} id={here.id} /> : <p className="text-ink-2">No order is shown.</p>}
      </Sheet>
      {buying && <Buy ids={buying} onClose={() => setBuying(undefined)} onBought={() => setSelected(new Set())} />}
      {open === "pay" && <Pay onClose={() => setOpen(undefined)} />}
      {open === "auto" && <AutoBuy onClose={() => setOpen(undefined)} />}
      {open === "sheets" && <OrderSheets onClose={() => setOpen(undefined)} />}
    </main>
  );
}

/** useOrderActs archives orders, and looks for news at stores and suppliers. */
function useOrderActs(done: () => void) {
  const client = useQueryClient();
  const say = useSay();
  const archive = useMutation({
    mutationFn: (body: { ids: number[]; archived: boolean }) => ask(api.POST("/api/orders/archive", { body })),
    onSuccess: (moved, { ids, archived }) => {
      const of = moved.moved === 1 ? "1 order" : `${moved.moved} orders`;
      say(archived ? `${of} archived.` : `${of} out of the archive.`, false, {
        words: "Undo",
        run: () => archive.mutate({ ids, archived: !archived }),
      });
      done();
    },
    onError: (error) => say(error.message, true),
    onSettled: () => refresh(client, "orders", "header"),
  });
  const read = useMutation({
    mutationFn: () => ask(api.POST("/api/orders/read")),
    onSuccess: () => say("Stores and suppliers are asked for news."),
    onError: (error) => say(error.message, true),
  });
  return { archive, read };
}

/** useOrderFilter keeps the filter in the address. */
function useOrderFilter() {
  const [params, setParams] = useSearchParams();
  const text = params.toString();
  const filter = useMemo<OrderFilter>(() => {
    const now = new URLSearchParams(text);
    const state = now.get("state") as OrderState | null;
    const matter = now.get("matter") as Matter | null;
    const words = now.get("words");
    const of = Number(now.get("of"));
    const [country, supplier, older] = [now.get("country"), now.get("supplier"), Number(now.get("older"))];
    return {
      ...(state && state in orderStates && { state }),
      ...(matter && matter in matters && { matter }),
      ...(of > 0 && { store: of }),
      ...(country && { country }),
      ...(supplier && { supplier }),
      ...(older > 0 && { older }),
      ...(words && { words }),
      ...(now.get("archived") && { archived: true }),
    };
  }, [text]);
  const change = (part: { [K in keyof OrderFilter]?: OrderFilter[K] | undefined }) => {
    const next = new URLSearchParams();
    const { store, archived, ...rest } = { ...filter, ...part };
    for (const [name, value] of Object.entries(rest)) if (value) next.set(name, String(value));
    if (store) next.set("of", String(store)); // “store” is the one in use
    if (archived) next.set("archived", "1");
    setParams(next, { replace: "words" in part });
  };
  return { filter, change };
}

/** Head is the sentence that says which orders are listed. */
function Head({
  filter,
  change,
  page,
}: {
  filter: OrderFilter;
  change: ReturnType<typeof useOrderFilter>["change"];
  page: Page | undefined;
}) {
  const { stores, may } = useSession();
  const { data: choices } = useQuery(choicesQuery);
  const counted = Object.fromEntries(
    Object.entries(orderStates).map(([state, text]) => [state, `${text} (${page?.counts[state] ?? 0})`]),
  ) as Record<OrderState, string>;
  const { loses, ...others } = matters;
  const known = { ...others, late: `late (${page?.late ?? 0})`, ...(may("fulfiller") && { loses }) } as Record<
    Matter,
    string
  >;
  const query = new URLSearchParams(Object.entries(filter).map(([name, value]) => [name, String(value)]));
  const named = Object.fromEntries(stores.map((s) => [String(s.id), s.name]));
  return (
    <div className="border-b border-line bg-surface px-4 py-2">
      <h1 className="sr-only">Orders</h1>
      <search className="text-lg leading-9" aria-label="Filter orders">
        {page && <b>{page.total.toLocaleString("en")}</b>} {filter.archived ? "archived orders" : "orders"}{" "}
        <OneOf
          label="State"
          value={filter.state}
          words={counted}
          none="in any state"
          width="w-72"
          onChange={(state) => change({ state })}
        />
        ,{" "}
        <OneOf
          label="What is the matter"
          value={filter.matter}
          words={known}
          none="late or not"
          onChange={(matter) => change({ matter })}
        />
        , to{" "}
        <OneOf
          label="Market"
          value={filter.country}
          words={Object.fromEntries((choices?.countries ?? []).map((c) => [c, countryName(c)]))}
          none="any country"
          onChange={(country) => change({ country })}
        />
        , from{" "}
        <OneOf
          label="Supplier"
          value={filter.supplier}
          words={Object.fromEntries((choices?.suppliers ?? []).map((s) => [s, s]))}
          none="any supplier"
          width="w-80"
          onChange={(supplier) => change({ supplier })}
        />
        ,{" "}
        <OneOf
          label="Age"
          value={filter.older ? String(filter.older) : undefined}
          words={Object.fromEntries(Object.entries(ages).map(([days, text]) => [days, `older than ${text}`]))}
          none="of any age"
          onChange={(older) => change({ older: Number(older) || undefined })}
        />
        , of{" "}
        <OneOf
          label="Store"
          value={filter.store ? String(filter.store) : undefined}
          words={named}
          none="all stores"
          onChange={(of) => change({ store: Number(of) || undefined })}
        />
        , with{" "}
        <Words value={filter.words} label="Words in the number, title or SKU" onChange={(words) => change({ words })} />
        <button
          type="button"
          className="ml-3 min-h-6 align-middle text-base underline underline-offset-2"
          onClick={() => change({ archived: !filter.archived })}
        >
          {filter.archived ? "Show those at work" : "Show the archive"}
        </button>
        {may("fulfiller") && (
          <a href={`/api/orders/export?${query}`} className="ml-3 align-middle text-base underline underline-offset-2">
            Export CSV
          </a>
        )}
      </search>
      {page && page.rejected > 0 && (
        <p className="text-loss" role="alert">
          {page.rejected === 1 ? "1 order of a store" : `${page.rejected} orders of stores`} could not be read.
        </p>
      )}
    </div>
  );
}

function Nothing({ asked, onClear }: { asked: boolean; onClear: () => void }) {
  if (asked)
    return (
      <Notice title="No order matches">
        <Button onClick={onClear}>Show all</Button>
      </Notice>
    );
  return (
    <Notice title="No order has come in yet">
      <p>
        What customers buy in your stores is listed here by itself, from the 60 days before a store was connected.
        Stores tell of an order at once, and are read every two minutes.
      </p>
    </Notice>
  );
}

/** orderColumns are what is told of an order. */
function orderColumns(selected: Set<number>, mark: (o: OrderRow) => void, several: boolean): Column<OrderRow>[] {
  return [
    {
      id: "tick",
      name: "Selected",
      unseen: true,
      card: "tick",
      track: "1.75rem",
      show: (o) => <Tick checked={selected.has(o.id)} onChange={() => mark(o)} label={`Select order ${o.number}`} />,
    },
    {
      id: "number",
      name: "Order",
      track: "5.5rem",
      show: (o) => (
        <>
          <b className="block">{o.number}</b>
          <span className="block text-sm text-ink-2">{ago(o.placed_at)}</span>
        </>
      ),
    },
    {
      id: "what",
      name: "What",
      card: "what",
      track: "minmax(8.75rem,1fr)",
      show: (o) => (
        <>
          <span className="block truncate font-semibold" title={o.title}>
            {o.title}
          </span>
          <span className="block truncate text-sm text-ink-2">
            <b className="md:hidden">{o.number} · </b>
            {o.units === 1 ? "1 unit" : `${o.units} units`}
            {o.lines > 1 && ` in ${o.lines} lines`} · to {o.country || "nowhere"}
            {several && ` · ${o.store}`}
            {o.earlier && " · from before"}
          </span>
        </>
      ),
    },
    { id: "state", name: "State", card: "top", track: "minmax(6.25rem,9.375rem)", show: (o) => <State of={o} /> },
    {
      id: "suppliers",
      name: "Bought from",
      track: "minmax(5rem,8.125rem)",
      className: "text-ink-2",
      show: (o) => (
        <span className="block truncate" title={o.suppliers.join(", ")}>
          {o.suppliers.join(", ") || "—"}
        </span>
      ),
    },
    { id: "paid", name: "Paid", track: "5.25rem", align: "right", show: (o) => <Money of={o.total} /> },
    {
      id: "profit",
      name: "Profit now",
      card: "bottom",
      track: "5.25rem",
      align: "right",
      show: (o) =>
        o.profit ? (
          <Money of={o.profit} signed />
        ) : (
          <span title={o.cost_error || undefined} className="text-ink-2">
            {o.cost_error ? "not known" : "—"}
          </span>
        ),
    },
  ];
}

/** State is where an order is, and what is the matter with it. */
function State({ of: o }: { of: OrderRow }) {
  const needs = o.state === "problem" || o.state === "to_buy" || o.state === "to_send" || o.state === "to_pay";
  const said = [
    o.late === "promise" && "past the promise",
    o.late === "quiet" && "no news for a week",
    o.address_faults > 0 && o.state === "to_buy" && "address doubtful",
  ].filter(Boolean);
  return (
    <>
      <span
        className={`block truncate ${o.state === "problem" ? "font-semibold text-loss" : needs ? "font-semibold" : ""}`}
      >
        {stateWords[o.state] ?? o.state}
      </span>
      {said.length > 0 && (
        <b className="block truncate text-sm text-loss" title={said.join(", ")}>
          {said.join(", ")}
        </b>
      )}
    </>
  );
}
