import { useMutation } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { api, ask, type Problem, type Schemas } from "../api/client";
import { useSession } from "../frame/session";
import { Button, Picture } from "../parts/controls";
import { countryName } from "../parts/countries";
import { DayRuler, dayText } from "../parts/days";
import { useKeys } from "../parts/keys";
import { ratingText, returnsText, stockText } from "../parts/known";
import { LadderLegend, ladderTop, PriceLadder } from "../parts/ladder";
import { Money, num, percent } from "../parts/money";
import { Link } from "../parts/route";
import { dayName } from "../parts/time";
import { useSay } from "../parts/toast";
import type { Full } from "./words";

type Quote = Schemas["RequestsQuote"];

/** Quotes lays quotes side by side, what lands for least first, the best of each line selected. */
export function Quotes({ request, onTaken }: { request: Full; onTaken: () => void }) {
  const { may } = useSession();
  const say = useSay();
  const quotes = request.offers;
  const [at, setAt] = useState(0);
  const here = quotes[Math.min(at, quotes.length - 1)];
  const take = useMutation<unknown, Problem, Quote>({
    mutationFn: (q) => ask(api.POST("/api/quotes/{id}/take", { params: { path: { id: q.id } } })),
    onSuccess: () => say("Taken. It comes into the Catalog within seconds."),
    onError: (error) => say(error.message, true),
    onSettled: onTaken,
  });
  const takable = (q: Quote | undefined) =>
    !!q && may("editor") && !q.taken_by && !q.expired && request.state !== "withdrawn";
  useKeys([
    { keys: ["l", "ArrowRight"], label: "next quote", run: () => setAt(Math.min(at + 1, quotes.length - 1)) },
    { keys: ["h", "ArrowLeft"], label: "quote before", run: () => setAt(Math.max(at - 1, 0)) },
    ...(takable(here)
      ? [{ keys: ["t"], label: "take this quote", run: () => here && !take.isPending && take.mutate(here) }]
      : []),
  ]);
  const top = Math.max(...quotes.map((q) => (q.ladder ? ladderTop(q.ladder) : 0)));
  return (
    <div className="mt-4 overflow-x-auto">
      <table className="w-full table-fixed" style={{ minWidth: 120 + quotes.length * 210 }}>
        <caption className="mb-2 text-left">
          <LadderLegend taxed={quotes.some((q) => Number(q.ladder?.tax.value ?? 0) > 0)} />
        </caption>
        <colgroup>
          <col className="w-[7.5rem]" />
        </colgroup>
        <thead>
          <tr>
            <td />
            {quotes.map((q, i) => (
              <th
                key={q.id}
                scope="col"
                className={`px-3 pb-2 text-left align-top ${q === here ? "bg-surface shadow-[inset_0_3px_0_var(--beak)]" : ""}`}
              >
                <Head
                  quote={q}
                  current={q === here}
                  onPoint={() => setAt(i)}
                  onTake={takable(q) ? () => take.mutate(q) : undefined}
                  busy={take.isPending}
                />
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {lines.map(({ label, show, figure, most }) => {
            const wins = figure ? bestOf(quotes, figure, most) : undefined;
            return (
              <tr key={label} className="border-t border-line">
                <th scope="row" className="py-1.5 pr-3 text-left align-top font-normal text-ink-2">
                  {label}
                </th>
                {quotes.map((q) => (
                  <td
                    key={q.id}
                    className={`px-3 py-1.5 align-top ${q === here ? "bg-surface" : ""} ${wins?.(q) ? "font-semibold" : ""}`}
                  >
                    {wins?.(q) && <span className="float-right text-xs font-normal text-profit-ink">best</span>}
                    {show(q, top)}
                  </td>
                ))}
              </tr>
            );
          })}
        </tbody>
      </table>
    </div>
  );
}

function Head({
  quote: q,
  current,
  onPoint,
  onTake,
  busy,
}: {
  quote: Quote;
  current: boolean;
  onPoint: () => void;
  onTake: (() => void) | undefined;
  busy: boolean;
}) {
  return (
    <>
      <button type="button" className="block w-full pt-3 text-left" onClick={onPoint} aria-pressed={current}>
        <Picture path={q.pictures[0] ?? ""} width={400} className="h-32 w-full" />
        <span className="mt-1.5 block font-semibold">{q.supplier}</span>
        <span className="block text-sm font-normal text-ink-2">
          {q.verified ? "verified, " : ""}by {q.source}
        </span>
      </button>
      <span className="mt-1.5 block min-h-7 text-sm font-normal">
        {q.taken_by ? (
          <span className="text-profit-ink">
            Taken by {q.taken_by}.{" "}
            {q.offer_id ? (
              <Link to={`/catalog?words=${encodeURIComponent(q.title)}&offer=${q.offer_id}`} className="underline">
                See it in the Catalog
              </Link>
            ) : (
              "On its way into the Catalog."
            )}
          </span>
        ) : (
          onTake && (
            <Button tone={current ? "main" : "plain"} disabled={busy} onClick={onTake}>
              Take this quote
            </Button>
          )
        )}
      </span>
    </>
  );
}

type Line = {
  label: string;
  /** Top is the highest price of all, which ladders are drawn against. */
  show: (q: Quote, top: number) => ReactNode;
  /** What quotes are compared by where the least is best, or the most. */
  figure?: (q: Quote) => number | undefined;
  most?: boolean;
};

/** bestOf tells which quotes have the best figure of a line, where they differ. */
function bestOf(quotes: Quote[], figure: (q: Quote) => number | undefined, most = false) {
  const known = quotes.map(figure).filter((n): n is number => n !== undefined);
  const winner = most ? Math.max(...known) : Math.min(...known);
  const differ = new Set(known).size > 1;
  return (q: Quote) => differ && figure(q) === winner;
}

const lines: Line[] = [
  { label: "Quoted as", show: (q) => <span className="text-sm">{q.title}</span> },
  {
    label: "Landed cost",
    show: (q) =>
      q.ladder ? <Money of={q.ladder.landed} /> : <span className="text-loss">{q.no_price || "choose a store"}</span>,
    figure: (q) => q.ladder && num(q.ladder.landed),
  },
  { label: "Cost", show: (q) => <Cost of={q} /> },
  {
    label: "Your price",
    show: (q, top) =>
      q.ladder && (
        <>
          <Money of={q.ladder.price} />
          <PriceLadder ladder={q.ladder} top={top} width={180} />
        </>
      ),
  },
  {
    label: "Profit",
    show: (q) =>
      q.ladder && (
        <>
          <Money of={q.ladder.profit} signed /> <span className="text-ink-2">({percent(q.ladder.margin)})</span>
        </>
      ),
    figure: (q) => q.ladder && num(q.ladder.profit),
    most: true,
  },
  {
    label: "At the door",
    show: (q) =>
      q.days && (
        <>
          {dayText(q.days.door)} <span className="text-sm font-normal text-ink-2">by {q.delivery}</span>
          <DayRuler days={q.days} />
        </>
      ),
    figure: (q) => q.days?.door.max,
  },
  { label: "Ships from", show: (q) => countryName(q.ships_from) },
  {
    label: "On time",
    show: (q) => (q.on_time === null ? "not known" : `${q.on_time} %`),
    figure: (q) => q.on_time ?? undefined,
    most: true,
  },
  {
    label: "Rating",
    show: (q) => ratingText(q.rating),
    figure: (q) => (q.rating === "" ? undefined : Number(q.rating)),
    most: true,
  },
  { label: "Stock", show: (q) => stockText(q.stock), figure: (q) => q.stock ?? undefined, most: true },
  {
    label: "Varies by",
    show: (q) => (q.options.length > 0 ? `${q.options.join(", ")}: ${q.variants} to buy` : "nothing"),
  },
  {
    label: "Returns",
    show: (q) => returnsText(q.return_days),
    figure: (q) => q.return_days ?? undefined,
    most: true,
  },
  { label: "They say", show: (q) => <span className="text-sm">{q.comment || "nothing"}</span> },
  {
    label: "Stands until",
    show: (q) => (
      <span className={q.expired ? "text-loss" : ""}>
        {dayName(q.valid_through.slice(0, 10))}
        {q.expired && ", over"}
      </span>
    ),
  },
];

/** Cost is what one costs of the quote, and how that compares with what was asked for. */
function Cost({ of: q }: { of: Quote }) {
  return (
    <>
      <Money of={q.cheapest} />
      {q.dearest.value !== q.cheapest.value && (
        <>
          {" to "}
          <Money of={q.dearest} />
        </>
      )}
      {q.over_target && (
        <span className={`block text-sm ${num(q.over_target) > 0 ? "text-loss" : "text-profit-ink"}`}>
          {num(q.over_target) === 0 ? (
            "just your target"
          ) : (
            <>
              <Money of={{ ...q.over_target, value: q.over_target.value.replace("-", "") }} />{" "}
              {num(q.over_target) > 0 ? "above" : "below"} your target
            </>
          )}
        </span>
      )}
    </>
  );
}
