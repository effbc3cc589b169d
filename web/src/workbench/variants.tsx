import { Popover } from "radix-ui";
import { type ClipboardEvent, type KeyboardEvent, use, useEffect, useState } from "react";
import { Link } from "react-router";
import type { Draft, DraftVariant, Schemas } from "../api/client";
import { useSession } from "../frame/session";
import { Button, Field, Picture, Tick } from "../parts/controls";
import { PriceLadder } from "../parts/ladder";
import { HomeCurrency, Money, num, sayMoney } from "../parts/money";
import { typedNumber } from "../parts/number";
import { checked } from "../parts/number-field";
import { panel } from "../parts/panel";
import { ago } from "../parts/time";
import { Trace } from "../parts/trace";
import type { EditDraft } from "./draft";

type Option = Schemas["VariantOption"];

/** Variants chooses what is sold, renames options, and shows or types each price. */
export function Variants({ draft, edit, readOnly }: { draft: Draft; edit: EditDraft; readOnly: boolean }) {
  const { store } = useSession();
  const home = use(HomeCurrency);
  const chosen = draft.variants.filter((v) => v.chosen);
  const choose = (keep: (v: DraftVariant) => boolean) => edit({ chosen: draft.variants.filter(keep).map((v) => v.id) });
  const top = Math.max(
    1,
    ...draft.variants.map((v) =>
      v.ladder ? Math.max(num(v.ladder.price), num(v.ladder.landed) + num(v.ladder.fees) + num(v.ladder.tax)) : 0,
    ),
  );
  const losing = draft.variants.filter((v) => v.chosen && v.manual && v.ladder && num(v.ladder.profit) < 0);
  return (
    <section className="mt-5" aria-label="Variants and price">
      <div className="mb-1 flex flex-wrap items-baseline justify-between gap-x-4">
        <h2 className="text-base">
          Variants and price{" "}
          <span className="font-sans text-sm font-normal text-ink-2">
            {chosen.length} of {draft.variants.length} chosen
            {draft.delivery && ` · prices assume ${draft.delivery}, ${draft.door}`}
          </span>
        </h2>
        {!readOnly && (
          <span className="flex gap-1">
            <Button tone="quiet" onClick={() => choose(() => true)}>
              Choose all
            </Button>
            <Button tone="quiet" onClick={() => choose((v) => v.stock > 0 && !v.withdrawn)}>
              Only in stock
            </Button>
            <Button tone="quiet" onClick={() => choose(() => false)}>
              None
            </Button>
          </span>
        )}
      </div>
      <table className="w-full text-left">
        <thead className="text-sm text-ink-2">
          <tr>
            <th className="w-8">
              <span className="sr-only">Chosen</span>
            </th>
            <th className="w-11">
              <span className="sr-only">Picture</span>
            </th>
            {draft.options.map((option, i) => (
              <th key={option.original} className="py-1 pr-2 font-normal whitespace-nowrap">
                <Rename
                  option={option}
                  others={draft.options.filter((_, j) => j !== i)}
                  readOnly={readOnly}
                  onSave={(next) => edit({ options: draft.options.map((o, j) => (i === j ? next : o)) })}
                />
              </th>
            ))}
            <th className="pl-2 text-right font-normal">Stock</th>
            <th className="hidden pl-3 text-right font-normal xl:table-cell">Cost</th>
            <th className="pl-3 text-right font-normal">Landed</th>
            <th className="hidden w-28 pl-4 font-normal xl:table-cell">Ladder</th>
            <th className="text-right font-normal whitespace-nowrap">Price{store ? `, ${store.currency}` : ""}</th>
            <th className="pl-2 text-right font-normal">Profit</th>
          </tr>
        </thead>
        <tbody>
          {draft.variants.map((v, row) => (
            <tr key={v.id} className={`h-10 border-t border-line ${v.chosen ? "" : "opacity-60"}`}>
              <td data-first={row === 0 || undefined}>
                <VariantTick
                  variant={v}
                  first={row === 0}
                  disabled={readOnly}
                  onChange={(now) => choose((x) => (x.id === v.id ? now : x.chosen))}
                />
              </td>
              <td>
                <Picture path={v.picture} width={96} className="size-8 border border-line" />
              </td>
              {draft.options.map((option, i) => (
                <td key={option.original} className="pr-2 whitespace-nowrap">
                  <b className="font-semibold">{v.values[i]}</b>
                  <Original value={v.values[i] ?? ""} option={option} />
                </td>
              ))}
              <td className={`text-right ${v.stock === 0 ? "font-semibold text-loss" : ""}`}>
                {v.withdrawn ? "gone" : v.stock.toLocaleString("en")}
              </td>
              <td className="hidden pl-3 text-right xl:table-cell">
                <Money of={v.cost} />
              </td>
              <td className="pl-3 text-right">{v.ladder && <Money of={v.ladder.landed} />}</td>
              <td className="hidden pl-4 xl:table-cell">
                {v.ladder ? (
                  <PriceLadder ladder={v.ladder} top={top} width={96} />
                ) : (
                  <span className="text-sm text-loss">{v.no_price}</span>
                )}
              </td>
              <td className="text-right">
                {v.ladder && <Price draft={draft} row={row} readOnly={readOnly} edit={edit} />}
                {v.ladder && <PriceNotes variant={v} />}
              </td>
              <td className="text-right font-semibold">
                {v.ladder && (
                  <Trace steps={v.trace} label={`How the price of ${v.values.join(" ")} came about`}>
                    <Money of={v.ladder.profit} signed />
                  </Trace>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {draft.earlier_rules && (
        <p className="mt-2 text-beak-ink">
          Priced by earlier money rules: “{sayMoney(draft.earlier_rules.what, home)}” of{" "}
          {ago(draft.earlier_rules.since)}, by {draft.earlier_rules.by}, holds for other drafts only.{" "}
          <Link to="/markup" className="underline">
            Bring it along under Markup
          </Link>
        </p>
      )}
      {losing.map(
        (v) =>
          v.ladder &&
          v.rule_price && (
            <p key={v.id} className="mt-2 text-loss" role="alert">
              The typed price of <b>{v.values.join(" ")}</b> loses{" "}
              <Money of={{ ...v.ladder.profit, value: v.ladder.profit.value.replace("-", "") }} /> on each sale: the
              landed cost is <Money of={v.ladder.landed} />, fees take <Money of={v.ladder.fees} />
              {num(v.ladder.tax) > 0 && (
                <>
                  {" "}
                  and tax <Money of={v.ladder.tax} />
                </>
              )}
              .{" "}
              {!readOnly && (
                <button
                  type="button"
                  className="min-h-6 font-semibold underline"
                  onClick={() => edit({ prices: [{ variant_id: v.id, price: "" }] })}
                >
                  Use the rule's <Money of={v.rule_price} />
                </button>
              )}
            </p>
          ),
      )}
    </section>
  );
}

/** PriceNotes says what should be known of a price besides the price. */
function PriceNotes({ variant: v }: { variant: DraftVariant }) {
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

function VariantTick({
  variant,
  first,
  disabled,
  onChange,
}: {
  variant: DraftVariant;
  first: boolean;
  disabled: boolean;
  onChange: (now: boolean) => void;
}) {
  return (
    <span ref={(span) => void (first && span?.querySelector("input")?.setAttribute("data-field", "variants"))}>
      <Tick
        checked={variant.chosen}
        disabled={disabled}
        onChange={onChange}
        label={`Sell ${variant.values.join(" ")}`}
      />
    </span>
  );
}

function Original({ value, option }: { value: string; option: Option }) {
  const original = option.values.find((v) => v.name === value)?.original;
  return original && original !== value ? <span className="ml-1 text-sm text-ink-2">{original}</span> : null;
}

/** Price is a cell of the price column: typed, pasted, or left to the rule. */
function Price({ draft, row, readOnly, edit }: { draft: Draft; row: number; readOnly: boolean; edit: EditDraft }) {
  const v = draft.variants[row];
  const shown = v?.ladder?.price.value ?? "";
  const [text, setText] = useState(shown);
  useEffect(() => setText(shown), [shown]);
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
      const inputs = [...document.querySelectorAll<HTMLInputElement>("input[data-price]")];
      const next = inputs[inputs.indexOf(e.currentTarget) + by];
      if (next) {
        next.focus();
        next.select();
      } else e.currentTarget.blur();
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
        data-price
        data-field={row === 0 ? "price" : undefined}
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

/** alikeIn says which names of an option are there twice; empty where none are. */
function alikeIn(edited: Option, others: Option[]): string {
  const plain = (name: string) => name.trim().replace(/\s+/g, " ").toLowerCase();
  if (others.some((o) => plain(o.name) === plain(edited.name)))
    return `There is an option “${edited.name.trim()}” already.`;
  const twice = edited.values.find((v, i) => edited.values.some((w, j) => j < i && plain(w.name) === plain(v.name)));
  return twice ? `Two values are called “${twice.name.trim()}”.` : "";
}

/** Rename opens an option's name and values to be called otherwise. */
function Rename({
  option,
  others,
  onSave,
  readOnly,
}: {
  option: Option;
  others: Option[];
  onSave: (next: Option) => void;
  readOnly: boolean;
}) {
  const [open, setOpen] = useState(false);
  const [edited, setEdited] = useState(option);
  useEffect(() => setEdited(option), [option]);
  const alike = alikeIn(edited, others);
  const was = option.original !== option.name ? ` (was “${option.original}”)` : "";
  if (readOnly) return <>{option.name}</>;
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger
        className="clause text-sm font-semibold text-ink"
        aria-label={`Rename ${option.name} and its values`}
      >
        {option.name}
        <span className="font-normal text-ink-2">{was}</span>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          className={`${panel} max-h-96 w-72 overflow-auto p-3`}
          align="start"
          sideOffset={4}
          aria-label={`Rename ${option.name}`}
        >
          <form
            className="space-y-2"
            onSubmit={(e) => {
              e.preventDefault();
              if (alike) return; // said below; what was typed stays
              onSave(edited);
              setOpen(false);
            }}
          >
            <Field
              label="Option"
              value={edited.name}
              onChange={(e) => setEdited({ ...edited, name: e.target.value })}
              required
            />
            {edited.values.map((value, i) => (
              <label key={value.original} className="grid grid-cols-[84px_1fr] items-center gap-2">
                <span className="truncate text-ink-2">{value.original}</span>
                <input
                  value={value.name}
                  required
                  aria-label={`Value ${value.original}`}
                  onChange={(e) =>
                    setEdited({
                      ...edited,
                      values: edited.values.map((x, j) => (i === j ? { ...x, name: e.target.value } : x)),
                    })
                  }
                  className="rounded border border-line-2 bg-surface px-2 py-1"
                />
              </label>
            ))}
            {alike && (
              <p className="text-loss" role="alert">
                {alike}
              </p>
            )}
            <div className="flex justify-end pt-1">
              <Button tone="main" type="submit">
                Rename
              </Button>
            </div>
          </form>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
