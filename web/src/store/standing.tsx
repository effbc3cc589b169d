import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";
import type { MoneyRules, Problem, Schemas, Store } from "../api/client";
import { Choice, Clause } from "../parts/clause";
import { countryName } from "../parts/countries";
import { moneyText } from "../parts/money";
import { dayName } from "../parts/time";
import { Numbers } from "./panels";
import { choicesQuery, ratesQuery } from "./queries";
import { amount, fromPercent, percentText, plain, toPercent } from "./words";

type Props = {
  store: Store;
  edited: MoneyRules;
  onChange: (part: Partial<MoneyRules>) => void;
  error?: Problem | undefined;
};

/** Standing is what is settled once for the store: fees and tax, delivery, import charges, exchange rates. */
export function Standing(props: Props) {
  const at = (...parts: string[]) =>
    props.error && parts.some((p) => props.error?.field.startsWith(p)) ? props.error.message : "";
  return (
    <div className="mt-6 grid gap-x-8 gap-y-5 xl:grid-cols-2">
      <Part title="Fees and tax of this store" error={at("fees")}>
        <FeesWords {...props} />
      </Part>
      <Part title="Delivery that prices assume" error={at("delivery", "market", "promise")}>
        <DeliveryWords {...props} />
      </Part>
      <Part title="Import charges" error={at("imports")}>
        <ImportWords {...props} />
      </Part>
      <Part title="Exchange rates" error={at("rates")}>
        <RateWords {...props} />
      </Part>
    </div>
  );
}

function Part({ title, error, children }: { title: string; error: string; children: ReactNode }) {
  return (
    <section aria-label={title} className="min-w-0 leading-8">
      <h2 className="mb-0.5 text-lg leading-normal">{title}</h2>
      {children}
      {error && (
        <p className="leading-5 text-loss" role="alert">
          {error}
        </p>
      )}
    </section>
  );
}

function FeesWords({ store, edited, onChange }: Props) {
  const fees = edited.fees;
  const set = (part: Partial<typeof fees>) => onChange({ fees: { ...fees, ...part } });
  return (
    <p>
      Payment takes{" "}
      <Clause
        label="Payment fee"
        words={`${percentText(fees.payment_percent)} + ${moneyText(fees.payment_fixed, store.currency)}`}
        width="w-72"
      >
        {(close) => (
          <Numbers
            fields={[
              { label: "Percent", initial: toPercent(fees.payment_percent), suffix: "% of the price" },
              { label: "and fixed", initial: fees.payment_fixed.value, suffix: `${store.currency} a sale` },
            ]}
            onDone={([percent, fixed]) => {
              set({ payment_percent: fromPercent(percent ?? ""), payment_fixed: amount(fixed ?? "", store.currency) });
              close();
            }}
          />
        )}
      </Clause>
      , returns{" "}
      <Clause label="Returns allowance" words={percentText(fees.returns)} width="w-72">
        {(close) => (
          <Numbers
            fields={[{ label: "Returns", initial: toPercent(fees.returns), suffix: "% of the price" }]}
            onDone={([text]) => {
              set({ returns: fromPercent(text ?? "") });
              close();
            }}
          />
        )}
      </Clause>
      ; prices are shown{" "}
      <Clause
        label="Tax"
        words={
          fees.tax_included
            ? `with ${percentText(fees.tax_rate)} tax in them${fees.tax_for ? `, as in ${countryName(fees.tax_for)}` : ""}`
            : "without tax"
        }
        width="w-72"
      >
        {(close) => (
          <>
            <Choice
              chosen={!fees.tax_included}
              onChoose={() => {
                set({ tax_included: false });
                close();
              }}
            >
              without tax
            </Choice>
            <Numbers
              fields={[{ label: "With", initial: toPercent(fees.tax_rate), suffix: "% tax in them" }]}
              onDone={([text]) => {
                set({
                  tax_rate: fromPercent(text ?? ""),
                  tax_included: Number(plain(text ?? "")) > 0,
                  tax_for: edited.market,
                });
                close();
              }}
            />
          </>
        )}
      </Clause>
      .
    </p>
  );
}

