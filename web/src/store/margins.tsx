import type { Schemas } from "../api/client";
import { percent } from "../parts/money";

type Margins = Schemas["PricingMargins"];

const lowest = -20;
const step = 2;

/** MarginDots stacks one dot for each variant by its margin, now and then; many become a bar. */
export function MarginDots({ before, after, changed }: { before: Margins; after: Margins; changed: boolean }) {
  const width = 560;
  const lane = 84;
  const x = (place: number) => 44 + (place / 50) * (width - 60);
  const at = (p: number) => x((p - lowest) / step);
  const lanes = changed
    ? ([
        ["now", before, "var(--shipping)"],
        ["then", after, "var(--profit)"],
      ] as const)
    : ([["now", after, "var(--profit)"]] as const);
  const height = lanes.length * lane + 20;
  return (
    <svg
      viewBox={`0 0 ${width} ${height}`}
      className="w-full max-w-2xl"
      role="img"
      aria-label={`Margins now: ${spread(before)}${changed ? `; then: ${spread(after)}` : ""}`}
    >
      {lanes.map(([name, of, fill], row) => {
        const base = (row + 1) * lane;
        const tallest = Math.max(1, ...of.bins);
        const each = Math.min(8, (lane - 22) / tallest);
        return (
          <g key={name}>
            <text x="0" y={base - lane / 2} fontSize="12" fill="var(--ink-2)">
              {name}
            </text>
            <line x1={x(0)} x2={x(50)} y1={base} y2={base} stroke="var(--line-2)" />
            <text
              x={at(Number(of.median) * 100)}
              y={base - lane + 15}
              fontSize="11"
              textAnchor="middle"
              fill="var(--ink-2)"
            >
              half above {percent(of.median)}
            </text>
            <path
              d={`M ${at(Number(of.median) * 100)} ${base - lane + 19} v ${lane - 19}`}
              stroke="var(--ink-2)"
              strokeDasharray="1 3"
            />
            {of.bins.map((n, place) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: a bin is its place
              <g key={place} fill={lowest + place * step < 0 ? "var(--loss)" : fill}>
                {each < 3.5
                  ? n > 0 && (
                      <rect
                        x={x(place) - 4}
                        y={base - 1 - Math.max(1.5, n * each)}
                        width="8"
                        height={Math.max(1.5, n * each)}
                        rx="1.5"
                      />
                    )
                  : Array.from({ length: n }, (_, i) => (
                      // biome-ignore lint/suspicious/noArrayIndexKey: dots of a stack are alike
                      <circle key={i} cx={x(place)} cy={base - 5 - i * each} r={Math.min(3.4, each / 2)} />
                    ))}
              </g>
            ))}
          </g>
        );
      })}
      <line x1={at(0)} x2={at(0)} y1="4" y2={lanes.length * lane} stroke="var(--loss)" strokeDasharray="3 2" />
      {[0, 20, 40, 60].map((n) => (
        <text key={n} x={at(n)} y={height - 4} fontSize="11" textAnchor="middle" fill="var(--ink-2)">
          {n} %
        </text>
      ))}
    </svg>
  );
}

const spread = (m: Margins) =>
  m.bins.every((n) => n === 0)
    ? "none"
    : `middle 50 % from ${percent(m.low)} to ${percent(m.high)}, median ${percent(m.median)}`;
