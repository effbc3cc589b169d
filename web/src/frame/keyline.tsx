import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useAway } from "../api/connection";
import { Dialog, Key } from "../parts/controls";
import { keyName, useKeys, useShownKeys } from "../parts/keys";
import { dayName } from "../parts/time";
import { ratesQuery } from "../store/queries";
import { editsWait, usePending } from "../workbench/pending";
import { useSession } from "./session";

/** KeyLine is the thin line at the bottom: the keys that work here now, and the state. */
export function KeyLine() {
  const keys = useShownKeys();
  const [all, setAll] = useState(false);
  const { store, may } = useSession();
  const rates = useQuery({ ...ratesQuery(store?.id ?? 0), staleTime: 600_000, enabled: may("fulfiller") });
  const away = useAway();
  const waiting = usePending().edits.filter((p) => away && !p.refused).length;
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
          <Key>?</Key> all keys
        </button>
      </span>
      <span
        role="status"
        className="shrink-0 font-semibold whitespace-nowrap text-loss max-md:shrink max-md:whitespace-normal"
      >
        {away?.words}
        {waiting > 0 && ` ${editsWait(waiting)}.`}
      </span>
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
      </Dialog>
    </footer>
  );
}
