import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { lazy, memo, Suspense, useDeferredValue, useEffect, useState } from "react";
import type { OfferSheet } from "../api/client";
import { useSession } from "../frame/session";
import { Button, Dialog, Notice, Picture } from "../parts/controls";
import { countryName } from "../parts/countries";
import { DayRuler, DayWords, dayText } from "../parts/days";
import { useKeys } from "../parts/keys";
import { countText, onTimeText, ratingText, returnsText, soldText, stockText } from "../parts/known";
import { ladderTop, PriceLadder } from "../parts/ladder";
import { Money, num, percent } from "../parts/money";
import { DemandRibbon } from "../parts/ribbon";
import { Link } from "../parts/route";
import { Sheet } from "../parts/sheet";
import { Trace } from "../parts/trace";
import { offerQuery } from "./queries";

const WhatIf = lazy(() => import("./whatif"));
const Versions = lazy(() => import("./versions"));

/** OfferSheetView is the sheet about the offer under the cursor. */
export const OfferSheetView = memo(function OfferSheetView({
  id,
  soldOut,
  onTake,
  busy,
}: {
  /** None is an empty sheet. */
  id: number | undefined;
  /** About its cheapest variant, sold out or not. */
  soldOut: boolean;
  onTake: (ids: number[]) => void;
  busy: boolean;
}) {
  const { storeId, may } = useSession();
  const offer = useQuery({
    ...offerQuery(id ?? 0, storeId, soldOut),
    placeholderData: keepPreviousData,
    enabled: id !== undefined,
  });
  const shown = useDeferredValue(offer.data); // drawn between keys
  return (
    <Sheet label="Offer">
      {offer.error && !shown ? (
        <Notice title="This offer cannot be shown" error>
          <p>{offer.error.message}</p>
        </Notice>
      ) : (
        shown &&
        id !== undefined && (
          <OfferBody
            offer={shown}
            onTake={may("editor") ? () => onTake([id]) : undefined}
            busy={busy || offer.isPlaceholderData || shown !== offer.data}
          />
        )
      )}
    </Sheet>
  );
});

function OfferBody({ offer, onTake, busy }: { offer: OfferSheet; onTake: (() => void) | undefined; busy: boolean }) {
  const [picture, setPicture] = useState(0);
  // biome-ignore lint/correctness/useExhaustiveDependencies: another offer starts at its first picture
  useEffect(() => setPicture(0), [offer.id]);
  const [large, setLarge] = useState(false);
  useKeys([
    { keys: ["v"], label: "view large", run: () => setLarge(true) },
    { keys: ["]"], label: "", run: () => setPicture((picture + 1) % Math.max(1, offer.pictures.length)) },
    {
      keys: ["["],
      label: "",
      run: () => setPicture((picture + offer.pictures.length - 1) % Math.max(1, offer.pictures.length)),
    },
  ]);
  return (
    <>
      <div className="flex gap-3">
        <button
          type="button"
          onClick={() => setLarge(true)}
          aria-label="View the picture large"
          className="size-28 shrink-0"
        >
          <Picture
            path={offer.pictures[picture] ?? ""}
            width={400}
            alt={`${offer.title}, picture ${picture + 1}`}
            className="size-28 border border-line"
          />
        </button>
        <Dialog
          open={large}
          onClose={() => setLarge(false)}
          title={`Picture ${picture + 1} of ${offer.pictures.length}`}
          size="wide"
        >
          <Picture
            path={offer.pictures[picture] ?? ""}
            width={800}
            alt={`${offer.title}, picture ${picture + 1}`}
            className="mx-auto size-[56vh] max-w-full object-contain"
          />
          <div className="mt-3 flex justify-center gap-2">
            <Button onClick={() => setPicture((picture + offer.pictures.length - 1) % offer.pictures.length)}>
              Previous
            </Button>
            <Button onClick={() => setPicture((picture + 1) % offer.pictures.length)}>Next</Button>
          </div>
        </Dialog>
        <div className="min-w-0">
          <h2 className="line-clamp-3 text-lg leading-tight" title={offer.title}>
            {offer.title}
          </h2>
          <p className="mt-1 text-sm text-ink-2">
            {offer.supplier} on {offer.source} · {ratingText(offer.rating, offer.ratings)} · {onTimeText(offer.on_time)}
            {offer.verified && " · verified"}
          </p>
          <p className="text-sm text-ink-2">
            From {countryName(offer.ships_from)} ·{" "}
            {offer.variants.length === 1 ? "1 variant" : `${offer.variants.length} variants`} · {stockText(offer.stock)}{" "}
            · {offer.return_days === 0 ? "no returns" : `returns ${returnsText(offer.return_days)}`}
            {offer.own_packing && " · packs with your brand"}
          </p>
        </div>
      </div>
      {offer.pictures.length > 1 && (
        <div className="mt-2 flex flex-wrap gap-1">
          {offer.pictures.map((path, i) => (
            <button
              key={path}
              type="button"
              onClick={() => setPicture(i)}
              aria-label={`Picture ${i + 1}`}
              aria-pressed={i === picture}
              className={`rounded border-2 ${i === picture ? "border-beak" : "border-transparent"}`}
            >
              <Picture path={path} width={96} className="size-9" />
            </button>
          ))}
        </div>
      )}
      {offer.withdrawn_at && (
        <p className="mt-3 font-semibold text-loss" role="alert">
          The supplier has stopped selling this.
        </p>
      )}
      {offer.remarks.length > 0 && (
        <ul className="mt-3 rounded-md bg-beak-wash px-3 py-2 text-sm text-beak-ink">
          {offer.remarks.map((remark) => (
            <li key={remark}>{remark}</li>
          ))}
        </ul>
      )}
      <div className="mt-3 flex flex-wrap gap-2">
        {onTake && (
          <Button tone="main" onClick={onTake} disabled={busy || offer.withdrawn_at !== null}>
            Take to the Workbench
          </Button>
        )}
        {offer.page_url && (
          <a
            href={offer.page_url}
            target="_blank"
            rel="noreferrer"
            className="inline-flex min-h-7 items-center rounded-md border border-line-2 px-3 font-semibold hover:bg-sunk"
          >
            Supplier's page
          </a>
        )}
        <Link
          to={`/catalog/alternatives/${offer.id}`}
          className="inline-flex min-h-7 items-center rounded-md border border-line-2 px-3 font-semibold hover:bg-sunk"
        >
          Other suppliers
        </Link>
      </div>
      {offer.drafts.length > 0 && <p className="mt-2 text-sm text-profit-ink">It is in the Workbench.</p>}
      <Demand offer={offer} />
      <Earning offer={offer} />
      {offer.ladder && (
        <Suspense fallback={<div className="h-28" />}>
          <WhatIf offer={offer} onTake={onTake} />
        </Suspense>
      )}
      {/* Mostly out of sight: it is laid out and painted once it is scrolled to. */}
      <div className="[contain-intrinsic-size:auto_60rem] [content-visibility:auto]">
        <Deliveries offer={offer} />
        <Variants offer={offer} />
        <Before offer={offer} />
        <h3 className="mt-5 mb-1">In the supplier's words</h3>
        {/* biome-ignore lint/security/noDangerouslySetInnerHtml: the server leaves plain elements only */}
        <div className="prose-plain text-ink-2" dangerouslySetInnerHTML={{ __html: offer.description }} />
      </div>
    </>
  );
}

