import type { Schemas } from "../api/client";

type Days = Schemas["PricingDays"];

export function dayText(range: { min: number; max: number }): string {
  return range.min === range.max ? `${range.min} days` : `${range.min}–${range.max} days`;
}

/** DayRuler draws 0 to 30 days: processing light, arrival dark, the seller's promise dashed. */
export function DayRuler({ days, width = 104 }: { days: Days; width?: number }) {
  const longest = 30;
  const x = (n: number) => (Math.min(n, longest) / longest) * (width - 2) + 1;
  const late = days.promise > 0 && !days.keeps_promise;
  const words = `Processing ${dayText(days.processing)}, at the door in ${dayText(days.door)}${days.promise ? (late ? `, later than your ${days.promise} days` : `, within your ${days.promise} days`) : ""}`;
  return (
    <svg width={width} height={18} viewBox={`0 0 ${width} 18`} role="img" className="block overflow-visible">
      <title>{words}</title>
      <line x1="1" x2={width - 1} y1="9" y2="9" stroke="var(--line-2)" />
      {[0, 10, 20, 30].map((n) => (
        <line key={n} x1={x(n)} x2={x(n)} y1="7" y2="11" stroke="var(--line-2)" />
      ))}
      <rect x={x(0)} y="6.5" width={Math.max(2, x(days.processing.max) - x(0))} height="5" fill="var(--fees)" />
      <rect
        x={x(days.door.min)}
        y="5"
        width={Math.max(3, x(days.door.max) - x(days.door.min))}
        height="8"
        rx="2"
        fill={late ? "var(--loss)" : "var(--profit)"}
      />
      {days.promise > 0 && (
        <>
          {/* Its own ground, also where it crosses the days. */}
          <line x1={x(days.promise)} x2={x(days.promise)} y1="1" y2="17" stroke="var(--surface)" strokeWidth="4.5" />
          <line
            x1={x(days.promise)}
            x2={x(days.promise)}
            y1="1"
            y2="17"
            stroke="var(--beak)"
            strokeWidth="1.5"
            strokeDasharray="2.5 2"
          />
        </>
      )}
    </svg>
  );
}

/** DayWords says the range, and that it is late where it is. */
export function DayWords({ days }: { days: Days }) {
  const late = days.promise > 0 && !days.keeps_promise;
  return (
    <span className="text-sm text-ink-2">
      {dayText(days.door)}
      {late && <span className="ml-1 font-semibold text-loss">late</span>}
    </span>
  );
}
