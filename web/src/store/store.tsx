import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, ask, type Problem, type Schemas, type Store } from "../api/client";
import { refresh } from "../api/refresh";
import { unconfirmedQuery } from "../frame/queries";
import { useSession } from "../frame/session";
import { Button } from "../parts/controls";
import { countryName } from "../parts/countries";
import { Disconnect } from "../parts/disconnect";
import { Field } from "../parts/field";
import { NamesField } from "../parts/names";
import { Check } from "../parts/radios";
import { useNavigate, useSearchParams } from "../parts/route";
import { ago } from "../parts/time";
import { useSay } from "../parts/toast";
import { namesQuery } from "../workbench/queries";
import { AddByFiles, Files } from "./files";
import { OrderSettings, WholeNumber } from "./order-settings";
import { PackingSlips } from "./packing-slips";

/** Why connecting failed, by the code in the address: no text of an address is ever shown. */
const troubles: Record<string, string> = {
  "not-begun": "This approval was not begun here, or too long ago. Connect the store again.",
  refused: "You refused on the store's side, so nothing was connected.",
  issuer:
    "The answer did not come from the store that you asked, so nothing was connected. Connect it again, and look at its address.",
  "no-answer": "The store did not answer when its approval was checked. Connect it again in a moment.",
  private: "The store is at a private address, which this installation does not allow.",
  plain: "The store is not encrypted (http), so no secret is sent there. Give its https address.",
  "not-a-store": "There is a server at that address, but it is not a store that can be connected.",
  approval: "The store did not accept the approval. Connect it again.",
  "out-of-order": "The store is out of order. Try again later.",
  busy: "The store asks us to slow down. Try again in a minute.",
  currency:
    "The store sells in another currency now than its prices here are in. Its prices would be wrong, so it was not connected.",
  facts: "The store does not say what must be known of it: its currency, its time zone and the countries it sells to.",
  "our-side": "The store could not be connected, for a reason on our side. Try again; if it stays, look into the log.",
};

/** StorePlace connects stores and holds what is settled once for the one in use. */
export default function StorePlace() {
  const { stores, store, may, chooseStore } = useSession();
  const [params, setParams] = useSearchParams();
  const client = useQueryClient();
  const go = useNavigate();
  const connected = Number(params.get("connected")) || 0;
  const error = params.get("error");
  // biome-ignore lint/correctness/useExhaustiveDependencies: once, for the store that was just approved
  useEffect(() => {
    if (connected) {
      chooseStore(connected);
      void client.invalidateQueries();
    }
  }, [connected]);
  const fresh = stores.find((s) => s.id === connected);
  const waiting = useQuery({ ...unconfirmedQuery, enabled: may("owner") }).data ?? [];
  return (
    <main className="min-h-0 grow overflow-auto">
      <div className="mx-auto grid max-w-5xl gap-8 px-6 py-6 *:min-w-0 max-md:px-3 lg:grid-cols-2">
        <section aria-labelledby="stores">
          <h1 id="stores" className="mb-3 text-xl">
            {store ? "Stores" : "Connect your store"}
          </h1>
          {error && (
            <p className="mb-3 rounded-md bg-loss-wash p-3 text-loss" role="alert">
              {troubles[error] ?? troubles["our-side"]}
            </p>
          )}
          {fresh && (
            <p
              className="mb-3 flex items-center justify-between rounded-md bg-profit-wash p-3 text-profit-ink"
              role="status"
            >
              <span>
                <b>{fresh.name}</b> is connected.
              </span>
              <Button onClick={() => setParams({})}>Close</Button>
            </p>
          )}
          {waiting.map((s) => (
            <Confirm key={s.id} store={s} onDone={(id) => setParams(id ? { connected: String(id) } : {})} />
          ))}
          {stores.map((s) => (
            <StoreCard key={s.id} store={s} inUse={s.id === store?.id} />
          ))}
          {may("owner") ? (
            <>
              <Connect first={stores.length === 0} />
              <AddByFiles
                onAdded={(id) => {
                  void client.invalidateQueries();
                  setParams({ connected: String(id) });
                }}
              />
            </>
          ) : (
            stores.length === 0 && <p className="text-ink-2">An owner has to connect a store.</p>
          )}
        </section>
        {store && (
          <section aria-labelledby="standing">
            <h2 id="standing" className="mb-3 text-xl">
              Money rules
            </h2>
            <p className="mb-3 text-ink-2">
              Markup, fees and tax, import charges, exchange rates and the delivery that prices assume are settled in
              one place, for each store.
            </p>
            <Button onClick={() => go("/markup")}>Money rules of {store.name}</Button>
          </section>
        )}
      </div>
    </main>
  );
}

