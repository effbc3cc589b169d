import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Problem } from "../api/client";
import { refresh } from "../api/refresh";
import { Button } from "../parts/controls";
import { Field } from "../parts/field";
import { useSay } from "../parts/toast";
import type { Purchase } from "./queries";

/** PurchaseActs are what a person does with a purchase: takes it back, or says how far one of an order sheet is. */
export function PurchaseActs({ of: p }: { of: Purchase }) {
  const client = useQueryClient();
  const say = useSay();
  const [form, setForm] = useState<"parcel" | "back">();
  const [typed, setTyped] = useState({ number: "", carrier: "", url: "", reason: "" });
  const path = { params: { path: { id: p.id } } };
  const done = (words: string) => ({
    onSuccess: () => {
      say(words);
      setForm(undefined);
    },
    onSettled: () => refresh(client, "orders", "header"),
  });
  const shipped = useMutation<unknown, Problem>({
    mutationFn: () => {
      const { number, carrier, url } = typed;
      return ask(api.POST("/api/purchases/{id}/parcel", { ...path, body: { number, carrier, ...(url && { url }) } }));
    },
    ...done("The parcel is noted, and the store is told of it."),
  });
  const arrived = useMutation<unknown, Problem>({
    mutationFn: () => ask(api.POST("/api/purchases/{id}/delivered", path)),
    ...done("Noted as delivered."),
  });
  const back = useMutation<unknown, Problem>({
    mutationFn: () => ask(api.POST("/api/purchases/{id}/give-up", { ...path, body: { reason: typed.reason } })),
    ...done("The purchase is taken back: what it was for can be bought another way."),
  });
  const error = form === "parcel" ? shipped.error : back.error;
  const field = (name: keyof typeof typed, label: string, autoFocus = false) => (
    <Field
      label={label}
      value={typed[name]}
      autoFocus={autoFocus}
      error={error?.field === name ? error.message : undefined}
      onChange={(e) => setTyped({ ...typed, [name]: e.target.value })}
    />
  );
  const ship = p.by_sheet && (p.state === "placed" || p.state === "paid");
  const takeBack = p.state === "to_send" || p.state === "waiting" || ship;
  if (form)
    return (
      <form
        className="mt-2 space-y-2"
        onSubmit={(e) => {
          e.preventDefault();
          if (form === "parcel") shipped.mutate();
          else back.mutate();
        }}
      >
        {form === "parcel" ? (
          <>
            {field("number", "Tracking number", true)}
            {field("carrier", "Carrier")}
            {field("url", "Where the customer can follow it, if anywhere")}
          </>
        ) : (
          field("reason", "Why it is taken back", true)
        )}
        {error && !error.field && (
          <p className="text-loss" role="alert">
            {error.message}
          </p>
        )}
        <p className="flex gap-2">
          <Button tone="main" type="submit" ready={!shipped.isPending && !back.isPending}>
            {form === "parcel" ? "Save the parcel" : "Take it back"}
          </Button>
          <Button onClick={() => setForm(undefined)}>Cancel</Button>
        </p>
      </form>
    );
  return (
    <p className="mt-1 flex flex-wrap gap-1 empty:hidden">
      {ship && <Button onClick={() => setForm("parcel")}>Add tracking…</Button>}
      {(p.by_sheet || p.by_invoice) && p.state === "shipped" && (
        <Button onClick={() => arrived.mutate()}>Mark as delivered</Button>
      )}
      {takeBack && (
        <Button tone="quiet" onClick={() => setForm("back")}>
          Take it back…
        </Button>
      )}
    </p>
  );
}
