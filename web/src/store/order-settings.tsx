import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Problem, type Store } from "../api/client";
import { refresh } from "../api/refresh";
import { Field } from "../parts/field";
import { useSay } from "../parts/toast";
import { CustomerData } from "./customer-data";

/** WholeNumber is a setting that is saved when it is left. */
export function WholeNumber({
  label,
  hint,
  most,
  value,
  onSave,
}: {
  label: string;
  hint?: string;
  most: number;
  value: number;
  onSave: (n: number) => void;
}) {
  const [text, setText] = useState(String(value));
  return (
    <Field
      label={label}
      {...(hint && { hint })}
      number={{ least: 0, most, whole: true }}
      value={text}
      onChange={(e) => setText(e.target.value)}
      onBlur={() => {
        const n = Math.trunc(Number(text));
        if (n >= 0 && n <= most && n !== value) onSave(n);
      }}
    />
  );
}

/** OrderSettings say how a store's orders are dealt with. */
export function OrderSettings({ store }: { store: Store }) {
  const client = useQueryClient();
  const say = useSay();
  const now = store.order_settings;
  const [phone, setPhone] = useState(now.phone);
  const set = useMutation<Store, Problem, Partial<typeof now>>({
    mutationFn: (part) =>
      ask(api.PATCH("/api/stores/{id}/order-settings", { params: { path: { id: store.id } }, body: part })),
    onSuccess: () => {
      void refresh(client, "stores");
      say("Saved.");
    },
    onError: (error) => !error.field && say(error.message, true),
  });
  return (
    <section className="mt-3 space-y-2 border-t border-line pt-3" aria-label={`Orders of ${store.name}`}>
      <WholeNumber
        label="Days after an order ended until who bought is erased"
        hint="0 keeps them for good; the sums stay either way"
        most={3650}
        value={now.erase_after_days}
        onSave={(days) => set.mutate({ erase_after_days: days })}
      />
      <WholeNumber
        label="Days after an order ended until it is archived"
        hint="0 leaves that to a person"
        most={3650}
        value={now.archive_after_days}
        onSave={(days) => set.mutate({ archive_after_days: days })}
      />
      <Field
        label="The shop's telephone, for suppliers where a customer gave none"
        value={phone}
        maxLength={40}
        error={set.error?.field === "phone" ? set.error.message : undefined}
        onChange={(e) => setPhone(e.target.value)}
        onBlur={() => phone !== now.phone && set.mutate({ phone })}
      />
      <CustomerData />
    </section>
  );
}
