import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Problem, type Schemas, type Store } from "../api/client";
import { useSession } from "../frame/session";
import { useStartRun } from "../listings/act";
import { Choice, Clause } from "../parts/clause";
import { Button, Dialog, Picture } from "../parts/controls";
import { Field } from "../parts/field";
import { NamesField } from "../parts/names";
import { Check } from "../parts/radios";
import { Link } from "../parts/route";
import { namesQuery, traysQuery } from "./queries";

type Target = Schemas["PublishingTargetInput"];
type Preflight = Schemas["PublishingPreflight"];
type InStore = Preflight["stores"][number];

/** Which is what a run takes: what was selected, a tray, or all that are ready in each store. */
type Which = "selected" | "ready" | number;

/** Publish says in a sentence what goes where, and how; what would come of it is shown before anything is sent. */
export function Publish({ ids, onClose }: { ids: number[]; onClose: () => void }) {
  const { stores, storeId } = useSession();
  const [which, setWhich] = useState<Which>("selected");
  const [targets, setTargets] = useState<Target[]>(() => stores.filter((s) => s.id === storeId).map(usual));
  const [startOn, setStartOn] = useState("");
  const start = useStartRun();
  const taken =
    which === "selected" ? { draft_ids: ids } : which === "ready" ? { ready: true as const } : { tray: which };
  const body = { ...taken, stores: targets, ...(startOn && { start_on: startOn }) };
  const look = useQuery<Preflight, Problem>({
    queryKey: ["look", "preflight", taken, targets],
    queryFn: ({ signal }) => ask(api.POST("/api/runs/preflight", { body: { ...taken, stores: targets }, signal })),
    enabled: targets.length > 0,
    placeholderData: keepPreviousData,
    retry: false,
    gcTime: 0, // whatever was mended meanwhile counts
  });
  const change = (id: number, part: Partial<Target>) =>
    setTargets((now) => now.map((t) => (t.store_id === id ? { ...t, ...part } : t)));
  const toggle = (id: number) =>
    setTargets((now) =>
      now.some((t) => t.store_id === id)
        ? now.filter((t) => t.store_id !== id)
        : [...now, ...stores.filter((s) => s.id === id).map(usual)],
    );
  const goes = look.data?.stores.reduce((n, s) => n + s.new + s.again + s.same, 0) ?? 0;
  const stay = look.data?.stores.reduce((n, s) => n + s.total, 0) ?? 0;
  const first = stores.find((s) => s.id === targets[0]?.store_id);
  const error = start.error ?? look.error;
  return (
    <Dialog open onClose={onClose} size="wide" title="Publish">
      <Drafts which={which} selected={ids.length} onChange={setWhich} />
      {targets.map((t) => (
        <InOneStore
          key={t.store_id}
          target={t}
          store={stores.find((s) => s.id === t.store_id)}
          found={look.data?.stores.find((s) => s.store_id === t.store_id)}
          onChange={(part) => change(t.store_id, part)}
        />
      ))}
      {stores.length > 1 && (
        <p className="mt-3 flex flex-wrap gap-x-4">
          {stores.map((s) => (
            <Check key={s.id} checked={targets.some((t) => t.store_id === s.id)} onChange={() => toggle(s.id)}>
              {s.name}
            </Check>
          ))}
        </p>
      )}
      <When startOn={startOn} onChange={setStartOn} store={first} />
      {error && (
        <p className="mt-3 text-loss" role="alert">
          {error.message}
        </p>
      )}
      <div className="mt-5 flex items-center justify-end gap-2">
        <span role="status" className="mr-auto text-sm text-ink-2">
          {look.isFetching ? "looking…" : targets.length === 0 ? "Choose a store." : ""}
        </span>
        <Button onClick={onClose}>Cancel</Button>
        <Button
          tone="main"
          onClick={() => start.mutate(body)}
          disabled={start.isPending || targets.length === 0 || (look.data && goes === 0)}
          autoFocus
        >
          {startOn
            ? "Plan it"
            : !look.data || look.isPlaceholderData
              ? "Publish"
              : stay === 0
                ? `Publish ${goes.toLocaleString("en")}`
                : `Publish the ${goes.toLocaleString("en")} that can`}
        </Button>
      </div>
    </Dialog>
  );
}

