import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { type Amount, api, ask, type Problem, type Schemas } from "../api/client";
import { refresh } from "../api/refresh";
import { useSession } from "../frame/session";
import { Choice, Clause, TypedChoice } from "../parts/clause";
import { Button, Dialog } from "../parts/controls";
import { moneyText } from "../parts/money";
import { Check } from "../parts/radios";
import { useSay } from "../parts/toast";

type Rule = Schemas["OrdersAutoBuy"];

/** AutoBuy says in a sentence which orders of a store are bought without a person, and when. */
export function AutoBuy({ onClose }: { onClose: () => void }) {
  const { stores, store } = useSession();
  const [id, setID] = useState(store?.id ?? stores[0]?.id ?? 0);
  const chosen = stores.find((s) => s.id === id);
  const rule = useQuery({
    queryKey: ["orders", "auto-buy", id],
    queryFn: () => ask(api.GET("/api/stores/{id}/auto-buy", { params: { path: { id } } })),
    gcTime: 0,
  });
  return (
    <Dialog open onClose={onClose} size="wide" title="Automatic buying">
      {stores.length > 1 && chosen && (
        <p className="mb-2">
          In{" "}
          <Clause label="Store" words={chosen.name}>
            {(close) =>
              stores.map((s) => (
                <Choice
                  key={s.id}
                  chosen={s.id === id}
                  onChoose={() => {
                    setID(s.id);
                    close();
                  }}
                >
                  {s.name}
                </Choice>
              ))
            }
          </Clause>
        </p>
      )}
      {rule.error && (
        <p className="text-loss" role="alert">
          {(rule.error as Problem).message}
        </p>
      )}
      {rule.data && chosen && (
        <Sentence key={id} store={id} currency={chosen.currency} start={rule.data} onClose={onClose} />
      )}
    </Dialog>
  );
}

function Sentence({
  store,
  currency,
  start,
  onClose,
}: {
  store: number;
  currency: string;
  start: Schemas["OrdersAutoBuyView"];
  onClose: () => void;
}) {
  const { may } = useSession();
  const client = useQueryClient();
  const say = useSay();
  const [rule, setRule] = useState<Rule>({
    enabled: start.enabled,
    under: start.under,
    least_profit: start.least_profit,
    within_promise: start.within_promise,
    daily_limit: start.daily_limit,
    times: start.times,
  });
  const save = useMutation<unknown, Problem, Rule>({
    mutationFn: (body) => ask(api.PUT("/api/stores/{id}/auto-buy", { params: { path: { id: store } }, body })),
    onSuccess: (_, body) => {
      say(body.enabled ? "Orders that keep to this are bought at these times." : "Automatic buying is off.");
      onClose();
    },
    onSettled: () => refresh(client, "orders"),
  });
  const change = (part: Partial<Rule>) => setRule({ ...rule, ...part });
  const money = (a: Amount) => moneyText(a, currency);
  return (
    <>
      <p className="max-w-[70ch] text-lg leading-9">
        Buy orders{" "}
        <Sum
          label="What the customer paid"
          words={rule.under ? `under ${money(rule.under)}` : "of any sum"}
          none="of any sum"
          currency={currency}
          value={rule.under}
          onChange={(under) => change({ under })}
        />{" "}
        whose address is complete, with a profit of at least{" "}
        <Sum
          label="Least profit"
          words={money(rule.least_profit)}
          currency={currency}
          value={rule.least_profit}
          onChange={(least) => change({ least_profit: least ?? { value: "0", currency } })}
        />
        ,{" "}
        <Clause
          label="Delivery"
          words={rule.within_promise ? "arriving within the promise" : "however late they arrive"}
        >
          {(close) =>
            [true, false].map((within) => (
              <Choice
                key={String(within)}
                chosen={rule.within_promise === within}
                onChoose={() => {
                  change({ within_promise: within });
                  close();
                }}
              >
                {within ? "arriving within the promise" : "however late they arrive"}
              </Choice>
            ))
          }
        </Clause>
        , <Times times={rule.times} zone={start.time_zone} onChange={(times) => change({ times })} />, for{" "}
        <Sum
          label="Daily limit"
          words={rule.daily_limit ? `at most ${money(rule.daily_limit)} a day` : "any sum a day"}
          none="any sum a day"
          currency={currency}
          value={rule.daily_limit}
          onChange={(daily) => change({ daily_limit: daily })}
        />
        .
      </p>
      <p className="mt-2 max-w-[70ch] text-ink-2">
        All others wait for a person, and say why. Suppliers are paid by a person.
        {start.changed_by && ` Changed last by ${start.changed_by}.`}
      </p>
      <p className="mt-3">
        <Check checked={rule.enabled} onChange={(enabled) => change({ enabled })}>
          Buy without a person
        </Check>
      </p>
      {save.error && (
        <p className="mt-2 text-loss" role="alert">
          {save.error.message}
        </p>
      )}
      <p className="mt-5 flex justify-end gap-2">
        <Button onClick={onClose}>Cancel</Button>
        <Button tone="main" onClick={() => save.mutate(rule)} ready={!save.isPending && may("owner")}>
          {may("owner") ? "Save the rule" : "An owner can save it"}
        </Button>
      </p>
    </>
  );
}

/** Sum is an amount within the sentence, or none where there may be none. */
function Sum({
  label,
  words,
  none,
  currency,
  value,
  onChange,
}: {
  label: string;
  words: string;
  none?: string;
  currency: string;
  value: Amount | undefined;
  onChange: (value: Amount | undefined) => void;
}) {
  return (
    <Clause label={label} words={words} empty={!value}>
      {(close) => (
        <>
          {none && (
            <Choice
              chosen={!value}
              onChoose={() => {
                onChange(undefined);
                close();
              }}
            >
              {none}
            </Choice>
          )}
          <TypedChoice
            label={label}
            initial={value?.value ?? ""}
            suffix={currency}
            bounds={{ least: 0, currency }}
            onDone={(text) => {
              if (text) onChange({ value: text, currency });
              close();
            }}
          />
        </>
      )}
    </Clause>
  );
}

/** Times are those of the day at which orders are bought, each an hour or a half. */
function Times({ times, zone, onChange }: { times: string[]; zone: string; onChange: (times: string[]) => void }) {
  const words = times.length === 0 ? "at no time yet" : `at ${times.join(" and ")}`;
  const all = Array.from({ length: 48 }, (_, i) => `${String(i >> 1).padStart(2, "0")}:${i % 2 ? "30" : "00"}`);
  return (
    <Clause label={`Times of the day in ${zone}`} words={words} empty={times.length === 0}>
      {() =>
        all.map((t) => (
          <Choice
            key={t}
            chosen={times.includes(t)}
            onChoose={() => onChange(times.includes(t) ? times.filter((x) => x !== t) : [...times, t].sort())}
          >
            {t}
          </Choice>
        ))
      }
    </Clause>
  );
}
