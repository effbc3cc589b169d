const week = 7 * 24 * 3600 * 1000;

/**
 * DemandRibbon draws weekly sales, oldest first; the months in which a season peaks are shaded, and weeks that stand
 * out selected.
 */
export function DemandRibbon({
  weekly,
  width = 92,
  height = 24,
  peaks = [],
  spikes = [],
  ended,
}: {
  weekly: number[];
  width?: number;
  height?: number;
  /** Months, 1 to 12. */
  peaks?: number[];
  /** Places in the series. */
  spikes?: number[];
  /** When the last week ended. */
  ended?: string;
}) {
  if (weekly.length < 2) return <span className="text-sm text-ink-2">no history</span>;
  const top = Math.max(...weekly, 1);
  const points = weekly.map(
    (n, i) => `${((i / (weekly.length - 1)) * width).toFixed(1)},${(height - 1 - (n / top) * (height - 3)).toFixed(1)}`,
  );
  const words = `Sold each week over ${weekly.length} weeks: between ${Math.min(...weekly)} and ${top}, last ${weekly[weekly.length - 1]}`;
  const step = width / (weekly.length - 1);
  const runs: [number, number][] = []; // weeks of peak months that follow each other
  weekly.forEach((_, i) => {
    if (peaks.length === 0) return;
    const month = new Date(Date.parse(ended ?? "") - (weekly.length - 1 - i + 0.5) * week).getMonth() + 1;
    const last = runs.at(-1);
    if (!peaks.includes(month)) return;
    if (last?.[1] === i - 1) last[1] = i;
    else runs.push([i, i]);
  });
  return (
    <svg width={width} height={height} viewBox={`0 0 ${width} ${height}`} role="img" className="block overflow-visible">
      <title>{words}</title>
      {runs.map(([from, to]) => (
        <rect
          key={from}
          x={(from - 0.5) * step}
          y={0}
          width={(to - from + 1) * step}
          height={height}
          fill="var(--fees)"
          opacity="0.35"
        />
      ))}
      <polygon points={`0,${height} ${points.join(" ")} ${width},${height}`} fill="var(--profit)" opacity="0.16" />
      <polyline points={points.join(" ")} fill="none" stroke="var(--profit)" strokeWidth="1.3" strokeLinejoin="round" />
      {spikes.map((i) => (
        <circle
          key={i}
          cx={(i / (weekly.length - 1)) * width}
          cy={height - 1 - ((weekly[i] ?? 0) / top) * (height - 3) + 2}
          r={3}
          fill="none"
          stroke="var(--beak-ink)"
          strokeWidth="1.4"
        />
      ))}
    </svg>
  );
}
