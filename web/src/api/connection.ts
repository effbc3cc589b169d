import { useSyncExternalStore } from "react";

/** Away is why nothing can be asked at this moment: the application or its database does not answer. */
export type Away = { words: string; since: number };

let away: Away | null = null;
const listeners = new Set<() => void>();
const returned = new Set<() => void>();
let wait = 2000;
let backAt = 0;
let timer: ReturnType<typeof setTimeout> | undefined;

function tell() {
  for (const listener of listeners) listener();
}

/** gone notes that an answer failed for no fault of what was asked, and looks every two seconds whether it is back. */
export function gone(words: string) {
  if (!away) {
    away = { words, since: Date.now() };
    tell();
  }
  // Back for a moment only: it is looked for less and less often, so that nothing is asked in a circle.
  wait = Date.now() - backAt < 10_000 ? Math.min(wait * 2, 30_000) : 2000;
  if (timer === undefined) timer = setTimeout(look, wait);
}

async function look() {
  timer = undefined;
  try {
    const answer = await fetch("/api/me", { cache: "no-store" });
    if (answer.status < 500) {
      away = null;
      backAt = Date.now();
      tell();
      for (const act of returned) act();
      return;
    }
  } catch {
    // still away
  }
  timer = setTimeout(look, 2000);
}

/** onReturn is called each time that the application answers again. It returns how to stop that. */
export function onReturn(act: () => void): () => void {
  returned.add(act);
  return () => returned.delete(act);
}

/** useAway is why nothing can be asked, or null. */
export function useAway(): Away | null {
  return useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => away,
  );
}
