import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useSearchParams } from "react-router";
import { api, ask, type Problem, type Schemas, type Store } from "../api/client";
import { useSession } from "../frame/session";
import { Button, Field } from "../parts/controls";
import { countryName } from "../parts/countries";
import { Disconnect } from "../parts/disconnect";
import { ago } from "../parts/time";
import { useSay } from "../parts/toast";

/** StorePlace connects stores and holds what is settled once for the one in use. */
export default function StorePlace() {
  const { stores, store, may, chooseStore } = useSession();
  const [params, setParams] = useSearchParams();
  const client = useQueryClient();
  const connected = Number(params.get("connected")) || 0;
  const trouble = params.get("trouble");
  // biome-ignore lint/correctness/useExhaustiveDependencies: once, for the store that was just approved
  useEffect(() => {
    if (connected) {
      chooseStore(connected);
      void client.invalidateQueries();
    }
  }, [connected]);
  const fresh = stores.find((s) => s.id === connected);
  return (
    <main className="min-h-0 grow overflow-auto">
      <div className="mx-auto grid max-w-5xl gap-8 px-6 py-6 lg:grid-cols-2">
        <section aria-labelledby="stores">
          <h1 id="stores" className="mb-3 text-xl">
            {store ? "Stores" : "Connect your store"}
          </h1>
          {trouble && (
            <p className="mb-3 rounded-md bg-loss-wash p-3 text-loss" role="alert">
              {trouble}
            </p>
          )}
          {fresh && (
            <p className="mb-3 flex items-center justify-between rounded-md bg-profit-wash p-3 text-profit-ink" role="status">
              <span>
                <b>{fresh.name}</b> is connected. Check below that it is the right store.
              </span>
              <Button onClick={() => setParams({})}>It is</Button>
            </p>
          )}
          {stores.map((s) => (
            <StoreCard key={s.id} store={s} inUse={s.id === store?.id} />
          ))}
          {may("owner") ? <Connect first={stores.length === 0} /> : stores.length === 0 && <p className="text-ink-2">An owner has to connect a store.</p>}
        </section>
        {store && <Standing key={`${store.id} ${JSON.stringify(store.terms)} ${store.promise_days} ${store.markets[0]}`} store={store} />}
      </div>
    </main>
  );
}

function StoreCard({ store, inUse }: { store: Store; inUse: boolean }) {
  const { may, chooseStore } = useSession();
  const [leaving, setLeaving] = useState(false);
  const facts: [string, string][] = [
    ["Handle", store.handle],
    ["Currency", store.currency],
    ["Time zone", store.time_zone],
    ["Sells to", store.markets.map(countryName).join(", ")],
    [
      "Limits",
      `${store.limits.options} options, ${store.limits.variants} variants, ${store.limits.pictures} pictures, titles of ${store.limits.title_length} characters`,
    ],
    ["Requests", `${store.requests_per_second} a second`],
    ["Connected", ago(store.connected_at)],
  ];
  return (
    <article className="mb-4 rounded-lg border border-line bg-surface p-4" aria-label={store.name}>
      <div className="flex items-start justify-between gap-3">
        <div>
          <h2 className="text-lg">{store.name}</h2>
          <a href={store.address} target="_blank" rel="noreferrer" className="text-ink-2 underline">
            {store.address}
          </a>
        </div>
        {inUse ? <span className="font-semibold text-profit-ink">in use</span> : <Button onClick={() => chooseStore(store.id)}>Use this store</Button>}
      </div>
      <dl className="mt-3 grid grid-cols-[auto_1fr] gap-x-4 gap-y-1">
        {facts.map(([name, value]) => (
          <div key={name} className="contents">
            <dt className="text-ink-2">{name}</dt>
            <dd>{value}</dd>
          </div>
        ))}
      </dl>
      {may("owner") && (
        <Button tone="danger" className="mt-3" onClick={() => setLeaving(true)}>
          Disconnect
        </Button>
      )}
      {leaving && (
        <Disconnect
          name={store.name}
          stops={["publishing to it; what a run has not sent yet fails", `prices and profit in ${store.currency} in the Catalog and the Workbench`]}
          stays="What is live stays live in the store. Drafts, typed prices and markup stay here, for when it is connected again."
          end={() => ask(api.POST("/api/stores/{id}/disconnect", { params: { path: { id: store.id } } }))}
          onClose={() => setLeaving(false)}
        />
      )}
    </article>
  );
}

