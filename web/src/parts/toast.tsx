import { createContext, type ReactNode, use, useCallback, useEffect, useRef, useState } from "react";
import { useKeys } from "./keys";

type Say = (words: string, error?: boolean, act?: { words: string; run: () => void }) => void;

const Saying = createContext<Say>(() => {});

/** useSay gives the function that tells the person something for a few seconds. */
export const useSay = () => use(Saying);

type Said = { id: number; words: string; error: boolean; act?: { words: string; run: () => void } | undefined };

let next = 1;

/**
 * SayingProvider shows what is said, above the key line. It waits while it is looked at: with the pointer over it, or
 * the focus in it, to which F8 leads; Escape gives the focus back.
 */
export function SayingProvider({ children }: { children: ReactNode }) {
  const [said, setSaid] = useState<Said[]>([]);
  const [looked, setLooked] = useState(false);
  const all = useRef<HTMLDivElement>(null);
  const from = useRef<HTMLElement | null>(null);
  const say = useCallback<Say>((words, error = false, act) => {
    setSaid((now) => [...now.slice(-2), { id: next++, words, error, act }]);
  }, []);
  const back = useCallback(() => {
    if (from.current?.isConnected) from.current.focus();
    from.current = null;
  }, []);
  const drop = useCallback(
    (id: number) => {
      const within = all.current?.contains(document.activeElement);
      setSaid((now) => now.filter((s) => s.id !== id));
      if (within) back();
    },
    [back],
  );
  useKeys([
    {
      keys: ["F8"],
      label: said.length > 0 ? "to what was just said" : "",
      everywhere: true,
      whileTyping: true,
      run: () => {
        const last = [...(all.current?.querySelectorAll("button") ?? [])].at(-1);
        if (!last || all.current?.contains(document.activeElement)) return;
        from.current = document.activeElement as HTMLElement | null;
        last.focus();
      },
    },
  ]);
  return (
    <Saying value={say}>
      {children}
      {/* biome-ignore lint/a11y/noStaticElementInteractions: it only waits, and Escape leaves it */}
      <div
        ref={all}
        className="pointer-events-none fixed bottom-11 left-1/2 z-50 flex -translate-x-1/2 flex-col gap-2"
        aria-live="polite"
        onPointerEnter={() => setLooked(true)}
        onPointerLeave={() => setLooked(false)}
        onFocus={() => setLooked(true)}
        onBlur={() => setLooked(false)}
        onKeyDown={(e) => {
          if (e.key !== "Escape") return;
          e.stopPropagation();
          back();
        }}
      >
        {said.map((s) => (
          <Toast key={s.id} said={s} waits={looked} drop={drop} />
        ))}
      </div>
    </Saying>
  );
}

function Toast({ said, waits, drop }: { said: Said; waits: boolean; drop: (id: number) => void }) {
  const { id, words, error, act } = said;
  const long = error || act !== undefined;
  useEffect(() => {
    if (waits) return;
    const timer = setTimeout(() => drop(id), long ? 12000 : 5000);
    return () => clearTimeout(timer);
  }, [id, waits, long, drop]);
  return (
    <div
      className={`pointer-events-auto flex items-center gap-3 rounded-md border-l-4 bg-quay px-4 py-2 text-quay-ink ${error ? "border-loss" : "border-profit"}`}
    >
      <span>{words}</span>
      {act && (
        <button
          type="button"
          className="min-h-6 font-semibold underline"
          onClick={() => {
            act.run();
            drop(id);
          }}
        >
          {act.words}
        </button>
      )}
      <button
        type="button"
        onClick={() => drop(id)}
        className="min-h-6 px-1 text-quay-ink-2 hover:text-quay-ink"
        aria-label="Dismiss"
      >
        ×
      </button>
    </div>
  );
}
