import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Problem, type Schemas } from "../api/client";
import { refresh } from "../api/refresh";
import { useSession } from "../frame/session";
import { Clause } from "../parts/clause";
import { Button, Tick } from "../parts/controls";
import { Field } from "../parts/field";
import { Heard } from "../parts/heard";
import { readNumber } from "../parts/number";
import { Link, useSearchParams } from "../parts/route";
import { useSay } from "../parts/toast";
import { savedSearchesQuery, standardQuery } from "./queries";
import type { Question } from "./question";
import { SynonymList } from "./synonyms";

type Standard = Schemas["SearchStandard"];

/** SentenceTools stand under the sentence: the seller's own standard, sentences kept, the answer as a file. */
export function SentenceTools({
  question,
  address,
  change,
  hidden,
}: {
  question: Question;
  address: string;
  change: (part: Partial<Question>) => void;
  hidden: number | undefined;
}) {
  const { store, storeId } = useSession();
  const file = new URLSearchParams(address);
  if (storeId) file.set("store", String(storeId));
  const hides = question.standard && hidden !== undefined ? `hides ${hidden.toLocaleString("en")}` : "";
  return (
    <div className="flex flex-wrap items-center gap-x-5 text-sm leading-7">
      {store && (
        <span className="flex items-center gap-1.5">
          <Tick
            checked={question.standard}
            onChange={() => change({ standard: !question.standard })}
            label="Hide what misses my standard"
          />
          <OwnStandard /> <span>{hides}</span>
          <Heard words={hides} />
        </span>
      )}
      {store && (
        <span className="flex items-center gap-1.5">
          <Tick
            checked={question.soldOut}
            onChange={() => change({ soldOut: !question.soldOut })}
            label="Price the cheapest variant though it is sold out"
          />
          <span aria-hidden="true">price sold-out variants too</span>
        </span>
      )}
      <SavedSentences address={address} />
      <SynonymList />
      <a
        href={`/api/offers/export?${file}`}
        download
        className="underline decoration-line-2 underline-offset-2 hover:decoration-beak"
      >
        Export CSV
      </a>
      <Link to="/catalog/alternatives" className="underline decoration-line-2 underline-offset-2 hover:decoration-beak">
        by link or picture
      </Link>
    </div>
  );
}

/** saidOf says a standard in words. */
function saidOf(own: Standard | undefined): string {
  if (!own) return "my standard";
  const parts = [
    own.days > 0 && `${own.days} days`,
    own.tracked && "tracked",
    own.rating > 0 && `★ ${(own.rating / 10).toFixed(1)}`,
    own.on_time > 0 && `${own.on_time} % on time`,
  ].filter(Boolean);
  return `my standard: ${parts.join(", ") || "anything"}`;
}

function OwnStandard() {
  const { may } = useSession();
  const own = useQuery(standardQuery);
  const client = useQueryClient();
  const say = useSay();
  const set = useMutation({
    mutationFn: (body: Standard) => ask(api.PUT("/api/standard", { body })),
    onSuccess: (body) => {
      client.setQueryData(standardQuery.queryKey, body);
      void refresh(client, "offers");
    },
    onError: (error) => say(error.message, true),
  });
  if (!own.data || !may("editor")) return <span>{saidOf(own.data)}</span>;
  return (
    <Clause label="My standard" words={saidOf(own.data)}>
      {(close) => (
        <StandardForm
          own={own.data}
          onDone={(body) => {
            set.mutate(body);
            close();
          }}
        />
      )}
    </Clause>
  );
}

function StandardForm({ own, onDone }: { own: Standard; onDone: (own: Standard) => void }) {
  const [days, setDays] = useState(String(own.days));
  const [rating, setRating] = useState((own.rating / 10).toFixed(1));
  const [onTime, setOnTime] = useState(String(own.on_time));
  const [tracked, setTracked] = useState(own.tracked);
  const number = (text: string) => Number(readNumber(text).value ?? Number.NaN);
  const wrong = (text: string, most: number) =>
    number(text) >= 0 && number(text) <= most ? undefined : `From 0, which is any, to ${most}`;
  const troubles = [wrong(days, 365), wrong(rating, 5), wrong(onTime, 100)];
  return (
    <form
      className="space-y-2 p-2 text-base leading-normal"
      onSubmit={(e) => {
        e.preventDefault();
        if (!troubles.some(Boolean))
          onDone({
            days: Math.round(number(days)),
            rating: Math.round(number(rating) * 10),
            on_time: Math.round(number(onTime)),
            tracked,
          });
      }}
    >
      <Field
        label="Days to the door, at most"
        value={days}
        onChange={(e) => setDays(e.target.value)}
        inputMode="numeric"
        error={troubles[0]}
      />
      <Field
        label="Rating, at least"
        value={rating}
        onChange={(e) => setRating(e.target.value)}
        inputMode="decimal"
        error={troubles[1]}
      />
      <Field
        label="On time in percent, at least"
        value={onTime}
        onChange={(e) => setOnTime(e.target.value)}
        inputMode="numeric"
        error={troubles[2]}
      />
      <span className="flex items-center gap-2">
        <Tick checked={tracked} onChange={() => setTracked(!tracked)} label="Tracked delivery only" /> tracked delivery
        only
      </span>
      <Button type="submit" tone="main">
        Set my standard
      </Button>
    </form>
  );
}