function Connect({ first }: { first: boolean }) {
  const [address, setAddress] = useState("");
  const begin = useMutation<Schemas["StoresApproval"], Problem>({
    mutationFn: () => ask(api.POST("/api/stores/connect", { body: { address } })),
    onSuccess: (approval) => window.location.assign(approval.approve_at),
  });
  return (
    <form
      className="space-y-3 rounded-lg border border-line bg-surface p-4"
      onSubmit={(e) => {
        e.preventDefault();
        begin.mutate();
      }}
    >
      {first && (
        <p className="text-ink-2">Give your store's address. You are sent to the store to approve what Plain Pelican may do there, and come back connected.</p>
      )}
      <Field
        label={first ? "Address of your store" : "Address of another store"}
        value={address}
        onChange={(e) => setAddress(e.target.value)}
        placeholder="store.example.com"
        required
        trouble={begin.error?.message}
      />
      <Button tone={first ? "main" : "plain"} type="submit" disabled={begin.isPending}>
        {begin.isPending ? "Asking the store…" : "Go to the store to approve"}
      </Button>
    </form>
  );
}

const toPercent = (ratio: string) => String(Number((Number(ratio) * 100).toFixed(4)));
const fromPercent = (text: string) => String(Number((Number(text.replace(",", ".")) / 100).toFixed(6)));

function Standing({ store }: { store: Store }) {
  const { may } = useSession();
  const client = useQueryClient();
  const say = useSay();
  const [market, setMarket] = useState(store.markets[0] ?? "");
  const [days, setDays] = useState(String(store.promise_days));
  const [percent, setPercent] = useState(toPercent(store.terms.payment_percent));
  const [fixed, setFixed] = useState(store.terms.payment_fixed.value);
  const [returns, setReturns] = useState(toPercent(store.terms.returns));
  const [tax, setTax] = useState(toPercent(store.terms.tax));
  const save = useMutation<unknown, Problem>({
    mutationFn: () =>
      ask(
        api.PUT("/api/stores/{id}/standing", {
          params: { path: { id: store.id } },
          body: {
            market,
            promise_days: Number(days),
            terms: {
              payment_percent: fromPercent(percent),
              payment_fixed: { value: fixed, currency: store.currency },
              returns: fromPercent(returns),
              tax: fromPercent(tax),
            },
          },
        }),
      ),
    onSuccess: () => {
      say("Saved. Prices follow.");
      void client.invalidateQueries();
    },
  });
  const small = "grid grid-cols-2 gap-3";
  return (
    <section aria-labelledby="standing">
      <h2 id="standing" className="mb-3 text-xl">
        Fees and delivery promise <span className="font-sans text-base font-normal text-ink-2">{store.name}</span>
      </h2>
      <form
        className="space-y-3 rounded-lg border border-line bg-surface p-4"
        onSubmit={(e) => {
          e.preventDefault();
          save.mutate();
        }}
      >
        <div className={small}>
          <Field label="Payment fee, percent" inputMode="decimal" value={percent} onChange={(e) => setPercent(e.target.value)} />
          <Field label={`and fixed, ${store.currency}`} inputMode="decimal" value={fixed} onChange={(e) => setFixed(e.target.value)} />
        </div>
        <div className={small}>
          <Field label="Returns allowance, percent" inputMode="decimal" value={returns} onChange={(e) => setReturns(e.target.value)} />
          <Field
            label="Tax included in prices, percent"
            inputMode="decimal"
            value={tax}
            onChange={(e) => setTax(e.target.value)}
            hint="0 where prices are shown without tax"
          />
        </div>
        <div className={small}>
          <label className="block font-semibold">
            Market that prices assume
            <select
              value={market}
              onChange={(e) => setMarket(e.target.value)}
              className="mt-0.5 block w-full rounded-md border border-line-2 bg-surface px-2 py-1.5 font-normal"
            >
              {store.markets.map((code) => (
                <option key={code} value={code}>
                  {countryName(code)}
                </option>
              ))}
            </select>
          </label>
          <Field label="Promise: at the door within, days" inputMode="numeric" value={days} onChange={(e) => setDays(e.target.value)} />
        </div>
        <p className="text-sm text-ink-2">Prices assume the cheapest delivery that keeps the promise; where none does, the fastest, and it is marked late.</p>
        {save.error && (
          <p className="text-loss" role="alert">
            {save.error.message}
          </p>
        )}
        {may("owner") && (
          <Button type="submit" disabled={save.isPending}>
            Save
          </Button>
        )}
      </form>
    </section>
  );
}
