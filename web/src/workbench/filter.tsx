import { useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { useSession } from "../frame/session";
import { Choice, Clause, OneOf, TypedChoice } from "../parts/clause";
import { useField } from "../parts/fields";
import { moneyText } from "../parts/money";
import { useSearchParams } from "../parts/route";
import { sourcesQuery } from "../sources/queries";
import { type DraftFilter, namesQuery, traysQuery } from "./queries";

/** What stands for there being no collection, tag or type. */
const none = "(none)";

const states = {
  ready: "ready to publish",
  stopped: "not ready",
  description: "with a description to mend",
  pictures: "with pictures to mend",
  variants: "with variants to mend",
  price: "with a price to mend",
} as const;

const live = { yes: "live", no: "not live", changed: "live and changed since" } as const;

const spans = { day: "today", week: "this week", month: "this month" } as const;

type Many = "collection" | "tag" | "type" | "supplier";
const many: Record<Many, { before: string; label: string; none: string }> = {
  collection: { before: "in the collection", label: "Collection", none: "no collection" },
  tag: { before: "tagged", label: "Tag", none: "no tag" },
  type: { before: "of the type", label: "Type", none: "no type" },
  supplier: { before: "from", label: "Supplier", none: "" },
};

/** The clauses that the sentence does not show until they are asked for. */
const further = ["collection", "tag", "type", "supplier", "source", "profit_under", "live", "edited"] as const;
type Further = (typeof further)[number];
const furtherLabels: Record<Further, string> = {
  collection: "Collection",
  tag: "Tag",
  type: "Type",
  supplier: "Supplier",
  source: "Source",
  profit_under: "Profit",
  live: "Live in the store",
  edited: "Edited",
};

/** filterOf reads the filter from the address. */
export function filterOf(params: URLSearchParams): DraftFilter {
  const list = (name: string) => {
    const values = params.getAll(name).filter(Boolean);
    return values.length > 0 ? values : undefined;
  };
  const one = <V extends string>(name: string, of: Record<V, unknown>) => {
    const value = params.get(name) as V | null;
    return value && value in of ? value : undefined;
  };
  const filter: DraftFilter = {
    words: params.get("words") || undefined,
    tray: Number(params.get("tray")) || undefined,
    collection: list("collection"),
    tag: list("tag"),
    type: list("type"),
    supplier: list("supplier"),
    source: list("source")
      ?.map(Number)
      .filter((n) => n > 0),
    live: one("live", live),
    state: one("state", states),
    profit_under: params.get("profit_under") || undefined,
    edited: one("edited", spans),
  };
  return Object.fromEntries(Object.entries(filter).filter(([, v]) => v !== undefined)) as DraftFilter;
}

/** asParams is a filter as it stands in an address. */
export function asParams(filter: DraftFilter): URLSearchParams {
  const out = new URLSearchParams();
  for (const [name, value] of Object.entries(filter))
    for (const v of Array.isArray(value) ? value : [value])
      if (v !== undefined && v !== "") out.append(name, String(v));
  return out;
}

/** useDraftFilter keeps the filter in the address. */
export function useDraftFilter() {
  const [params, setParams] = useSearchParams();
  const text = params.toString();
  const filter = useMemo(() => filterOf(new URLSearchParams(text)), [text]);
  const change = useCallback(
    (part: Partial<DraftFilter>) => setParams(asParams({ ...filter, ...part }), { replace: "words" in part }),
    [filter, setParams],
  );
  return { filter, change, search: asParams(filter).toString(), asked: Object.keys(filter).length > 0 };
}

const typingRests = 250; // ms

/** FilterSentence says which drafts are listed, in a sentence of which each word opens a panel. */
export function FilterSentence({
  filter,
  change,
}: {
  filter: DraftFilter;
  change: (part: Partial<DraftFilter>) => void;
}) {
  const { store } = useSession();
  const trays = useQuery(traysQuery).data ?? [];
  const [shown, setShown] = useState<Further[]>([]);
  const [open, setOpen] = useState<Further | "">("");
  const asked = further.filter((f) => filter[f] !== undefined || shown.includes(f));
  const left = further.filter((f) => !asked.includes(f) && (store || (f !== "live" && f !== "profit_under")));
  const tray = filter.tray === -1 ? "no tray" : trays.find((t) => t.id === filter.tray)?.name;
  const ask = (f: Further) => {
    setShown((now) => [...now, f]);
    setOpen(f);
  };
  return (
    <search className="block shrink-0 border-b border-line px-2.5 py-1.5 leading-7" aria-label="Filter drafts">
      <Words key={filter.words === undefined ? "" : "asked"} filter={filter} change={change} /> in{" "}
      <Clause label="Tray" words={tray ?? "any tray"} empty={!tray}>
        {(close) => (
          <>
            {[
              { id: 0, name: "any tray" },
              { id: -1, name: "no tray" },
              ...trays.map((t) => ({ id: t.id, name: t.aside ? `${t.name} (put aside)` : t.name, drafts: t.drafts })),
            ].map((t) => (
              <Choice
                key={t.id}
                chosen={(filter.tray ?? 0) === t.id}
                count={"drafts" in t ? t.drafts : undefined}
                onChoose={() => {
                  change({ tray: t.id || undefined });
                  close();
                }}
              >
                {t.name}
              </Choice>
            ))}
          </>
        )}
      </Clause>
      ,{" "}
      <OneOf
        label="State"
        value={filter.state}
        words={states}
        none="in any state"
        onChange={(state) => change({ state })}
      />
      {asked.map((f) => (
        <FurtherClause
          key={f}
          name={f}
          filter={filter}
          change={change}
          open={open === f}
          onOpen={(yes) => setOpen(yes ? f : "")}
        />
      ))}{" "}
      {left.length > 0 && (
        <Clause label="Add a filter" words="+ filter" empty>
          {(close) => (
            <>
              {left.map((f) => (
                <Choice
                  key={f}
                  chosen={false}
                  onChoose={() => {
                    close();
                    ask(f);
                  }}
                >
                  {furtherLabels[f]}
                </Choice>
              ))}
            </>
          )}
        </Clause>
      )}
    </search>
  );
}

function Words({ filter, change }: { filter: DraftFilter; change: (part: Partial<DraftFilter>) => void }) {
  const [text, setText] = useState(filter.words ?? "");
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined);
  const now = useRef(change);
  now.current = change;
  useEffect(() => () => clearTimeout(timer.current), []);
  return (
    <input
      ref={useField("filter")}
      value={text}
      placeholder="All drafts"
      aria-label="Words in the draft"
      onChange={(e) => {
        const words = e.target.value;
        setText(words);
        clearTimeout(timer.current);
        timer.current = setTimeout(() => now.current({ words: words.trim() || undefined }), typingRests);
      }}
      onKeyDown={(e) => (e.key === "Escape" || e.key === "Enter") && e.currentTarget.blur()}
      size={Math.max(9, text.length + 1)}
      className="max-w-full rounded-t border-b-[1.5px] border-beak bg-beak-wash px-1.5 font-semibold placeholder:font-normal placeholder:text-ink-2"
    />
  );
}

