import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, ask, type OfferSheet, type Problem, type Schemas } from "../api/client";
import { refresh } from "../api/refresh";
import { useSession } from "../frame/session";
import { Button } from "../parts/controls";
import { ladderTop, PriceLadder } from "../parts/ladder";
import { Money, moneyText, num, percent } from "../parts/money";
import { useSay } from "../parts/toast";
import { Trace } from "../parts/trace";
import { whatIfQuery } from "./queries";

type Supposed = Schemas["SearchWhatIfResult"];

/** WhatIf supposes another price and shows what it would leave; nothing is kept until it is asked for. */
export default function WhatIf({ offer, onTake }: { offer: OfferSheet; onTake: (() => void) | undefined }) {
  const { store, storeId } = useSession();
  const [price, setPrice] = useState<string | null>(null);
  const [typed, setTyped] = useState<{ price: string; markup: string } | null>(null);
  // biome-ignore lint/correctness/useExhaustiveDependencies: another offer begins at its own price
  useEffect(() => {
    setPrice(null);
    setTyped(null);
  }, [offer.id]);
  const query = typed?.markup
    ? { store: storeId, markup: typed.markup }
    : { store: storeId, price: typed?.price || price || "" };
  const supposed = useQuery({
    ...whatIfQuery(offer.id, query),
    placeholderData: keepPreviousData,
    enabled: offer.ladder !== null && storeId > 0 && (price !== null || typed !== null),
  });
  const take = useTakeAt(offer);
  if (!offer.ladder || !store) return null;
  const base = offer.ladder;
  const at = price !== null || typed !== null ? supposed.data : undefined;
  const shown = at ?? base;
  const least = num(base.landed);
  const most = Math.max(num(base.price) * 2, num(base.market?.high ?? base.price) * 1.25);
  const digits = base.price.value.split(".")[1]?.length ?? 0;
  const unit = 10 ** -digits;
  const row = "flex justify-between border-b border-line py-1";
  return (
    <section aria-label="What if">
      <h3 className="mt-5 mb-1">
        What if it sold for…{" "}
        <span className="font-sans text-sm font-normal text-ink-2">
          {at ? "nothing is saved until you take it" : "drag, or type a price or a markup"}
        </span>
      </h3>
      <input
        type="range"
        aria-label="Supposed price"
        aria-valuetext={moneyText(shown.price, store.currency)}
        min={(least * 0.8).toFixed(digits)}
        max={most.toFixed(digits)}
        step={unit}
        value={num(shown.price)}
        onChange={(e) => {
          setTyped(null);
          setPrice(Number(e.target.value).toFixed(digits));
        }}
        className="w-full accent-(--beak-fill)"
      />
      {at && <PriceLadder ladder={at} top={Math.max(ladderTop(at), most)} width={326} />}
      <div className="mt-1 flex items-center gap-2">
        <Typed
          label="Price"
          value={shown.price.value}
          suffix={store.currency}
          onDone={(text) => setTyped({ price: text, markup: "" })}
        />
        <Typed
          label="Markup"
          value={String(Math.round(Number(shown.markup) * 1000) / 10)}
          suffix="%"
          onDone={(text) => setTyped({ price: "", markup: text })}
        />
      </div>
      {supposed.error && (
        <p className="mt-1 text-loss" role="alert">
          {supposed.error.message}
        </p>
      )}
      {at && (
        <>
          {num(at.tax) > 0 && (
            <div className={row}>
              <span>Sales tax in the price</span>
              <Money of={at.tax} />
            </div>
          )}
          <div className={row}>
            <span>
              Profit · margin {percent(at.margin)}
              {num(at.tax) > 0 && " of the price without tax"}
            </span>
            <Trace steps={at.trace} label="how the supposed figures came about">
              <Money of={at.profit} signed className="font-bold" />
            </Trace>
          </div>
          <div className={row}>
            <span>Break-even ad cost per order</span>
            <span>{num(at.profit) > 0 ? <Money of={at.profit} /> : "nothing: it loses without any"}</span>
          </div>
          {Number(at.break_even) > 0 && (
            <div className={row}>
              <span>Break-even return on ad spend</span>
              <span>{Number(at.break_even).toFixed(2)}</span>
            </div>
          )}
          <div className={row}>
            <span>Against other stores</span>
            <span>{placeWords(at)}</span>
          </div>
          {at.below_floor && (
            <p className="mt-1 text-loss">
              Under the floor of its rule
              {num(at.profit) < 0 && (
                <>
                  : each sale loses <Money of={{ ...at.profit, value: at.profit.value.replace("-", "") }} />
                </>
              )}
              .
            </p>
          )}
          {at.over_ceiling && <p className="mt-1 text-beak-ink">Above the ceiling of its rule.</p>}
          <div className="mt-2 flex gap-2">
            {onTake && (
              <Button
                onClick={() => take.mutate(at.price.value)}
                disabled={take.isPending || offer.withdrawn_at !== null}
              >
                Take at <Money of={at.price} />
              </Button>
            )}
            <Button
              tone="quiet"
              onClick={() => {
                setPrice(null);
                setTyped(null);
              }}
            >
              Back to the rule's <Money of={base.price} />
            </Button>
          </div>
        </>
      )}
    </section>
  );
}

