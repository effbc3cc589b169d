import { type KeyboardEvent, useEffect, useEffectEvent, useId, useRef, useState } from "react";

/** A Suggestion is a name that is in use already, and how often. */
export type Suggestion = { name: string; drafts: number };

const maxShown = 8;

const plain = (text: string) => text.trim().replace(/\s+/g, " ");

/** matching are the suggestions that hold what was typed, those that begin with it first. */
function matching(list: Suggestion[], typed: string, taken: string[]): Suggestion[] {
  const sought = plain(typed).toLowerCase();
  const free = list.filter((s) => !taken.includes(s.name));
  const begins = free.filter((s) => s.name.toLowerCase().startsWith(sought));
  return [...begins, ...free.filter((s) => !begins.includes(s) && s.name.toLowerCase().includes(sought))].slice(
    0,
    maxShown,
  );
}

/**
 * useCompletion is a text field with a list of suggestions: arrows move in it, Enter takes the one that is pointed at,
 * or what was typed.
 */
function useCompletion(shown: Suggestion[], onTake: (name: string) => void) {
  const list = useId();
  const [open, setOpen] = useState(false);
  const [at, setAt] = useState(-1);
  const pointed = open ? shown[at] : undefined;
  const onKeyDown = (e: KeyboardEvent<HTMLInputElement>) => {
    if (e.key === "ArrowDown" || e.key === "ArrowUp") {
      e.preventDefault();
      setOpen(true);
      const by = e.key === "ArrowDown" ? 1 : -1;
      setAt((now) => Math.max(-1, Math.min(shown.length - 1, now + by)));
    } else if (e.key === "Enter" && pointed) {
      e.preventDefault();
      onTake(pointed.name);
      setAt(-1);
    } else if (e.key === "Escape" && open) {
      e.stopPropagation();
      setOpen(false);
    } else return false;
    return true;
  };
  return { list, open: open && shown.length > 0, setOpen, at, setAt, onKeyDown };
}

function Suggestions({
  id,
  label,
  list,
  at,
  onTake,
}: {
  id: string;
  label: string;
  list: Suggestion[];
  at: number;
  onTake: (name: string) => void;
}) {
  return (
    <div
      id={id}
      role="listbox"
      aria-label={label}
      tabIndex={-1}
      className="absolute top-full right-0 left-0 z-20 mt-0.5 max-h-64 overflow-auto rounded-md border border-line-2 bg-surface py-1 shadow-[0_6px_24px_rgb(0_0_0/0.14)]"
    >
      {list.map((s, i) => (
        <div
          key={s.name}
          id={`${id}-${i}`}
          role="option"
          tabIndex={-1}
          aria-selected={i === at}
          // Before the field is left: what is pressed on is taken, not what was typed.
          onPointerDown={(e) => {
            e.preventDefault();
            onTake(s.name);
          }}
          className={`flex min-h-7 cursor-pointer justify-between gap-3 px-2.5 py-1 ${i === at ? "bg-beak-wash" : "hover:bg-sunk"}`}
        >
          <span className="truncate">{s.name}</span>
          <span className="text-sm text-ink-2">{s.drafts.toLocaleString("en")}</span>
        </div>
      ))}
    </div>
  );
}

const fieldLook = "min-w-0 grow border-b border-line bg-transparent py-0.5 hover:border-line-2 focus:border-focus";

/** NameField is one name, with those that are in use already to choose from. */
export function NameField({
  label,
  value,
  suggestions,
  placeholder,
  readOnly = false,
  onSave,
}: {
  label: string;
  value: string;
  suggestions: Suggestion[];
  placeholder?: string;
  readOnly?: boolean;
  onSave: (next: string) => void;
}) {
  const [text, setText] = useState(value);
  useEffect(() => setText(value), [value]);
  const save = (next: string) => {
    const name = plain(next);
    setText(name);
    if (name !== value) onSave(name);
  };
  const shown = matching(suggestions, text === value ? "" : text, [value]);
  const take = (name: string) => {
    save(name);
    completion.setOpen(false);
  };
  const completion = useCompletion(shown, take);
  return (
    <div className="relative flex items-center gap-2">
      <span className="shrink-0 text-ink-2" aria-hidden="true">
        {label}
      </span>
      <input
        value={text}
        readOnly={readOnly}
        placeholder={placeholder}
        role="combobox"
        aria-label={label}
        aria-expanded={completion.open}
        aria-controls={completion.open ? completion.list : undefined}
        aria-autocomplete="list"
        aria-activedescendant={
          completion.open && completion.at >= 0 ? `${completion.list}-${completion.at}` : undefined
        }
        onChange={(e) => {
          setText(e.target.value);
          completion.setOpen(true);
          completion.setAt(-1);
        }}
        onFocus={() => !readOnly && completion.setOpen(true)}
        onBlur={() => {
          completion.setOpen(false);
          save(text);
        }}
        onKeyDown={(e) => {
          if (completion.onKeyDown(e)) return;
          if (e.key === "Enter") e.currentTarget.blur();
          if (e.key === "Escape") setText(value);
        }}
        className={fieldLook}
      />
      {completion.open && (
        <Suggestions id={completion.list} label={label} list={shown} at={completion.at} onTake={take} />
      )}
    </div>
  );
}

