import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, ask, type Problem, type Rule, type Schemas, type Store } from "../api/client";
import { useSession } from "../frame/session";
import { Choice, Clause, TypedChoice } from "../parts/clause";
import { Button, Notice } from "../parts/controls";
import { useKeys } from "../parts/keys";
import { LadderLegend, PriceLadder } from "../parts/ladder";
import { Money, moneyText, num } from "../parts/money";
import { ago } from "../parts/time";
import { useSay } from "../parts/toast";
import { MarginDots } from "./margins";

type Effect = Schemas["PricingEffect"];

/** Markup edits the rule that prices everything, and shows what a change would do before it is applied. */
export default function Markup() {
  const { store } = useSession();
  const go = useNavigate();
  if (!store)
    return (
      <main className="grow">
        <Notice alone title="Markup belongs to a store">
          <p>Connect a store first: its currency and fees decide what a price leaves.</p>
          <Button tone="main" onClick={() => go("/store")}>
            Connect a store
          </Button>
        </Notice>
      </main>
    );
  return <Rules key={store.id} store={store} />;
}

function Rules({ store }: { store: Store }) {
  const markup = useQuery({ queryKey: ["markup", store.id], queryFn: () => ask(api.GET("/api/stores/{id}/markup", { params: { path: { id: store.id } } })) });
  const rule = markup.data?.rules.at(-1);
  if (!markup.data || !rule)
    return (
      <main className="grow">
        {markup.error && (
          <Notice alone title="The markup cannot be shown" trouble>
            <p>{markup.error.message}</p>
          </Notice>
        )}
      </main>
    );
  return <Editing key={markup.data.revision} store={store} inForce={markup.data} rule={rule} />;
}

function Editing({ store, inForce, rule }: { store: Store; inForce: Schemas["PricingMarkupRules"]; rule: Rule }) {
  const { may } = useSession();
  const [edited, setEdited] = useState(rule);
  const client = useQueryClient();
  const say = useSay();
  const rules = [...inForce.rules.slice(0, -1), edited];
  const changed = JSON.stringify(edited) !== JSON.stringify(rule);
  const effect = useQuery<Effect, Problem>({
    queryKey: ["effect", store.id, inForce.revision, edited],
    queryFn: () => ask(api.POST("/api/stores/{id}/markup/effect", { params: { path: { id: store.id } }, body: { rules } })),
    placeholderData: keepPreviousData,
    staleTime: 0,
  });
  const apply = useMutation<unknown, Problem>({
    mutationFn: () => ask(api.PUT("/api/stores/{id}/markup", { params: { path: { id: store.id } }, body: { rules, revision: inForce.revision } })),
    onSuccess: () => {
      say("Applied. Rule prices follow it; typed prices stay as they are.");
      for (const key of ["markup", "drafts", "draft", "offers", "offer"]) void client.invalidateQueries({ queryKey: [key] });
    },
    onError: (error) => {
      say(error.message, true);
      if (error.status === 409) void client.invalidateQueries({ queryKey: ["markup"] });
    },
  });
  const ready = changed && !effect.error && !effect.isFetching && may("owner");
  useKeys([
    { keys: ["a"], label: "apply", run: () => ready && apply.mutate() },
    { keys: ["Escape"], label: "drop the change", run: () => setEdited(rule) },
  ]);
  return (
    <main className="flex min-h-0 grow flex-col lg:flex-row">
      <section className="min-w-0 grow basis-1/2 overflow-auto border-line bg-surface p-5 lg:border-r" aria-label="Rule">
        <h1 className="text-xl">Markup</h1>
        <p className="mb-4 text-ink-2">
          One rule prices everything in {store.name}, {store.currency}.
          {inForce.updated_by && ` Last applied by ${inForce.updated_by}, ${ago(inForce.updated_at)}.`}
        </p>
        <div className={`rounded-lg border p-4 text-lg leading-9 ${changed ? "border-beak" : "border-line"}`}>
          <RuleSentence rule={edited} store={store} endings={inForce.endings} onChange={setEdited} />
        </div>
        {effect.error && (
          <p className="mt-3 text-loss" role="alert">
            {effect.error.message}
          </p>
        )}
        <div className="mt-4 flex gap-2">
          {may("owner") && (
            <Button tone="main" onClick={() => apply.mutate()} disabled={!ready || apply.isPending}>
              {changed ? "Apply" : "In force"}
            </Button>
          )}
          {changed && <Button onClick={() => setEdited(rule)}>Drop the change</Button>}
        </div>
        <h2 className="mt-8 mb-1 text-lg">What each sale gives up</h2>
        <p className="leading-7">
          Payment <b>{percentText(store.terms.payment_percent)}</b> and <b>{moneyText(store.terms.payment_fixed, store.currency)}</b>; returns allowance{" "}
          <b>{percentText(store.terms.returns)}</b>; prices shown{" "}
          <b>{Number(store.terms.tax) > 0 ? `with ${percentText(store.terms.tax)} tax` : "without tax"}</b>. Prices assume the cheapest delivery that keeps{" "}
          <b>{store.promise_days} days</b>.
        </p>
      </section>
      <section className="min-w-0 grow basis-1/2 overflow-auto p-5" aria-label="Effect">
        <h2 className="mb-1 text-xl">{changed ? "If you apply this" : "How the drafts stand"}</h2>
        {effect.data && <EffectView effect={effect.data} changed={changed} />}
      </section>
    </main>
  );
}

const percentText = (ratio: string) => `${Number((Number(ratio) * 100).toFixed(4))} %`;

