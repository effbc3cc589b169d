import { useMutation } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, ask, type Schemas, upload } from "../api/client";
import { Clause } from "../parts/clause";
import { Button } from "../parts/controls";
import { countryName } from "../parts/countries";
import { checked, Field } from "../parts/field";
import { moneyText } from "../parts/money";
import { typedNumber } from "../parts/number";
import { amount } from "../store/words";
import { SchedulePanel } from "./settings";
import { accepted, type Layout, type Rule, ruleWords } from "./words";

type Delivery = Schemas["LandedDelivery"];

/**
 * Terms are what a list does not say of its supplier: where it ships from, how long that takes, what delivery costs.
 */
export function Terms({
  layout,
  onChange,
  onDone,
  rule,
  onRule,
}: {
  layout: Layout;
  onChange: (part: Partial<Layout>) => void;
  onDone: (part: Partial<Layout>) => void;
  rule?: Rule;
  onRule?: (rule: Rule) => void;
}) {
  const processingSaid = layout.processing.min >= 0 && layout.processing.max >= 0;
  const backwards = processingSaid && layout.processing.max < layout.processing.min;
  return (
    <>
      <h2 className="mb-2 text-lg">Missing details</h2>
      <div className="space-y-3">
        <Field
          label="Supplier"
          value={layout.supplier}
          maxLength={100}
          onChange={(e) => onChange({ supplier: e.target.value })}
          onBlur={(e) => onDone({ supplier: e.target.value.trim() })}
        />
        <div>
          <label className="block">
            <span className="mb-0.5 block font-semibold">Ships from</span>
            <select
              value={layout.country}
              onChange={(e) => onDone({ country: e.target.value })}
              className="w-full rounded-md border border-line-2 bg-surface px-2 py-1.5"
            >
              <option value="">choose a country</option>
              {countries.map(([code, name]) => (
                <option key={code} value={code}>
                  {name}
                </option>
              ))}
            </select>
          </label>
        </div>
        <div className="flex items-end gap-2">
          {(["min", "max"] as const).map((end) => (
            <span key={end} className="w-20">
              <span className="mb-0.5 block font-semibold whitespace-nowrap">
                {end === "min" ? "Processing" : "to"}
              </span>
              <Field
                compact
                className="w-20"
                label={end === "min" ? "Processing days, at least" : "Processing days, at most"}
                number={{ least: 0, most: 365, whole: true }}
                value={layout.processing[end] < 0 ? "" : layout.processing[end]}
                onChange={(e) => {
                  const { value } = checked(e.target.value, { least: 0, most: 365, whole: true });
                  onChange({ processing: { ...layout.processing, [end]: value ? Number(value) : -1 } });
                }}
                onBlur={() => processingSaid && !backwards && onDone({ processing: layout.processing })}
              />
            </span>
          ))}
          <span className="pb-2 text-ink-2">days</span>
        </div>
        {backwards && (
          <p className="text-loss" role="alert">
            Processing of {layout.processing.min} to {layout.processing.max} days ends before it begins: give the fewer
            days first.
          </p>
        )}
      </div>
      <h3 className="mt-5 mb-1">Delivery</h3>
      {layout.delivery_sheet && (
        <p className="text-sm text-ink-2">
          From the sheet “{layout.delivery_sheet}”, read with each new file. What you change here stands instead.
        </p>
      )}
      {layout.deliveries.length === 0 && (
        <p className="text-ink-2">None yet: without one, its offers cannot be sold anywhere.</p>
      )}
      <ul>
        {layout.deliveries.map((d, i) => (
          <li key={d.name} className="flex items-start justify-between gap-2 border-b border-line py-1.5">
            <span>
              <b>{d.name}</b>, {d.to.includes("*") ? "anywhere" : d.to.map(countryName).join(", ")}
              <span className="block text-sm text-ink-2">
                {moneyText(d.first, "")} and {moneyText(d.further, "")} each more; {d.transit.min} to {d.transit.max}{" "}
                days{d.tracked ? ", tracked" : ""}
              </span>
            </span>
            <Button
              tone="quiet"
              aria-label={`Take ${d.name} away`}
              onClick={() => onDone({ deliveries: layout.deliveries.filter((_, at) => at !== i), delivery_sheet: "" })}
            >
              ×
            </Button>
          </li>
        ))}
      </ul>
      <NewDelivery
        currency={layout.currency ?? ""}
        taken={layout.deliveries.map((d) => d.name)}
        onAdd={(d) => onDone({ deliveries: [...layout.deliveries, d], delivery_sheet: "" })}
      />
      <FreightTable currency={layout.currency} onRead={(deliveries) => onDone({ deliveries, delivery_sheet: "" })} />
      {rule && onRule && (
        <p className="mt-5 leading-7">
          Fetched again{" "}
          <Clause label="Schedule" words={ruleWords(rule)} empty={rule.every === "never"} width="w-72">
            {(close) => (
              <SchedulePanel
                rule={rule}
                onDone={(next) => {
                  onRule(next);
                  close();
                }}
              />
            )}
          </Clause>
          .
        </p>
      )}
    </>
  );
}

