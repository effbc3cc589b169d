import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Problem, type Schemas } from "../api/client";
import { useSession } from "../frame/session";
import { Button, Picture } from "../parts/controls";
import { countryName } from "../parts/countries";
import { Field } from "../parts/field";
import { Money, sayMoney } from "../parts/money";
import { Link } from "../parts/route";
import { ago } from "../parts/time";
import { useSay } from "../parts/toast";
import { Claims } from "./claims";
import { LineActs } from "./line-acts";
import { Messages } from "./messages";
import { PurchaseActs } from "./purchase-acts";
import { type Order, orderQuery, type Purchase, purchaseWords, stateWords } from "./queries";
import { Refunds } from "./refund";

type Address = Schemas["OrderAddress"];

/** OrderSheet is one order in full: what was bought and for whom, what was bought for it, and what happened. */
export function OrderSheet({ id }: { id: number }) {
  const { data: o, error } = useQuery(orderQuery(id));
  if (error)
    return (
      <p className="text-loss" role="alert">
        {error.message}
      </p>
    );
  if (!o) return <p className="text-ink-2">…</p>;
  return (
    <>
      <h2 className="text-lg">
        Order {o.number} · {stateWords[o.state] ?? o.state}
      </h2>
      <p className="mb-3 text-sm text-ink-2">
        Placed {ago(o.placed_at)} in {o.store}
        {o.earlier && ", before the store was connected"}
      </p>
      {o.auto_waits && o.state === "to_buy" && (
        <p className="mb-3 text-sm text-ink-2">Not bought automatically: {sayMoney(o.auto_waits, o.total.currency)}</p>
      )}
      <Sums of={o} />
      <Where key={o.id} of={o} />
      <Items of={o} />
      {o.purchases.length > 0 && (
        <section className="mb-4" aria-label="Purchases">
          <h3 className="mb-1 font-semibold">Purchases</h3>
          {o.purchases.map((p) => (
            <OnePurchase key={p.id} of={p} />
          ))}
        </section>
      )}
      <p className="mb-4 text-sm">
        <a href={o.track_url} target="_blank" rel="noreferrer" className="font-semibold underline">
          The customer's tracking page
        </a>{" "}
        <span className="text-ink-2">names no supplier.</span>
      </p>
      <Refunds key={`refunds ${o.id}`} of={o} />
      <section aria-label="What happened">
        <h3 className="mb-1 font-semibold">What happened</h3>
        <ol className="text-sm">
          {o.events.map((e) => (
            <li key={`${e.at} ${e.words}`} className="border-b border-line py-1 last:border-0">
              {e.words} <span className="text-ink-2">· {[e.by, ago(e.at)].filter(Boolean).join(", ")}</span>
            </li>
          ))}
        </ol>
      </section>
    </>
  );
}

function Sums({ of: o }: { of: Order }) {
  const { may } = useSession();
  return (
    <dl className="mb-4 grid grid-cols-[1fr_auto] gap-x-4 gap-y-0.5 rounded-md bg-sunk p-2.5">
      <dt>The customer paid</dt>
      <dd className="text-right">
        <Money of={o.total} />
      </dd>
      {Number(o.refunded.value) > 0 && (
        <>
          <dt>Given back to the customer</dt>
          <dd className="text-right">
            <Money of={o.refunded} />
          </dd>
        </>
      )}
      {may("fulfiller") && <Costs of={o} />}
    </dl>
  );
}

/** Costs are what an order costs and leaves. */
function Costs({ of: o }: { of: Order }) {
  return (
    <>
      <dt>Landed cost{o.purchases.length === 0 && ", at what it costs now"}</dt>
      <dd className="text-right">{o.cost ? <Money of={o.cost} /> : "not known"}</dd>
      <dt className="font-semibold">Profit after fees</dt>
      <dd className="text-right font-semibold">{o.profit ? <Money of={o.profit} signed /> : "not known"}</dd>
      {o.cost_error && <dd className="col-span-2 text-sm text-loss">{o.cost_error}</dd>}
    </>
  );
}

