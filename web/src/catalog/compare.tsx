import { useMutation, useQueries, useQueryClient } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { api, ask, type OfferSheet } from "../api/client";
import { refresh } from "../api/refresh";
import { useSession } from "../frame/session";
import { Button, Notice, Picture } from "../parts/controls";
import { countryName } from "../parts/countries";
import { DayRuler, DayWords } from "../parts/days";
import { useKeys } from "../parts/keys";
import { countText, ratingText, returnsText, stockText } from "../parts/known";
import { longest, PriceLadder } from "../parts/ladder";
import { Money, num, percent } from "../parts/money";
import { DemandRibbon } from "../parts/ribbon";
import { useNavigate, useParams } from "../parts/route";
import { useSay } from "../parts/toast";
import { offerQuery } from "./queries";
import { maxCompared } from "./question";

type Line = {
  label: string;
  show: (o: OfferSheet) => ReactNode;
  /** What is compared: the same for all is not selected. */
  of: (o: OfferSheet) => string | number | null;
  /** Which is best, where one is. */
  best?: "least" | "most";
};

const lines: Line[] = [
  { label: "Supplier", show: (o) => `${o.supplier}${o.verified ? " · verified" : ""}`, of: (o) => o.supplier },
  { label: "Ships from", show: (o) => countryName(o.ships_from), of: (o) => o.ships_from },
  {
    label: "Item",
    show: (o) => o.ladder && <Money of={o.ladder.item} />,
    of: (o) => (o.ladder ? num(o.ladder.item) : ""),
    best: "least",
  },
  {
    label: "Shipping",
    show: (o) => o.ladder && <Money of={o.ladder.shipping} />,
    of: (o) => (o.ladder ? num(o.ladder.shipping) : ""),
    best: "least",
  },
  {
    label: "Landed cost",
    show: (o) => o.ladder && <Money of={o.ladder.landed} />,
    of: (o) => (o.ladder ? num(o.ladder.landed) : ""),
    best: "least",
  },
  {
    label: "Price by your markup",
    show: (o) => o.ladder && <Money of={o.ladder.price} />,
    of: (o) => (o.ladder ? num(o.ladder.price) : ""),
  },
  {
    label: "Sales tax in the price",
    show: (o) => o.ladder && num(o.ladder.tax) > 0 && <Money of={o.ladder.tax} />,
    of: (o) => (o.ladder ? num(o.ladder.tax) : ""),
  },
  {
    label: "Profit",
    show: (o) =>
      o.ladder && (
        <>
          <Money of={o.ladder.profit} signed /> · {percent(o.ladder.margin)}
        </>
      ),
    of: (o) => (o.ladder ? num(o.ladder.profit) : ""),
    best: "most",
  },
  {
    label: "Door to door",
    show: (o) =>
      o.days && (
        <>
          <DayRuler days={o.days} />
          <DayWords days={o.days} />
        </>
      ),
    of: (o) => o.days?.door.max ?? "",
    best: "least",
  },
  {
    label: "On time",
    show: (o) => (o.on_time === null ? "not known" : `${o.on_time} %`),
    of: (o) => o.on_time,
    best: "most",
  },
  {
    label: "Rating",
    show: (o) => ratingText(o.rating, o.ratings),
    of: (o) => (o.rating === "" ? null : Number(o.rating)),
    best: "most",
  },
  { label: "In stock", show: (o) => stockText(o.stock), of: (o) => o.stock, best: "most" },
  { label: "Variants", show: (o) => o.variants.length, of: (o) => o.variants.length },
  { label: "Returns", show: (o) => returnsText(o.return_days), of: (o) => o.return_days, best: "most" },
  { label: "Packs with your brand", show: (o) => (o.own_packing ? "yes" : "no"), of: (o) => String(o.own_packing) },
  { label: "Sold in 30 days", show: (o) => countText(o.units), of: (o) => o.units, best: "most" },
  {
    label: "Demand",
    show: (o) => (
      <>
        <DemandRibbon weekly={o.weekly.slice(-52)} width={140} />
        <span className="text-sm">{o.said}</span>
      </>
    ),
    of: (o) => o.demand,
  },
  { label: "Rivals", show: (o) => countText(o.rivals), of: (o) => o.rivals, best: "least" },
];

