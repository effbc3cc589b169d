import { useCallback, useSyncExternalStore } from "react";

const kept = new Map<string, unknown>();
const listeners = new Set<() => void>();

/** useKept is state that survives going to another view and back, for as long as the page is open. */
export function useKept<V>(name: string, initial: () => V) {
  const value = useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => {
      if (!kept.has(name)) kept.set(name, initial());
      return kept.get(name) as V;
    },
  );
  const set = useCallback(
    (next: V | ((before: V) => V)) => {
      kept.set(name, typeof next === "function" ? (next as (before: V) => V)(kept.get(name) as V) : next);
      for (const tell of listeners) tell();
    },
    [name],
  );
  return [value, set] as const;
}
