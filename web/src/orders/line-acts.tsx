import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, ask, type Problem, type Schemas } from "../api/client";
import { refresh } from "../api/refresh";
import { useSession } from "../frame/session";
import { Choice, Clause } from "../parts/clause";
import { Button } from "../parts/controls";
import { Money } from "../parts/money";
import { useSay } from "../parts/toast";

type Input = Schemas["OrdersLineInput"];

/** LineActs say how a line is bought: from another supplier for this order alone, or not at all. */
export function LineActs({
  line,
}: {
  line: { id: number; title: string; elsewhere?: boolean; left_out?: boolean; linked: boolean };
}) {
  const client = useQueryClient();
  const { may } = useSession();
  const say = useSay();
  const set = useMutation<unknown, Problem, Input>({
    mutationFn: (body) => ask(api.PUT("/api/orders/lines/{id}", { params: { path: { id: line.id } }, body })),
    onError: (error) => say(error.message, true),
    onSettled: () => refresh(client, "orders", "look", "header"),
  });
  if (line.left_out)
    return (
      <Button onClick={() => set.mutate({})} ready={!set.isPending}>
        Buy it after all
      </Button>
    );
  return (
    <>
      {line.linked && may("fulfiller") && (
        <Clause label={`Another supplier of ${line.title}`} words="another supplier" empty width="w-96">
          {(close) => (
            <Suppliers
              line={line.id}
              onChoose={(id) => {
                set.mutate({ offer_variant_id: id });
                close();
              }}
            />
          )}
        </Clause>
      )}
      {line.elsewhere && (
        <Button tone="quiet" onClick={() => set.mutate({})} ready={!set.isPending}>
          Back to its own supplier
        </Button>
      )}
      <Button tone="quiet" onClick={() => set.mutate({ left_out: true })} ready={!set.isPending}>
        Do not buy it
      </Button>
    </>
  );
}

/** Suppliers are those that have the same item, as it comes to for a line, the cheapest first. */
function Suppliers({ line, onChoose }: { line: number; onChoose: (offerVariant: number) => void }) {
  const { data, error } = useQuery<Schemas["OrdersOtherSupplier"][], Problem>({
    queryKey: ["orders", "suppliers", line],
    queryFn: ({ signal }) =>
      ask(api.GET("/api/orders/lines/{id}/suppliers", { params: { path: { id: line } }, signal })),
    retry: false,
    gcTime: 0,
  });
  if (error)
    return (
      <p className="p-1.5 text-loss" role="alert">
        {error.message}
      </p>
    );
  if (!data)
    return (
      <p className="p-1.5 text-ink-2" role="status">
        looking for the same item…
      </p>
    );
  if (data.length === 0)
    return <p className="p-1.5 text-ink-2">No other supplier has it and delivers to this customer.</p>;
  return data.map((o) => (
    <Choice key={o.offer_variant_id} chosen={false} onChoose={() => onChoose(o.offer_variant_id)}>
      <span className="block">
        <b>{o.supplier}</b> at {o.source}: {o.cost && <Money of={o.cost} />} landed
        {o.dearer && (
          <>
            , <Money of={o.dearer} signed /> than now
          </>
        )}
      </span>
      <span className="block text-sm text-ink-2">
        {o.variant || "Default"}, {o.stock} in stock, by {o.service}, {o.days.min} to {o.days.max} days
        {!o.keeps && <span className="text-loss"> later than promised</span>}
      </span>
    </Choice>
  ));
}