function SavedSentences({ address }: { address: string }) {
  const { may, store, stores, chooseStore } = useSession();
  const client = useQueryClient();
  const say = useSay();
  const [, setParams] = useSearchParams();
  const [name, setName] = useState("");
  const saved = useQuery(savedSearchesQuery);
  const again = () => refresh(client, "saved-searches");
  const keep = useMutation({
    mutationFn: (body: Schemas["SearchSaveSearchInput"]) => ask(api.PUT("/api/saved-searches", { body })),
    onSuccess: (one) => {
      say(`Saved as “${one.name}”.`);
      setName("");
      void again();
    },
    onError: (error) => {
      if ((error as Problem).status !== 409) say(error.message, true);
    },
  });
  const taken =
    (keep.error as Problem | null)?.status === 409 && keep.variables?.name === name ? keep.error?.message : undefined;
  const forget = useMutation({
    mutationFn: (one: Schemas["SearchSavedSearch"]) =>
      ask(api.DELETE("/api/saved-searches/{id}", { params: { path: { id: one.id } } })).then(() => one),
    onSuccess: (one) => {
      void again();
      say(`“${one.name}” is deleted.`, false, {
        words: "Undo",
        run: () => keep.mutate({ name: one.name, sentence: one.sentence, currency: one.currency }),
      });
    },
    onError: (error) => say(error.message, true),
  });
  const list = saved.data ?? [];
  const here = list.find((one) => one.sentence === address);
  return (
    <Clause
      label="Saved searches"
      words={here ? `saved as ${here.name}` : `saved searches${list.length > 0 ? ` (${list.length})` : ""}`}
      empty={!here}
      width="w-80"
    >
      {(close) => (
        <>
          {list.length === 0 && (
            <p className="px-2 py-1 text-ink-2">
              None is saved yet. A search that you use often can be saved under a name, for all who work here.
            </p>
          )}
          {list.map((one) => (
            <div key={one.id} className="flex items-center gap-1">
              <button
                type="button"
                className={`min-h-7 grow truncate rounded px-2 py-1 text-left hover:bg-sunk ${one === here ? "font-semibold" : ""}`}
                onClick={() => {
                  // Its amounts are of a currency: a store of that currency comes into use.
                  const there = new URLSearchParams(one.sentence);
                  const its =
                    one.currency && one.currency !== store?.currency
                      ? stores.find((s) => s.currency === one.currency)
                      : store;
                  if (one.currency && !its)
                    return say(
                      `“${one.name}” is in ${one.currency}, and no store that is connected sells in it.`,
                      true,
                    );
                  if (its) there.set("store", String(its.id));
                  if (its && its.id !== store?.id) chooseStore(its.id);
                  setParams(there);
                  close();
                }}
              >
                {one.name}{" "}
                <span className="font-normal text-ink-2">
                  · {[one.currency !== store?.currency && one.currency, one.saved_by].filter(Boolean).join(" · ")}
                </span>
              </button>
              {may("editor") && (
                <Button tone="quiet" aria-label={`Delete ${one.name}`} onClick={() => forget.mutate(one)}>
                  ✕
                </Button>
              )}
            </div>
          ))}
          {may("editor") && (
            <form
              className="mt-1 flex items-end gap-2 border-t border-line p-2"
              onSubmit={(e) => {
                e.preventDefault();
                keep.mutate({ name, sentence: address, currency: store?.currency ?? "", replace: taken !== undefined });
              }}
            >
              <div className="grow">
                <Field
                  label="Save this search as"
                  value={name}
                  onChange={(e) => setName(e.target.value)}
                  maxLength={80}
                  error={taken}
                />
              </div>
              <Button type="submit" disabled={name.trim() === ""}>
                {taken ? "Replace it" : "Save"}
              </Button>
            </form>
          )}
        </>
      )}
    </Clause>
  );
}
