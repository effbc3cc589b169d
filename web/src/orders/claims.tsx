import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Problem, type Schemas } from "../api/client";
import { refresh } from "../api/refresh";
import { useSession } from "../frame/session";
import { Button } from "../parts/controls";
import { checked, Field } from "../parts/field";
import { Money } from "../parts/money";
import { Check, Radios } from "../parts/radios";
import { useSay } from "../parts/toast";
import type { Order, Purchase } from "./queries";

type Claim = Purchase["claims"][number];
type Kind = Schemas["OrdersClaimInput"]["kind"];

/** kinds are what can go wrong with a purchase after it was sent. */
const kinds: Record<Kind, string> = {
  lost: "The parcel was lost",
  returned: "The parcel came back",
  wrong: "Another thing was in it",
  damaged: "It arrived damaged",
  short: "Something was missing",
};

/** usualDays is for how long most suppliers take a claim. */
const usualDays = 30;

/** Claims are what is claimed from the supplier of a purchase, and the form that claims more. */
export function Claims({ of: p }: { of: Purchase }) {
  const [open, setOpen] = useState(false);
  const can = p.state === "paid" || p.state === "shipped" || p.state === "delivered";
  return (
    <>
      {p.claims.map((c) => (
        <OneClaim key={c.id} of={c} />
      ))}
      {open ? (
        <NewClaim of={p} onClose={() => setOpen(false)} />
      ) : (
        can && (
          <p className="mt-1">
            <Button tone="quiet" onClick={() => setOpen(true)}>
              Something went wrong…
            </Button>
          </p>
        )
      )}
    </>
  );
}

function NewClaim({ of: p, onClose }: { of: Purchase; onClose: () => void }) {
  const client = useQueryClient();
  const say = useSay();
  const [kind, setKind] = useState<Kind>("lost");
  const [words, setWords] = useState("");
  const [again, setAgain] = useState(true);
  const [due, setDue] = useState(() => new Date(Date.now() + usualDays * 86_400_000).toISOString().slice(0, 10));
  const claim = useMutation<Order, Problem>({
    mutationFn: () =>
      ask(
        api.POST("/api/purchases/{id}/claims", {
          params: { path: { id: p.id } },
          body: { kind, words, due_on: due, buy_again: again },
        }),
      ),
    onSuccess: () => {
      say(again ? "The claim is noted, and the order waits to be bought again." : "The claim is noted.");
      onClose();
    },
    onSettled: () => refresh(client, "orders", "header"),
  });
  return (
    <form
      className="mt-2 space-y-2"
      onSubmit={(e) => {
        e.preventDefault();
        claim.mutate();
      }}
    >
      <Radios
        label="What went wrong"
        ways={Object.entries(kinds) as [Kind, string][]}
        value={kind}
        onChange={setKind}
      />
      <Field label="What the customer says" value={words} maxLength={500} onChange={(e) => setWords(e.target.value)} />
      <Field
        label={`The last day on which ${p.supplier} takes a claim`}
        type="date"
        value={due}
        error={claim.error?.field === "due_on" ? claim.error.message : undefined}
        onChange={(e) => setDue(e.target.value)}
      />
      <Check checked={again} onChange={setAgain}>
        Buy it again
      </Check>
      {claim.error && !claim.error.field && (
        <p className="text-loss" role="alert">
          {claim.error.message}
        </p>
      )}
      <p className="flex gap-2">
        <Button tone="main" type="submit" ready={!claim.isPending}>
          Save the claim
        </Button>
        <Button onClick={onClose}>Cancel</Button>
      </p>
    </form>
  );
}

function OneClaim({ of: c }: { of: Claim }) {
  const client = useQueryClient();
  const say = useSay();
  const [typed, setTyped] = useState<string>();
  const settle = useMutation<Order, Problem, string>({
    mutationFn: (recovered) =>
      ask(
        api.POST("/api/claims/{id}/settle", { params: { path: { id: c.id } }, body: recovered ? { recovered } : {} }),
      ),
    onSuccess: (_, recovered) => say(recovered ? "The claim is settled." : "The claim is written off."),
    onError: (error) => !error.field && say(error.message, true),
    onSettled: () => refresh(client, "orders", "header"),
  });
  const { may } = useSession();
  const currency = c.recovered?.currency ?? "";
  const value = checked(typed ?? "", { currency });
  return (
    <div className="mt-1 text-sm">
      <p className={c.state === "open" ? "font-semibold text-loss" : ""}>
        {kinds[c.kind as Kind]}
        {c.words && `: “${c.words}”`}
      </p>
      <p className="text-ink-2">
        {c.state === "open" ? (
          `to be claimed by ${c.due_on}`
        ) : c.state === "settled" ? (
          <>the supplier gave back {c.recovered ? <Money of={c.recovered} /> : "something"}</>
        ) : (
          "written off"
        )}
        , noted by {c.opened_by}
      </p>
      {c.state === "open" && typed === undefined && may("fulfiller") && (
        <p className="mt-1 flex flex-wrap gap-1">
          <Button onClick={() => setTyped("")}>The supplier paid…</Button>
          <Button tone="quiet" onClick={() => settle.mutate("")} ready={!settle.isPending}>
            Write it off
          </Button>
        </p>
      )}
      {c.state === "open" && typed !== undefined && (
        <form
          className="mt-1 space-y-2"
          onSubmit={(e) => {
            e.preventDefault();
            if (value.value) settle.mutate(value.value);
          }}
        >
          <Field
            label={`What the supplier gave back, in ${currency}`}
            autoFocus
            number={{ currency }}
            value={typed}
            error={settle.error?.field === "recovered" ? settle.error.message : undefined}
            onChange={(e) => setTyped(e.target.value)}
          />
          <p className="flex gap-2">
            <Button tone="main" type="submit" ready={!settle.isPending && !!value.value}>
              Settle the claim
            </Button>
            <Button onClick={() => setTyped(undefined)}>Cancel</Button>
          </p>
        </form>
      )}
    </div>
  );
}
