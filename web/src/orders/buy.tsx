import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Problem, type Schemas } from "../api/client";
import { refresh } from "../api/refresh";
import { Choice, Clause } from "../parts/clause";
import { Button, Dialog } from "../parts/controls";
import { Field } from "../parts/field";
import { useKept } from "../parts/kept";
import { Money } from "../parts/money";
import { Check } from "../parts/radios";
import { useSay } from "../parts/toast";
import { LineActs } from "./line-acts";
import type { Review } from "./queries";

type OrderReview = Review["orders"][number];
type PurchaseReview = OrderReview["purchases"][number];
type Chosen = Schemas["OrdersChosen"];

/** Buy shows what buying orders would come to, by supplier, and buys them on a word. */
export function Buy({ ids, onClose, onBought }: { ids: number[]; onClose: () => void; onBought: () => void }) {
  const client = useQueryClient();
  const say = useSay();
  const [services, setServices] = useState<Chosen[]>([]);
  const [accept, setAccept] = useState(false);
  const [later, setLater] = useState<number[]>([]);
  const now = ids.filter((id) => !later.includes(id));
  const [comment, setComment] = useState("");
  const [asks, setAsks] = useKept("asked of suppliers", () => ({ no_invoice: false, brand: false }));
  const body = { order_ids: now, services, accept_addresses: accept, comment, ...asks };
  const look = useQuery<Review, Problem>({
    queryKey: ["look", "orders", now, services, accept],
    queryFn: ({ signal }) => ask(api.POST("/api/orders/review", { body, signal })),
    placeholderData: keepPreviousData,
    enabled: now.length > 0,
    retry: false,
    gcTime: 0, // whatever was mended meanwhile counts
  });
  const buy = useMutation<Schemas["OrdersPurchases"], Problem>({
    mutationFn: () => ask(api.POST("/api/orders/buy", { body })),
    onSuccess: (made) => {
      const left = made.left_out[0];
      say(
        `${made.begun === 1 ? "1 purchase goes" : `${made.begun} purchases go`} to the suppliers.${
          left ? ` ${made.left_out.length} left out: order ${left.number}, ${left.reason}` : ""
        }`,
        made.begun === 0,
      );
      onBought();
      onClose();
    },
    onSettled: () => refresh(client, "orders", "header"),
  });
  const choose = (chosen: Chosen) =>
    setServices((now) => [
      ...now.filter((c) => c.order_id !== chosen.order_id || c.supplier !== chosen.supplier),
      chosen,
    ]);
  const orders = (look.data?.orders ?? []).filter((o) => !later.includes(o.order_id));
  const goes = orders.filter((o) => !o.blocked).flatMap((o) => o.purchases.filter((p) => !p.blocked)).length;
  const packs = orders.flatMap((o) => o.purchases.filter((p) => p.own_packing)).length;
  const doubtful = orders.some((o) => o.address.length > 0);
  const error = buy.error ?? look.error;
  return (
    <Dialog
      open
      onClose={onClose}
      size="wide"
      title={`Buy ${ids.length === 1 ? `order ${orders[0]?.number ?? ""}` : `${ids.length} orders`}`}
    >
      <div className="max-h-[40vh] overflow-auto">
        {orders.map((o) => (
          <OneOrder
            key={o.order_id}
            of={o}
            onChoose={choose}
            onLater={ids.length > 1 ? () => setLater([...later, o.order_id]) : undefined}
          />
        ))}
        {later.length > 0 && (
          <p className="py-2">
            {later.length === 1 ? "1 order is" : `${later.length} orders are`} left for later.{" "}
            <Button tone="quiet" onClick={() => setLater([])}>
              Buy all of them now
            </Button>
          </p>
        )}
      </div>
      {doubtful && (
        <p className="mt-3">
          <Check checked={accept} onChange={setAccept}>
            The addresses are right as the customers wrote them
          </Check>
        </p>
      )}
      <div className="mt-3 max-w-xl">
        <Check checked={asks.no_invoice} onChange={(on) => setAsks({ ...asks, no_invoice: on })}>
          Ask for no invoice and no leaflet in the parcel
        </Check>
        {packs > 0 && (
          <Check checked={asks.brand} onChange={(on) => setAsks({ ...asks, brand: on })}>
            {`Packed with my brand, where the supplier does that: ${packs === 1 ? "1 purchase" : `${packs} purchases`}`}
          </Check>
        )}
        <Field
          label="A note to the suppliers"
          maxLength={500}
          value={comment}
          onChange={(e) => setComment(e.target.value)}
        />
      </div>
      {look.data && look.data.owed.length > 0 && (
        <p className="mt-3">
          To pay afterwards:{" "}
          {look.data.owed.map((o, i) => (
            <span key={`${o.source} ${o.amount.currency}`}>
              {i > 0 && ", "}
              <b>
                <Money of={o.amount} />
              </b>{" "}
              at {o.source}
            </span>
          ))}
          .
        </p>
      )}
      {error && (
        <p className="mt-3 text-loss" role="alert">
          {error.message}
        </p>
      )}
      <div className="mt-5 flex items-center justify-end gap-2">
        <span role="status" className="mr-auto text-sm text-ink-2">
          {look.isFetching ? "looking…" : ""}
        </span>
        <Button onClick={onClose}>Cancel</Button>
        <Button
          tone="main"
          onClick={() => buy.mutate()}
          ready={!buy.isPending && look.data !== undefined && !look.isPlaceholderData && goes > 0}
          autoFocus
        >
          {look.data ? `Buy ${goes === 1 ? "1 purchase" : `${goes} purchases`}` : "Buy"}
        </Button>
      </div>
    </Dialog>
  );
}

