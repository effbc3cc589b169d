/** MarginDots stacks one dot for each variant by its margin, now and then; many become a bar. */
export function MarginDots({ before, after, changed }: { before: string[]; after: string[]; changed: boolean }) {
  const width = 560;
  const lane = 92;
  const lowest = -20;
  const highest = 80;
  const bin = 2;
  const x = (percent: number) => 44 + ((percent - lowest) / (highest - lowest)) * (width - 60);
  const lanes = changed
    ? ([
        ["now", before, "var(--shipping)"],
        ["then", after, "var(--profit)"],
      ] as const)
    : ([["now", after, "var(--profit)"]] as const);
  const height = lanes.length * lane + 22;
  return (
    <svg
      viewBox={`0 0 ${width} ${height}`}
      className="w-full max-w-2xl"
      role="img"
      aria-label={`Margins now: ${spread(before)}${changed ? `; then: ${spread(after)}` : ""}`}
    >
      {lanes.map(([name, list, fill], row) => {
        const base = (row + 1) * lane;
        const stacks = new Map<number, number>();
        for (const ratio of list) {
          const at = Math.round(Math.max(lowest, Math.min(highest, Number(ratio) * 100)) / bin) * bin;
          stacks.set(at, (stacks.get(at) ?? 0) + 1);
        }
        const tallest = Math.max(1, ...stacks.values());
        const step = Math.min(8, (lane - 14) / tallest);
        return (
          <g key={name}>
            <text x="0" y={base - lane / 2} fontSize="12" fill="var(--ink-2)">
              {name}
            </text>
            <line x1={x(lowest)} x2={x(highest)} y1={base} y2={base} stroke="var(--line-2)" />
            {[...stacks].map(([at, n]) => (
              <g key={at} fill={at < 0 ? "var(--loss)" : fill}>
                {step < 3.5 ? (
                  <rect x={x(at) - 4} y={base - 2 - n * step} width="8" height={n * step} rx="1.5" />
                ) : (
                  Array.from({ length: n }, (_, i) => (
                    // biome-ignore lint/suspicious/noArrayIndexKey: dots of a stack are alike
                    <circle key={i} cx={x(at)} cy={base - 5 - i * step} r={Math.min(3.4, Math.max(1.2, step / 2))} />
                  ))
                )}
              </g>
            ))}
          </g>
        );
      })}
      <line x1={x(0)} x2={x(0)} y1="4" y2={lanes.length * lane} stroke="var(--loss)" strokeDasharray="3 2" />
      {[0, 20, 40, 60].map((n) => (
        <text key={n} x={x(n)} y={height - 4} fontSize="11" textAnchor="middle" fill="var(--ink-2)">
          {n} %
        </text>
      ))}
    </svg>
  );
}

function spread(list: string[]): string {
  const sorted = list.map(Number).sort((a, b) => a - b);
  const at = (share: number) => `${Math.round((sorted[Math.floor(share * (sorted.length - 1))] ?? 0) * 100)} %`;
  return sorted.length === 0 ? "none" : `from ${at(0)} to ${at(1)}, half of them under ${at(0.5)}`;
}
