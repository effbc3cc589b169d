import { type UseQueryResult, useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Draft, type Problem, type Schemas } from "../api/client";
import { useSession } from "../frame/session";
import { Button, Notice, Picture } from "../parts/controls";
import { countryName } from "../parts/countries";
import { useKeys } from "../parts/keys";
import { onTimeText, ratingText } from "../parts/known";
import { Money } from "../parts/money";
import { Check } from "../parts/radios";
import { Link, useNavigate, useParams } from "../parts/route";
import { type Column, Table } from "../parts/table";
import { useSay } from "../parts/toast";
import { figure, Landed, type Priced, pad, pictureColumn, usePurchase } from "./purchase";

type Swapping = Schemas["WorkbenchSwapPreview"];
type Row = Schemas["WorkbenchSwapRow"];
type Buying = Schemas["WorkbenchPurchase"];

/**
 * Swap shows what having a draft bought from another supplier would do, lets variants be matched by hand, and does
 * it.
 */
export default function Swap() {
  const { storeId } = useSession();
  const params = useParams();
  const [id, offer] = [Number(params.id), Number(params.offer)];
  const go = useNavigate();
  const [chosen, setChosen] = useState<Map<number, number>>();
  const [keep, setKeep] = useState(false);
  const pairs =
    chosen &&
    [...chosen].filter(([, to]) => to > 0).map(([variant_id, offer_variant_id]) => ({ variant_id, offer_variant_id }));
  const look = useQuery<Swapping, Problem>({
    queryKey: ["swap", id, offer, storeId, pairs, keep],
    queryFn: ({ signal }) =>
      ask(
        api.POST("/api/drafts/{id}/swap/preview", {
          params: { path: { id }, query: { store: storeId } },
          body: { offer_id: offer, keep_prices: keep, ...(pairs && { pairs }) },
          signal,
        }),
      ),
    placeholderData: (before) => before,
    retry: false,
  });
  const swap = useSwap(id, offer, look, keep);
  const rows = look.data?.rows ?? [];
  const ready = !look.isFetching && rows.some((r) => r.offer_variant_id > 0) && !swap.isPending;
  useKeys([
    { keys: ["ctrl+Enter"], label: "swap the supplier", whileTyping: true, run: () => ready && swap.mutate() },
    { keys: ["Escape"], label: "back", run: () => go(-1) },
  ]);
  if (look.error && !look.data)
    return (
      <main className="grow">
        <Notice title="The supplier cannot be swapped" error alone>
          <p>{look.error.message}</p>
          <Button onClick={() => go(`/workbench/${id}`)}>Back to the draft</Button>
        </Notice>
      </main>
    );
  if (!look.data) return <main className="p-6 text-ink-2">Matching variants…</main>;
  const { before, after, choices } = look.data;
  const put = (row: Row, to: number) => {
    // On top of what was chosen before, whether it has been answered yet or not.
    const next = chosen ? new Map(chosen) : new Map(rows.map((r) => [r.variant_id, r.offer_variant_id]));
    for (const [variant, other] of next) if (to > 0 && other === to) next.set(variant, 0); // each is bought once
    setChosen(next.set(row.variant_id, to));
  };
  const lost = rows.filter((r) => r.chosen && r.offer_variant_id === 0 && !r.stays_with).length;
  const empty = rows.filter((r) => r.chosen && r.after?.stock === 0).length;
  const unused = choices.length - rows.filter((r) => r.offer_variant_id > 0).length;
  return (
    <main className="flex min-h-0 grow flex-col">
      <div className="border-b border-line bg-surface px-4 py-2.5">
        <h1 className="text-lg">Swap the supplier of “{look.data.title}”</h1>
        <p className="text-sm text-ink-2">
          Its title, description, pictures, options and manual prices stay. What it is bought as, what it costs and what
          rules make of that change.
        </p>
      </div>
      <div className="min-h-0 grow overflow-auto">
        <div className="grid grid-cols-2 gap-px border-b border-line bg-line">
          <Facts title="Now" of={before} beside={after} />
          <Facts title="Then" of={after} beside={before} />
        </div>
        <Table
          rows={rows}
          columns={columns(choices, chosen, put)}
          rowKey={(r) => r.variant_id}
          label="Variants and what they are bought as"
          rowClass={(r) => `align-top ${r.offer_variant_id === 0 && r.chosen && !r.stays_with ? "bg-beak-wash" : ""}`}
        />
        {unused > 0 && (
          <p className="px-4 py-3 text-sm text-ink-2">
            {unused === 1 ? "1 variant" : `${unused} variants`} of the other offer {unused === 1 ? "is" : "are"} not in
            the draft, and stay out of it.{" "}
            <Link to={`/workbench/${id}/combine/${offer}`} className="underline">
              Add this supplier beside the other instead
            </Link>
          </p>
        )}
      </div>
      <div className="flex flex-wrap items-center gap-3 border-t border-line bg-surface px-4 py-2">
        <Button tone="main" disabled={!ready} onClick={() => swap.mutate()}>
          Swap the supplier
        </Button>
        <Button tone="quiet" onClick={() => go(-1)}>
          Cancel
        </Button>
        {storeId > 0 && (
          <Check checked={keep} onChange={setKeep}>
            keep the prices as they are
          </Check>
        )}
        <span role="status" className={lost > 0 ? "text-beak-ink" : "text-ink-2"}>
          {look.error
            ? look.error.message
            : lost > 0
              ? `${lost === 1 ? "1 variant" : `${lost} variants`} would not be sold any more`
              : `Every variant has a counterpart${empty > 0 ? `, ${empty} of them out of stock` : ""}`}
        </span>
      </div>
    </main>
  );
}

