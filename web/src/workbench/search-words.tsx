import { useEffect, useEffectEvent, useRef, useState } from "react";
import type { Draft } from "../api/client";
import { useSession } from "../frame/session";
import type { EditDraft } from "./draft";

/** What search engines show of a title and a description, in characters: common practice. */
const shownTitle = 60;
const shownDescription = 155;

const rest = 1200; // ms after which what was typed is kept and sent

/** asText is what a reader sees of HTML. */
function asText(html: string): string {
  const spaced = html.replace(/<\/(?:p|li|tr|td|div|h\d)>|<br\s*\/?>/gi, "$& ");
  return (new DOMParser().parseFromString(spaced, "text/html").body.textContent ?? "").replace(/\s+/g, " ").trim();
}

const cut = (text: string, most: number) => {
  const all = [...text];
  return all.length > most ? `${all.slice(0, most - 1).join("")}…` : text;
};

/** SearchWords are the words that search engines should show, as they would show them, and the words of one store. */
export function SearchWords({ draft, edit, readOnly }: { draft: Draft; edit: EditDraft; readOnly: boolean }) {
  const { store } = useSession();
  const title = draft.search_title || draft.own.title || draft.title;
  const description = draft.search_description || asText(draft.own.description || draft.description);
  return (
    <details className="mt-4 border-t border-line pt-2">
      <summary className="min-h-7 cursor-pointer font-head text-base font-semibold">
        Search engines{store ? ` and ${store.name} alone` : ""}
      </summary>
      <div className="mt-1 grid gap-x-5 gap-y-3 xl:grid-cols-2">
        <div className="space-y-2">
          <Line
            key={`title ${draft.id}`}
            label="Search title"
            value={draft.search_title}
            shown={shownTitle}
            placeholder={draft.title}
            readOnly={readOnly}
            onSave={(search_title) => edit({ search_title })}
          />
          <Line
            key={`description ${draft.id}`}
            label="Search description"
            value={draft.search_description}
            shown={shownDescription}
            placeholder={cut(asText(draft.description), 90)}
            readOnly={readOnly}
            onSave={(search_description) => edit({ search_description })}
          />
          {store && (
            <Line
              key={`own ${draft.id} ${store.id}`}
              label={`Title in ${store.name} alone`}
              value={draft.own.title ?? ""}
              placeholder={draft.title}
              readOnly={readOnly}
              onSave={(own_title) => edit({ own_title })}
            />
          )}
        </div>
        <div aria-label="Search preview" role="group" className="self-start rounded-md border border-line bg-paper p-3">
          <p className="text-sm text-ink-2">As a search engine would show it</p>
          <p className="mt-1 text-lg leading-6 font-semibold">{cut(title, shownTitle) || "No title"}</p>
          <p className="text-ink-2">{cut(description, shownDescription) || "No description"}</p>
        </div>
      </div>
    </details>
  );
}

/** Line is a line of text that is saved once typing rests, or it is left. */
function Line({
  label,
  value,
  shown,
  placeholder,
  readOnly,
  onSave,
}: {
  label: string;
  value: string;
  /** How many characters are shown of it. */
  shown?: number;
  placeholder: string;
  readOnly: boolean;
  onSave: (text: string) => void;
}) {
  const [text, setText] = useState(value);
  const typing = useRef(false);
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined);
  useEffect(() => {
    if (!typing.current) setText(value);
  }, [value]);
  const save = useEffectEvent(() => {
    clearTimeout(timer.current);
    if (!typing.current) return;
    typing.current = false;
    const next = text.trim().replace(/\s+/g, " ");
    if (next !== value) onSave(next);
  });
  useEffect(() => () => save(), []);
  const length = [...text.trim()].length;
  return (
    <label className="block">
      <span className="flex justify-between">
        <span className="text-ink-2">{label}</span>
        {shown && length > 0 && (
          <span className={`text-sm ${length > shown ? "text-beak-ink" : "text-ink-2"}`}>
            {length} of about {shown} that are shown
          </span>
        )}
      </span>
      <input
        value={text}
        placeholder={placeholder}
        readOnly={readOnly}
        onChange={(e) => {
          typing.current = true;
          setText(e.target.value);
          clearTimeout(timer.current);
          timer.current = setTimeout(save, rest);
        }}
        onBlur={save}
        onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
        className="block w-full border-b border-line bg-transparent py-0.5 hover:border-line-2"
      />
    </label>
  );
}