const fields: { field: keyof Address; label: string }[] = [
  { field: "name", label: "Name" },
  { field: "company", label: "Company" },
  { field: "line1", label: "Street" },
  { field: "line2", label: "Second line" },
  { field: "city", label: "City" },
  { field: "region", label: "State or province" },
  { field: "postcode", label: "Postcode" },
  { field: "country", label: "Country, two letters" },
  { field: "phone", label: "Telephone" },
];

const lines = (a: Address) =>
  [a.name, a.company, a.line1, a.line2, [a.city, a.region, a.postcode].filter(Boolean).join(" ")].filter(Boolean);

/** spelled is the address of an order, in Latin letters where they are proposed: a person looks at them and saves. */
const spelled = (o: Order): Address => ({
  ...o.address,
  ...(o.accepted_by ? {} : Object.fromEntries(o.faults.filter((f) => f.latin).map((f) => [f.field, f.latin]))),
});

/** Where is the address that an order goes to, what is doubtful of it, and the form that corrects it. */
function Where({ of: o }: { of: Order }) {
  const client = useQueryClient();
  const say = useSay();
  const [typed, setTyped] = useState<Address>();
  const set = useMutation<Order, Problem, Address | undefined>({
    mutationFn: (address) =>
      ask(api.PUT("/api/orders/{id}/address", { params: { path: { id: o.id } }, body: address ? { address } : {} })),
    onSuccess: (order) => {
      client.setQueryData(orderQuery(o.id).queryKey, order);
      setTyped(undefined);
      say(order.corrected ? "The address is corrected." : "The address is accepted as it is.");
    },
  });
  const open = o.state === "to_buy" || o.state === "problem";
  const doubtful = o.faults.length > 0 && !o.accepted_by;
  return (
    <section className="mb-4" aria-label="Address">
      <h3 className="mb-1 font-semibold">Goes to{o.corrected && ", as it was corrected"}</h3>
      {typed ? (
        <form
          className="space-y-2"
          onSubmit={(e) => {
            e.preventDefault();
            set.mutate(typed);
          }}
        >
          {fields.map(({ field, label }) => (
            <Field
              key={field}
              label={label}
              value={typed[field] ?? ""}
              maxLength={300}
              error={
                set.error?.field === field
                  ? set.error.message
                  : o.faults.find((f) => f.field === field && typed[field] === o.address[field])?.words
              }
              onChange={(e) => setTyped({ ...typed, [field]: e.target.value })}
            />
          ))}
          {set.error && !fields.some((f) => f.field === set.error.field) && (
            <p className="text-loss" role="alert">
              {set.error.message}
            </p>
          )}
          <p className="flex gap-2">
            <Button tone="main" type="submit" disabled={set.isPending}>
              Save the address
            </Button>
            <Button onClick={() => setTyped(undefined)}>Cancel</Button>
          </p>
        </form>
      ) : (
        <>
          <address className="not-italic">
            {lines(o.address).map((l) => (
              <span key={l} className="block">
                {l}
              </span>
            ))}
            <span className="block">{o.address.country ? countryName(o.address.country) : "no country"}</span>
            <span className="block text-sm text-ink-2">
              {[o.address.phone, o.customer.email].filter(Boolean).join(" · ")}
            </span>
          </address>
          {o.corrected && (
            <p className="mt-1 text-sm text-ink-2">
              The customer wrote: {lines(o.customer.address).join(", ")}, {o.customer.address.country}
            </p>
          )}
          {doubtful && (
            <ul className="mt-1 text-loss" aria-label="What is doubtful">
              {o.faults.map((f) => (
                <li key={f.field + f.words}>
                  {f.words}
                  {f.latin && ` Perhaps “${f.latin}”.`}
                </li>
              ))}
            </ul>
          )}
          {o.accepted_by && !o.corrected && <p className="mt-1 text-sm text-ink-2">Accepted by {o.accepted_by}</p>}
          {open && (
            <p className="mt-2 flex gap-2">
              <Button onClick={() => setTyped(spelled(o))}>Correct it…</Button>
              {doubtful && (
                <Button tone="quiet" onClick={() => set.mutate(undefined)} disabled={set.isPending}>
                  Accept it as it is
                </Button>
              )}
            </p>
          )}
        </>
      )}
    </section>
  );
}

