import { useMutation } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import { Link } from "react-router";
import { api, ask, type Problem, type Schemas } from "../api/client";
import { useSession } from "../frame/session";
import { Button, Picture } from "../parts/controls";
import { countryName } from "../parts/countries";
import { DayRuler, dayText } from "../parts/days";
import { useKeys } from "../parts/keys";
import { ratingText, returnsText, stockText } from "../parts/known";
import { LadderLegend, ladderTop, PriceLadder } from "../parts/ladder";
import { Money, num, percent } from "../parts/money";
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
  /** best marks the quotes with the best figure of a line, where they differ. */
  const best = (figure: (q: Quote) => number | undefined, most = false) => {
    const known = quotes.map(figure).filter((n): n is number => n !== undefined);
    const winner = most ? Math.max(...known) : Math.min(...known);
    const differ = new Set(known).size > 1;
    return (q: Quote) => differ && figure(q) === winner;
  };
  const line = (label: string, cell: (q: Quote) => ReactNode, wins?: (q: Quote) => boolean) => (
    <tr className="border-t border-line">
      <th scope="row" className="py-1.5 pr-3 text-left align-top font-normal text-ink-2">
        {label}
      </th>
      {quotes.map((q) => (
        <td
          key={q.id}
          className={`px-3 py-1.5 align-top ${q === here ? "bg-surface" : ""} ${wins?.(q) ? "font-semibold" : ""}`}
        >
          {wins?.(q) && <span className="float-right text-xs font-normal text-profit-ink">best</span>}
          {cell(q)}
        </td>
      ))}
    </tr>
  );
  return (
    <div className="mt-4 overflow-x-auto">
      <table className="w-full table-fixed" style={{ minWidth: 120 + quotes.length * 210 }}>
        <caption className="mb-2 text-left">
          <LadderLegend taxed={quotes.some((q) => Number(q.ladder?.tax.value ?? 0) > 0)} />
        </caption>
        <colgroup>
          <col className="w-[120px]" />
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
                <button
                  type="button"
                  className="block w-full pt-3 text-left"
                  onClick={() => setAt(i)}
                  aria-pressed={q === here}
                >
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
                        <Link
                          to={`/catalog?words=${encodeURIComponent(q.title)}&offer=${q.offer_id}`}
                          className="underline"
                        >
                          See it in the Catalog
                        </Link>
                      ) : (
                        "On its way into the Catalog."
                      )}
                    </span>
                  ) : (
                    takable(q) && (
                      <Button
                        tone={q === here ? "main" : "plain"}
                        disabled={take.isPending}
                        onClick={() => take.mutate(q)}
                      >
                        Take this quote
                      </Button>
                    )
                  )}
                </span>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {line("Quoted as", (q) => (
            <span className="text-sm">{q.title}</span>
          ))}
          {line(
            "Landed cost",
            (q) =>
              q.ladder ? (
                <Money of={q.ladder.landed} />
              ) : (
                <span className="text-loss">{q.no_price || "choose a store"}</span>
              ),
            best((q) => q.ladder && num(q.ladder.landed)),
          )}
          {line("Cost", (q) => (
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
          ))}
          {line("Your price", (q) =>
            q.ladder ? (
              <>
                <Money of={q.ladder.price} />
                <PriceLadder ladder={q.ladder} top={top} width={180} />
              </>
            ) : null,
          )}
          {line(
            "Profit",
            (q) =>
              q.ladder && (
                <>
                  <Money of={q.ladder.profit} signed /> <span className="text-ink-2">({percent(q.ladder.margin)})</span>
                </>
              ),
            best((q) => q.ladder && num(q.ladder.profit), true),
          )}
          {line(
            "At the door",
            (q) =>
              q.days && (
                <>
                  {dayText(q.days.door)} <span className="text-sm font-normal text-ink-2">by {q.delivery}</span>
                  <DayRuler days={q.days} />
                </>
              ),
            best((q) => q.days?.door.max),
          )}
          {line("Ships from", (q) => countryName(q.ships_from))}
          {line(
            "On time",
            (q) => (q.on_time === null ? "not known" : `${q.on_time} %`),
            best((q) => q.on_time ?? undefined, true),
          )}
          {line(
            "Rating",
            (q) => ratingText(q.rating),
            best((q) => (q.rating === "" ? undefined : Number(q.rating)), true),
          )}
          {line(
            "Stock",
            (q) => stockText(q.stock),
            best((q) => q.stock ?? undefined, true),
          )}
          {line("Varies by", (q) =>
            q.options.length > 0 ? `${q.options.join(", ")}: ${q.variants} to buy` : "nothing",
          )}
          {line(
            "Returns",
            (q) => returnsText(q.return_days),
            best((q) => q.return_days ?? undefined, true),
          )}
          {line("They say", (q) => (
            <span className="text-sm">{q.comment || "nothing"}</span>
          ))}
          {line("Stands until", (q) => (
            <span className={q.expired ? "text-loss" : ""}>
              {q.expired ? `${dayName(q.valid_through.slice(0, 10))}, over` : dayName(q.valid_through.slice(0, 10))}
            </span>
          ))}
        </tbody>
      </table>
    </div>
  );
}
