import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { type Amount, api, ask, type Problem, type Schemas } from "../api/client";
import { refresh } from "../api/refresh";
import { Button, Dialog, Tick } from "../parts/controls";
import { Money } from "../parts/money";
import { type Column, Table } from "../parts/table";
import { useSay } from "../parts/toast";
import { owedQuery } from "./queries";

type Owed = Schemas["OrdersOwedPurchase"];

/** Pay lists what suppliers are owed, and pays it from the balance at each source. */
export function Pay({ onClose }: { onClose: () => void }) {
  const client = useQueryClient();
  const say = useSay();
  const owed = useQuery(owedQuery);
  const list = owed.data ?? [];
  const [left, setLeft] = useState(new Set<number>());
  const ids = list.filter((p) => !left.has(p.id) && !p.paying).map((p) => p.id);
  const pay = useMutation<Schemas["OrdersMoved"], Problem>({
    mutationFn: () => ask(api.POST("/api/purchases/pay", { body: { ids } })),
    onSuccess: (moved) => {
      say(`${moved.moved === 1 ? "1 purchase is" : `${moved.moved} purchases are`} being paid.`);
      onClose();
    },
    onSettled: () => refresh(client, "orders", "header"),
  });
  const mark = (p: Owed) =>
    setLeft((now) => {
      const next = new Set(now);
      if (!next.delete(p.id)) next.add(p.id);
      return next;
    });
  return (
    <Dialog open onClose={onClose} size="wide" title="Pay suppliers">
      {owed.error && (
        <p className="text-loss" role="alert">
          {owed.error.message}
        </p>
      )}
      {owed.data && list.length === 0 && <p>No supplier waits to be paid.</p>}
      {list.length > 0 && (
        <div className="max-h-[52vh] overflow-auto">
          <Table
            rows={list}
            columns={columns(left, mark)}
            rowKey={(p) => p.id}
            label="Purchases to pay for"
            groupOf={(p) => p.source}
          />
        </div>
      )}
      {ids.length > 0 && (
        <p className="mt-3">
          Paid from the balance that you have at each source; what went by order sheet you pay outside, and is noted as
          paid:{" "}
          {sums(list.filter((p) => ids.includes(p.id))).map((s, i) => (
            <span key={s.key}>
              {i > 0 && ", "}
              <b>
                <Money of={s.amount} />
              </b>{" "}
              at {s.source}
            </span>
          ))}
          .
        </p>
      )}
      {pay.error && (
        <p className="mt-3 text-loss" role="alert">
          {pay.error.message}
        </p>
      )}
      <div className="mt-5 flex justify-end gap-2">
        <Button onClick={onClose}>Cancel</Button>
        <Button tone="main" onClick={() => pay.mutate()} ready={ids.length > 0 && !pay.isPending} autoFocus>
          {ids.length === 1 ? "Pay 1 purchase" : `Pay ${ids.length} purchases`}
        </Button>
      </div>
    </Dialog>
  );
}

/** sums adds up what is owed by source and currency: amounts of several currencies are not added. */
function sums(list: Owed[]): { key: string; source: string; amount: Amount }[] {
  const by = new Map<string, { source: string; amount: Amount; minor: bigint; digits: number }>();
  for (const p of list) {
    const key = `${p.source} ${p.amount.currency}`;
    const digits = p.amount.value.split(".")[1]?.length ?? 0;
    const minor = BigInt(p.amount.value.replace(".", ""));
    const sum = by.get(key);
    by.set(key, { source: p.source, amount: p.amount, minor: (sum?.minor ?? 0n) + minor, digits });
  }
  return [...by].map(([key, { source, amount, minor, digits }]) => {
    const text = String(minor).padStart(digits + 1, "0");
    const value = digits ? `${text.slice(0, -digits)}.${text.slice(-digits)}` : text;
    return { key, source, amount: { ...amount, value } };
  });
}

const pad = "px-2 py-1.5";

function columns(left: Set<number>, mark: (p: Owed) => void): Column<Owed>[] {
  return [
    {
      id: "tick",
      name: "Paid",
      unseen: true,
      className: `${pad} w-8`,
      show: (p) =>
        p.paying ? null : (
          <Tick checked={!left.has(p.id)} onChange={() => mark(p)} label={`Pay ${p.number || `order ${p.order}`}`} />
        ),
    },
    { id: "order", name: "Order", className: pad, show: (p) => p.order },
    { id: "supplier", name: "Supplier", className: pad, show: (p) => p.supplier },
    { id: "number", name: "Supplier's number", className: `${pad} text-ink-2`, show: (p) => p.number },
    {
      id: "said",
      name: "What was said",
      className: `${pad} text-sm`,
      show: (p) =>
        p.by_sheet ? "paid outside" : p.paying ? "being paid" : <span className="text-loss">{p.pay_reason}</span>,
    },
    { id: "amount", name: "Owed", align: "right", className: pad, show: (p) => <Money of={p.amount} /> },
  ];
}