const ways = { cheapest: "the cheapest that keeps", fastest: "the fastest", named: "the service" } as const;
const otherwise = {
  any_fastest: "the fastest, marked late",
  any_cheapest: "the cheapest, marked late",
  not_sold: "not sold there",
} as const;

function DeliveryWords({ store, edited, onChange }: Props) {
  const d = edited.delivery;
  const choices = useQuery(choicesQuery(store.id));
  const set = (part: Partial<typeof d>) => {
    const next = { ...d, ...part };
    if (next.way !== "fastest") delete next.most;
    if (next.way !== "named") delete next.name;
    onChange({ delivery: next });
  };
  const way =
    d.way === "named"
      ? `the service ${d.name ?? ""}`
      : d.way === "fastest"
        ? d.most
          ? `the fastest up to ${moneyText(d.most, store.currency)}`
          : "the fastest"
        : ways.cheapest;
  return (
    <p>
      Prices assume{" "}
      <Clause label="Delivery" words={way} width="w-72">
        {(close) => (
          <>
            <Choice
              chosen={d.way === "cheapest"}
              onChoose={() => {
                set({ way: "cheapest" });
                close();
              }}
            >
              the cheapest that keeps the promise
            </Choice>
            <Choice
              chosen={d.way === "fastest" && !d.most}
              onChoose={() => {
                set({ way: "fastest", most: undefined as never });
                close();
              }}
            >
              the fastest, whatever it costs
            </Choice>
            <Numbers
              fields={[{ label: "Fastest up to", initial: d.most?.value ?? "", suffix: store.currency }]}
              onDone={([text]) => {
                set({ way: "fastest", most: amount(text ?? "", store.currency) });
                close();
              }}
            />
            <div className="border-t border-line pt-1">
              {choices.data?.deliveries.map((name) => (
                <Choice
                  key={name}
                  chosen={d.way === "named" && d.name === name}
                  onChoose={() => {
                    set({ way: "named", name });
                    close();
                  }}
                >
                  {name}
                </Choice>
              ))}
            </div>
          </>
        )}
      </Clause>{" "}
      {d.way === "cheapest" ? "" : "and promise "}
      <Clause label="Promise" words={`${edited.promise_days} days`}>
        {(close) => (
          <Numbers
            fields={[
              {
                label: "Within",
                initial: String(edited.promise_days),
                suffix: "days, door to door",
                least: 1,
                most: 365,
                whole: true,
              },
            ]}
            onDone={([text]) => {
              onChange({ promise_days: Math.round(Number(plain(text ?? ""))) });
              close();
            }}
          />
        )}
      </Clause>{" "}
      to{" "}
      <Clause label="Market" words={countryName(edited.market)}>
        {(close) =>
          store.markets.map((code) => (
            <Choice
              key={code}
              chosen={code === edited.market}
              onChoose={() => {
                // The tax was said for the market before: the server asks for that of the new one.
                onChange({ market: code, fees: { ...edited.fees, tax_for: edited.fees.tax_for || edited.market } });
                close();
              }}
            >
              {countryName(code)}
            </Choice>
          ))
        }
      </Clause>
      ; otherwise{" "}
      <Clause label="Otherwise" words={otherwise[d.otherwise as keyof typeof otherwise]}>
        {(close) =>
          (Object.keys(otherwise) as (keyof typeof otherwise)[]).map((o) => (
            <Choice
              key={o}
              chosen={d.otherwise === o}
              onChoose={() => {
                set({ otherwise: o });
                close();
              }}
            >
              {otherwise[o]}
            </Choice>
          ))
        }
      </Clause>
      .
    </p>
  );
}

type Import = Schemas["LandedImport"];
const place = (code: string) => (code === "*" ? "anywhere" : countryName(code));

