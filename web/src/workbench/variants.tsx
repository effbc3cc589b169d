import { use } from "react";
import { Link } from "react-router";
import type { Draft, DraftVariant, Schemas } from "../api/client";
import { useSession } from "../frame/session";
import { Button, Picture, Tick } from "../parts/controls";
import { useField } from "../parts/fields";
import { PriceLadder } from "../parts/ladder";
import { HomeCurrency, Money, num, sayMoney } from "../parts/money";
import { type Column, Table } from "../parts/table";
import { ago } from "../parts/time";
import { Trace } from "../parts/trace";
import type { EditDraft } from "./draft";
import { Price, PriceNotes } from "./price";
import { Rename } from "./rename";

type Option = Schemas["VariantOption"];

/** Variants chooses what is sold, renames options, and shows or types each price. */
export function Variants({ draft, edit, readOnly }: { draft: Draft; edit: EditDraft; readOnly: boolean }) {
  const { store } = useSession();
  const home = use(HomeCurrency);
  const chosen = draft.variants.filter((v) => v.chosen);
  const choose = (keep: (v: DraftVariant) => boolean) => edit({ chosen: chosenBy(draft, keep) });
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
      <Table
        rows={draft.variants}
        columns={variantColumns(draft, edit, readOnly, store?.currency ?? "")}
        rowKey={(v) => v.id}
        label="Variants"
        rowClass={(v) => `h-10 ${v.chosen ? "" : "opacity-60"}`}
      />
      {draft.earlier_rules && (
        <p className="mt-2 text-beak-ink">
          Priced by earlier money rules: “{sayMoney(draft.earlier_rules.what, home)}” of{" "}
          {ago(draft.earlier_rules.since)}, by {draft.earlier_rules.by}, holds for other drafts only.{" "}
          <Link to="/markup" className="underline">
            Bring it along under Markup
          </Link>
        </p>
      )}
      {losing.map((v) => (
        <Losing
          key={v.id}
          variant={v}
          onRule={readOnly ? undefined : () => edit({ prices: [{ variant_id: v.id, price: "" }] })}
        />
      ))}
    </section>
  );
}

const chosenBy = (draft: Draft, keep: (v: DraftVariant) => boolean) => draft.variants.filter(keep).map((v) => v.id);

/** variantColumns are the columns of the grid of variants: one for each option, and what is sold, paid and earned. */
function variantColumns(draft: Draft, edit: EditDraft, readOnly: boolean, currency: string): Column<DraftVariant>[] {
  const top = Math.max(
    1,
    ...draft.variants.map((v) =>
      v.ladder ? Math.max(num(v.ladder.price), num(v.ladder.landed) + num(v.ladder.fees) + num(v.ladder.tax)) : 0,
    ),
  );
  return [
    {
      id: "chosen",
      name: "Chosen",
      unseen: true,
      className: "w-8",
      show: (v, { index }) => (
        <Sold
          variant={v}
          first={index === 0}
          disabled={readOnly}
          onChange={(now) => edit({ chosen: chosenBy(draft, (x) => (x.id === v.id ? now : x.chosen)) })}
        />
      ),
    },
    {
      id: "picture",
      name: "Picture",
      unseen: true,
      className: "w-11",
      show: (v) => <Picture path={v.picture} width={96} className="size-8 border border-line" />,
    },
    ...draft.options.map(
      (option, i): Column<DraftVariant> => ({
        id: `option-${option.original}`,
        name: option.name,
        head: (
          <Rename
            option={option}
            others={draft.options.filter((_, j) => j !== i)}
            readOnly={readOnly}
            onSave={(next) => edit({ options: draft.options.map((o, j) => (i === j ? next : o)) })}
          />
        ),
        className: "pr-2 whitespace-nowrap",
        show: (v) => (
          <>
            <b className="font-semibold">{v.values[i]}</b>
            <Original value={v.values[i] ?? ""} option={option} />
          </>
        ),
      }),
    ),
    {
      id: "stock",
      name: "Stock",
      align: "right",
      className: "pl-2",
      show: (v) => (
        <span className={v.stock === 0 ? "font-semibold text-loss" : ""}>
          {v.withdrawn ? "gone" : v.stock.toLocaleString("en")}
        </span>
      ),
    },
    { id: "cost", name: "Cost", align: "right", roomy: true, className: "pl-3", show: (v) => <Money of={v.cost} /> },
    {
      id: "landed",
      name: "Landed",
      align: "right",
      className: "pl-3",
      show: (v) => v.ladder && <Money of={v.ladder.landed} />,
    },
    {
      id: "ladder",
      name: "Ladder",
      roomy: true,
      className: "w-28 pl-4",
      show: (v) =>
        v.ladder ? (
          <PriceLadder ladder={v.ladder} top={top} width={96} />
        ) : (
          <span className="text-sm text-loss">{v.no_price}</span>
        ),
    },
    {
      id: "price",
      name: currency ? `Price, ${currency}` : "Price",
      align: "right",
      className: "whitespace-nowrap",
      show: (v, { index }) =>
        v.ladder && (
          <>
            <Price draft={draft} row={index} readOnly={readOnly} edit={edit} />
            <PriceNotes variant={v} />
          </>
        ),
    },
    {
      id: "profit",
      name: "Profit",
      align: "right",
      className: "pl-2 font-semibold",
      show: (v) =>
        v.ladder && (
          <Trace steps={v.trace} label={`How the price of ${v.values.join(" ")} came about`}>
            <Money of={v.ladder.profit} signed />
          </Trace>
        ),
    },
  ];
}

/** Losing says how much a price that was typed loses, and offers the rule's. */
function Losing({ variant: v, onRule }: { variant: DraftVariant; onRule: (() => void) | undefined }) {
  if (!v.ladder || !v.rule_price) return null;
  return (
    <p className="mt-2 text-loss" role="alert">
      The typed price of <b>{v.values.join(" ")}</b> loses{" "}
      <Money of={{ ...v.ladder.profit, value: v.ladder.profit.value.replace("-", "") }} /> on each sale: the landed cost
      is <Money of={v.ladder.landed} />, fees take <Money of={v.ladder.fees} />
      {num(v.ladder.tax) > 0 && (
        <>
          {" "}
          and tax <Money of={v.ladder.tax} />
        </>
      )}
      .{" "}
      {onRule && (
        <button type="button" className="min-h-6 font-semibold underline" onClick={onRule}>
          Use the rule's <Money of={v.rule_price} />
        </button>
      )}
    </p>
  );
}

/** Sold says whether a variant is sold; the first is where key 3 goes. */
function Sold({
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
    <Tick
      ref={useField(first ? "variants" : undefined)}
      checked={variant.chosen}
      disabled={disabled}
      onChange={onChange}
      label={`Sell ${variant.values.join(" ")}`}
    />
  );
}

function Original({ value, option }: { value: string; option: Option }) {
  const original = option.values.find((v) => v.name === value)?.original;
  return original && original !== value ? <span className="ml-1 text-sm text-ink-2">{original}</span> : null;
}
