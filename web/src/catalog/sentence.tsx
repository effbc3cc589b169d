import { type RefObject, useEffect, useState } from "react";
import type { Schemas } from "../api/client";
import { useSession } from "../frame/session";
import { Choice, Clause, TypedChoice } from "../parts/clause";
import { countryName } from "../parts/countries";
import { Heard } from "../parts/heard";
import { moneyText } from "../parts/money";
import { type ClauseName, clauseNames, clauses, type Saying } from "./clauses";
import { aLink, useLookFor } from "./lookfor";
import { asAddress, pricedSorts, type Question, type Sort, sorts, useChoices } from "./question";
import { SentenceTools } from "./tools";

type Found = Schemas["SearchResult"];

/** Sentence is the catalog's question in words that can each be changed. */
export function Sentence({
  question,
  change,
  settle,
  found,
  current,
  sources,
  searchRef,
}: {
  question: Question;
  change: (part: Partial<Question>) => void;
  /** Has the address follow what was typed. */
  settle: () => void;
  found: Found | undefined;
  /** Whether found is the answer to this question, not to the one before. */
  current: boolean;
  sources: Schemas["SourcesSource"][];
  searchRef: RefObject<HTMLInputElement | null>;
}) {
  const { store, storeId } = useSession();
  const [words, setWords] = useState(question.words);
  const [open, setOpen] = useState<ClauseName | "more" | "sort" | "">("");
  const [like, setLike] = useState("");
  useEffect(() => setWords(question.words), [question.words]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: another panel begins without words
  useEffect(() => setLike(""), [open]);
  const choices = useChoices(question, storeId, like, open === "more" || open === "sort" ? "" : open);
  const how: Saying = {
    amount: (value) => (store ? moneyText({ value, currency: store.currency }, store.currency) : value),
    source: (id) => sources.find((s) => String(s.id) === id)?.name ?? "a source",
  };
  const { byLink } = useLookFor();
  const set = (name: ClauseName, values: string[]) => {
    const next = { ...question.values };
    if (values.length > 0) next[name] = values;
    else delete next[name];
    change({ values: next });
  };
  const usable = clauseNames.filter((name) => store || !clauses[name].priced || question.values[name]);
  const said = usable.filter((name) => clauses[name].always || question.values[name] || open === name);
  const rest = usable.filter((name) => !said.includes(name));
  return (
    <search
      className="block border-b border-line bg-surface px-4 py-2.5 text-lg leading-8"
      aria-label="Search the catalog"
    >
      Find{" "}
      <input
        ref={searchRef}
        value={words}
        onChange={(e) => {
          setWords(e.target.value);
          // A pasted link leads to the offers of what it shows.
          if (aLink(e.target.value)) byLink(e.target.value);
          else change({ words: e.target.value });
        }}
        onBlur={settle}
        onKeyDown={(e) => (e.key === "Escape" || e.key === "Enter") && e.currentTarget.blur()}
        placeholder="anything"
        aria-label="Search"
        size={Math.max(10, words.length + 1)}
        className="rounded-t border-b-[1.5px] border-beak bg-beak-wash px-2 font-semibold placeholder:font-normal placeholder:text-ink-2"
      />
      {said.map((name) => {
        const clause = clauses[name];
        const values = question.values[name] ?? [];
        return (
          <span key={name}>
            {clause.before.startsWith(",") ? "" : " "}
            {name === "days" && store ? (
              <>
                to <span className="font-semibold">{countryName(found?.market ?? store.markets[0] ?? "")}</span>{" "}
              </>
            ) : null}
            {clause.before}{" "}
            <Clause
              label={clause.label}
              words={values.map((v) => clause.say(v, how)).join(" or ") || clause.none}
              empty={values.length === 0}
              open={open === name}
              onOpen={(yes) => setOpen(yes ? name : "")}
            >
              {(close) => (
                <Panel
                  name={name}
                  values={values}
                  set={(v) => set(name, v)}
                  choices={choices?.[name]}
                  how={how}
                  close={close}
                  like={like}
                  setLike={setLike}
                />
              )}
            </Clause>
          </span>
        );
      })}
      {rest.length > 0 && (
        <>
          {" "}
          <Clause
            label="Further clauses"
            words="+ filter"
            empty
            open={open === "more"}
            onOpen={(yes) => setOpen(yes ? "more" : "")}
          >
            {() =>
              rest.map((name) => (
                // The list gives the keyboard back before the clause's own panel takes it.
                <Choice
                  key={name}
                  chosen={false}
                  onChoose={() => {
                    setOpen("");
                    setTimeout(() => setOpen(name), 60);
                  }}
                >
                  {clauses[name].label}
                </Choice>
              ))
            }
          </Clause>
        </>
      )}
      {" — "}
      <SortClause
        now={question.sort}
        open={open === "sort"}
        onOpen={(yes) => setOpen(yes ? "sort" : "")}
        onChoose={(sort) => change({ sort })}
      />{" "}
      first.
      <Answered found={found} onWords={(typed) => change({ words: question.words.replace(typed, `"${typed}"`) })} />
      <SentenceTools
        question={question}
        address={asAddress(question).toString()}
        change={change}
        hidden={current ? found?.hidden : undefined}
      />
    </search>
  );
}

/** Answered says how many there are, and what was made of the words. */
function Answered({ found, onWords }: { found: Found | undefined; onWords: (typed: string) => void }) {
  const count = found ? `${found.total.toLocaleString("en")} offers` : "";
  const made = [
    count,
    ...(found?.corrections ?? []).map(({ typed, used, too }) =>
      too ? `also showing ${used}` : `nothing says ${typed}, showing ${used}`,
    ),
    found && found.ordinary.length > 0 && `without ${found.ordinary.join(", ")}`,
    found && found.unread.length > 0 && `not understood: ${found.unread.join(" ")}`,
  ];
  return (
    <span className="ml-3 inline-block min-w-44 text-sm text-ink-2">
      <Heard words={made.filter(Boolean).join(", ")} />
      {found ? `${count} in ${Math.max(1, Math.round(found.took_ms))} ms` : "…"}
      {found?.corrections.map(({ typed, used, too }) =>
        too ? (
          <span key={typed}>
            {" "}
            · also showing <b>{used}</b>,{" "}
            <button type="button" className="underline underline-offset-2" onClick={() => onWords(typed)}>
              only “{typed}”
            </button>
          </span>
        ) : (
          <span key={typed}>
            {" "}
            · nothing says “{typed}”, showing <b>{used}</b>
          </span>
        ),
      )}
      {found && found.ordinary.length > 0 && <span> · without {found.ordinary.map((w) => `“${w}”`).join(", ")}</span>}
      {found && found.unread.length > 0 && (
        <span className="text-loss"> · not understood: {found.unread.join(" ")}</span>
      )}
    </span>
  );
}

function SortClause({
  now,
  open,
  onOpen,
  onChoose,
}: {
  now: Sort;
  open: boolean;
  onOpen: (open: boolean) => void;
  onChoose: (sort: Sort) => void;
}) {
  const { store } = useSession();
  return (
    <Clause label="Sorted" words={sorts[now]} open={open} onOpen={onOpen}>
      {(close) =>
        (Object.keys(sorts) as Sort[])
          .filter((s) => store || !pricedSorts.includes(s))
          .map((s) => (
            <Choice
              key={s}
              chosen={now === s}
              onChoose={() => {
                onChoose(s);
                close();
              }}
            >
              {sorts[s]}
            </Choice>
          ))
      }
    </Clause>
  );
}

/** Panel holds what a clause could be, with how many offers each would leave. */
function Panel({
  name,
  values,
  set,
  choices,
  how,
  close,
  like,
  setLike,
}: {
  name: ClauseName;
  values: string[];
  set: (values: string[]) => void;
  /** Undefined while they are being counted. */
  choices: Schemas["SearchFacetValue"][] | undefined;
  how: Saying;
  close: () => void;
  like: string;
  setLike: (like: string) => void;
}) {
  const { store } = useSession();
  const clause = clauses[name];
  const done = (next: string[]) => {
    set(next);
    close();
  };
  // What is chosen stays in sight, whatever it would leave.
  const shown = [
    ...(choices ?? []),
    ...values
      .filter((v) => clause.kind !== "number" && clause.kind !== "amount" && !choices?.some((c) => c.value === v))
      .map((value) => ({ value, count: 0 })),
  ];
  const long = name === "supplier" || name === "brand" || name === "category";
  return (
    <>
      {long && (
        <input
          aria-label={`Look for ${clause.label.toLowerCase()}`}
          placeholder="Type to look for it"
          value={like}
          onChange={(e) => setLike(e.target.value)}
          className="mb-1 w-full rounded border border-line-2 bg-surface px-2 py-1"
        />
      )}
      <Choice chosen={values.length === 0} onChoose={() => done([])}>
        {clause.none}
      </Choice>
      {!choices && <p className="px-2 py-1 text-ink-2">Counting…</p>}
      {shown.map(({ value, count }) => {
        const chosen = clause.kind === "yes" ? values.length > 0 : values.includes(value);
        const depth = name === "category" ? value.split(" > ").length - 1 : 0;
        return (
          <Choice
            key={value}
            chosen={chosen}
            count={count}
            onChoose={() => {
              if (clause.kind === "many") set(chosen ? values.filter((v) => v !== value) : [...values, value]);
              else done([value]);
            }}
          >
            <span style={{ paddingLeft: depth * 14 }}>
              {depth > 0 && !like ? value.split(" > ").at(-1) : clause.say(value, how)}
            </span>
          </Choice>
        );
      })}
      {(clause.kind === "number" || clause.kind === "amount") && (
        <TypedChoice
          label={clause.label}
          initial={
            values[0] === undefined
              ? ""
              : String(clause.kind === "amount" ? values[0] : Number(values[0]) / (clause.times ?? 1))
          }
          suffix={clause.unit ?? ""}
          bounds={{
            currency: clause.kind === "amount" ? store?.currency : undefined,
            least: clause.negative ? undefined : 0,
            most: clause.most,
            whole: clause.kind === "number" && !clause.times,
          }}
          onDone={(text) =>
            done(
              text === ""
                ? []
                : [clause.kind === "amount" ? text : String(Math.round(Number(text) * (clause.times ?? 1)))],
            )
          }
        />
      )}
    </>
  );
}