function placeWords(at: Supposed): string {
  if (!at.market) return "no prices known";
  const off = num(at.price) / num(at.market.median) - 1;
  const where =
    num(at.price) < num(at.market.low)
      ? "cheaper than most"
      : num(at.price) > num(at.market.high)
        ? "dearer than most"
        : "in the middle 50 %";
  if (Math.abs(off) < 0.005) return "at the market median";
  return `${percent(String(Math.abs(off)))} ${off < 0 ? "under" : "over"} the market median, ${where}`;
}

function Typed({
  label,
  value,
  suffix,
  onDone,
}: {
  label: string;
  value: string;
  suffix: string;
  onDone: (text: string) => void;
}) {
  const [text, setText] = useState(value);
  useEffect(() => setText(value), [value]);
  return (
    <label className="flex items-center gap-1.5">
      <span className="text-ink-2">{label}</span>
      <input
        value={text}
        inputMode="decimal"
        onChange={(e) => setText(e.target.value)}
        onKeyDown={(e) => {
          if (e.key === "Enter") onDone(text.trim());
          if (e.key === "Escape") {
            setText(value);
            const input = e.currentTarget;
            requestAnimationFrame(() => input.blur());
          }
        }}
        onBlur={() => text.trim() !== value && onDone(text.trim())}
        className="w-20 rounded border border-line-2 bg-surface px-2 py-1 text-right"
      />
      <span className="text-ink-2">{suffix}</span>
    </label>
  );
}

/** useTakeAt takes an offer to the Workbench and types the supposed price for all its variants. */
function useTakeAt(offer: OfferSheet) {
  const { storeId } = useSession();
  const client = useQueryClient();
  const say = useSay();
  return useMutation<void, Problem, string>({
    mutationFn: async (price) => {
      const taken = await ask(api.POST("/api/drafts/take", { body: { offers: [offer.id], again: false } }));
      const id = taken.taken[0]?.draft_id;
      if (!id) {
        say("It is in the Workbench already; set the price there.", true);
        return;
      }
      const draft = await ask(api.GET("/api/drafts/{id}", { params: { path: { id }, query: { store: storeId } } }));
      // The price was supposed for what the cheapest lands for; dearer variants stay with the rule.
      const alike = draft.variants.filter((v) => v.ladder?.landed.value === offer.ladder?.landed.value);
      const prices = alike.map((v) => ({ variant_id: v.id, price }));
      await ask(
        api.PATCH("/api/drafts/{id}", {
          params: { path: { id }, query: { store: storeId } },
          body: { prices },
        }),
      );
      say(
        `“${offer.title}” is in the Workbench; ${alike.length} of ${draft.variants.length} variants, those with the same landed cost, are set to ${price}.`,
      );
    },
    onSuccess: () => {
      void refresh(client, "offers", "offer", "drafts", "header");
    },
    onError: (error) => say(error.message, true),
  });
}
