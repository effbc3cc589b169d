import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api, ask, type InForce, type MoneyRules, type Problem, type Store } from "../api/client";
import { refresh } from "../api/refresh";
import { useSession } from "../frame/session";
import { Confirm } from "../parts/confirm";
import { Button, Notice } from "../parts/controls";
import { useKeys } from "../parts/keys";
import { useNavigate } from "../parts/route";
import { useSay } from "../parts/toast";
import { Changes } from "./changes";
import { EffectView } from "./effect";
import { RulesFile } from "./file";
import { effectQuery, rulesQuery } from "./queries";
import { Rules } from "./rules";
import { Standing } from "./standing";
import { rebase, rulesOf, same } from "./words";

/** Money holds all that a store's prices rest on, and shows what a change would do before it is applied. */
export default function Money() {
  const { store } = useSession();
  const go = useNavigate();
  if (!store)
    return (
      <main className="grow">
        <Notice alone title="Money rules belong to a store">
          <p>Connect a store first: its currency and fees decide what a price leaves.</p>
          <Button tone="main" onClick={() => go("/store")}>
            Connect a store
          </Button>
        </Notice>
      </main>
    );
  return <InStore key={store.id} store={store} />;
}

function InStore({ store }: { store: Store }) {
  const rules = useQuery(rulesQuery(store.id));
  if (!rules.data)
    return (
      <main className="grow">
        {rules.error && (
          <Notice alone title="The money rules cannot be shown" error>
            <p>{rules.error.message}</p>
            <Button onClick={() => void rules.refetch()}>Try again</Button>
          </Notice>
        )}
      </main>
    );
  return <Editing store={store} inForce={rules.data} />;
}

/** A change that is neither applied nor discarded, as it waits in the browser's own store. */
type Waiting = { revision: number; base: MoneyRules; edited: MoneyRules; past: MoneyRules[] };

const placeOf = (store: number) => `pelican.money-rules.${store}`;

function waiting(store: number): Waiting | undefined {
  try {
    return JSON.parse(localStorage.getItem(placeOf(store)) ?? "null") ?? undefined;
  } catch {
    return undefined;
  }
}

/**
 * useEdited keeps what is edited, with its undo, and moves it on top of what others apply meanwhile. A change
 * that is not applied waits, through a reload, another place and another store, until it is applied or discarded.
 */
function useEdited(store: number, inForce: InForce) {
  const kept = useState(() => waiting(store))[0];
  const [edited, setEdited] = useState(() => {
    if (!kept) return rulesOf(inForce);
    return kept.revision === inForce.revision ? kept.edited : rebase(kept.edited, kept.base, rulesOf(inForce));
  });
  const [past, setPast] = useState<MoneyRules[]>(() => (kept?.revision === inForce.revision ? kept.past : []));
  useEffect(() => {
    try {
      if (same(edited, rulesOf(inForce)) && past.length === 0) localStorage.removeItem(placeOf(store));
      else
        localStorage.setItem(
          placeOf(store),
          JSON.stringify({
            revision: inForce.revision,
            base: rulesOf(inForce),
            edited,
            past: past.slice(-20),
          } satisfies Waiting),
        );
    } catch {
      // no room: it is kept while this page is open
    }
  }, [store, inForce, edited, past]);
  const [news, setNews] = useState<InForce | null>(null);
  const base = useRef(inForce);
  useEffect(() => {
    const before = base.current;
    if (before.revision === inForce.revision) return;
    base.current = inForce;
    setPast([]);
    setEdited((now) => {
      if (same(now, rulesOf(before)) || same(now, rulesOf(inForce))) return rulesOf(inForce);
      setNews(inForce);
      return rebase(now, rulesOf(before), rulesOf(inForce));
    });
  }, [inForce]);
  const change = (next: MoneyRules) => {
    setPast((list) => [...list.slice(-49), edited]);
    setEdited(next);
  };
  const undo = () => {
    const last = past.at(-1);
    if (!last) return;
    setPast(past.slice(0, -1));
    setEdited(last);
  };
  const drop = () => {
    if (!same(edited, rulesOf(inForce))) change(rulesOf(inForce));
    setNews(null);
  };
  return { edited, change, undo, drop, news, changed: !same(edited, rulesOf(inForce)) };
}

