import { useEffect, useState } from "react";
import type { Draft } from "../api/client";
import type { EditDraft } from "./draft";

/** Groups are the seller's own collections and tags, which markup rules may ask for. */
export function Groups({ draft, edit, readOnly }: { draft: Draft; edit: EditDraft; readOnly: boolean }) {
  return (
    <div className="mt-2 grid gap-x-5 gap-y-1 sm:grid-cols-2">
      <Names
        label="Collections"
        list={draft.collections}
        readOnly={readOnly}
        onSave={(collections) => edit({ collections })}
      />
      <Names label="Tags" list={draft.tags} readOnly={readOnly} onSave={(tags) => edit({ tags })} />
    </div>
  );
}

function Names({
  label,
  list,
  readOnly,
  onSave,
}: {
  label: string;
  list: string[];
  readOnly: boolean;
  onSave: (next: string[]) => void;
}) {
  const shown = list.join(", ");
  const [text, setText] = useState(shown);
  useEffect(() => setText(shown), [shown]);
  const save = () => {
    const next = text
      .split(",")
      .map((n) => n.trim())
      .filter(Boolean);
    if (next.join(", ") !== shown) onSave(next);
  };
  return (
    <label className="flex items-center gap-2">
      <span className="text-ink-2">{label}</span>
      <input
        value={text}
        readOnly={readOnly}
        placeholder="Separate with commas"
        onChange={(e) => setText(e.target.value)}
        onBlur={save}
        onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
        className="min-w-0 grow border-b border-line bg-transparent py-0.5 hover:border-line-2"
      />
    </label>
  );
}