/** useSwap has a draft bought as what was looked at, and offers to take that back. */
function useSwap(id: number, offer: number, look: UseQueryResult<Swapping, Problem>, keep: boolean) {
  const { storeId } = useSession();
  const go = useNavigate();
  const say = useSay();
  const { show, undo } = usePurchase(id, (draft) => `Bought from ${draft.supplier} again.`);
  return useMutation<Draft, Problem, void>({
    mutationFn: () => {
      const now =
        look.data?.rows
          .filter((r) => r.offer_variant_id > 0)
          .map(({ variant_id, offer_variant_id }) => ({ variant_id, offer_variant_id })) ?? [];
      return ask(
        api.POST("/api/drafts/{id}/swap", {
          params: { path: { id }, query: { store: storeId } },
          body: { offer_id: offer, base: look.data?.base, keep_prices: keep, pairs: now },
        }),
      );
    },
    onSuccess: (draft) => {
      show(draft);
      go(`/workbench/${id}`);
      say(`Bought from ${draft.supplier} now.`, false, undo);
    },
    onError: (error) => {
      say(error.message, true);
      void look.refetch();
    },
  });
}

/** Facts are what a draft is bought as; what is better than beside stands in bold. */
function Facts({ title, of, beside }: { title: string; of: Buying; beside: Buying }) {
  const days = (b: Buying) => b.door_max || Number.POSITIVE_INFINITY;
  const bold = (better: boolean) => (better ? "font-semibold text-profit-ink" : "");
  return (
    <section className="bg-surface px-4 py-2" aria-label={title}>
      <h2 className="text-sm text-ink-2">{title}</h2>
      <p className="truncate font-semibold" title={of.title}>
        {of.title}
      </p>
      <p>
        {of.supplier} · {of.source} · {countryName(of.ships_from)}
      </p>
      <p>
        <span className={bold(days(of) < days(beside))}>
          {of.door ? `${of.door} by ${of.delivery}` : "no delivery to the market"}
        </span>{" "}
        ·{" "}
        <span className={bold(of.on_time !== null && beside.on_time !== null && of.on_time > beside.on_time)}>
          {onTimeText(of.on_time)}
        </span>{" "}
        ·{" "}
        <span className={bold(of.rating !== "" && beside.rating !== "" && Number(of.rating) > Number(beside.rating))}>
          {ratingText(of.rating)}
        </span>
      </p>
    </section>
  );
}