/** Confirm shows a store that was approved, so that the wrong one is known before anything is priced for it. */
function Confirm({ store: s, onDone }: { store: Schemas["StoresUnconfirmed"]; onDone: (id?: number) => void }) {
  const client = useQueryClient();
  const accept = useMutation<Store, Problem, void>({
    mutationFn: () => ask(api.POST("/api/stores/{id}/confirm", { params: { path: { id: s.id } } })),
    onSuccess: async () => {
      await client.invalidateQueries();
      onDone(s.id);
    },
  });
  const reject = useMutation<unknown, Problem, void>({
    mutationFn: () => ask(api.POST("/api/stores/{id}/reject", { params: { path: { id: s.id } } })),
    onSuccess: async () => {
      await client.invalidateQueries();
      onDone();
    },
  });
  const error = accept.error ?? reject.error;
  return (
    <article
      className="mb-4 rounded-lg border-2 border-beak bg-surface p-4"
      aria-label={`Is ${s.name} the right store?`}
    >
      <h2 className="mb-2 text-lg">Is this the right store?</h2>
      <dl className="grid grid-cols-[auto_1fr] gap-x-4 gap-y-1">
        {[
          ["Name", s.name],
          ["Handle", s.handle],
          ["Address", s.address],
          ["Currency", s.currency],
          ["Time zone", s.time_zone],
          ["Sells to", s.markets.map(countryName).join(", ")],
        ].map(([name, value]) => (
          <div key={name} className="contents">
            <dt className="text-ink-2">{name}</dt>
            <dd className="font-semibold">{value}</dd>
          </div>
        ))}
      </dl>
      <h3 className="mt-3 font-semibold">What it sells already</h3>
      {s.products.length > 0 ? (
        <ul className="list-disc pl-5">
          {s.products.map((p) => (
            <li key={p.title + p.url}>
              {p.title} {p.price && <span className="text-ink-2">{`${p.price} ${s.currency}`}</span>}
            </li>
          ))}
        </ul>
      ) : (
        <p className="text-ink-2">{s.trouble || "Nothing yet."}</p>
      )}
      <Missing of={s} />
      {error && (
        <p className="mt-2 text-loss" role="alert">
          {error.message}
        </p>
      )}
      <div className="mt-3 flex gap-2">
        <Button tone="main" onClick={() => accept.mutate()} disabled={accept.isPending || reject.isPending} autoFocus>
          It is: connect it
        </Button>
        <Button onClick={() => reject.mutate()} disabled={accept.isPending || reject.isPending}>
          It is the wrong one
        </Button>
      </div>
    </article>
  );
}

/** useApproval goes to the store at an address, where what is asked for is approved. */
function useApproval(address: string) {
  return useMutation<Schemas["StoresApproval"], Problem>({
    mutationFn: () => ask(api.POST("/api/stores/connect", { body: { address } })),
    onSuccess: (approval) => window.location.assign(approval.approve_at),
  });
}

/** Missing says what a store does not permit, or no longer, and asks for it again. */
function Missing({ of: s }: { of: Pick<Store, "missing" | "problem" | "address" | "name"> }) {
  const { may } = useSession();
  const begin = useApproval(s.address);
  if (s.missing.length === 0 && s.problem === "") return null;
  return (
    <div className="mt-3 rounded-md bg-loss-wash p-2.5 text-loss" role="alert">
      {s.problem === "disapproved" && <p>{s.name} no longer lets us in.</p>}
      {s.problem === "forbidden" && s.missing.length === 0 && <p>{s.name} has taken a permission back.</p>}
      {s.missing.map((p) => (
        <p key={p.name}>
          It does not permit us to {p.for} ({p.name}).
        </p>
      ))}
      {begin.error && <p>{begin.error.message}</p>}
      {may("owner") && (
        <Button className="mt-1" onClick={() => begin.mutate()} disabled={begin.isPending}>
          Ask the store for approval again
        </Button>
      )}
    </div>
  );
}

