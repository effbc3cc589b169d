import { useState } from "react";
import type { Rule } from "../api/client";
import { checked, Field } from "../parts/field";
import { type Band, fromPercent, kinds, plain, toPercent } from "./words";

type Line = { from: string; ratio: string; amount: string };

/**
 * FormulaPanel edits a formula and its numbers by cost. Each band ends where the next begins, so they cannot gap or
 * overlap.
 */
export function FormulaPanel({
  rule,
  currency,
  last,
  onDone,
}: {
  rule: Rule;
  currency: string;
  last: boolean;
  onDone: (f: Rule["formula"]) => void;
}) {
  const [kind, setKind] = useState(rule.formula.kind);
  const [basis, setBasis] = useState(rule.formula.basis);
  const shape = kinds.find((k) => k.kind === kind);
  const percent = shape?.ratio === "percent";
  const shown = (b: Band): Line => ({
    from: b.from.value,
    ratio:
      kinds.find((k) => k.kind === rule.formula.kind)?.ratio === "percent"
        ? toPercent(b.ratio)
        : String(Number(b.ratio)),
    amount: b.amount?.value ?? "",
  });
  const [lines, setLines] = useState<Line[]>(rule.formula.bands.map(shown));
  const put = (i: number, part: Partial<Line>) => setLines(lines.map((l, j) => (i === j ? { ...l, ...part } : l)));
  const choose = (next: Rule["formula"]["kind"]) => {
    const to = kinds.find((k) => k.kind === next);
    // Numbers that mean something else under the new formula begin afresh.
    if (to?.ratio !== shape?.ratio)
      setLines(lines.map((l) => ({ ...l, ratio: to?.ratio === "times" ? "2" : next === "market" ? "0" : "40" })));
    setKind(next);
    if (!to?.basis) setBasis("landed");
  };
  const split = () => {
    const end = lines.at(-1);
    if (end) setLines([...lines, { ...end, from: String(Math.max(10, Math.round(Number(plain(end.from)) * 2))) }]);
  };
  const wrong = lines
    .flatMap((l, i) => [
      i > 0 && checked(l.from, { least: 0 }).error,
      shape?.ratio && checked(l.ratio).error,
      shape?.amount && checked(l.amount, { currency }).error,
    ])
    .find(Boolean);
  const done = () => {
    if (wrong) return;
    const sorted = [...lines].sort((a, b) => Number(plain(a.from)) - Number(plain(b.from)));
    onDone({
      kind,
      basis: shape?.basis ? basis : "landed",
      bands: sorted.map((l, i) => ({
        from: { value: i === 0 ? "0" : plain(l.from), currency },
        ratio: shape?.ratio ? (percent ? fromPercent(l.ratio) : plain(l.ratio)) : "0",
        ...(shape?.amount ? { amount: { value: plain(l.amount), currency } } : {}),
      })),
    });
  };
  return (
    <form
      className="space-y-2 p-2"
      onSubmit={(e) => {
        e.preventDefault();
        done();
      }}
    >
      <label className="block">
        Price is{" "}
        <select
          value={kind}
          onChange={(e) => choose(e.target.value as typeof kind)}
          className="rounded border border-line-2 bg-surface px-2 py-1"
        >
          {kinds
            .filter((k) => !last || k.kind !== "market")
            .map((k) => (
              <option key={k.kind} value={k.kind}>
                {k.name}
              </option>
            ))}
        </select>
      </label>
      {shape?.basis && (
        <fieldset className="flex gap-4">
          <legend className="sr-only">Cost that it works on</legend>
          {(["landed", "item"] as const).map((b) => (
            <label key={b} className="flex min-h-6 items-center gap-1.5">
              <input
                type="radio"
                name="basis"
                checked={basis === b}
                onChange={() => setBasis(b)}
                className="accent-(--beak-fill)"
              />
              {b === "landed" ? "on landed cost" : "on the item cost alone"}
            </label>
          ))}
        </fieldset>
      )}
      {kind === "market" && (
        <p className="text-sm text-ink-2">
          Below the median is negative: −5 is 5 % below. Applies only where other stores’ prices are known.
        </p>
      )}
      <Bands
        lines={lines}
        shape={shape}
        currency={currency}
        put={put}
        remove={(i) => setLines(lines.filter((_, j) => j !== i))}
      />
      <div className="flex justify-between">
        <button type="button" onClick={split} className="min-h-7 rounded px-1 underline">
          Other numbers above a cost
        </button>
        <button type="submit" className="min-h-7 rounded border border-line-2 px-3 font-semibold hover:bg-sunk">
          Set
        </button>
      </div>
    </form>
  );
}

/** Bands are the numbers of a formula, a line for each cost from which others hold. */
function Bands({
  lines,
  shape,
  currency,
  put,
  remove,
}: {
  lines: Line[];
  shape: (typeof kinds)[number] | undefined;
  currency: string;
  put: (band: number, part: Partial<Line>) => void;
  remove: (band: number) => void;
}) {
  const percent = shape?.ratio === "percent";
  return (
    <table>
      <thead className="text-left text-sm text-ink-2">
        <tr>
          <th className="pr-3 font-normal">Cost from</th>
          <th className="pr-3 font-normal">to under</th>
          {shape?.ratio && <th className="pr-3 font-normal">{percent ? "percent" : "times"}</th>}
          {shape?.amount && <th className="font-normal">{`${shape.amount}, ${currency}`}</th>}
        </tr>
      </thead>
      <tbody>
        {lines.map((l, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: a band has no other name
          <tr key={i}>
            <td className="py-0.5 pr-3">
              {i === 0 ? (
                <span className="px-2">0</span>
              ) : (
                <Field
                  compact
                  className="w-20"
                  label={`Band ${i + 1} from`}
                  number={{ least: 0 }}
                  value={l.from}
                  onChange={(e) => put(i, { from: e.target.value })}
                />
              )}
            </td>
            <td className="pr-3 text-ink-2">{lines[i + 1]?.from ?? "no end"}</td>
            {shape?.ratio && (
              <td className="pr-3">
                <Field
                  compact
                  className="w-20"
                  label={
                    lines.length > 1
                      ? `Band ${i + 1} ${percent ? "percent" : "times"}`
                      : percent
                        ? "Percent"
                        : "Multiple"
                  }
                  number={{}}
                  value={l.ratio}
                  onChange={(e) => put(i, { ratio: e.target.value })}
                />
              </td>
            )}
            {shape?.amount && (
              <td>
                <Field
                  compact
                  className="w-20"
                  label={lines.length > 1 ? `Band ${i + 1} amount` : "Amount"}
                  number={{ currency }}
                  value={l.amount}
                  onChange={(e) => put(i, { amount: e.target.value })}
                />
              </td>
            )}
            <td>
              {i > 0 && (
                <button
                  type="button"
                  className="min-h-6 min-w-6 text-ink-2 hover:text-loss"
                  aria-label={`Remove band ${i + 1}`}
                  onClick={() => remove(i)}
                >
                  ×
                </button>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
