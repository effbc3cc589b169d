import { Choice, Clause, TypedChoice } from "../parts/clause";
import { delimiters, encodings, type Layout, type Looked } from "./words";

const name = (choices: [string, string][], value: string) => choices.find(([v]) => v === value)?.[1] ?? value;
const signs: [string, string][] = [
  [".", "a point"],
  [",", "a comma"],
];
const groupings: [Layout["grouping"], string][] = [
  ["row", "each row is an offer"],
  ["parent", "rows with the same product number are one offer"],
  ["title", "rows with the same title are one offer"],
];

/** pick is a clause of which one choice is taken. */
function pick<T>(label: string, words: string, choices: [T, string][], now: T, set: (value: T) => void) {
  return (
    <Clause label={label} words={words}>
      {(close) =>
        choices.map(([value, name]) => (
          <Choice
            key={name}
            chosen={value === now}
            onChoose={() => {
              set(value);
              close();
            }}
          >
            {name}
          </Choice>
        ))
      }
    </Clause>
  );
}

/** Form says how the file is written, as a sentence whose underlined words can be corrected. */
export function Form({
  looked,
  layout,
  onChange,
}: {
  looked: Looked;
  layout: Layout;
  onChange: (part: Partial<Layout>, anew?: boolean) => void;
}) {
  const heads: [number, string][] = [
    [0, "in no row"],
    ...looked.head.map(
      (row) =>
        [
          row.row,
          `in row ${row.row}: ${row.cells
            .filter((c) => c.trim() !== "")
            .slice(0, 3)
            .join(", ")
            .slice(0, 40)}`,
        ] as [number, string],
    ),
  ];
  const hasCurrency = layout.cell_currency || layout.columns.some((c) => c.field === "currency");
  if (layout.format === "ubl")
    return (
      <p className="leading-7">
        A UBL 2.1 catalogue. It says itself what everything is; prices are in the currency of each line.
      </p>
    );
  return (
    <p className="leading-7">
      {layout.format === "csv" ? (
        <>
          A text file with{" "}
          {pick("Delimiter", name(delimiters, layout.delimiter), delimiters, layout.delimiter, (delimiter) =>
            onChange({ delimiter }, true),
          )}{" "}
          between the columns, in{" "}
          {pick("Encoding", name(encodings, layout.encoding), encodings, layout.encoding, (encoding) =>
            onChange({ encoding }, true),
          )}
        </>
      ) : (
        <>
          A workbook; the list is on the sheet{" "}
          {pick(
            "Sheet",
            layout.sheet,
            looked.sheets.map((s) => [s, s] as [string, string]),
            layout.sheet,
            (sheet) => onChange({ sheet }, true),
          )}
        </>
      )}
      ; columns are named{" "}
      {pick(
        "Header row",
        layout.header === 0 ? "in no row" : `in row ${layout.header}`,
        heads,
        layout.header,
        (header) => onChange({ header }, true),
      )}
      ; the decimal sign is{" "}
      {pick("Decimal sign", name(signs, layout.decimal), signs, layout.decimal, (decimal) =>
        onChange({ answers: { ...layout.answers, decimal } }),
      )}
      ; prices are{" "}
      {hasCurrency ? (
        layout.cell_currency ? (
          "in the currency that each names"
        ) : (
          "in the currency of each row"
        )
      ) : (
        <>
          in{" "}
          <CurrencyClause
            now={layout.currency}
            onChoose={(currency) => onChange({ answers: { ...layout.answers, currency } })}
          />
        </>
      )}
      {layout.minor && " in cents"}
      {!layout.columns.some((c) => c.field === "price_for") && (
        <>
          {" "}
          for <PriceForClause layout={layout} onChange={onChange} />
        </>
      )}
      ;{" "}
      {pick("Grouping", name(groupings, layout.grouping), groupings, layout.grouping, (grouping) =>
        onChange({ grouping }),
      )}
      .
    </p>
  );
}

/** CurrencyClause says which currency prices are in where the rows do not. */
function CurrencyClause({ now, onChoose }: { now: string; onChoose: (currency: string) => void }) {
  const currencies: [string, string][] = [
    ...new Set([now, "USD", "EUR", "GBP", "CNY", "JPY", "KWD", "PLN", "SEK", "CAD", "AUD"]),
  ]
    .filter(Boolean)
    .map((c) => [c, c] as [string, string]);
  return (
    <Clause label="Currency" words={now || "which currency?"} empty={!now}>
      {(close) => (
        <>
          {currencies.map(([c]) => (
            <Choice
              key={c}
              chosen={c === now}
              onChoose={() => {
                onChoose(c);
                close();
              }}
            >
              {c}
            </Choice>
          ))}
          <form
            className="mt-1 flex gap-2 border-t border-line px-2 pt-2"
            onSubmit={(e) => {
              e.preventDefault();
              const code = String(new FormData(e.currentTarget).get("code") ?? "")
                .trim()
                .toUpperCase();
              if (code) onChoose(code);
              close();
            }}
          >
            <input
              name="code"
              aria-label="Another currency"
              maxLength={3}
              placeholder="code"
              className="w-20 rounded border border-line-2 bg-surface px-2 py-1"
            />
            <button type="submit" className="min-h-7 rounded border border-line-2 px-2 font-semibold hover:bg-sunk">
              Set
            </button>
          </form>
        </>
      )}
    </Clause>
  );
}

/** PriceForClause says how many pieces a price is for. */
function PriceForClause({ layout, onChange }: { layout: Layout; onChange: (part: Partial<Layout>) => void }) {
  return (
    <Clause
      label="Price for"
      words={layout.per_pack ? "a pack" : (layout.per ?? 0) > 1 ? `${layout.per} pieces` : "one piece"}
    >
      {(close) => {
        const say = (price_for: string, pieces: string) => {
          const { pieces: _, ...others } = layout.answers ?? {};
          onChange({
            answers: { ...others, ...(price_for ? { price_for } : {}), ...(pieces ? { pieces } : {}) },
          });
          close();
        };
        return (
          <>
            <Choice chosen={!layout.per_pack && (layout.per ?? 0) < 2} onChoose={() => say("piece", "1")}>
              one piece
            </Choice>
            {layout.columns.some((c) => c.field === "pack") && (
              <Choice chosen={layout.per_pack} onChoose={() => say("pack", "")}>
                a pack, as its column says
              </Choice>
            )}
            <TypedChoice
              label="Pieces that a price is for"
              initial={(layout.per ?? 0) > 1 ? String(layout.per) : ""}
              suffix="pieces"
              onDone={(text) => {
                const n = Math.round(Number(text));
                if (n >= 1 && n <= 1_000_000) say("", String(n));
              }}
            />
          </>
        );
      }}
    </Clause>
  );
}