function ImportWords({ store, edited, onChange }: Props) {
  const list = edited.imports;
  const put = (i: number, next: Import) => onChange({ imports: list.map((m, j) => (i === j ? next : m)) });
  const add = () => {
    const from = list.some((m) => m.from === "*" && m.to === edited.market) ? "CN" : "*";
    onChange({
      imports: [
        ...list,
        { from, to: edited.market, threshold: { value: "0", currency: store.currency }, duty: "0", tax: "0" },
      ],
    });
  };
  return (
    <>
      {list.length === 0 && <p className="text-ink-2">None are counted.</p>}
      {list.length > 0 && !list.some((m) => m.to === "*" || m.to === edited.market) && (
        <p className="leading-5 text-beak-ink" role="status">
          None of these is for goods to {countryName(edited.market)}, which prices assume: nothing is counted there.
        </p>
      )}
      {list.map((m, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: an entry has no other name
        <p key={i}>
          From <Where label={`Import ${i + 1} from`} code={m.from} onDone={(from) => put(i, { ...m, from })} /> to{" "}
          <Where label={`Import ${i + 1} to`} code={m.to} onDone={(to) => put(i, { ...m, to })} />: nothing under{" "}
          <Clause label={`Import ${i + 1} threshold`} words={moneyText(m.threshold, store.currency)}>
            {(close) => (
              <Numbers
                fields={[{ label: "Nothing under", initial: m.threshold.value, suffix: store.currency }]}
                onDone={([text]) => {
                  put(i, { ...m, threshold: amount(text ?? "", store.currency) });
                  close();
                }}
              />
            )}
          </Clause>
          , then{" "}
          <Clause
            label={`Import ${i + 1} charges`}
            words={`${percentText(m.duty)} duty and ${percentText(m.tax)} tax${m.tax_reclaimed ? ", reclaimed" : ""}`}
            width="w-80"
          >
            {(close) => (
              <>
                <Numbers
                  fields={[
                    { label: "Duty", initial: toPercent(m.duty), suffix: "% of goods and freight" },
                    { label: "Import tax", initial: toPercent(m.tax), suffix: "% of that and the duty" },
                  ]}
                  onDone={([duty, tax]) => {
                    put(i, { ...m, duty: fromPercent(duty ?? ""), tax: fromPercent(tax ?? "") });
                    close();
                  }}
                />
                <Choice
                  chosen={!m.tax_reclaimed}
                  onChoose={() => {
                    put(i, { ...m, tax_reclaimed: false });
                    close();
                  }}
                >
                  import tax is a cost
                </Choice>
                <Choice
                  chosen={m.tax_reclaimed === true}
                  onChoose={() => {
                    put(i, { ...m, tax_reclaimed: true });
                    close();
                  }}
                >
                  import tax is reclaimed
                </Choice>
              </>
            )}
          </Clause>{" "}
          <button
            type="button"
            className="min-h-6 min-w-6 text-ink-2 hover:text-loss"
            aria-label={`Remove import charges ${i + 1}`}
            onClick={() => onChange({ imports: list.filter((_, j) => j !== i) })}
          >
            ×
          </button>
        </p>
      ))}
      <button type="button" onClick={add} className="min-h-7 underline">
        Add charges between two countries
      </button>
    </>
  );
}

function Where({ label, code, onDone }: { label: string; code: string; onDone: (code: string) => void }) {
  const common = ["*", "CN", "JP", "VN", "IN", "TR", "US", "CA", "GB", "DE", "FR", "NL", "SE", "PL"];
  return (
    <Clause label={label} words={place(code)}>
      {(close) =>
        [...new Set([code, ...common])].map((c) => (
          <Choice
            key={c}
            chosen={c === code}
            onChoose={() => {
              onDone(c);
              close();
            }}
          >
            {place(c)}
          </Choice>
        ))
      }
    </Clause>
  );
}

