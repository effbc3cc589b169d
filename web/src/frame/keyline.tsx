import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Problem } from "../api/client";
import { useAway } from "../api/connection";
import { Dialog, Key } from "../parts/controls";
import { Heard } from "../parts/heard";
import { keyName, type LetterKeys, useKeys, useShownKeys } from "../parts/keys";
import { Radios } from "../parts/radios";
import { dayName } from "../parts/time";
import { useSay } from "../parts/toast";
import { ratesQuery } from "../store/queries";
import { editsWait, usePending } from "../workbench/pending";
import { meQuery } from "./queries";
import { useSession } from "./session";

/** KeyLine is the thin line at the bottom: the keys that work here now, and the state. */
export function KeyLine() {
  const keys = useShownKeys();
  const [all, setAll] = useState(false);
  const { store, may, member } = useSession();
  const rates = useQuery({ ...ratesQuery(store?.id ?? 0), staleTime: 600_000, enabled: may("fulfiller") });
  const away = useAway();
  const waiting = usePending().edits.filter((p) => away && !p.refused).length;
  const trouble = [away?.words, waiting > 0 && `${editsWait(waiting)}.`].filter(Boolean).join(" ");
  useKeys([{ keys: ["?"], label: "", run: () => setAll(true) }]);
  const home =
    store && store.currency !== rates.data?.base && rates.data?.rates.find((r) => r.currency === store.currency);
  return (
    <footer className="flex h-7 shrink-0 items-center gap-4 overflow-hidden border-t border-line bg-sunk px-4 text-xs text-ink-2 max-md:h-auto max-md:flex-wrap max-md:border-t-0">
      {/* Those that do not fit whole wrap to lines that are not seen. */}
      <span className="flex h-7 min-w-0 shrink grow flex-wrap gap-x-4 overflow-hidden max-md:hidden">
        {keys
          .filter((binding) => !binding.everywhere)
          .slice(0, 8)
          .map((binding) => (
            <span key={binding.keys.join()} className="flex h-7 items-center gap-1 whitespace-nowrap">
              {binding.keys
                .filter((k) => !k.startsWith("Arrow"))
                .slice(0, 1)
                .map((k) => (
                  <Key key={k}>{keyName(k)}</Key>
                ))}
              {binding.label}
            </span>
          ))}
      </span>
      <span className="flex shrink-0 items-center gap-4 max-md:hidden">
        <span className="flex items-center gap-1 whitespace-nowrap">
          <Key>Ctrl K</Key> find anything
        </span>
        <button
          type="button"
          onClick={() => setAll(true)}
          className="flex min-h-6 items-center gap-1 whitespace-nowrap"
        >
          {member.letter_keys !== "off" && <Key>{keyName("?")}</Key>} all keys
        </button>
      </span>
      <span className="shrink-0 font-semibold whitespace-nowrap text-loss max-md:shrink max-md:whitespace-normal">
        {trouble}
      </span>
      <Heard words={trouble} />
      {rates.data && !away && (
        <span
          className={`shrink-0 whitespace-nowrap ${rates.data.stale ? "font-semibold text-loss" : "max-md:hidden"}`}
        >
          {rates.data.day
            ? `Rates of ${dayName(rates.data.day)}${rates.data.stale ? ", too old" : ""}`
            : "No exchange rates yet"}
          {home && ` · 1 ${rates.data.base} = ${home.per_base} ${home.currency}`}
        </span>
      )}
      <Dialog open={all} onClose={() => setAll(false)} title="Keys that work here" size="wide">
        <dl className="grid grid-cols-[auto_1fr] gap-x-4 sm:grid-cols-[auto_1fr_auto_1fr] gap-y-2">
          {keys.map((binding) => (
            <div key={binding.keys.join()} className="contents">
              <dt className="flex gap-1">
                {binding.keys.map((k) => (
                  <Key key={k}>{keyName(k)}</Key>
                ))}
              </dt>
              <dd>{binding.label}</dd>
            </div>
          ))}
        </dl>
        <LetterKeysChoice />
      </Dialog>
    </footer>
  );
}

const ways = [
  ["plain", "Letters act by themselves"],
  ["alt", "with Alt alone"],
  ["off", "not at all"],
] as const;

/** LetterKeysChoice says whether single letters act as keys, for whoever is signed in. */
function LetterKeysChoice() {
  const { member } = useSession();
  const client = useQueryClient();
  const say = useSay();
  const set = useMutation<unknown, Problem, LetterKeys>({
    mutationFn: (to) => ask(api.PUT("/api/me/letter-keys", { body: { letter_keys: to } })),
    onSuccess: (_, to) => client.setQueryData(meQuery.queryKey, { ...member, letter_keys: to }),
    onError: (error) => say(error.message, true),
  });
  return (
    <section className="mt-5 border-t border-line pt-3" aria-label="Letters as keys">
      <Radios
        label="Letters as keys"
        ways={ways}
        value={set.isPending ? set.variables : member.letter_keys}
        onChange={(to) => set.mutate(to)}
      />
      <p className="text-sm text-ink-2">
        Voice input and a slip of the hand press letters unasked. Ctrl and a letter, the arrows and Escape act always;
        F6 goes from part to part.
      </p>
    </section>
  );
}