function Demand({ offer }: { offer: OfferSheet }) {
  const { verdict } = offer;
  const from = offer.weekly.length - verdict.weeks;
  return (
    <section aria-label="Demand">
      <h3 className="mt-5 mb-1">Demand</h3>
      <p className="mb-1 font-semibold">{offer.said}</p>
      {offer.weekly.length > 1 && (
        <>
          <DemandRibbon
            weekly={offer.weekly.slice(from)}
            width={326}
            height={56}
            peaks={verdict.peaks}
            spikes={verdict.spikes}
            ended={offer.updated_at}
          />
          <p className="flex justify-between text-sm text-ink-2">
            <span>{verdict.weeks} weeks ago</span>
            {verdict.peaks.length > 0 && <span>shaded: its peak months</span>}
            {verdict.spikes.length > 0 && <span>ringed: weeks that stood out</span>}
            <span>{soldText(offer.units)}</span>
          </p>
        </>
      )}
    </section>
  );
}

function Earning({ offer }: { offer: OfferSheet }) {
  if (!offer.ladder) return offer.no_price ? <p className="mt-4 font-semibold text-loss">{offer.no_price}</p> : null;
  const ladder = offer.ladder;
  const row = "flex justify-between border-b border-line py-1";
  return (
    <section aria-label="What it would earn">
      <h3 className="mt-5 mb-1">
        What it would earn{" "}
        <span className="font-sans text-sm font-normal text-ink-2">
          {offer.other && !offer.other.in_stock ? "the cheapest variant in stock" : "the cheapest variant"}
        </span>
      </h3>
      <PriceLadder ladder={ladder} top={ladderTop(ladder)} width={326} />
      {offer.other && (
        <div className={row}>
          <span>{offer.other.in_stock ? "In stock from" : "Cheapest, but sold out"}</span>
          <span>
            landed <Money of={offer.other.landed} /> → <Money of={offer.other.price} />
          </span>
        </div>
      )}
      <div className={row}>
        <span>Rivals</span>
        <span>
          {offer.rivals === null
            ? "nobody has counted them"
            : offer.rivals === 0
              ? "no other store sells it"
              : offer.rivals === 1
                ? "1 store sells it"
                : `${offer.rivals} stores sell it`}
        </span>
      </div>
      {ladder.market && (
        <div className={row}>
          <span title="Whether tax is in the prices that other stores show is not known.">
            {ladder.market.seen} prices seen, with or without tax · middle 50 %, median
          </span>
          <span>
            <Money of={ladder.market.low} />–<Money of={ladder.market.high} />, <Money of={ladder.market.median} />
          </span>
        </div>
      )}
      <div className={row}>
        <span>Landed cost</span>
        <Money of={ladder.landed} />
      </div>
      <div className={row}>
        <span>Price by your markup</span>
        <Trace steps={offer.trace} label="how the price came about">
          <Money of={ladder.price} className="font-semibold" />
        </Trace>
      </div>
      {ladder.was && (
        <div className={row}>
          <span>Shown as the was price</span>
          <Money of={ladder.was} />
        </div>
      )}
      {num(ladder.tax) > 0 && (
        <div className={row}>
          <span>Sales tax in the price</span>
          <Money of={ladder.tax} />
        </div>
      )}
      <div className={row}>
        <span>Fees and returns allowance</span>
        <Money of={ladder.fees} />
      </div>
      <div className={row}>
        <span>
          Profit · margin {percent(ladder.margin)}
          {num(ladder.tax) > 0 && " of the price without tax"}
        </span>
        <Money of={ladder.profit} signed className="font-bold" />
      </div>
      {offer.at_market && (
        <div className={row}>
          <span>Profit at the market median · margin {percent(offer.at_market.margin)}</span>
          <Money of={offer.at_market.profit} signed className="font-bold" />
        </div>
      )}
      {Number(ladder.break_even) > 0 && (
        <div className={row}>
          <span>Break-even ad cost per order</span>
          <Money of={ladder.profit} />
        </div>
      )}
      {Number(ladder.break_even) > 0 && (
        <div className={row}>
          <span>Break-even return on ad spend</span>
          <span>{Number(ladder.break_even).toFixed(2)}</span>
        </div>
      )}
    </section>
  );
}

