import type { Draft, DraftVariant } from "../api/client";
import { Cell } from "../parts/cells";
import { checked } from "../parts/field";
import { useField } from "../parts/fields";
import { Money } from "../parts/money";
import type { EditDraft } from "./draft";

/** priceField names the field of the price of a variant. */
export const priceField = (id: number) => `price-${id}`;

/** Price is a cell of the price column: typed, pasted, or left to the rule. */
export function Price({
  variant: v,
  row,
  readOnly,
  edit,
}: {
  variant: Draft["variants"][number];
  row: number;
  readOnly: boolean;
  edit: EditDraft;
}) {
  const field = useField(priceField(v.id));
  const currency = v.ladder?.price.currency;
  const loses = v.manual && Number(v.ladder?.profit.value) < 0;
  return (
    <span className="flex items-center justify-end gap-1">
      {v.manual && !readOnly && (
        <button
          type="button"
          onClick={() => edit({ prices: [{ variant_id: v.id, price: "" }] })}
          className="min-h-6 px-1 text-xs text-beak-ink underline"
          title={`The rule's price is ${v.rule_price?.value}`}
          aria-label={`manual price of ${v.values.join(" ")}: use the rule’s`}
        >
          manual
        </button>
      )}
      <span>
        <Cell
          row={row}
          col="price"
          fieldRef={field}
          label={`Price of ${v.values.join(" ")}`}
          value={v.ladder?.price.value ?? ""}
          inputMode="decimal"
          readOnly={readOnly}
          check={(text) => checked(text, { least: 0, currency }).error}
          aria-invalid={loses || undefined}
          className={`w-20 rounded border bg-surface px-2 py-1 text-right aria-invalid:border-loss aria-invalid:text-loss ${v.manual ? "border-beak font-semibold" : "border-line-2"}`}
        />
      </span>
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