type Choices = Swapping["choices"];
type Put = (row: Row, to: number) => void;

/** columns are each variant as it is bought now and as it would be. */
function columns(choices: Choices, chosen: Map<number, number> | undefined, put: Put): Column<Row>[] {
  return [
    pictureColumn(),
    {
      id: "variant",
      name: "Variant",
      className: pad,
      show: (r) => (
        <>
          {r.values.join(" ") || "Default"}
          {!r.chosen && <span className="block text-sm text-ink-2">not chosen</span>}
        </>
      ),
    },
    { id: "landed", name: "Landed now", ...figure, show: (r) => <LandedFor of={r.before} /> },
    { id: "price", name: "Price now", ...figure, show: (r) => <Price of={r.before} /> },
    {
      id: "as",
      name: "Bought as",
      className: `${pad} w-84`,
      show: (r) => (
        <BoughtAs row={r} choices={choices} to={chosen?.get(r.variant_id) ?? r.offer_variant_id} put={put} />
      ),
    },
    {
      id: "landed-then",
      name: "Landed then",
      ...figure,
      show: (r) => (r.after ? <LandedFor of={r.after} was={r.before} /> : "—"),
    },
    { id: "price-then", name: "Price then", ...figure, show: (r) => r.after && <Price of={r.after} /> },
    {
      id: "profit",
      name: "Profit, before and after",
      align: "right",
      className: `${pad} pr-4 whitespace-nowrap`,
      show: (r) => (
        <>
          {r.before.ladder && <Money of={r.before.ladder.profit} signed />}
          {r.after?.ladder && (
            <span className="block font-semibold">
              <span aria-hidden="true">→ </span>
              <Money of={r.after.ladder.profit} signed />
            </span>
          )}
        </>
      ),
    },
  ];
}

/** BoughtAs chooses what a variant is to be bought as, and says who chose it so far. */
function BoughtAs({ row: r, choices, to, put }: { row: Row; choices: Choices; to: number; put: Put }) {
  return (
    <div className="flex gap-2">
      <Picture
        path={choices.find((c) => c.id === r.offer_variant_id)?.picture ?? ""}
        width={96}
        className="size-10 min-w-10 border border-line"
      />
      <div className="min-w-0 grow">
        <select
          value={to}
          onChange={(e) => put(r, Number(e.target.value))}
          aria-label={`${r.values.join(" ")} is bought as`}
          className="w-full rounded-md border border-line-2 bg-surface px-2 py-1"
        >
          <option value={0}>{r.stays_with ? `from ${r.stays_with}, as now` : "nothing: leave it out"}</option>
          {choices.map((c) => (
            <option key={c.id} value={c.id}>
              {c.values.join(" ") || "Default"}, {c.stock.toLocaleString("en")} in stock
            </option>
          ))}
        </select>
        <span className="text-sm text-ink-2">
          {chosenBy(r)}
          {r.after?.stock === 0 && <b className="text-loss"> · out of stock</b>}
        </span>
      </div>
    </div>
  );
}

function chosenBy(r: Row): string {
  if (r.by) return `by ${r.by}`;
  if (r.offer_variant_id > 0) return "chosen by hand";
  if (r.stays_with) return "it has a supplier of its own, and stays so";
  return r.chosen ? "no counterpart is sure: choose one, or it is left out" : "left out";
}

/** LandedFor is what a variant lands for, and what it costs there. */
function LandedFor({ of, was }: { of: Priced; was?: Priced }) {
  return (
    <>
      <Landed of={of} was={was} />
      {of.ladder && of.cost && (
        <span className="block text-sm text-ink-2">
          for <Money of={of.cost} />
        </span>
      )}
    </>
  );
}

function Price({ of }: { of: Priced }) {
  if (!of.ladder) return null;
  return (
    <>
      <Money of={of.ladder.price} />
      {of.manual && <span className="block text-sm text-ink-2">manual</span>}
    </>
  );
}
