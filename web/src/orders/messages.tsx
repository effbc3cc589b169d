import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useId, useState } from "react";
import { api, ask, type Problem } from "../api/client";
import { Button } from "../parts/controls";
import { ago } from "../parts/time";
import { type Order, orderQuery, type Purchase } from "./queries";

/** Messages are what was written to the supplier of a purchase and what it answered, and the form that writes more. */
export function Messages({ of: p }: { of: Purchase }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      {p.messages.map((m) => (
        <p key={`${m.at} ${m.words}`} className="mt-1 border-l-2 border-line-2 pl-2 text-sm">
          <span className="text-ink-2">
            {m.from_supplier ? p.supplier : m.by || "We"}, {ago(m.at)}
            {!m.from_supplier && !m.sent_at && !m.error && ", being sent"}:
          </span>{" "}
          <span className="whitespace-pre-wrap">{m.words}</span>
          {m.error && <span className="block text-loss">It was not taken: {m.error}</span>}
        </p>
      ))}
      {open ? (
        <Write of={p} onClose={() => setOpen(false)} />
      ) : (
        p.can_write && (
          <p className="mt-1">
            <Button tone="quiet" onClick={() => setOpen(true)}>
              Write to the supplier…
            </Button>
          </p>
        )
      )}
    </>
  );
}

function Write({ of: p, onClose }: { of: Purchase; onClose: () => void }) {
  const client = useQueryClient();
  const id = useId();
  const [words, setWords] = useState("");
  const send = useMutation<Order, Problem>({
    mutationFn: () =>
      ask(api.POST("/api/purchases/{id}/messages", { params: { path: { id: p.id } }, body: { words } })),
    onSuccess: (order) => {
      client.setQueryData(orderQuery(order.id).queryKey, order);
      onClose();
    },
  });
  return (
    <form
      className="mt-2 space-y-2"
      onSubmit={(e) => {
        e.preventDefault();
        send.mutate();
      }}
    >
      <label htmlFor={id} className="block font-semibold">
        To {p.supplier}, about {p.number}
      </label>
      <textarea
        id={id}
        className="h-24 w-full rounded-md border border-line-2 bg-surface px-2.5 py-1.5"
        autoFocus
        maxLength={2000}
        value={words}
        aria-invalid={send.error ? true : undefined}
        aria-describedby={send.error ? `${id}-error` : undefined}
        onChange={(e) => setWords(e.target.value)}
      />
      {send.error && (
        <p id={`${id}-error`} className="text-loss" role="alert">
          {send.error.message}
        </p>
      )}
      <p className="flex gap-2">
        <Button tone="main" type="submit" ready={!send.isPending && words.trim() !== ""}>
          Send the message
        </Button>
        <Button onClick={onClose}>Cancel</Button>
      </p>
    </form>
  );
}