/** Usually says how drafts go to a store unless a run says otherwise. */
function Usually({ store }: { store: Store }) {
  const client = useQueryClient();
  const say = useSay();
  const names = useQuery(namesQuery).data;
  const set = useMutation<Store, Problem, Schemas["StoresDefaults"]>({
    mutationFn: (body) => ask(api.PUT("/api/stores/{id}/defaults", { params: { path: { id: store.id } }, body })),
    onSuccess: () => refresh(client, "stores"),
    onError: (error) => say(error.message, true),
  });
  const now = set.variables && set.isPending ? set.variables : store.defaults;
  const change = (part: Schemas["StoresDefaults"]) => set.mutate({ ...store.defaults, ...part });
  return (
    <section className="mt-3 border-t border-line pt-3" aria-label={`How drafts usually go to ${store.name}`}>
      <h3 className="font-semibold">Drafts usually go there</h3>
      <div className="flex flex-wrap gap-x-4">
        <Check checked={!now.hidden} onChange={(visible) => change({ hidden: !visible })}>
          visible to customers
        </Check>
        <Check checked={now.sell_empty ?? false} onChange={(sell_empty) => change({ sell_empty })}>
          selling on when out of stock
        </Check>
        <Check checked={now.by_rules ?? false} onChange={(by_rules) => change({ by_rules })}>
          at the prices of the rules
        </Check>
      </div>
      <WholeNumber
        label="Units of each variant kept in reserve"
        most={100000}
        value={now.reserve ?? 0}
        onSave={(reserve) => change({ reserve })}
      />
      <NamesField
        label="Collections beside their own"
        names={now.collections ?? []}
        suggestions={names?.collections ?? []}
        onSave={(collections) => change({ collections })}
      />
    </section>
  );
}

/** limitsWords says what a store takes in one product. */
function limitsWords(l: Store["limits"]): string {
  const parts = [
    l.options && `${l.options} options`,
    l.variants && `${l.variants} variants`,
    l.pictures && `${l.pictures} pictures`,
    l.title_length && `titles of ${l.title_length} characters`,
  ].filter(Boolean);
  return parts.join(", ") || "none";
}

function StoreCard({ store, inUse }: { store: Store; inUse: boolean }) {
  const { may, chooseStore } = useSession();
  const [leaving, setLeaving] = useState(false);
  const facts: [string, string][] = [
    ["Handle", store.handle],
    ["Currency", store.currency],
    ["Time zone", store.time_zone],
    ["Sells to", store.markets.map(countryName).join(", ")],
    ["Limits", limitsWords(store.limits)],
    ...(store.files ? [] : [["Requests", `${store.requests_per_second} a second`] as [string, string]]),
    ["Connected", ago(store.connected_at)],
  ];
  return (
    <article className="mb-4 rounded-lg border border-line bg-surface p-4" aria-label={store.name}>
      <div className="flex items-start justify-between gap-3">
        <div>
          <h2 className="text-lg">{store.name}</h2>
          {store.files ? (
            <span className="text-ink-2">without an API, served by files</span>
          ) : (
            <a href={store.address} target="_blank" rel="noreferrer" className="text-ink-2 underline">
              {store.address}
            </a>
          )}
        </div>
        {inUse ? (
          <span className="font-semibold text-profit-ink">in use</span>
        ) : (
          <Button onClick={() => chooseStore(store.id)}>Use this store</Button>
        )}
      </div>
      <dl className="mt-3 grid grid-cols-[auto_1fr] gap-x-4 gap-y-1">
        {facts.map(([name, value]) => (
          <div key={name} className="contents">
            <dt className="text-ink-2">{name}</dt>
            <dd>{value}</dd>
          </div>
        ))}
      </dl>
      <Missing of={store} />
      <Files store={store} />
      {may("owner") && <Usually store={store} />}
      {may("owner") && <OrderSettings store={store} />}
      {may("owner") && <PackingSlips store={store} />}
      {may("owner") && (
        <Button tone="danger" className="mt-3" onClick={() => setLeaving(true)}>
          Disconnect
        </Button>
      )}
      {leaving && (
        <Disconnect
          name={store.name}
          stops={[
            "publishing to it; what a run has not sent yet fails",
            `prices and profit in ${store.currency} in the Catalog and the Workbench`,
          ]}
          stays="What is live stays live in the store. Drafts, manual prices and markup stay here, for when it is connected again."
          end={() => ask(api.POST("/api/stores/{id}/disconnect", { params: { path: { id: store.id } } }))}
          onClose={() => setLeaving(false)}
        />
      )}
    </article>
  );
}

function Connect({ first }: { first: boolean }) {
  const [address, setAddress] = useState("");
  const begin = useApproval(address);
  return (
    <form
      className="space-y-3 rounded-lg border border-line bg-surface p-4"
      onSubmit={(e) => {
        e.preventDefault();
        begin.mutate();
      }}
    >
      {first && (
        <p className="text-ink-2">
          Give your store's address. You are sent to the store to approve what Plain Pelican may do there, and come back
          connected.
        </p>
      )}
      <Field
        label={first ? "Address of your store" : "Address of another store"}
        value={address}
        onChange={(e) => setAddress(e.target.value)}
        placeholder="store.example.com"
        required
        error={begin.error?.message}
      />
      <Button tone={first ? "main" : "plain"} type="submit" disabled={begin.isPending}>
        {begin.isPending ? "Asking the store…" : "Go to the store to approve"}
      </Button>
    </form>
  );
}