/** FreightTable reads what delivery costs from a table of its own. */
function FreightTable({ currency, onRead }: { currency: string; onRead: (deliveries: Delivery[]) => void }) {
  const input = useRef<HTMLInputElement>(null);
  const read = useMutation<Schemas["SourcesDeliveryResult"], Error, File>({
    mutationFn: async (file) =>
      ask(api.POST("/api/price-lists/deliveries", { body: { file: (await upload(file)).file, currency } })),
    onSuccess: (found) => onRead(found.deliveries),
  });
  return (
    <>
      <Button className="mt-2" onClick={() => input.current?.click()} disabled={read.isPending}>
        {read.isPending ? "Reading…" : "Read them from a table"}
      </Button>
      <input
        ref={input}
        type="file"
        accept={accepted}
        aria-label="Table of deliveries"
        className="hidden"
        onChange={(e) => {
          const file = e.currentTarget.files?.[0];
          if (file) read.mutate(file);
          e.currentTarget.value = "";
        }}
      />
      {read.error && (
        <p className="mt-1 text-loss" role="alert">
          {read.error.message}
        </p>
      )}
      {read.data && (
        <ul className="mt-1 text-sm">
          <li className="text-ink-2" role="status">
            {read.data.deliveries.length} read.
          </li>
          {read.data.notes.map((note) => (
            <li key={note} className="text-loss">
              {note}
            </li>
          ))}
        </ul>
      )}
    </>
  );
}

const codes =
  "AT AU BE BG BR CA CH CN CY CZ DE DK EE ES FI FR GB GR HK HR HU IE IN IT JP KR KW LT LU LV MT MX NL NO NZ PL PT RO SE SG SI SK TH TR TW US VN ZA".split(
    " ",
  );
const countries = codes.map((code) => [code, countryName(code)] as const).sort((a, b) => a[1].localeCompare(b[1]));

function NewDelivery({ currency, taken, onAdd }: { currency: string; taken: string[]; onAdd: (d: Delivery) => void }) {
  const [open, setOpen] = useState(false);
  const [error, setTrouble] = useState("");
  const [chosen, setChosen] = useState<string>();
  const code = chosen ?? currency;
  if (!open)
    return (
      <Button className="mt-2 mr-2" onClick={() => setOpen(true)}>
        Add a delivery
      </Button>
    );
  const input = "w-full rounded border border-line-2 bg-surface px-2 py-1";
  return (
    <form
      className="mt-2 grid grid-cols-2 gap-2 rounded-md border border-line-2 p-2"
      onSubmit={(e) => {
        e.preventDefault();
        const form = new FormData(e.currentTarget);
        const text = (name: string) => String(form.get(name) ?? "").trim();
        const to = text("to")
          .toUpperCase()
          .split(/[\s,;]+/)
          .filter(Boolean);
        const [first, further] = [text("first"), text("further") || text("first")].map((t) => typedNumber(t));
        const days = (name: string) => Number(checked(text(name), { least: 0, whole: true }).value ?? Number.NaN);
        const transit = { min: days("min"), max: days("max") };
        if (!text("name") || taken.includes(text("name"))) return setTrouble("Give it a name of its own.");
        if (to.length === 0 || to.some((c) => c !== "*" && !/^[A-Z]{2}$/.test(c)))
          return setTrouble("Where it goes: country codes such as US, DE, or * for anywhere.");
        if (!/^\d+(\.\d+)?$/.test(first ?? "") || !/^\d+(\.\d+)?$/.test(further ?? ""))
          return setTrouble("The charges are amounts such as 4.90.");
        if (!/^[A-Z]{3}$/.test(code)) return setTrouble("Say which currency the charges are in, such as EUR.");
        if (!(transit.min >= 0 && transit.max >= transit.min)) return setTrouble("The days make no sense.");
        onAdd({
          name: text("name"),
          to,
          first: amount(first ?? "", code),
          further: amount(further ?? "", code),
          transit,
          tracked: form.get("tracked") === "on",
        });
        setTrouble("");
        setOpen(false);
      }}
    >
      <input name="name" aria-label="Name of the delivery" placeholder="Parcel" className={input} />
      <input name="to" aria-label="Where it goes" placeholder="US, DE or *" className={input} />
      <input
        name="first"
        aria-label={`First piece, ${code}`}
        placeholder={`first, ${code}`}
        inputMode="decimal"
        className={input}
      />
      <input
        name="further"
        aria-label={`Each further piece, ${code}`}
        placeholder={`each more, ${code}`}
        inputMode="decimal"
        className={input}
      />
      <label className="col-span-2 flex items-center gap-2">
        Charges in
        <input
          value={code}
          onChange={(e) => setChosen(e.target.value.toUpperCase())}
          maxLength={3}
          aria-label="Currency of the charges"
          className="w-20 rounded border border-line-2 bg-surface px-2 py-1"
        />
      </label>
      <input
        name="min"
        inputMode="numeric"
        aria-label="Days in transit, at least"
        placeholder="days from"
        className={input}
      />
      <input name="max" inputMode="numeric" aria-label="Days in transit, at most" placeholder="to" className={input} />
      <label className="col-span-2 flex items-center gap-2">
        <input type="checkbox" name="tracked" className="size-4 accent-(--beak-fill)" /> tracked
      </label>
      {error && (
        <p className="col-span-2 text-loss" role="alert">
          {error}
        </p>
      )}
      <div className="col-span-2 flex gap-2">
        <Button type="submit">Add it</Button>
        <Button tone="quiet" onClick={() => setOpen(false)}>
          Cancel
        </Button>
      </div>
    </form>
  );
}