function Items({ of: o }: { of: Order }) {
  const { may } = useSession();
  return (
    <section className="mb-4" aria-label="Lines">
      <h3 className="mb-1 font-semibold">What was bought</h3>
      <ul>
        {o.items.map((i) => (
          <li key={i.id} className="flex gap-2 border-b border-line py-1.5 last:border-0">
            <Picture path={i.picture} width={96} className="size-10 min-w-10 border border-line" />
            <span className="min-w-0 grow">
              {i.draft_id > 0 && may("fulfiller") ? (
                <Link to={`/workbench/${i.draft_id}`} className="block truncate font-semibold hover:underline">
                  {i.title}
                </Link>
              ) : (
                <b className="block truncate">{i.title}</b>
              )}
              <span className="block text-sm text-ink-2">
                {i.quantity} × {i.variant || "Default"} {i.sku && `· ${i.sku}`}
              </span>
              <span className="block truncate text-sm text-ink-2">
                {i.left_out && "not to be bought"}
                {!i.left_out && i.elsewhere && "for this order alone "}
                {!i.left_out && i.ours
                  ? i.supplier
                    ? `bought as ${i.buys || "Default"} from ${i.supplier}`
                    : "not linked to a supplier any more"
                  : i.ours
                    ? ""
                    : "not ours: left alone"}
              </span>
              {(i.to_buy || i.left_out) && (
                <span className="mt-0.5 flex flex-wrap items-center gap-1 text-sm">
                  <LineActs line={{ ...i, linked: i.supplier !== "" }} />
                </span>
              )}
            </span>
            <Money of={i.price} />
          </li>
        ))}
      </ul>
    </section>
  );
}

function OnePurchase({ of: p }: { of: Purchase }) {
  const bad = p.state === "refused" || p.state === "cancelled";
  return (
    <div className="mb-2 rounded-md border border-line p-2">
      <p className="flex items-baseline gap-2">
        <b className="min-w-0 truncate">{p.supplier}</b>
        <span className="text-sm text-ink-2">{p.number}</span>
        <span className="ml-auto">{p.owed && <Money of={p.owed} />}</span>
      </p>
      <p className={`text-sm ${bad ? "font-semibold text-loss" : ""}`}>
        {p.paying ? "being paid" : (purchaseWords[p.state] ?? p.state)}, by {p.service}
      </p>
      {p.reason && <p className="text-sm text-loss">{p.reason}</p>}
      {p.pay_reason && <p className="text-sm text-loss">It could not be paid: {p.pay_reason}</p>}
      {p.rose && <p className="text-sm text-loss">The supplier asks more than was expected.</p>}
      {p.rate && <p className="text-sm text-ink-2">at {p.rate}</p>}
      <p className="text-sm text-ink-2">
        bought by {p.created_by} {ago(p.created_at)}
        {p.paid_at && `, paid ${p.paid_by ? `by ${p.paid_by} ` : ""}${ago(p.paid_at)}`}
      </p>
      <PurchaseActs of={p} />
      <Claims of={p} />
      <Messages of={p} />
      {p.parcels.map((c) => (
        <p key={c.id} className="mt-1 text-sm">
          {c.carrier}{" "}
          {c.url ? (
            <a href={c.url} target="_blank" rel="noreferrer" className="font-semibold underline">
              {c.number}
            </a>
          ) : (
            <b>{c.number}</b>
          )}
          {c.delivered ? ", delivered" : ", on its way"}
          {c.told_at ? " · the store knows" : c.told_error ? "" : " · the store is being told"}
          {c.wrong && <span className="block text-loss">Its check digit is wrong: ask the supplier.</span>}
          {c.told_error && <span className="block text-loss">The store could not be told: {c.told_error}</span>}
        </p>
      ))}
    </div>
  );
}
