import type { ReactNode } from "react";
import type { Rule, Schemas } from "../api/client";
import { Choice, Clause } from "../parts/clause";
import { countryName } from "../parts/countries";
import { moneyText } from "../parts/money";
import { FormulaPanel } from "./formula";
import { CeilingPanel, EndingPanel, ManyPanel, Numbers, WasPanel } from "./panels";
import {
  amount,
  type Conditions,
  ceilingWords,
  conditionNames,
  endingWords,
  formulaWords,
  percentText,
  plain,
  rangeWords,
  toPercent,
  wasWords,
} from "./words";

type Choices = Schemas["PricingRuleChoices"];

/** RuleSentence is a rule that reads aloud; each underlined word opens its choices. */
export function RuleSentence({
  rule,
  place,
  last,
  choices,
  currency,
  onChange,
}: {
  rule: Rule;
  place: number;
  last: boolean;
  choices: Choices | undefined;
  currency: string;
  onChange: (rule: Rule) => void;
}) {
  const set = (part: Partial<Rule>) => onChange({ ...rule, ...part });
  const named = (what: string) => `${what}, rule ${place + 1}`;
  const floor = rule.floor;
  return (
    <p>
      {last ? (
        "Everything else: "
      ) : (
        <ConditionWords
          rule={rule}
          named={named}
          choices={choices}
          currency={currency}
          onChange={(conditions) => set({ conditions })}
        />
      )}
      <Clause label={named("Formula")} words={formulaWords(rule)} width="w-[26rem]">
        {(close) => (
          <FormulaPanel
            rule={rule}
            currency={currency}
            last={last}
            onDone={(formula) => {
              set({ formula });
              close();
            }}
          />
        )}
      </Clause>
      , keep at least{" "}
      <Clause label={named("Least profit")} words={moneyText(floor.least_profit, currency)}>
        {(close) => (
          <Numbers
            fields={[{ label: "Least profit", initial: floor.least_profit.value, suffix: currency }]}
            onDone={([text]) => {
              set({ floor: { ...floor, least_profit: amount(text ?? "", currency) } });
              close();
            }}
          />
        )}
      </Clause>{" "}
      and{" "}
      <Clause
        label={named("Least margin")}
        words={Number(floor.least_margin) > 0 ? percentText(floor.least_margin) : "any margin"}
        empty={Number(floor.least_margin) === 0}
      >
        {(close) => (
          <Numbers
            fields={[{ label: "Least margin", initial: toPercent(floor.least_margin), suffix: "% of the net price" }]}
            onDone={([text]) => {
              set({ floor: { ...floor, least_margin: String(Number(plain(text ?? "")) / 100) } });
              close();
            }}
          />
        )}
      </Clause>
      , end in{" "}
      <Clause label={named("Ending")} words={endingWords(rule.ending)} empty={rule.ending.allowed.length === 0}>
        {() => (
          <EndingPanel ending={rule.ending} offered={choices?.endings ?? []} onChange={(ending) => set({ ending })} />
        )}
      </Clause>
      ,{" "}
      <Clause
        label={named("Ceiling")}
        words={ceilingWords(rule.ceiling)}
        empty={!rule.ceiling.list && Number(rule.ceiling.market) === 0}
        width="w-72"
      >
        {() => <CeilingPanel ceiling={rule.ceiling} onChange={(ceiling) => set({ ceiling })} />}
      </Clause>
      , was price{" "}
      <Clause label={named("Was price")} words={wasWords(rule.was)} empty={rule.was.kind === "none"} width="w-72">
        {() => (
          <WasPanel
            was={rule.was}
            usual={rule.ending}
            offered={choices?.endings ?? []}
            onChange={(was) => set({ was })}
          />
        )}
      </Clause>
      .
    </p>
  );
}

const shownNames = (list: string[], key: string) => {
  const names = key === "ships_from" ? list.map(countryName) : list;
  return names.length > 3 ? `${names.slice(0, 2).join(", ")} or ${names.length - 2} more` : names.join(" or ");
};