/** timesWords says how far a rate is from the day's. */
function timesWords(factor: number): string {
  return factor >= 1
    ? `${Number(factor.toPrecision(2))} times that`
    : `1/${Number((1 / factor).toPrecision(2))} of that`;
}

function RateWords({ store, edited, onChange }: Props) {
  const rates = useQuery(ratesQuery(store.id));
  const choices = useQuery(choicesQuery(store.id));
  const own = edited.rates;
  const [doubt, setDoubt] = useState("");
  const old = rates.data && rates.data.day !== "" && rates.data.age > own.max_age_days;
  const list = [...new Set([...(choices.data?.currencies ?? []), ...own.manual.map((t) => t.currency)])].filter(
    (c) => c !== store.currency,
  );
  const type = (currency: string, rate: string) => {
    const others = own.manual.filter((t) => t.currency !== currency);
    onChange({ rates: { ...own, manual: rate.trim() ? [...others, { currency, rate: plain(rate) }] : others } });
  };
  return (
    <>
      <p>
        {rates.data?.day ? (
          <>
            The day's rates are of <b className={old ? "text-loss" : ""}>{dayName(rates.data.day)}</b>
            {old && <b className="text-loss">, too old</b>};{" "}
          </>
        ) : (
          "No rates have come yet; "
        )}
        prices are flagged where they are older than{" "}
        <Clause label="Oldest rates" words={`${own.max_age_days} days`}>
          {(close) => (
            <Numbers
              fields={[
                {
                  label: "Older than",
                  initial: String(own.max_age_days),
                  suffix: "days",
                  least: 0,
                  most: 365,
                  whole: true,
                },
              ]}
              onDone={([text]) => {
                onChange({ rates: { ...own, max_age_days: Math.round(Number(plain(text ?? ""))) } });
                close();
              }}
            />
          )}
        </Clause>
        .
      </p>
      <ul className="grid grid-cols-[repeat(auto-fill,minmax(15rem,1fr))] gap-x-6">
        {list.map((c) => {
          const typed = own.manual.find((t) => t.currency === c);
          const daily = rates.data?.rates.find((r) => r.currency === c)?.into;
          return (
            <li key={c} className="flex items-baseline gap-2 whitespace-nowrap">
              1 {c} ={" "}
              <Clause
                label={`Rate of ${c}`}
                words={`${typed?.rate ?? daily ?? "no rate"} ${store.currency}`}
                empty={!typed}
                width="w-72"
              >
                {(close) => (
                  <>
                    <Choice
                      chosen={!typed}
                      onChoose={() => {
                        type(c, "");
                        close();
                      }}
                    >
                      the day's rate{daily ? `, ${daily}` : ""}
                    </Choice>
                    <Numbers
                      fields={[
                        {
                          label: "Manual rate",
                          initial: typed?.rate ?? daily ?? "",
                          suffix: `${store.currency} for 1 ${c}`,
                          least: 0,
                        },
                      ]}
                      onDone={([text]) => {
                        // A slip of the decimal sign would price everything wrongly.
                        const far = daily && text ? Number(text) / Number(daily) : 1;
                        if ((far > 1.5 || far < 1 / 1.5) && doubt !== `${c} ${text}`) return setDoubt(`${c} ${text}`);
                        setDoubt("");
                        type(c, text ?? "");
                        close();
                      }}
                    />
                    {doubt.startsWith(`${c} `) && daily && (
                      <p className="px-2 pb-2 text-loss" role="alert">
                        The day's rate is {daily}: yours is{" "}
                        {timesWords(Number(doubt.slice(c.length + 1)) / Number(daily))}. Press Set again to use it all
                        the same.
                      </p>
                    )}
                  </>
                )}
              </Clause>
              <span className="text-sm text-ink-2">
                {typed ? `set by ${typed.by || "hand"}` : rates.data?.day ? dayName(rates.data.day) : ""}
              </span>
            </li>
          );
        })}
      </ul>
    </>
  );
}
