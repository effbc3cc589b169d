import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { api, ask, type Step } from "../api/client";
import { Money } from "./money";
import { Opener } from "./opener";

/** TraceList is how a price came about, step by step. */
export function TraceList({ steps }: { steps: Step[] }) {
  return (
    <ol className="divide-y divide-line">
      {steps.map((step, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: steps have no other name and never move
        <li key={i} className={`flex justify-between gap-6 py-1 ${step.words === "Lands at" || i === steps.length - 1 ? "font-semibold" : ""}`}>
          <span>{step.words}</span>
          <Money of={step.amount} />
        </li>
      ))}
    </ol>
  );
}

const underlined = "min-h-6 rounded underline decoration-line-2 decoration-dotted underline-offset-4 hover:bg-beak-wash";
const heading = "How this price came about";

/** OfferTrace opens the steps of an offer's price by the rules, which are asked for when it is opened. */
export function OfferTrace({ offer, store, children, label }: { offer: number; store: number; children: ReactNode; label: string }) {
  return (
    <Opener words={children} label={label} className={underlined} panelLabel={heading} panelClass="w-96 p-3" align="end" apart>
      {() => (
        <>
          <h3 className="mb-1 text-base">{heading}</h3>
          <Asked offer={offer} store={store} />
        </>
      )}
    </Opener>
  );
}

function Asked({ offer, store }: { offer: number; store: number }) {
  const asked = useQuery({
    queryKey: ["offer", offer, store, "trace"],
    queryFn: () => ask(api.GET("/api/offers/{id}/what-if", { params: { path: { id: offer }, query: { store } } })),
  });
  if (asked.error && !asked.data) return <p className="text-loss">{asked.error.message}</p>;
  return asked.data ? <TraceList steps={asked.data.trace} /> : <p className="text-ink-2">…</p>;
}

/** Trace opens a price's steps in place. */
export function Trace({ steps, children, label }: { steps: Step[]; children: ReactNode; label: string }) {
  if (steps.length === 0) return <>{children}</>;
  return (
    <Opener words={children} label={label} className={underlined} panelLabel={heading} panelClass="w-96 p-3" align="end">
      {() => (
        <>
          <h3 className="mb-1 text-base">{heading}</h3>
          <TraceList steps={steps} />
        </>
      )}
    </Opener>
  );
}
