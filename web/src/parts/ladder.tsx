import { use } from "react";
import type { Ladder } from "../api/client";
import { HomeCurrency, moneyText, num } from "./money";

/** ladderTop is the scale on which a ladder and its market fit. */
export const ladderTop = (l: Ladder) =>
  Math.max(num(l.price), num(l.landed) + num(l.fees) + num(l.tax), l.market ? num(l.market.high) * 1.02 : 0);

/** longest is the scale on which several ladders fit. */
export const longest = (ladders: (Ladder | null | undefined)[]) =>
  Math.max(1, ...ladders.map((l) => (l ? ladderTop(l) : 0)));

const steps = [1, 1.2, 1.5, 2, 2.5, 3, 4, 5, 6, 8, 10];

/** sharedTop is a scale on which ladders fit, in steps: where one comes that is a little longer, the rest stay. */
export function sharedTop(ladders: (Ladder | null | undefined)[]): number {
  const most = longest(ladders);
  const ten = 10 ** Math.floor(Math.log10(most));
  return ten * (steps.find((step) => step * ten >= most) ?? 10);
}

/**
 * PriceLadder draws cost, shipping, charges and fees, tax in the price, and profit to one scale, ending in a tick at
 * the price.
 */
export function PriceLadder({ ladder, top, width = 160 }: { ladder: Ladder; top: number; width?: number }) {
  const home = use(HomeCurrency);
  const height = 27;
  const x = (value: number) => (Math.min(Math.max(0, value), top) / Math.max(top, 0.01)) * (width - 4);
  const price = num(ladder.price);
  const parts = [
    { of: num(ladder.item), fill: "var(--cost)" },
    { of: num(ladder.shipping), fill: "var(--shipping)" },
    { of: num(ladder.charges) + num(ladder.fees), fill: "var(--fees)" },
    { of: num(ladder.tax), fill: "var(--tax)" },
  ];
  let at = 0;
  const bars = parts.map((part) => {
    const bar = { x: x(at), w: x(at + part.of) - x(at), fill: part.fill };
    at += part.of;
    return bar;
  });
  const lost = at > price;
  const market = ladder.market;
  const seen = market
    ? `; other stores: median ${moneyText(market.median, home)}, middle 50 % from ${moneyText(market.low, home)} to ${moneyText(market.high, home)}`
    : "";
  const words = `Cost ${moneyText(ladder.item, home)}, shipping ${moneyText(ladder.shipping, home)}, fees ${moneyText(ladder.fees, home)}, ${num(ladder.tax) > 0 ? `tax ${moneyText(ladder.tax, home)}, ` : ""}profit ${moneyText(ladder.profit, home)}, price ${moneyText(ladder.price, home)}${seen}`;
  return (
    <svg width={width} height={height} viewBox={`0 0 ${width} ${height}`} role="img" className="block overflow-visible">
      <title>{words}</title>
      {lost && (
        <defs>
          <pattern id="hatch" width="5" height="5" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
            <rect width="5" height="5" fill="var(--loss-wash)" />
            <rect width="2.2" height="5" fill="var(--loss)" />
          </pattern>
        </defs>
      )}
      {bars.map((bar) => (
        <rect
          key={bar.fill}
          x={bar.x}
          y={6}
          width={Math.max(Math.min(bar.w, 1), bar.w - (bar.w < 6 ? 1 : 2))}
          height={11}
          fill={bar.fill}
        />
      ))}
      {lost ? (
        <rect x={x(price)} y={6} width={Math.max(2, x(at) - x(price))} height={11} fill="url(#hatch)" />
      ) : (
        <rect x={x(at)} y={6} width={x(price) - x(at)} height={11} fill="var(--profit)" />
      )}
      <rect x={x(price) - 0.5} y={2} width={2} height={17} fill="var(--ink)" />
      {market && (
        <>
          <rect
            x={x(num(market.low))}
            y={22}
            width={Math.max(2, x(num(market.high)) - x(num(market.low)))}
            height={3}
            fill="var(--line-2)"
          />
          <rect x={x(num(market.median)) - 1} y={20.5} width={2} height={6} fill="var(--ink-2)" />
        </>
      )}
    </svg>
  );
}

const parts = [
  ["var(--cost)", "cost"],
  ["var(--shipping)", "shipping"],
  ["var(--fees)", "fees and charges"],
  ["var(--tax)", "tax"],
  ["var(--profit)", "profit"],
] as const;

/** LadderLegend explains the ladder's colours, once for each view. */
export function LadderLegend({ taxed = false }: { taxed?: boolean }) {
  return (
    <ul className="flex flex-wrap gap-x-3 gap-y-1 text-xs text-ink-2">
      {parts
        .filter(([, name]) => taxed || name !== "tax")
        .map(([fill, name]) => (
          <li key={name} className="flex items-center gap-1">
            <svg width="9" height="9" aria-hidden="true">
              <rect width="9" height="9" fill={fill} />
            </svg>
            {name}
          </li>
        ))}
      <li className="flex items-center gap-1">
        <svg width="9" height="11" aria-hidden="true">
          <rect x="4" width="2" height="11" fill="var(--ink)" />
        </svg>
        price
      </li>
      <li className="flex items-center gap-1">
        <svg width="14" height="9" aria-hidden="true">
          <rect y="3" width="14" height="3" fill="var(--line-2)" />
          <rect x="6" width="2" height="9" fill="var(--ink-2)" />
        </svg>
        other stores
      </li>
    </ul>
  );
}
