import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Problem } from "../api/client";
import { refresh } from "../api/refresh";
import { useSession } from "../frame/session";
import { Button } from "../parts/controls";
import { checked, Field } from "../parts/field";
import { Money } from "../parts/money";
import { ago } from "../parts/time";
import { useSay } from "../parts/toast";
import type { Order } from "./queries";

/** Refunds are what the customer got back, and the form that gives more. */
export function Refunds({ of: o }: { of: Order }) {
  const client = useQueryClient();
  const { may } = useSession();
  const say = useSay();
  const [typed, setTyped] = useState<{ amount: string; reason: string }>();
  const { currency } = o.total;
  const amount = checked(typed?.amount ?? "", { currency });
  const give = useMutation<Order, Problem>({
    mutationFn: () =>
      ask(
        api.POST("/api/orders/{id}/refunds", {
          params: { path: { id: o.id } },
          body: { amount: amount.value ?? "", reason: typed?.reason ?? "" },
        }),
      ),
    onSuccess: () => {
      say("The store is asked to give it back.");
      setTyped(undefined);
    },
    onSettled: () => refresh(client, "orders"),
  });
  return (
    <section className="mb-4" aria-label="Refunds">
      {o.refunds.map((r) => (
        <p key={r.at} className="text-sm">
          <Money of={r.amount} /> {r.made ? "given back" : r.error ? "not given back" : "being given back"} by {r.by}{" "}
          {ago(r.at)}
          {r.reason && `: ${r.reason}`}
          {r.error && <span className="block text-loss">{r.error}</span>}
        </p>
      ))}
      {typed ? (
        <form
          className="space-y-2"
          onSubmit={(e) => {
            e.preventDefault();
            if (amount.value) give.mutate();
          }}
        >
          <Field
            label={`Amount to give back, in ${currency}`}
            autoFocus
            number={{ currency }}
            value={typed.amount}
            error={give.error?.field === "amount" ? give.error.message : undefined}
            onChange={(e) => setTyped({ ...typed, amount: e.target.value })}
          />
          <Field
            label="Why"
            value={typed.reason}
            maxLength={300}
            onChange={(e) => setTyped({ ...typed, reason: e.target.value })}
          />
          {give.error && !give.error.field && (
            <p className="text-loss" role="alert">
              {give.error.message}
            </p>
          )}
          <p className="flex gap-2">
            <Button tone="main" type="submit" ready={!give.isPending && !!amount.value}>
              Give it back
            </Button>
            <Button onClick={() => setTyped(undefined)}>Cancel</Button>
          </p>
        </form>
      ) : (
        may("fulfiller") && <Button onClick={() => setTyped({ amount: "", reason: "" })}>Refund the customer…</Button>
      )}
    </section>
  );
}