/**
 * NamesField is a list of names, each with a way to take it out, and a field for further ones, with those that are in
 * use already to choose from. Names that are pasted are parted at commas and line ends.
 */
export function NamesField({
  label,
  names,
  suggestions,
  readOnly = false,
  onSave,
  unseenLabel = false,
  autoFocus = false,
}: {
  label: string;
  names: string[];
  suggestions: Suggestion[];
  readOnly?: boolean;
  onSave: (next: string[]) => void;
  unseenLabel?: boolean;
  autoFocus?: boolean;
}) {
  const [text, setText] = useState("");
  const field = useRef<HTMLInputElement>(null);
  const add = (typed: string) => {
    const next = [...names];
    for (const name of typed.split(/[,;\n\t]/).map(plain))
      if (name && !next.some((n) => n.toLowerCase() === name.toLowerCase())) next.push(name);
    setText("");
    if (next.length !== names.length) onSave(next);
  };
  const shown = matching(suggestions, text, names);
  const completion = useCompletion(shown, add);
  const addLeft = useEffectEvent(() => text.trim() && add(text));
  useEffect(() => () => void addLeft(), []); // what was typed is kept, also where the draft is left
  return (
    <div className="relative flex items-baseline gap-2">
      {!unseenLabel && (
        <span className="shrink-0 text-ink-2" aria-hidden="true">
          {label}
        </span>
      )}
      <div
        className={`flex flex-wrap items-center gap-1 ${fieldLook}`}
        role="group"
        aria-label={label}
        onPointerDown={(e) => e.target === e.currentTarget && requestAnimationFrame(() => field.current?.focus())}
      >
        {names.map((name) => (
          <span key={name} className="inline-flex max-w-full items-center rounded bg-sunk pl-1.5">
            <span className="truncate">{name}</span>
            {readOnly ? (
              <span className="w-1.5" />
            ) : (
              <button
                type="button"
                aria-label={`Remove ${name} from ${label.toLowerCase()}`}
                onClick={() => {
                  onSave(names.filter((n) => n !== name));
                  field.current?.focus();
                }}
                className="min-h-6 min-w-6 text-ink-2 hover:text-loss"
              >
                ×
              </button>
            )}
          </span>
        ))}
        {!readOnly && (
          <input
            ref={field}
            value={text}
            autoFocus={autoFocus}
            role="combobox"
            aria-label={`Add to ${label.toLowerCase()}`}
            aria-expanded={completion.open}
            aria-controls={completion.open ? completion.list : undefined}
            aria-autocomplete="list"
            aria-activedescendant={
              completion.open && completion.at >= 0 ? `${completion.list}-${completion.at}` : undefined
            }
            placeholder={names.length === 0 ? "Separate with commas" : ""}
            onChange={(e) => {
              if (/[,;\n]/.test(e.target.value)) return add(e.target.value);
              setText(e.target.value);
              completion.setOpen(true);
              completion.setAt(-1);
            }}
            onFocus={() => completion.setOpen(true)}
            onBlur={() => {
              completion.setOpen(false);
              add(text);
            }}
            onKeyDown={(e) => {
              if (completion.onKeyDown(e)) return;
              if (e.key === "Enter" && text.trim()) {
                e.preventDefault();
                add(text);
              }
              if (e.key === "Backspace" && text === "" && names.length > 0) onSave(names.slice(0, -1));
            }}
            className="min-w-16 grow bg-transparent py-0.5 outline-none"
          />
        )}
      </div>
      {completion.open && (
        <Suggestions id={completion.list} label={label} list={shown} at={completion.at} onTake={add} />
      )}
    </div>
  );
}