function Editing({ store, inForce }: { store: Store; inForce: InForce }) {
  const { may } = useSession();
  const { edited, change, undo, drop, news, changed } = useEdited(store.id, inForce);
  const [asking, setAsking] = useState(false);
  const [applying, setApplying] = useState<number[]>(); // asked about: none is all
  const [selected, setMarked] = useState<Set<number>>(new Set());
  const client = useQueryClient();
  const say = useSay();
  const effect = useQuery({ ...effectQuery(store.id, inForce.revision, edited), placeholderData: keepPreviousData });
  const again = () => {
    void refresh(client, "money-rules", "changes", "header");
  };
  const apply = useMutation<unknown, Problem, number[]>({
    mutationFn: (drafts) =>
      ask(
        api.PUT("/api/stores/{id}/money-rules", {
          params: { path: { id: store.id } },
          body: { rules: edited, revision: inForce.revision, only_drafts: drafts },
        }),
      ),
    onSuccess: (_, drafts) => {
      say(
        drafts.length > 0
          ? `Applied to ${drafts.length} selected. The others stay with the rules they have.`
          : "Applied. Drafts are being repriced; manual prices stay as they are.",
      );
      setMarked(new Set());
      again();
    },
    onError: (error) => {
      say(error.message, true);
      again();
    },
  });
  const held = effect.data?.pinned ?? 0;
  const ready = (changed || held > 0) && !effect.error && !effect.isFetching && !apply.isPending && may("owner");
  const ids = [...selected].filter((id) => effect.data?.moves.some((m) => m.draft_id === id));
  useKeys([
    { keys: ["a"], label: "apply", run: () => ready && setApplying([]) },
    { keys: ["m"], label: "apply to selected", run: () => ready && ids.length > 0 && setApplying(ids) },
    { keys: ["ctrl+z"], label: "undo the edit", run: undo },
    { keys: ["Escape"], label: "discard the change", run: () => changed && setAsking(true) },
  ]);
  const set = (part: Partial<MoneyRules>) => change({ ...edited, ...part });
  return (
    <main className="flex min-h-0 grow flex-col lg:flex-row">
      <div className="min-w-0 grow basis-1/2 overflow-auto border-line bg-surface px-5 py-4 lg:border-r">
        {news && changed && (
          <p className="mb-3 rounded-md bg-beak-wash p-3" role="status">
            <b>{news.changed_by}</b> changed the money rules meanwhile: {news.what.toLowerCase()}. Yours stand on top of
            theirs; check the effect again before you apply them.
          </p>
        )}
        <Rules
          store={store}
          edited={edited}
          before={inForce}
          effect={effect.data}
          onChange={(rules) => set({ rules })}
          error={effect.error ?? undefined}
        />
        <Standing store={store} edited={edited} onChange={set} error={effect.error ?? undefined} />
        <Changes store={store} newest={inForce.revision} />
        <RulesFile store={store} edited={edited} onChange={change} />
      </div>
      <section className="flex min-w-0 grow basis-1/2 flex-col" aria-label="Effect">
        <div className="min-h-0 grow overflow-auto px-5 pt-4">
          {effect.error ? (
            <Notice title="This cannot be applied" error>
              <p>{effect.error.message}</p>
              <Button onClick={undo}>Undo the last edit</Button>
            </Notice>
          ) : (
            effect.data && (
              <EffectView
                effect={effect.data}
                changed={changed}
                selected={selected}
                onSelect={setMarked}
                stale={effect.isFetching}
              />
            )
          )}
        </div>
        <div className="flex min-h-12 flex-wrap items-center gap-2 border-t border-line px-5 py-2">
          {may("owner") ? (
            <>
              <Button tone="main" onClick={() => apply.mutate([])} disabled={!ready}>
                {changed ? "Apply to all" : held > 0 ? `Update ${held} pinned` : "In force"}
              </Button>
              <Button onClick={() => apply.mutate(ids)} disabled={!ready || ids.length === 0}>
                Only the {ids.length > 0 ? `${ids.length} selected` : "selected"}
              </Button>
              {changed && <Button onClick={() => setAsking(true)}>Discard the change</Button>}
            </>
          ) : (
            <span className="text-ink-2">An owner applies money rules; you can look at what a change would do.</span>
          )}
          {effect.isFetching && <span className="text-sm text-ink-2">working it out…</span>}
        </div>
      </section>
      <Confirm
        open={applying !== undefined}
        onClose={() => setApplying(undefined)}
        title={applying?.length ? `Apply to the ${applying.length} selected?` : "Apply to all drafts?"}
        act="Apply"
        tone="main"
        onDo={() => applying && apply.mutate(applying)}
      >
        Their prices change as the effect shows; manual prices stay as they are.
      </Confirm>
      <Confirm
        open={asking}
        onClose={() => setAsking(false)}
        title="Discard the change?"
        act="Discard the change"
        onDo={drop}
      >
        What you changed here and have not applied goes back to the rules in force. Ctrl Z brings it back.
      </Confirm>
    </main>
  );
}
