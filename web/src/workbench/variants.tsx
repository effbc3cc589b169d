import { type ReactNode, use, useRef, useState } from "react";
import type { Draft, DraftVariant, Schemas } from "../api/client";
import { useSession } from "../frame/session";
import { Cell, type CellEdit, Cells } from "../parts/cells";
import { Choice, Clause } from "../parts/clause";
import { ColumnChoice, useHiddenColumns } from "../parts/columns";
import { Button, Picture, Tick } from "../parts/controls";
import { useField } from "../parts/fields";
import { PriceLadder } from "../parts/ladder";
import { HomeCurrency, Money, num, percent, sayMoney } from "../parts/money";
import { typedNumber } from "../parts/number";
import { Opener } from "../parts/opener";
import { Link, useNavigate } from "../parts/route";
import { type Column, Table } from "../parts/table";
import { ago } from "../parts/time";
import { Trace } from "../parts/trace";
import type { Edit, EditDraft } from "./draft";
import { Options, Proposals, useReshape } from "./options";
import { Price, PriceNotes } from "./price";
import { Rename } from "./rename";

type Option = Schemas["VariantOption"];

const editable = ["sku", "barcode", "price"];
const choosable = [
  { id: "sku", name: "SKU" },
  { id: "barcode", name: "Barcode" },
  { id: "stock", name: "Stock" },
  { id: "cost", name: "Cost" },
  { id: "shipping", name: "Shipping" },
  { id: "landed", name: "Landed cost" },
  { id: "ladder", name: "Price ladder" },
  { id: "was", name: "Was price" },
  { id: "profit", name: "Profit" },
  { id: "margin", name: "Margin" },
];
const hiddenAtFirst = ["sku", "barcode", "shipping", "was", "margin"];