function ConditionWords({
  rule,
  named,
  choices,
  currency,
  onChange,
}: {
  rule: Rule;
  named: (what: string) => string;
  choices: Choices | undefined;
  currency: string;
  onChange: (c: Conditions) => void;
}) {
  const c = rule.conditions;
  const set = (part: Partial<Conditions>) => {
    const next = { ...c, ...part };
    for (const [key, value] of Object.entries(next))
      if (!value || (Array.isArray(value) && value.length === 0)) delete next[key as keyof Conditions];
    onChange(next);
  };
  const offered = (key: string) => (choices?.[key as keyof Choices] ?? []) as string[];
  const words: ReactNode[] = [];
  for (const { key, prefix, name } of conditionNames) {
    const list = (c[key] ?? []) as string[];
    if (list.length === 0) continue;
    words.push(
      <span key={key}>
        {prefix}{" "}
        <Clause label={named(name)} words={shownNames(list, key)}>
          {() => (
            <ManyPanel
              what={name}
              chosen={list}
              offered={offered(key)}
              show={key === "ships_from" ? countryName : undefined}
              onChange={(next) => set({ [key]: next })}
            />
          )}
        </Clause>{" "}
      </span>,
    );
  }
  const range = rangeWords(c, currency);
  return (
    <>
      For offers {words}
      {range && (
        <>
          landed at{" "}
          <Clause label={named("Cost range")} words={range}>
            {(close) => (
              <RangePanel
                conditions={c}
                currency={currency}
                onDone={(part) => {
                  set(part);
                  close();
                }}
              />
            )}
          </Clause>{" "}
        </>
      )}
      <Clause
        label={named("Another condition")}
        words={words.length + (range ? 1 : 0) === 0 ? "of any kind" : "and…"}
        empty
        width="w-72"
      >
        {(close) => <MorePanel conditions={c} offered={offered} currency={currency} onChange={set} close={close} />}
      </Clause>
      :{" "}
    </>
  );
}

function RangePanel({
  conditions: c,
  currency,
  onDone,
}: {
  conditions: Conditions;
  currency: string;
  onDone: (part: Partial<Conditions>) => void;
}) {
  const bound = (text: string | undefined) =>
    Number(plain(text ?? "")) > 0 ? amount(text ?? "", currency) : undefined;
  return (
    <Numbers
      fields={[
        { label: "Landed cost from", initial: c.from?.value ?? "", suffix: currency },
        { label: "to under", initial: c.under?.value ?? "", suffix: `${currency}; empty is no end` },
      ]}
      onDone={([from, under]) => onDone({ from: bound(from), under: bound(under) } as Partial<Conditions>)}
    />
  );
}

function MorePanel({
  conditions,
  offered,
  currency,
  onChange,
  close,
}: {
  conditions: Conditions;
  offered: (key: string) => string[];
  currency: string;
  onChange: (part: Partial<Conditions>) => void;
  close: () => void;
}) {
  const free = conditionNames.filter(({ key }) => ((conditions[key] ?? []) as string[]).length === 0);
  return (
    <>
      {free.map(({ key, name }) => (
        <details key={key} className="border-b border-line last:border-0">
          <summary className="min-h-7 cursor-pointer rounded px-2 py-1 hover:bg-sunk">
            {name} <span className="text-sm text-ink-2">{offered(key).length || "none yet"}</span>
          </summary>
          <ManyPanel
            what={name}
            chosen={[]}
            offered={offered(key)}
            show={key === "ships_from" ? countryName : undefined}
            onChange={(next) => {
              onChange({ [key]: next });
              close();
            }}
          />
        </details>
      ))}
      {!conditions.from && !conditions.under && (
        <details>
          <summary className="min-h-7 cursor-pointer rounded px-2 py-1 hover:bg-sunk">cost range</summary>
          <RangePanel
            conditions={conditions}
            currency={currency}
            onDone={(part) => {
              onChange(part);
              close();
            }}
          />
        </details>
      )}
      {free.length < conditionNames.length && (
        <Choice
          chosen={false}
          onChoose={() => {
            onChange(Object.fromEntries(conditionNames.map(({ key }) => [key, []])));
            close();
          }}
        >
          take all conditions away
        </Choice>
      )}
    </>
  );
}