function Deliveries({ offer }: { offer: OfferSheet }) {
  const { store } = useSession();
  return (
    <section aria-label="Delivery">
      <h3 className="mt-5 mb-1">
        Delivery{" "}
        <span className="font-sans text-sm font-normal text-ink-2">
          {store ? `to ${offer.markets.map(countryName).join(", ")}` : "to all markets"} · processing{" "}
          {offer.deliveries[0] ? dayText(offer.deliveries[0].days.processing) : ""}
        </span>
      </h3>
      {offer.deliveries.map((d) => (
        <div key={d.name} className="flex items-center gap-3 border-b border-line py-1.5">
          <span className="min-w-0 grow">
            <span className={d.assumed ? "font-semibold" : ""}>{d.name}</span>
            <span className="block text-sm text-ink-2">
              {d.tracked ? "tracked" : "not tracked"}
              {d.assumed && " · prices assume it"}
              {store && d.to.length < offer.markets.length && ` · only to ${d.to.map(countryName).join(", ")}`}
            </span>
          </span>
          <span>
            <DayRuler days={d.days} width={92} />
            <DayWords days={d.days} />
          </span>
          <Money of={d.first} className="w-20 text-right" />
        </div>
      ))}
    </section>
  );
}

/** Before opens what the supplier said before, where it has changed. */
function Before({ offer }: { offer: OfferSheet }) {
  const [open, setOpen] = useState(false);
  if (offer.versions === 0) return null;
  return (
    <details className="mt-5" onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary className="min-h-6 font-semibold">
        {offer.versions === 1 ? "It has changed once" : `It has changed ${offer.versions} times`}
      </summary>
      {open && (
        <Suspense fallback={<p className="text-ink-2">…</p>}>
          <Versions offer={offer} />
        </Suspense>
      )}
    </details>
  );
}

function Variants({ offer }: { offer: OfferSheet }) {
  return (
    <section aria-label="Variants">
      <h3 className="mt-5 mb-1">Variants</h3>
      <table className="w-full text-left">
        <thead className="text-sm text-ink-2">
          <tr>
            {offer.option_names.map((name) => (
              <th key={name} className="py-1 pr-2 font-normal">
                {name}
              </th>
            ))}
            <th className="text-right font-normal">Cost</th>
            <th className="text-right font-normal">Stock</th>
            <th className="text-right font-normal">Weight</th>
            <th className="text-right font-normal">Profit</th>
          </tr>
        </thead>
        <tbody>
          {offer.variants.slice(0, 30).map((v) => (
            <tr key={v.id} className={`border-t border-line ${v.withdrawn ? "text-ink-2 line-through" : ""}`}>
              {v.values.map((value, i) => (
                <td key={offer.option_names[i]} className="py-1 pr-2">
                  {value}
                </td>
              ))}
              <td className="text-right">
                <Money of={v.cost} />
              </td>
              <td className={`text-right ${v.stock === 0 ? "text-loss" : ""}`}>{countText(v.stock, "?")}</td>
              <td className="text-right">{v.weight_grams > 0 ? `${v.weight_grams} g` : "—"}</td>
              <td className="text-right">{v.ladder && <Money of={v.ladder.profit} signed />}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {offer.variants.length > 30 && <p className="mt-1 text-sm text-ink-2">and {offer.variants.length - 30} more</p>}
    </section>
  );
}
