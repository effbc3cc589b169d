import {
  use,
  useCallback,
  useDeferredValue,
  useEffect,
  useEffectEvent,
  useLayoutEffect,
  useRef,
  useState,
} from "react";
import { flushSync } from "react-dom";
import type { Draft } from "../api/client";
import { useSession } from "../frame/session";
import { Fields, useField } from "../parts/fields";
import { atRest } from "../parts/rest";
import { Described, fetchEditor } from "./described";
import type { EditDraft } from "./draft";
import { Groups } from "./groups";
import type { Pending } from "./pending";
import { Pictures } from "./pictures";
import { usePresence } from "./presence";
import { Refused } from "./refused";
import { SearchWords } from "./search-words";
import { Variants } from "./variants";

/** Editor is the middle of the Workbench: words, pictures, variants and price of one draft. */
export function Editor({
  draft,
  edit,
  edits,
  readOnly,
}: {
  draft: Draft;
  edit: EditDraft;
  edits: Pending[];
  readOnly: boolean;
}) {
  const { member } = useSession();
  const others = usePresence(draft.id, member.id);
  const area = useRef<HTMLDivElement>(null);
  const whole = useWhole();
  useEffect(() => {
    const at = area.current;
    let drop = () => {};
    const fetch = () => {
      drop();
      const timer = setTimeout(() => {
        drop = atRest(fetchEditor); // to read it takes as long as several keys
      }, 300);
      drop = () => clearTimeout(timer);
    };
    for (const come of ["focusin", "pointerenter"]) at?.addEventListener(come, fetch);
    return () => {
      drop();
      for (const come of ["focusin", "pointerenter"]) at?.removeEventListener(come, fetch);
    };
  }, []);
  return (
    <div ref={area} className="min-w-0 grow overflow-auto bg-surface px-4 py-4">
      {others.length > 0 && (
        <p className="mb-2 text-sm text-beak-ink" role="status">
          {others.map((o) => `${o.name} is here${o.field ? `, in ${o.field}` : ""}`).join(" · ")}
        </p>
      )}
      <Refused edits={edits} />
      <Title draft={draft} edit={edit} readOnly={readOnly} />
      <Groups draft={draft} edit={edit} readOnly={readOnly} />
      <div className="mt-3 grid gap-5 xl:grid-cols-[1fr_18.75rem]">
        <WhereDescribed draft={draft} edit={edit} readOnly={readOnly} />
        <Pictures draft={draft} edit={edit} readOnly={readOnly} />
      </div>
      {whole && (
        <>
          {/* Laid out and painted once it is in sight. */}
          <div className="[contain-intrinsic-size:auto_40rem] [content-visibility:auto]">
            <Variants draft={draft} edit={edit} readOnly={readOnly} />
          </div>
          <SearchWords draft={draft} edit={edit} readOnly={readOnly} />
        </>
      )}
    </div>
  );
}

/** useWhole says when what is mostly out of sight is drawn: after the rest, or once a key leads there. */
function useWhole() {
  const fields = use(Fields);
  const after = useDeferredValue(true, false);
  const [now, setNow] = useState(false);
  useLayoutEffect(() => {
    const complete = () => flushSync(() => setNow(true));
    fields.complete = complete;
    return () => {
      if (fields.complete === complete) fields.complete = () => {};
    };
  }, [fields]);
  return after || now;
}

/** WhereDescribed is the description that all stores share, or that of the store in use alone. */
function WhereDescribed({ draft, edit, readOnly }: { draft: Draft; edit: EditDraft; readOnly: boolean }) {
  const { store } = useSession();
  const [own, setOwn] = useState(Boolean(draft.own.description));
  const alone = own && store !== undefined;
  const shown = alone ? { ...draft, description: draft.own.description || draft.description } : draft;
  return (
    <section aria-label="Description">
      <h2 className="mb-1 flex flex-wrap items-baseline justify-between gap-x-3 text-base">
        Description
        {store && (
          <span className="flex gap-3 font-sans text-sm font-normal">
            <button
              type="button"
              aria-pressed={alone}
              className="min-h-6 underline decoration-line-2 underline-offset-2 aria-pressed:font-semibold"
              onClick={() => setOwn(!own)}
            >
              for {store.name} alone
            </button>
            {alone && draft.own.description && !readOnly && (
              <button
                type="button"
                className="min-h-6 underline decoration-line-2 underline-offset-2"
                onClick={() => {
                  edit({ own_description: "" });
                  setOwn(false);
                }}
              >
                as in all stores
              </button>
            )}
          </span>
        )}
      </h2>
      <Described
        key={`${draft.id} ${alone ? store.id : ""}`}
        draft={shown}
        onSave={(html, seen) => edit(alone ? { own_description: html } : { description: html }, seen)}
        readOnly={readOnly}
      />
    </section>
  );
}

const shownBySearch = 60;

const rest = 1200; // ms after which what was typed is kept and sent

function Title({ draft, edit, readOnly }: { draft: Draft; edit: EditDraft; readOnly: boolean }) {
  const [title, setTitle] = useState(draft.title);
  const typing = useRef<Draft>(undefined); // the draft as it was when typing began
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined);
  const box = useRef<HTMLTextAreaElement>(null);
  const field = useField("title");
  const ref = useCallback(
    (area: HTMLTextAreaElement | null) => {
      box.current = area;
      return field(area);
    },
    [field],
  );
  useEffect(() => {
    if (!typing.current) setTitle(draft.title);
  }, [draft.title]);
  // It grows with its text: a title is never cut off.
  // biome-ignore lint/correctness/useExhaustiveDependencies: another title may take more lines
  useLayoutEffect(() => {
    if (!box.current) return;
    box.current.style.height = "auto";
    box.current.style.height = `${box.current.scrollHeight}px`;
  }, [title]);
  const save = useEffectEvent(() => {
    clearTimeout(timer.current);
    const seen = typing.current;
    typing.current = undefined;
    const next = title.split(/\s+/).filter(Boolean).join(" ");
    if (next !== (seen ?? draft).title) edit({ title: next }, seen);
    else setTitle(draft.title);
  });
  useEffect(() => () => void (typing.current && save()), []);
  return (
    <div>
      <textarea
        ref={ref}
        rows={1}
        aria-label="Title"
        value={title}
        readOnly={readOnly}
        maxLength={500}
        onChange={(e) => {
          typing.current ??= draft;
          setTitle(e.target.value.replace(/\n/g, " "));
          clearTimeout(timer.current);
          timer.current = setTimeout(save, rest);
        }}
        onBlur={save}
        onKeyDown={(e) => {
          if (e.key === "Enter") {
            e.preventDefault();
            e.currentTarget.blur();
          }
          if (e.key === "Escape") {
            clearTimeout(timer.current);
            typing.current = undefined;
            setTitle(draft.title);
            const area = e.currentTarget;
            requestAnimationFrame(() => area.blur());
          }
        }}
        className="block w-full resize-none overflow-hidden border-b border-line bg-transparent font-head text-2xl font-semibold hover:border-line-2"
      />
      <p className="mt-1 text-sm text-ink-2">
        {[...title].length} characters
        {[...title].length > shownBySearch && `, search engines show about ${shownBySearch}`} · the supplier's: “
        {draft.offer_title}”
      </p>
    </div>
  );
}