/** Drafts says which drafts go. */
function Drafts({ which, selected, onChange }: { which: Which; selected: number; onChange: (which: Which) => void }) {
  const trays = useQuery(traysQuery).data ?? [];
  const drafts = (n: number) => (n === 1 ? "1 draft" : `${n.toLocaleString("en")} drafts`);
  const choices: { which: Which; words: string }[] = [
    { which: "selected", words: selected === 1 ? "this draft" : `the ${selected.toLocaleString("en")} selected` },
    { which: "ready", words: "all that are ready" },
    ...trays.filter((t) => t.drafts > 0).map((t) => ({ which: t.id, words: `${drafts(t.drafts)} in ${t.name}` })),
  ];
  return (
    <p className="text-lg leading-9">
      Publish{" "}
      <Clause label="Drafts" words={choices.find((c) => c.which === which)?.words ?? "a tray"} width="w-72">
        {(close) =>
          choices.map((c) => (
            <Choice
              key={c.which}
              chosen={c.which === which}
              onChoose={() => {
                onChange(c.which);
                close();
              }}
            >
              {c.words}
            </Choice>
          ))
        }
      </Clause>
    </p>
  );
}

/** usual is how drafts go to a store unless somebody says otherwise. */
function usual({ id, defaults: d }: Store): Target {
  return {
    store_id: id,
    visible: !d.hidden,
    ...(d.sell_empty && { sell_empty: true }),
    ...(d.by_rules && { by_rules: true }),
    ...(d.reserve && { reserve: d.reserve }),
    ...(d.collections && { collections: d.collections }),
  };
}

/** InOneStore is how drafts go to one store, and what would come of it there. */
function InOneStore({
  target: t,
  store,
  found,
  onChange,
}: {
  target: Target;
  store: Store | undefined;
  found: InStore | undefined;
  onChange: (part: Partial<Target>) => void;
}) {
  const two = (label: string, yes: boolean, words: [string, string], set: (yes: boolean) => void) => (
    <button
      type="button"
      className="clause"
      aria-pressed={yes}
      onClick={() => set(!yes)}
      aria-label={`${label}: ${words[yes ? 0 : 1]}`}
    >
      {words[yes ? 0 : 1]}
    </button>
  );
  const names = useQuery(namesQuery).data;
  const collections = t.collections ?? [];
  return (
    <section className="mb-2" aria-label={store?.name}>
      <p className="text-lg leading-9">
        to <b>{store?.name}</b>,{" "}
        {two("Visibility", t.visible ?? false, ["visible to customers", "hidden from customers"], (visible) =>
          onChange({ visible }),
        )}
        ,{" "}
        {two(
          "When out of stock",
          t.sell_empty ?? false,
          ["selling on when out of stock", "not selling when out of stock"],
          (sell_empty) => onChange({ sell_empty }),
        )}
        , at the{" "}
        {two("Prices", t.by_rules ?? false, ["prices of the rules", "prices they show"], (by_rules) =>
          onChange({ by_rules }),
        )}
        ,{" "}
        <Clause
          label="Reserve"
          words={t.reserve ? `${t.reserve} of each in reserve` : "nothing in reserve"}
          empty={!t.reserve}
        >
          {(close) => (
            <form
              onSubmit={(e) => {
                e.preventDefault();
                close();
              }}
            >
              <Field
                label="Units of each variant that the store does not show"
                number={{ least: 0, most: 100000, whole: true }}
                value={t.reserve === undefined ? "" : String(t.reserve)}
                onChange={(e) => onChange({ reserve: Math.max(0, Math.trunc(Number(e.target.value)) || 0) })}
              />
            </form>
          )}
        </Clause>
        ,{" "}
        <Clause
          label="Collections"
          words={collections.length > 0 ? `also in ${collections.join(" and ")}` : "in their own collections"}
          empty={collections.length === 0}
          width="w-80"
        >
          {() => (
            <NamesField
              label="Collections beside their own"
              names={collections}
              suggestions={names?.collections ?? []}
              onSave={(next) => onChange({ collections: next })}
            />
          )}
        </Clause>
        .
      </p>
      {found && <WhatComes of={found} />}
    </section>
  );
}

