import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Problem, type Schemas, type Store, sendFile } from "../api/client";
import { refresh } from "../api/refresh";
import { useSession } from "../frame/session";
import { Button } from "../parts/controls";
import { Field } from "../parts/field";

/** The files that a store without an API is served by, and what each is. */
const files = [
  ["products.csv", "Products as CSV"],
  ["products.jsonld", "Products as JSON-LD"],
  ["pictures.zip", "Pictures"],
] as const;

/** Files leads to what is to be taken to a store that has no API. */
export function Files({ store }: { store: Store }) {
  if (!store.files) return null;
  return (
    <section className="mt-3 border-t border-line pt-3" aria-label={`Files for ${store.name}`}>
      <h3 className="font-semibold">Files to take there</h3>
      <p className="mb-1 text-sm text-ink-2">They hold what is published to it at this moment.</p>
      <p className="flex flex-wrap gap-x-4">
        {files.map(([name, words]) => (
          <a
            key={name}
            href={`/api/stores/${store.id}/files/${name}`}
            className="inline-block min-h-6 underline"
            download
          >
            {words}
          </a>
        ))}
      </p>
      <OrdersIn store={store} />
    </section>
  );
}

/** OrdersIn takes a file of the store's orders in, and says which rows could not be used. */
function OrdersIn({ store }: { store: Store }) {
  const { may } = useSession();
  const client = useQueryClient();
  const send = useMutation<Schemas["OrdersFileOutcome"], Problem, File>({
    mutationFn: (file) => sendFile(`/api/stores/${store.id}/orders`, file),
    onSettled: () => refresh(client, "orders", "header"),
  });
  if (!may("editor")) return null;
  return (
    <>
      <label className="mt-3 block font-semibold">
        Orders from there, as CSV
        <input
          type="file"
          accept=".csv,text/csv"
          className="mt-1 block font-normal"
          onChange={(e) => {
            const file = e.target.files?.[0];
            if (file) send.mutate(file);
            e.target.value = ""; // the same file, corrected, may be chosen again
          }}
        />
      </label>
      <p className="text-sm text-ink-2">
        A row for each line, with the columns order, placed, product, variant, quantity, price, name, street, city,
        postcode and country; product and variant as in the products above. An order that is known changes nothing.
      </p>
      {send.error && (
        <p className="mt-1 text-loss" role="alert">
          {send.error.message}
        </p>
      )}
      {send.data && (
        <div role="status" className="mt-1">
          {send.data.orders === 1 ? "1 order is" : `${send.data.orders} orders are`} in.
          {send.data.rejected.map((r) => (
            <p key={r.row} className="text-loss">
              Row {r.row}: {r.reason}
            </p>
          ))}
        </div>
      )}
    </>
  );
}

/** AddByFiles adds a store that has no API: what it is, only a person can say. */
export function AddByFiles({ onAdded }: { onAdded: (id: number) => void }) {
  const { stores } = useSession();
  const [open, setOpen] = useState(false);
  const [name, setName] = useState("");
  const [currency, setCurrency] = useState(stores[0]?.currency ?? "");
  const [zone, setZone] = useState(Intl.DateTimeFormat().resolvedOptions().timeZone);
  const [markets, setMarkets] = useState("");
  const [tax, setTax] = useState("");
  const add = useMutation<Store, Problem, void>({
    mutationFn: () =>
      ask(
        api.POST("/api/stores/files", {
          body: {
            name,
            currency,
            time_zone: zone,
            markets: markets.split(/[\s,]+/).filter(Boolean),
            ...(tax.trim() && { included_tax: String(Number(tax) / 100) }),
          },
        }),
      ),
    onSuccess: (made) => onAdded(made.id),
  });
  const wrong = (field: string) => (add.error?.field === field ? add.error.message : undefined);
  if (!open)
    return (
      <p className="mt-3">
        <button type="button" className="min-h-6 underline" onClick={() => setOpen(true)}>
          Add a store without an API
        </button>
      </p>
    );
  return (
    <form
      className="mt-4 space-y-3 rounded-lg border border-line bg-surface p-4"
      onSubmit={(e) => {
        e.preventDefault();
        add.mutate();
      }}
    >
      <h2 className="text-lg">A store without an API</h2>
      <p className="text-ink-2">What is published to it is written as files, which you take there yourself.</p>
      <Field
        label="Name"
        value={name}
        onChange={(e) => setName(e.target.value)}
        required
        error={wrong("name")}
        autoFocus
      />
      <Field
        label="Currency"
        hint=". Its code, such as EUR"
        value={currency}
        onChange={(e) => setCurrency(e.target.value.toUpperCase())}
        maxLength={3}
        required
        error={wrong("currency")}
      />
      <Field
        label="Time zone"
        value={zone}
        onChange={(e) => setZone(e.target.value)}
        required
        error={wrong("time_zone")}
      />
      <Field
        label="Countries it sells to"
        hint=". Two letters each, the main one first: US, CA"
        value={markets}
        onChange={(e) => setMarkets(e.target.value)}
        required
        error={wrong("markets")}
      />
      <Field
        label="Sales tax included in its prices, percent"
        number={{ least: 0, most: 100 }}
        value={tax}
        onChange={(e) => setTax(e.target.value)}
        error={wrong("included_tax")}
      />
      {add.error && !add.error.field && (
        <p className="text-loss" role="alert">
          {add.error.message}
        </p>
      )}
      <div className="flex gap-2">
        <Button tone="main" type="submit" disabled={add.isPending}>
          Add it
        </Button>
        <Button onClick={() => setOpen(false)}>Cancel</Button>
      </div>
    </form>
  );
}
