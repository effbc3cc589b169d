import { type RefObject, useEffect, useState } from "react";
import type { Schemas } from "../api/client";
import { useSession } from "../frame/session";
import { Choice, Clause, TypedChoice } from "../parts/clause";
import { countryName } from "../parts/countries";
import { moneyText } from "../parts/money";
import { type Question, type Sort, sorts } from "./question";

type Found = Schemas["CatalogFound"];

/** Sentence is the catalog's question in words that can each be changed. */
export function Sentence({
  question,
  change,
  found,
  sources,
  searchRef,
}: {
  question: Question;
  change: (part: Partial<Question>) => void;
  found: Found | undefined;
  sources: Schemas["SourcesSource"][];
  searchRef: RefObject<HTMLInputElement | null>;
}) {
  const { store } = useSession();
  const [words, setWords] = useState(question.words);
  useEffect(() => setWords(question.words), [question.words]);
  const choices = found?.choices;
  const sourceName = (id: number) => sources.find((s) => s.id === id)?.name ?? "a source";
  const toggle = <T,>(list: T[], one: T) => (list.includes(one) ? list.filter((x) => x !== one) : [...list, one]);
  const amount = (value: string) => (store ? moneyText({ value, currency: store.currency }, store.currency) : value);
  const instead = Object.entries(found?.instead ?? {});
  return (
    <search className="block border-b border-line bg-surface px-4 py-2.5 text-lg leading-8" aria-label="The catalog's sentence">
      Find{" "}
      <input
        ref={searchRef}
        value={words}
        onChange={(e) => {
          setWords(e.target.value);
          change({ words: e.target.value });
        }}
        onKeyDown={(e) => (e.key === "Escape" || e.key === "Enter") && e.currentTarget.blur()}
        placeholder="anything"
        aria-label="Words"
        size={Math.max(10, words.length + 1)}
        className="rounded-t border-b-[1.5px] border-beak bg-beak-wash px-2 font-semibold placeholder:font-normal placeholder:text-ink-2"
      />{" "}
      in{" "}
      <Clause label="Category" words={question.category || "any category"} empty={!question.category}>
        {(close) =>
          [
            ["", "any category"] as const,
            ...Object.keys(choices?.category ?? {})
              .sort()
              .map((c) => [c, c] as const),
          ].map(([value, name]) => (
            <Choice
              key={value}
              chosen={question.category === value}
              count={value ? choices?.category[value] : undefined}
              onChoose={() => {
                change({ category: value });
                close();
              }}
            >
              {name}
            </Choice>
          ))
        }
      </Clause>{" "}
      from{" "}
      <Clause label="Source" words={question.source.map(sourceName).join(" or ") || "any source"} empty={question.source.length === 0}>
        {() =>
          sources.map((s) => (
            <Choice
              key={s.id}
              chosen={question.source.includes(s.id)}
              count={choices?.sources[s.id] ?? 0}
              onChoose={() => change({ source: toggle(question.source, s.id) })}
            >
              {s.name}
            </Choice>
          ))
        }
      </Clause>
      , shipped from{" "}
      <Clause label="Ships from" words={question.from.map(countryName).join(" or ") || "anywhere"} empty={question.from.length === 0}>
        {() =>
          Object.keys(choices?.ships_from ?? {})
            .sort((a, b) => countryName(a).localeCompare(countryName(b)))
            .map((code) => (
              <Choice
                key={code}
                chosen={question.from.includes(code)}
                count={choices?.ships_from[code] ?? 0}
                onChoose={() => change({ from: toggle(question.from, code) })}
              >
                {countryName(code)}
              </Choice>
            ))
        }
      </Clause>
      {store && (
        <>
          {" "}
          to <span className="font-semibold">{countryName(found?.market ?? store.markets[0] ?? "")}</span> within{" "}
          <Clause label="Days to the door" words={question.days ? `${question.days} days` : "any time"} empty={!question.days}>
            {(close) => (
              <>
                <Choice
                  chosen={!question.days}
                  onChoose={() => {
                    change({ days: 0 });
                    close();
                  }}
                >
                  any time
                </Choice>
                {choices?.days.map((b) => (
                  <Choice
                    key={b.bound}
                    chosen={question.days === Number(b.bound)}
                    count={b.count}
                    onChoose={() => {
                      change({ days: Number(b.bound) });
                      close();
                    }}
                  >
                    {b.bound} days
                  </Choice>
                ))}
              </>
            )}
          </Clause>
          , landing under{" "}
          <Clause label="Landing under" words={question.under ? amount(question.under) : "any cost"} empty={!question.under}>
            {(close) => (
              <>
                <Choice
                  chosen={!question.under}
                  onChoose={() => {
                    change({ under: "" });
                    close();
                  }}
                >
                  any cost
                </Choice>
                {choices?.under.map((b) => (
                  <Choice
                    key={b.bound}
                    chosen={question.under === b.bound}
                    count={b.count}
                    onChoose={() => {
                      change({ under: b.bound });
                      close();
                    }}
                  >
                    {amount(b.bound)}
                  </Choice>
                ))}
                <TypedChoice
                  label="Landing under"
                  initial={question.under}
                  suffix={store.currency}
                  onDone={(text) => {
                    change({ under: text });
                    close();
                  }}
                />
              </>
            )}
          </Clause>
        </>
      )}
      , with{" "}
      <Clause label="Stock" words={question.stock ? `${question.stock} or more in stock` : "any stock"} empty={!question.stock}>
        {(close) => (
          <>
            <Choice
              chosen={!question.stock}
              onChoose={() => {
                change({ stock: 0 });
                close();
              }}
            >
              any stock
            </Choice>
            {choices?.stock.map((b) => (
              <Choice
                key={b.bound}
                chosen={question.stock === Number(b.bound)}
                count={b.count}
                onChoose={() => {
                  change({ stock: Number(b.bound) });
                  close();
                }}
              >
                {b.bound} or more
              </Choice>
            ))}
          </>
        )}
      </Clause>
      {" — "}
      <Clause label="Sorted" words={sorts[question.sort]}>
        {(close) =>
          (Object.keys(sorts) as Sort[])
            .filter((s) => store || !["profit", "landed", "days"].includes(s))
            .map((s) => (
              <Choice
                key={s}
                chosen={question.sort === s}
                onChoose={() => {
                  change({ sort: s });
                  close();
                }}
              >
                {sorts[s]}
              </Choice>
            ))
        }
      </Clause>{" "}
      first.
      <span className="ml-3 text-sm text-ink-2" aria-live="polite">
        {found ? `${found.total.toLocaleString("en")} offers in ${Math.max(1, Math.round(found.took_ms))} ms` : "…"}
        {instead.map(([asked, used]) => (
          <span key={asked}>
            {" "}
            · nothing says “{asked}”, showing <b>{used}</b>
          </span>
        ))}
      </span>
    </search>
  );
}
