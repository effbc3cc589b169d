import { useState } from "react";
import { Button, Notice } from "./controls";
import { useNavigate } from "./route";

// What stations whose list is found by a sentence have in common.

/** Words are what is searched for within a sentence: asked for as it is typed. */
export function Words({
  value,
  label,
  onChange,
}: {
  value: string | undefined;
  label: string;
  onChange: (words: string | undefined) => void;
}) {
  const [text, setText] = useState(value ?? "");
  return (
    <input
      value={text}
      placeholder="any words"
      aria-label={label}
      size={Math.max(9, text.length + 1)}
      onChange={(e) => {
        setText(e.target.value);
        onChange(e.target.value.trim() || undefined);
      }}
      className="max-w-full rounded-t border-b-[1.5px] border-beak bg-beak-wash px-1.5 font-semibold placeholder:font-normal placeholder:text-ink-2"
    />
  );
}

/** More reads the next page of a list. */
export function More({ left, page, busy, onMore }: { left: number; page: number; busy: boolean; onMore: () => void }) {
  return (
    <p className="border-t border-line px-4 py-1.5">
      <Button tone="quiet" onClick={onMore} disabled={busy}>
        Show {Math.min(page, left)} more
      </Button>
    </p>
  );
}

/** NoStore stands where there is nothing to show before a store is connected. */
export function NoStore() {
  const go = useNavigate();
  return (
    <main className="grow">
      <Notice title="No store is connected">
        <Button tone="main" onClick={() => go("/store")}>
          Connect a store
        </Button>
      </Notice>
    </main>
  );
}
