import { lazy, Suspense, useEffect, useState } from "react";
import type { Draft } from "../api/client";
import type { EditDraft } from "./draft";
import { Groups } from "./groups";
import { Pictures } from "./pictures";
import { Variants } from "./variants";

const Description = lazy(() => import("./description"));

/** Editor is the middle of the Workbench: words, pictures, variants and price of one draft. */
export function Editor({ draft, edit, readOnly }: { draft: Draft; edit: EditDraft; readOnly: boolean }) {
  return (
    <div className="min-w-0 grow overflow-auto bg-surface px-4 py-4">
      <Title draft={draft} edit={edit} readOnly={readOnly} />
      <Groups draft={draft} edit={edit} readOnly={readOnly} />
      <div className="mt-3 grid gap-5 xl:grid-cols-[1fr_300px]">
        <section aria-label="Words">
          <h2 className="mb-1 text-base">Words</h2>
          <Suspense fallback={<div className="h-44 rounded-md border border-line" />}>
            <Description html={draft.description} onSave={(description) => edit({ description })} readOnly={readOnly} />
          </Suspense>
        </section>
        <Pictures draft={draft} edit={edit} readOnly={readOnly} />
      </div>
      <Variants draft={draft} edit={edit} readOnly={readOnly} />
    </div>
  );
}

const shownBySearch = 60;

function Title({ draft, edit, readOnly }: { draft: Draft; edit: EditDraft; readOnly: boolean }) {
  const [title, setTitle] = useState(draft.title);
  useEffect(() => setTitle(draft.title), [draft.title]);
  const save = () => {
    if (title.trim() !== draft.title) edit({ title }, () => setTitle(draft.title));
  };
  return (
    <div>
      <input
        data-field="title"
        aria-label="Title"
        value={title}
        readOnly={readOnly}
        onChange={(e) => setTitle(e.target.value)}
        onBlur={save}
        onKeyDown={(e) => {
          if (e.key === "Enter") e.currentTarget.blur();
          if (e.key === "Escape") {
            setTitle(draft.title);
            requestAnimationFrame(() => document.activeElement instanceof HTMLElement && document.activeElement.blur());
          }
        }}
        className="w-full border-b border-line bg-transparent font-head text-2xl font-semibold hover:border-line-2"
      />
      <p className="mt-1 text-sm text-ink-2">
        {[...title].length} characters{[...title].length > shownBySearch && `, search engines show about ${shownBySearch}`} · the supplier's: “
        {draft.offer_title}”
      </p>
    </div>
  );
}