/** Variants chooses what is sold, renames options, and shows or types codes and prices, as in a spreadsheet. */
export function Variants({ draft, edit, readOnly }: { draft: Draft; edit: EditDraft; readOnly: boolean }) {
  const { store } = useSession();
  const home = use(HomeCurrency);
  const [hidden, setHidden] = useHiddenColumns("variants", hiddenAtFirst);
  const order = useRef(draft.variants);
  const losing = draft.variants.filter((v) => v.chosen && v.manual && v.ladder && num(v.ladder.profit) < 0);
  const textAt = (row: number, col: string) => {
    const v = order.current[row];
    if (!v) return "";
    return col === "price" ? (v.ladder?.price.value ?? "") : col === "sku" ? v.sku : v.barcode;
  };
  return (
    <section className="mt-5" aria-label="Variants and price">
      <Head draft={draft} edit={edit} readOnly={readOnly}>
        <ColumnChoice columns={choosable} hidden={hidden} onChange={setHidden} />
      </Head>
      {!readOnly && <Proposals draft={draft} edit={edit} />}
      <Cells
        columns={editable.filter((c) => !hidden.has(c))}
        rows={draft.variants.length}
        textAt={textAt}
        onEdit={(edits) => {
          const change = changeOf(edits, (row) => order.current[row]);
          if (change) edit(change);
        }}
      >
        <div className="overflow-x-auto contain-content">
          <Table
            rows={draft.variants}
            columns={variantColumns(draft, edit, readOnly, store?.currency ?? "")}
            rowKey={(v) => v.id}
            label="Variants"
            hidden={hidden}
            order={order}
            rowClass={(v) => `h-10 ${v.chosen ? "" : "text-ink-2 [&_:is(img,svg)]:opacity-50"}`}
          />
        </div>
      </Cells>
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

/** changeOf is one edit of all that was typed or pasted into cells. The server refuses a price that is no number. */
function changeOf(edits: CellEdit[], at: (row: number) => DraftVariant | undefined): Edit | undefined {
  const prices: NonNullable<Edit["prices"]> = [];
  const codes: NonNullable<Edit["codes"]> = [];
  for (const { row, col, text } of edits) {
    const v = at(row);
    if (!v) continue;
    if (col === "price") {
      if (v.ladder && (text !== "" || v.manual)) prices.push({ variant_id: v.id, price: typedNumber(text) });
    } else {
      const field = col === "sku" ? "sku" : "barcode";
      const before = codes.find((c) => c.variant_id === v.id);
      if (before) before[field] = text;
      else codes.push({ variant_id: v.id, [field]: text });
    }
  }
  if (prices.length + codes.length === 0) return undefined;
  return { ...(prices.length > 0 && { prices }), ...(codes.length > 0 && { codes }) };
}

/** Head says how many are sold, and chooses many at once. */
function Head({
  draft,
  edit,
  readOnly,
  children,
}: {
  draft: Draft;
  edit: EditDraft;
  readOnly: boolean;
  children: ReactNode;
}) {
  const chosen = draft.variants.filter((v) => v.chosen);
  const choose = (keep: (v: DraftVariant) => boolean) => edit({ chosen: chosenBy(draft, keep) });
  const [options, setOptions] = useState(false);
  const go = useNavigate();
  const reshape = useReshape(draft);
  const left = draft.variants.filter((v) => !v.chosen).map((v) => v.id);
  return (
    <div className="mb-1 flex flex-wrap items-baseline justify-between gap-x-4">
      <h2 className="text-base">
        Variants and price{" "}
        <span className="font-sans text-sm font-normal text-ink-2">
          {chosen.length} of {draft.variants.length} chosen
          {draft.delivery && (
            <>
              {" "}
              · prices assume{" "}
              {readOnly || draft.services.length === 0 ? draft.delivery : <Delivery draft={draft} edit={edit} />},{" "}
              {draft.door}
            </>
          )}
        </span>
      </h2>
      <span className="flex flex-wrap gap-1">
        {!readOnly && (
          <>
            <Button tone="quiet" onClick={() => choose(() => true)}>
              Choose all
            </Button>
            <Button tone="quiet" onClick={() => choose((v) => v.stock > draft.reserve && !v.withdrawn)}>
              Only in stock
            </Button>
            <Button tone="quiet" onClick={() => choose(() => false)}>
              None
            </Button>
            {draft.options.length > 0 && draft.variants.length > 1 && <ByValue draft={draft} edit={edit} />}
            {draft.options.length > 0 && (
              <Button tone="quiet" onClick={() => setOptions(true)}>
                Options…
              </Button>
            )}
            <Button tone="quiet" onClick={() => go(`/workbench/${draft.id}/combine`)}>
              Add a supplier…
            </Button>
          </>
        )}
        {children}
      </span>
      {!readOnly && (draft.dropped.length > 0 || (left.length > 0 && chosen.length > 0)) && (
        <p className="basis-full text-sm text-ink-2">
          {left.length > 0 && chosen.length > 0 && (
            <button
              type="button"
              className="mr-3 min-h-6 underline"
              onClick={() => reshape.mutate({ act: "drop_variants", variants: left, apply: true })}
            >
              Leave out the {left.length} that are not chosen
            </button>
          )}
          {draft.dropped.length > 0 && (
            <button
              type="button"
              className="min-h-6 underline"
              onClick={() =>
                reshape.mutate({ act: "bring_back", variants: draft.dropped.map((v) => v.id), apply: true })
              }
            >
              Bring back {draft.dropped.length === 1 ? "the one" : `the ${draft.dropped.length}`} left out
            </button>
          )}
        </p>
      )}
      {options && <Options draft={draft} edit={edit} onClose={() => setOptions(false)} />}
    </div>
  );
}

/** Delivery chooses the service that prices assume, or leaves it to the money rules. */
function Delivery({ draft, edit }: { draft: Draft; edit: EditDraft }) {
  return (
    <Clause label="Delivery that prices assume" words={draft.delivery} empty={draft.service === ""} width="w-80">
      {(close) => (
        <>
          <Choice
            chosen={draft.service === ""}
            onChoose={() => {
              edit({ delivery: "" });
              close();
            }}
          >
            as the money rules say
          </Choice>
          {draft.services.map((s) => (
            <Choice
              key={s.name}
              chosen={draft.service === s.name}
              onChoose={() => {
                edit({ delivery: s.name });
                close();
              }}
            >
              {s.name}, {s.door}, <Money of={s.first} />
            </Choice>
          ))}
          {draft.service !== "" && !draft.services.some((s) => s.name === draft.service) && (
            <p className="px-2 py-1 text-sm text-beak-ink">
              No delivery “{draft.service}” reaches the market: the money rules choose.
            </p>
          )}
        </>
      )}
    </Clause>
  );
}

/** ByValue chooses, or leaves unchosen, all variants that have a value. */
function ByValue({ draft, edit }: { draft: Draft; edit: EditDraft }) {
  return (
    <Opener
      words="By value"
      label="Choose by value"
      className="inline-flex min-h-7 items-center rounded-md px-3 py-1 font-semibold hover:bg-sunk"
      panelLabel="Choose by value"
      panelClass="max-h-80 w-56 overflow-auto p-2"
      align="end"
    >
      {() =>
        draft.options.map((option, i) => (
          <div key={option.original + option.name} role="group" aria-label={option.name}>
            <p className="px-2 pt-1 text-sm text-ink-2">{option.name}</p>
            {option.values.map((value) => {
              const having = draft.variants.filter((v) => v.values[i] === value.name);
              const all = having.length > 0 && having.every((v) => v.chosen);
              return (
                having.length > 0 && (
                  <Choice
                    key={value.name}
                    chosen={all}
                    count={having.length}
                    onChoose={() =>
                      edit({
                        chosen: chosenBy(draft, (v) => (v.values[i] === value.name ? !all : v.chosen)),
                      })
                    }
                  >
                    {value.name}
                  </Choice>
                )
              );
            })}
          </div>
        ))
      }
    </Opener>
  );
}

const chosenBy = (draft: Draft, keep: (v: DraftVariant) => boolean) => draft.variants.filter(keep).map((v) => v.id);

/** variantColumns are the columns of the grid of variants: one for each option, and what is sold, paid and earned. */
function variantColumns(draft: Draft, edit: EditDraft, readOnly: boolean, currency: string): Column<DraftVariant>[] {
  const cell = "w-28 rounded border border-line-2 bg-surface px-2 py-1";
  return [
    {
      id: "chosen",
      name: "Chosen",
      unseen: true,
      className: "sticky left-0 z-10 w-8 bg-surface",
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
      className: "sticky left-8 z-10 w-11 bg-surface",
      show: (v) => <Picture path={v.picture} width={96} className="size-8 border border-line" />,
    },
    ...draft.options.map(
      (option, i): Column<DraftVariant> => ({
        id: `option-${i}`,
        name: option.name,
        head: (
          <Rename
            option={option}
            others={draft.options.filter((_, j) => j !== i)}
            readOnly={readOnly}
            onSave={(next) => edit({ options: draft.options.map((o, j) => (i === j ? next : o)) })}
          />
        ),
        className: `pr-2 whitespace-nowrap ${i === 0 ? "sticky left-19 z-10 bg-surface" : ""}`,
        show: (v) => (
          <>
            <b className="font-semibold">{v.values[i]}</b>
            <Original value={v.values[i] ?? ""} option={option} />
          </>
        ),
      }),
    ),
    {
      id: "sku",
      name: "SKU",
      className: "pl-2",
      show: (v, { index }) => (
        <Cell
          row={index}
          col="sku"
          value={v.sku}
          placeholder={v.made_sku}
          label={`SKU of ${v.values.join(" ")}`}
          readOnly={readOnly}
          className={cell}
        />
      ),
    },
    {
      id: "barcode",
      name: "Barcode",
      className: "pl-2",
      show: (v, { index }) => (
        <Cell
          row={index}
          col="barcode"
          value={v.barcode}
          placeholder={v.supplier_barcode}
          label={`Barcode of ${v.values.join(" ")}`}
          inputMode="numeric"
          readOnly={readOnly}
          className={cell}
        />
      ),
    },
    ...(draft.variants.some((v) => v.offer_id !== draft.offer_id)
      ? [
          {
            id: "supplier",
            name: "Supplier",
            className: "pl-3 whitespace-nowrap",
            by: (v: DraftVariant) => v.supplier,
            show: (v: DraftVariant) => v.supplier,
          },
        ]
      : []),
    ...moneyColumns(draft, edit, readOnly, currency),
  ];
}

const landedOf = (v: DraftVariant) => (v.ladder ? num(v.ladder.landed) : 0);

/** moneyColumns are what a variant has in stock, costs, and earns. */
function moneyColumns(draft: Draft, edit: EditDraft, readOnly: boolean, currency: string): Column<DraftVariant>[] {
  const top = Math.max(
    1,
    ...draft.variants.map((v) =>
      v.ladder ? Math.max(num(v.ladder.price), num(v.ladder.landed) + num(v.ladder.fees) + num(v.ladder.tax)) : 0,
    ),
  );
  return [
    {
      id: "stock",
      name: "Stock",
      align: "right",
      className: "pl-2",
      by: (v) => v.stock,
      show: (v) => {
        const shown = Math.max(0, v.stock - draft.reserve);
        return (
          <span
            className={shown === 0 ? "font-semibold text-loss" : ""}
            title={draft.reserve > 0 ? `${v.stock} less the reserve of ${draft.reserve}` : undefined}
          >
            {v.withdrawn ? "gone" : shown.toLocaleString("en")}
          </span>
        );
      },
    },
    {
      id: "cost",
      name: "Cost",
      align: "right",
      roomy: true,
      className: "pl-3",
      // Costs of several suppliers may be in several currencies.
      by: (v) => (draft.variants.every((o) => o.cost.currency === v.cost.currency) ? num(v.cost) : landedOf(v)),
      show: (v) => <Money of={v.cost} />,
    },
    {
      id: "shipping",
      name: "Shipping",
      align: "right",
      className: "pl-3",
      show: (v) => v.ladder && <Money of={v.ladder.shipping} />,
    },
    {
      id: "landed",
      name: "Landed",
      align: "right",
      className: "pl-3",
      by: landedOf,
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
      by: (v) => (v.ladder ? num(v.ladder.price) : 0),
      show: (v, { index }) =>
        v.ladder && (
          <>
            <Price variant={v} row={index} readOnly={readOnly} edit={edit} />
            <PriceNotes variant={v} />
          </>
        ),
    },
    {
      id: "was",
      name: "Was",
      align: "right",
      className: "pl-3",
      show: (v) => v.ladder?.was && <Money of={v.ladder.was} />,
    },
    {
      id: "profit",
      name: "Profit",
      align: "right",
      className: "pl-2 font-semibold",
      by: (v) => (v.ladder ? num(v.ladder.profit) : 0),
      show: (v) =>
        v.ladder && (
          <Trace steps={v.trace} label={`how the price of ${v.values.join(" ")} came about`}>
            <Money of={v.ladder.profit} signed />
          </Trace>
        ),
    },
    {
      id: "margin",
      name: "Margin",
      align: "right",
      className: "pl-3",
      by: (v) => Number(v.ladder?.margin ?? 0),
      show: (v) => v.ladder && percent(v.ladder.margin),
    },
  ];
}

/** Losing says how much a price that was typed loses, and offers the rule's. */
function Losing({ variant: v, onRule }: { variant: DraftVariant; onRule: (() => void) | undefined }) {
  if (!v.ladder || !v.rule_price) return null;
  return (
    <p className="mt-2 text-loss" role="alert">
      The manual price of <b>{v.values.join(" ")}</b> loses{" "}
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