function RuleSentence({ rule, store, endings, onChange }: { rule: Rule; store: Store; endings: string[]; onChange: (rule: Rule) => void }) {
  const { kind, ratio } = rule.formula;
  const multiple = kind === "multiple";
  const words = multiple ? `${Number(ratio)} × landed` : `landed plus ${percentText(ratio)}`;
  const setRatio = (text: string) => {
    const typed = Number(text.replace(",", ".").replace("%", ""));
    onChange({ ...rule, formula: { kind, ratio: Number.isFinite(typed) ? String(Number((multiple ? typed : typed / 100).toFixed(6))) : text } });
  };
  return (
    <p>
      Everything:{" "}
      <Clause label="Formula" words={words}>
        {(close) => (
          <>
            <Choice
              chosen={multiple}
              onChoose={() =>
                onChange({ ...rule, formula: multiple ? rule.formula : { kind: "multiple", ratio: String(Number((1 + Number(ratio)).toFixed(6))) } })
              }
            >
              a multiple of landed
            </Choice>
            <Choice
              chosen={!multiple}
              onChoose={() =>
                onChange({ ...rule, formula: multiple ? { kind: "percent", ratio: String(Number((Number(ratio) - 1).toFixed(6))) } : rule.formula })
              }
            >
              landed plus a percent
            </Choice>
            <TypedChoice
              key={kind}
              label={multiple ? "Multiple" : "Percent"}
              initial={multiple ? String(Number(ratio)) : percentText(ratio).replace(" %", "")}
              suffix={multiple ? "times" : "%"}
              onDone={(text) => {
                setRatio(text);
                close();
              }}
            />
          </>
        )}
      </Clause>
      , keep at least{" "}
      <Clause label="Least profit" words={moneyText(rule.least_profit, store.currency)}>
        {(close) => (
          <TypedChoice
            label="Least profit"
            initial={rule.least_profit.value}
            suffix={store.currency}
            onDone={(text) => {
              onChange({ ...rule, least_profit: { value: text.replace(",", "."), currency: store.currency } });
              close();
            }}
          />
        )}
      </Clause>
      , end in{" "}
      <Clause label="Ending" words={endingName(rule.ending)}>
        {(close) =>
          endings.map((ending) => (
            <Choice
              key={ending}
              chosen={rule.ending === ending}
              onChoose={() => {
                onChange({ ...rule, ending });
                close();
              }}
            >
              {endingName(ending)}
            </Choice>
          ))
        }
      </Clause>
      .
    </p>
  );
}

function endingName(ending: string): string {
  return ending === "none" ? "whatever comes out" : ending === "tens" ? "whole tens" : ending;
}

function EffectView({ effect, changed }: { effect: Effect; changed: boolean }) {
  if (effect.variants === 0)
    return <p className="text-ink-2">There is no draft in the Workbench yet. Take an offer there and its price moves here as you edit.</p>;
  const figures: [number, string, boolean][] = [
    [effect.rise, effect.rise === 1 ? "price rises" : "prices rise", false],
    [effect.fall, effect.fall === 1 ? "price falls" : "prices fall", false],
    [effect.raised_to_floor, "raised to the least profit", false],
    [effect.typed, "typed, stay as they are", false],
    [effect.lose, "would lose money", effect.lose > 0],
    ...(effect.unpriced > 0 ? [[effect.unpriced, "cannot be priced", true] as [number, string, boolean]] : []),
  ];
  const top = Math.max(...effect.moves.map((m) => num(m.then.price)), 1);
  return (
    <>
      <p className="mb-3 text-ink-2">{effect.variants} variants of drafts in the Workbench</p>
      <dl className="mb-4 flex flex-wrap gap-x-7 gap-y-3">
        {figures.map(([n, words, bad]) => (
          <div key={words}>
            <dd className={`font-head text-2xl font-semibold ${bad ? "text-loss" : ""}`}>{n}</dd>
            <dt className="text-sm text-ink-2">{words}</dt>
          </div>
        ))}
      </dl>
      <MarginDots before={effect.before} after={effect.after} changed={changed} />
      {effect.moves.length > 0 && (
        <>
          <div className="mt-4 mb-1 flex items-center justify-between">
            <h3 className="text-lg">Largest moves</h3>
            <LadderLegend />
          </div>
          <table className="w-full text-left">
            <thead className="text-sm text-ink-2">
              <tr>
                <th className="py-1 font-normal">Draft</th>
                <th className="text-right font-normal">Lands</th>
                <th className="text-right font-normal">Now</th>
                <th className="pr-3 text-right font-normal">Then</th>
                <th className="font-normal">Ladder</th>
                <th className="text-right font-normal">Profit</th>
              </tr>
            </thead>
            <tbody>
              {effect.moves.map((m) => (
                <tr key={m.draft_id} className="border-t border-line">
                  <td className="max-w-44 py-1" title={`${m.title} ${m.variant}`}>
                    <span className="block truncate">{m.title}</span>
                    <span className="block truncate text-sm text-ink-2">
                      {m.variant}
                      {m.others > 0 && ` and ${m.others} more`}
                    </span>
                  </td>
                  <td className="text-right">
                    <Money of={m.then.landed} />
                  </td>
                  <td className="text-right">
                    <Money of={m.now} />
                  </td>
                  <td className="pr-3 text-right font-semibold">
                    <Money of={m.then.price} />
                  </td>
                  <td>
                    <PriceLadder ladder={m.then} top={top} width={130} />
                  </td>
                  <td className="text-right">
                    <Money of={m.then.profit} signed />
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
    </>
  );
}
