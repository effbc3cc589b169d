import { createContext, type ReactNode, use, useCallback, useMemo, useState } from "react";

type Say = (words: string, error?: boolean, act?: { words: string; run: () => void }) => void;

const Saying = createContext<Say>(() => {});

/** useSay gives the function that tells the person something for a few seconds. */
export const useSay = () => use(Saying);

type Said = { id: number; words: string; error: boolean; act?: { words: string; run: () => void } | undefined };

let next = 1;

/** SayingProvider shows what is said, above the key line. */
export function SayingProvider({ children }: { children: ReactNode }) {
  const [said, setSaid] = useState<Said[]>([]);
  const drop = useCallback((id: number) => setSaid((all) => all.filter((s) => s.id !== id)), []);
  const say = useCallback<Say>(
    (words, error = false, act) => {
      const id = next++;
      setSaid((all) => [...all.slice(-2), { id, words, error, act }]);
      setTimeout(() => drop(id), error || act ? 12000 : 5000);
    },
    [drop],
  );
  return (
    <Saying value={useMemo(() => say, [say])}>
      {children}
      <div
        className="pointer-events-none fixed bottom-11 left-1/2 z-50 flex -translate-x-1/2 flex-col gap-2"
        aria-live="polite"
      >
        {said.map((s) => (
          <div
            key={s.id}
            className={`pointer-events-auto flex items-center gap-3 rounded-md border-l-4 bg-quay px-4 py-2 text-quay-ink ${s.error ? "border-loss" : "border-profit"}`}
          >
            <span>{s.words}</span>
            {s.act && (
              <button
                type="button"
                className="min-h-6 font-semibold underline"
                onClick={() => {
                  s.act?.run();
                  drop(s.id);
                }}
              >
                {s.act.words}
              </button>
            )}
            <button
              type="button"
              onClick={() => drop(s.id)}
              className="min-h-6 px-1 text-quay-ink-2 hover:text-quay-ink"
              aria-label="Dismiss"
            >
              ×
            </button>
          </div>
        ))}
      </div>
    </Saying>
  );
}