/** Compare lays offers side by side, with what differs picked out. */
export default function Compare() {
  const { storeId, may } = useSession();
  const go = useNavigate();
  const say = useSay();
  const client = useQueryClient();
  const ids = (useParams().ids ?? "").split(/,|%2C/i).map(Number).filter(Boolean).slice(0, maxCompared);
  const found = useQueries({
    queries: ids.map((id) => offerQuery(id, storeId)),
  });
  const offers = found.flatMap((q) => (q.data ? [q.data] : []));
  const take = useMutation({
    mutationFn: (o: OfferSheet) => ask(api.POST("/api/drafts/take", { body: { offers: [o.id], again: false } })),
    onSuccess: (result, o) => {
      say(result.taken.length > 0 ? `“${o.title}” is in the Workbench.` : `“${o.title}” is in the Workbench already.`);
      void refresh(client, "offers", "offer", "drafts", "header");
    },
    onError: (error) => say(error.message, true),
  });
  const without = (id: number) =>
    go(`/catalog/compare/${ids.filter((one) => one !== id).join(",")}`, { replace: true });
  useKeys([{ keys: ["Escape"], label: "back", run: () => go(-1) }]);
  const failed = found.find((q) => q.error)?.error;
  const top = longest(offers.map((o) => o.ladder));
  if (ids.length === 0)
    return (
      <main className="grow">
        <Notice title="Nothing lies side by side" alone>
          <p>Select two to six offers in the Catalog with X, then press C.</p>
          <Button tone="main" onClick={() => go("/catalog")}>
            Go to the Catalog
          </Button>
        </Notice>
      </main>
    );
  return (
    <main className="min-h-0 grow overflow-auto">
      <div className="flex items-baseline gap-4 px-4 pt-3">
        <h1 className="text-xl">{ids.length === 1 ? "One offer" : `${ids.length} offers side by side`}</h1>
        <span className="text-sm text-ink-2">▸ marks where they differ; bold is the best of its line</span>
        <Button className="ml-auto" onClick={() => go(-1)}>
          Back
        </Button>
      </div>
      {failed && (
        <p className="px-4 py-2 text-loss" role="alert">
          {failed.message}
        </p>
      )}
      <div className="max-md:overflow-x-auto">
        <table className="m-4 border-collapse text-left">
          <thead>
            <tr className="align-top">
              <td />
              {offers.map((o) => (
                <th key={o.id} scope="col" className="w-44 px-3 pb-2 font-normal">
                  <Picture path={o.picture} width={400} alt="" className="mb-1 size-24 border border-line" />
                  <span className="line-clamp-3 font-semibold" title={o.title}>
                    {o.title}
                  </span>
                  <span className="mt-1 flex flex-wrap gap-1">
                    {may("editor") && <Button onClick={() => take.mutate(o)}>Take</Button>}
                    <Button tone="quiet" aria-label={`Leave out ${o.title}`} onClick={() => without(o.id)}>
                      Leave out
                    </Button>
                  </span>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            <tr className="border-t border-line">
              <th scope="row" className="py-1.5 pr-3 font-normal whitespace-nowrap text-ink-2">
                Price ladder
              </th>
              {offers.map((o) => (
                <td key={o.id} className="px-3 py-1.5">
                  {o.ladder ? (
                    <PriceLadder ladder={o.ladder} top={top} width={150} />
                  ) : (
                    <span className="text-loss">{o.no_price || "no price without a store"}</span>
                  )}
                </td>
              ))}
            </tr>
            {lines.map((line) => {
              const values = offers.map(line.of);
              const differ = new Set(values).size > 1;
              const numbers = values.filter((v): v is number => typeof v === "number");
              const best =
                line.best && differ && numbers.length > 0
                  ? line.best === "least"
                    ? Math.min(...numbers)
                    : Math.max(...numbers)
                  : undefined;
              return (
                <tr key={line.label} className={`border-t border-line ${differ ? "" : "text-ink-2"}`}>
                  <th scope="row" className="py-1.5 pr-3 font-normal whitespace-nowrap text-ink-2">
                    <span className="inline-block w-4 text-beak-ink" aria-hidden="true">
                      {differ ? "▸" : ""}
                    </span>
                    {line.label}
                    {differ && <span className="sr-only"> (they differ)</span>}
                  </th>
                  {offers.map((o, i) => (
                    <td
                      key={o.id}
                      className={`px-3 py-1.5 ${best !== undefined && values[i] === best ? "font-bold" : ""}`}
                    >
                      {line.show(o) ?? "—"}
                    </td>
                  ))}
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
    </main>
  );
}
