import { queryOptions, useQuery } from "@tanstack/react-query";
import { type ReactNode, use } from "react";
import { api, ask, type Step } from "../api/client";
import { HomeCurrency, Money, sayMoney } from "./money";
import { Opener } from "./opener";

/** TraceList is how a price came about, step by step. What is only compared stands apart from what is added. */
export function TraceList({ steps }: { steps: Step[] }) {
  const home = use(HomeCurrency);
  return (
    <ol className="divide-y divide-line">
      {steps.map((step, i) => {
        const compared = step.part !== "sum";
        return (
          <li
            // biome-ignore lint/suspicious/noArrayIndexKey: steps have no other name and never move
            key={i}
            className={`flex justify-between gap-6 py-1 ${compared ? "pl-4 text-sm text-ink-2 italic" : ""} ${step.kind === "landed" || i === steps.length - 1 ? "font-semibold" : ""}`}
          >
            <span>{sayMoney(step.words, home)}</span>
            {step.part !== "none" && (
              <span className={compared ? "mr-16" : ""}>
                <Money of={step.amount} />
              </span>
            )}
          </li>
        );
      })}
    </ol>
  );
}

const underlined =
  "min-h-6 rounded underline decoration-line-2 decoration-dotted underline-offset-4 hover:bg-beak-wash";
const heading = "How this price came about";

/** named is a price with what it opens, which readers hear after it: a name begins with what is seen. */
const named = (price: ReactNode, label: string) => (
  <>
    {price}
    <span className="sr-only">, {label}</span>
  </>
);

/** OfferTrace opens the steps of an offer's price by the rules, which are asked for when it is opened. */
export function OfferTrace({
  offer,
  variant,
  store,
  children,
  label,
}: {
  offer: number;
  variant: number;
  store: number;
  children: ReactNode;
  label: string;
}) {
  return (
    <Opener
      words={named(children, label)}
      className={underlined}
      panelLabel={heading}
      panelClass="w-96 p-3"
      align="end"
      apart
    >
      {() => (
        <>
          <h3 className="mb-1 text-base">{heading}</h3>
          <Asked offer={offer} variant={variant} store={store} />
        </>
      )}
    </Opener>
  );
}

/** traceQuery reads the steps of a variant's price. */
const traceQuery = (offer: number, store: number, variant: number) =>
  queryOptions({
    queryKey: ["offer", offer, store, "trace", variant],
    queryFn: () =>
      ask(api.GET("/api/offers/{id}/what-if", { params: { path: { id: offer }, query: { store, variant } } })),
  });

function Asked({ offer, variant, store }: { offer: number; variant: number; store: number }) {
  const asked = useQuery(traceQuery(offer, store, variant));
  if (asked.error && !asked.data) return <p className="text-loss">{asked.error.message}</p>;
  return asked.data ? <TraceList steps={asked.data.trace} /> : <p className="text-ink-2">…</p>;
}

/** Trace opens a price's steps in place. */
export function Trace({ steps, children, label }: { steps: Step[]; children: ReactNode; label: string }) {
  if (steps.length === 0) return <>{children}</>;
  return (
    <Opener
      words={named(children, label)}
      className={underlined}
      panelLabel={heading}
      panelClass="w-96 p-3"
      align="end"
    >
      {() => (
        <>
          <h3 className="mb-1 text-base">{heading}</h3>
          <TraceList steps={steps} />
        </>
      )}
    </Opener>
  );
}