/** WhatComes is what publishing would do in a store: how many go, and which stay behind and why. */
function WhatComes({ of: s }: { of: InStore }) {
  const [open, setOpen] = useState(false);
  const parts = [
    s.new > 0 && `${s.new.toLocaleString("en")} new`,
    s.again > 0 && `${s.again.toLocaleString("en")} live and changed since`,
    s.same > 0 && `${s.same.toLocaleString("en")} live as they are`,
  ].filter(Boolean);
  const first = s.left_out[0];
  return (
    <>
      <p className="text-ink-2">
        {parts.length > 0 ? `${parts.join(", ")}.` : "Nothing would go out."}
        {s.warned > 0 && ` ${s.warned} with a warning.`}
      </p>
      {first && (
        <p className="mt-1 text-loss" role="alert">
          {s.total === 1
            ? `“${first.title}” is not ready and stays here: `
            : `${s.total.toLocaleString("en")} are not ready and stay here, such as “${first.title}”: `}
          {first.reason}{" "}
          {s.total > 1 && (
            <button type="button" className="min-h-6 underline" onClick={() => setOpen(!open)} aria-expanded={open}>
              {open ? "Show fewer" : "Show them"}
            </button>
          )}
        </p>
      )}
      {open && (
        <ul className="mt-1 max-h-56 overflow-auto rounded-md border border-line" aria-label="What stays here">
          {s.left_out.map((d) => (
            <li key={d.draft_id} className="flex items-center gap-2 border-b border-line px-2 py-1 last:border-0">
              <Picture path={d.picture} width={96} className="size-8 min-w-8 border border-line" />
              <span className="min-w-0 grow">
                <Link to={`/workbench/${d.draft_id}`} className="block truncate font-semibold hover:underline">
                  {d.title}
                </Link>
                <span className="text-sm text-loss">{d.reason}</span>
              </span>
            </li>
          ))}
        </ul>
      )}
    </>
  );
}

/** When says whether a run begins at once, or at a time in the first store's time zone. */
function When({
  startOn,
  onChange,
  store,
}: {
  startOn: string;
  onChange: (at: string) => void;
  store: Store | undefined;
}) {
  return (
    <p className="mt-2 flex flex-wrap items-center gap-x-2 text-lg leading-9">
      Begin{" "}
      <Clause label="When" words={startOn ? "later" : "now"} width="w-48">
        {(close) => (
          <>
            <Choice
              chosen={startOn === ""}
              onChoose={() => {
                onChange("");
                close();
              }}
            >
              now
            </Choice>
            <Choice
              chosen={startOn !== ""}
              onChoose={() => {
                onChange(startOn || tomorrowIn(store?.time_zone ?? "UTC"));
                close();
              }}
            >
              later
            </Choice>
          </>
        )}
      </Clause>
      {startOn && (
        <>
          <input
            type="datetime-local"
            aria-label="Day and time in the store"
            value={startOn}
            onChange={(e) => onChange(e.target.value)}
            className="rounded-md border border-line-2 bg-surface px-2 py-0.5 text-base"
          />
          <span className="text-base text-ink-2">as the clock shows it in {store?.time_zone.replaceAll("_", " ")}</span>
        </>
      )}
    </p>
  );
}

/** tomorrowIn is tomorrow at nine, as a clock in a time zone has it. */
function tomorrowIn(zone: string): string {
  const day = new Intl.DateTimeFormat("sv-SE", { timeZone: zone, dateStyle: "short" });
  return `${day.format(new Date(Date.now() + 24 * 3600 * 1000))}T09:00`;
}