/** FurtherClause is one of the clauses that are not always there. */
function FurtherClause({
  name,
  filter,
  change,
  open,
  onOpen,
}: {
  name: Further;
  filter: DraftFilter;
  change: (part: Partial<DraftFilter>) => void;
  open: boolean;
  onOpen: (open: boolean) => void;
}) {
  const { store } = useSession();
  const names = useQuery(namesQuery).data;
  const sources = useQuery(sourcesQuery).data ?? [];
  if (name === "profit_under") {
    const amount =
      filter.profit_under &&
      store &&
      moneyText({ value: filter.profit_under, currency: store.currency }, store.currency);
    return (
      <>
        , profit under{" "}
        <Clause label="Profit" words={amount || "any amount"} empty={!amount} open={open} onOpen={onOpen}>
          {(close) => (
            <>
              <Choice
                chosen={!filter.profit_under}
                onChoose={() => {
                  change({ profit_under: undefined });
                  close();
                }}
              >
                any amount
              </Choice>
              <TypedChoice
                label="Profit under"
                initial={filter.profit_under ?? ""}
                bounds={{ currency: store?.currency }}
                suffix={`${store?.currency ?? ""} on a sale`}
                onDone={(text) => {
                  change({ profit_under: text || undefined });
                  close();
                }}
              />
            </>
          )}
        </Clause>
      </>
    );
  }
  if (name === "live" || name === "edited") {
    const words: Record<string, string> = name === "live" ? live : spans;
    return (
      <>
        , {name === "edited" && "edited "}
        <OneOf
          label={furtherLabels[name]}
          value={filter[name]}
          words={words}
          none={name === "live" ? "live or not" : "any time"}
          open={open}
          onOpen={onOpen}
          onChange={(value) => change({ [name]: value })}
        />
      </>
    );
  }
  const values = (filter[name] ?? []).map(String);
  const choices =
    name === "source"
      ? sources.map((s) => ({ key: String(s.id), words: s.name, drafts: undefined }))
      : [
          ...(many[name].none ? [{ key: none, words: many[name].none, drafts: undefined }] : []),
          ...(names?.[`${name}s`] ?? []).map((n) => ({ key: n.name, words: n.name, drafts: n.drafts })),
        ];
  const said = values.map((v) => choices.find((c) => c.key === v)?.words ?? v).join(" or ");
  const set = (next: string[]) =>
    change({ [name]: next.length === 0 ? undefined : name === "source" ? next.map(Number) : next });
  return (
    <>
      , {name === "source" ? "from the source" : many[name].before}{" "}
      <Clause label={furtherLabels[name]} words={said || "any"} empty={!said} open={open} onOpen={onOpen}>
        {() => (
          <>
            <Choice chosen={values.length === 0} onChoose={() => set([])}>
              any
            </Choice>
            {choices.map((c) => (
              <Choice
                key={c.key}
                chosen={values.includes(c.key)}
                count={c.drafts}
                onChoose={() => set(values.includes(c.key) ? values.filter((v) => v !== c.key) : [...values, c.key])}
              >
                {c.words}
              </Choice>
            ))}
          </>
        )}
      </Clause>
    </>
  );
}
