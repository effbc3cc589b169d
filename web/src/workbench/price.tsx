import { type ClipboardEvent, type KeyboardEvent, use, useEffect, useState } from "react";
import type { Draft, DraftVariant } from "../api/client";
import { checked } from "../parts/field";
import { Fields, useField } from "../parts/fields";
import { Money } from "../parts/money";
import { typedNumber } from "../parts/number";
import type { EditDraft } from "./draft";

/** priceField names the field of the price in a row. */
export const priceField = (row: number) => `price-${row}`;

/** Price is a cell of the price column: typed, pasted, or left to the rule. */
export function Price({
  draft,
  row,
  readOnly,
  edit,
}: {
  draft: Draft;
  row: number;
  readOnly: boolean;
  edit: EditDraft;
}) {
  const v = draft.variants[row];
  const fields = use(Fields);
  const shown = v?.ladder?.price.value ?? "";
  const [text, setText] = useState(shown);
  useEffect(() => setText(shown), [shown]);
  const field = useField(priceField(row));
  if (!v) return null;
  const wrong =
    text.trim() === shown ? undefined : checked(text, { least: 0, currency: v.ladder?.price.currency }).error;
  const save = () => {
    if (text.trim() === shown || wrong) return;
    if (text.trim() === "" && !v.manual) setText(shown);
    else edit({ prices: [{ variant_id: v.id, price: typedNumber(text) }] });
  };
  const onKey = (e: KeyboardEvent<HTMLInputElement>) => {
    const by = e.key === "Enter" || e.key === "ArrowDown" ? 1 : e.key === "ArrowUp" ? -1 : 0;
    if (e.key === "Escape") {
      setText(shown);
      const input = e.currentTarget;
      requestAnimationFrame(() => input.blur());
    } else if (by !== 0) {
      e.preventDefault();
      // The next that has a price; it selects its text when it gets the focus.
      let next = row + by;
      while (draft.variants[next] && !fields.has(priceField(next))) next += by;
      const there = fields.get(priceField(next));
      if (there) there.focus();
      else e.currentTarget.blur();
    }
  };
  const onPaste = (e: ClipboardEvent<HTMLInputElement>) => {
    const column = e.clipboardData.getData("text").trim().split(/\r?\n/);
    if (column.length < 2) return;
    e.preventDefault();
    const rows = draft.variants.slice(row).filter((x) => x.ladder);
    edit({
      prices: column
        .slice(0, rows.length)
        .map((cell, i) => ({ variant_id: rows[i]?.id ?? 0, price: typedNumber(cell.split("\t")[0] ?? "") })),
    });
  };
  const loses = v.manual && Number(v.ladder?.profit.value) < 0;
  return (
    <span className="flex flex-wrap items-center justify-end gap-1">
      {v.manual && !readOnly && (
        <button
          type="button"
          onClick={() => edit({ prices: [{ variant_id: v.id, price: "" }] })}
          className="min-h-6 px-1 text-xs text-beak-ink underline"
          title={`The rule's price is ${v.rule_price?.value}`}
          aria-label={`Use the rule price for ${v.values.join(" ")}`}
        >
          manual
        </button>
      )}
      <input
        ref={field}
        aria-label={`Price of ${v.values.join(" ")}`}
        aria-invalid={loses || wrong !== undefined || undefined}
        inputMode="decimal"
        value={text}
        readOnly={readOnly}
        onChange={(e) => setText(e.target.value)}
        onFocus={(e) => e.target.select()}
        onBlur={save}
        onKeyDown={onKey}
        onPaste={onPaste}
        className={`w-20 rounded border bg-surface px-2 py-1 text-right ${loses || wrong ? "border-loss text-loss" : v.manual ? "border-beak font-semibold" : "border-line-2"}`}
      />
      {wrong && (
        <span role="alert" className="basis-full text-sm text-loss">
          {wrong}
        </span>
      )}
    </span>
  );
}

/** PriceNotes says what should be known of a price besides the price. */
export function PriceNotes({ variant: v }: { variant: DraftVariant }) {
  const l = v.ladder;
  if (!l) return null;
  const notes = [
    l.raised_to_floor && "raised to its floor",
    l.below_floor && "under its floor",
    l.capped && "capped",
    l.over_ceiling && "above its ceiling",
    l.old_rate && "old rate",
  ].filter(Boolean);
  if (notes.length === 0 && !l.was) return null;
  return (
    <span className="block text-xs text-ink-2" title={v.was_warning || undefined}>
      {l.was && (
        <>
          was <Money of={l.was} />
          {v.was_warning && ", not backed"}
          {notes.length > 0 && " · "}
        </>
      )}
      {notes.join(", ")}
    </span>
  );
}
