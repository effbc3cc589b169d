import { type ReactNode, useState } from "react";
import { type Bounds, checked, Field } from "./field";
import { Opener } from "./opener";

/** Clause is a word of a sentence that opens a small panel. Empty ones are dashed. */
export function Clause({
  words,
  empty = false,
  label,
  children,
  width = "w-64",
  open,
  onOpen,
}: {
  words: ReactNode;
  empty?: boolean;
  label: string;
  children: (close: () => void) => ReactNode;
  width?: string;
  /** Where who uses it wants to know whether it is open. */
  open?: boolean;
  onOpen?: (open: boolean) => void;
}) {
  return (
    <Opener
      words={words}
      label={`${label}: ${typeof words === "string" ? words : ""}`}
      className={`clause ${empty ? "clause-empty" : ""}`}
      panelLabel={label}
      panelClass={`${width} max-h-96 overflow-auto p-1.5`}
      open={open}
      onOpen={onOpen}
    >
      {children}
    </Opener>
  );
}

/** OneOf is a clause that is one of some words, by their keys, or none of them. */
export function OneOf<K extends string>({
  label,
  value,
  words,
  none,
  onChange,
  ...panel
}: {
  label: string;
  value: K | undefined;
  words: Record<K, string>;
  /** What stands for none. */
  none: string;
  onChange: (value: K | undefined) => void;
  width?: string;
  open?: boolean;
  onOpen?: (open: boolean) => void;
}) {
  return (
    <Clause label={label} words={value ? words[value] : none} empty={!value} {...panel}>
      {(close) =>
        [undefined, ...(Object.keys(words) as K[])].map((key) => (
          <Choice
            key={key ?? ""}
            chosen={value === key}
            onChoose={() => {
              onChange(key);
              close();
            }}
          >
            {key ? words[key] : none}
          </Choice>
        ))
      }
    </Clause>
  );
}

/** Choice is one line of a clause's panel: what it would be, and how many that leaves. */
export function Choice({
  chosen,
  onChoose,
  children,
  count,
}: {
  chosen: boolean;
  onChoose: () => void;
  children: ReactNode;
  count?: number | undefined;
}) {
  return (
    <button
      type="button"
      aria-pressed={chosen}
      onClick={onChoose}
      onKeyDown={(e) => {
        const next =
          e.key === "ArrowDown" || e.key === "j"
            ? e.currentTarget.nextElementSibling
            : e.key === "ArrowUp" || e.key === "k"
              ? e.currentTarget.previousElementSibling
              : null;
        if (next instanceof HTMLElement) {
          e.preventDefault();
          next.focus();
        }
      }}
      className={`flex min-h-7 w-full items-center justify-between gap-3 rounded px-2 py-1 text-left hover:bg-sunk ${chosen ? "font-semibold" : ""} ${count === 0 ? "text-ink-2" : ""}`}
    >
      <span>
        <span className="inline-block w-4 text-beak-ink" aria-hidden="true">
          {chosen ? "•" : ""}
        </span>
        {children}
      </span>
      {count !== undefined && <span className="text-ink-2">{count.toLocaleString("en")}</span>}
    </button>
  );
}

/** TypedChoice lets a clause be typed, such as an amount; what is no number is said, and not taken. */
export function TypedChoice({
  label,
  initial,
  onDone,
  suffix = "",
  bounds,
}: {
  label: string;
  initial: string;
  onDone: (text: string) => void;
  suffix?: string;
  bounds?: Bounds | undefined;
}) {
  const [text, setText] = useState(initial);
  return (
    <form
      className="mt-1 flex items-start gap-2 border-t border-line px-2 pt-2 pb-1 first:mt-0 first:border-t-0"
      onSubmit={(e) => {
        e.preventDefault();
        const read = checked(text, bounds);
        if (read.error === undefined) onDone(read.value);
      }}
    >
      <Field compact label={label} value={text} number={bounds ?? {}} onChange={(e) => setText(e.target.value)} />
      <span className="grow pt-1 text-ink-2">{suffix}</span>
      <button type="submit" className="min-h-7 rounded border border-line-2 px-2 font-semibold hover:bg-sunk">
        Set
      </button>
    </form>
  );
}