/** OneOrder is what would be bought for an order, and what it leaves. */
function OneOrder({
  of: o,
  onChoose,
  onLater,
}: {
  of: OrderReview;
  onChoose: (chosen: Chosen) => void;
  onLater: (() => void) | undefined;
}) {
  return (
    <section className="border-b border-line py-2 last:border-0" aria-label={`Order ${o.number}`}>
      <h3 className="flex items-baseline gap-2">
        <b>Order {o.number}</b>
        {o.paid && (
          <span className="text-ink-2">
            the customer paid <Money of={o.paid} />
          </span>
        )}
        {o.profit && (
          <span className="ml-auto">
            leaves <Money of={o.profit} signed />
          </span>
        )}
        {onLater && (
          <Button tone="quiet" onClick={onLater}>
            Leave order {o.number} for later
          </Button>
        )}
      </h3>
      {o.blocked && (
        <p className="text-loss" role="alert">
          {o.blocked} {o.address.map((f) => f.words).join(" ")}
        </p>
      )}
      {o.purchases.map((p) => (
        <OnePurchase key={`${p.source} ${p.supplier}`} of={p} order={o.order_id} onChoose={onChoose} />
      ))}
    </section>
  );
}

function OnePurchase({
  of: p,
  order,
  onChoose,
}: {
  of: PurchaseReview;
  order: number;
  onChoose: (chosen: Chosen) => void;
}) {
  return (
    <div className="mt-1 grid grid-cols-[1fr_auto] gap-x-4">
      <div className="min-w-0">
        {p.supplier ? (
          <>
            From <b>{p.supplier}</b> <span className="text-ink-2">at {p.source}</span>
          </>
        ) : (
          <b>From nobody yet</b>
        )}
        {p.services.length > 0 && (
          <>
            , by{" "}
            <Clause label={`Delivery from ${p.supplier}`} words={p.service} width="w-80">
              {(close) =>
                p.services.map((s) => (
                  <Choice
                    key={s.name}
                    chosen={s.name === p.service}
                    onChoose={() => {
                      onChoose({ order_id: order, supplier: p.supplier, service: s.name });
                      close();
                    }}
                  >
                    {s.name}, {s.days.min} to {s.days.max} days
                    {s.cost && (
                      <>
                        , <Money of={s.cost} />
                      </>
                    )}
                    {!s.keeps && <span className="text-loss"> later than promised</span>}
                  </Choice>
                ))
              }
            </Clause>
          </>
        )}
        <ul className="text-sm text-ink-2">
          {p.lines.map((l) => (
            <li key={l.line_id} className="flex flex-wrap items-center gap-1">
              <span className="min-w-0 truncate">
                {l.quantity} × {l.title} {l.variant && `(${l.variant})`}
              </span>
              <LineActs line={{ id: l.line_id, title: l.title, linked: p.supplier !== "" }} />
            </li>
          ))}
        </ul>
        {p.warnings.map((w) => (
          <p key={w} className="text-sm text-beak-ink">
            {w}
          </p>
        ))}
        {p.blocked && (
          <p className="text-loss" role="alert">
            {p.blocked}
          </p>
        )}
      </div>
      <div className="text-right whitespace-nowrap">
        {p.owed && <Money of={p.owed} />}
        {p.cost && p.owed?.currency !== p.cost.currency && (
          <span className="block text-sm text-ink-2">
            <Money of={p.cost} /> landed
          </span>
        )}
      </div>
    </div>
  );
}
