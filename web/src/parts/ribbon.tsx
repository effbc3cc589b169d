/** DemandRibbon draws weekly sales, oldest first. */
export function DemandRibbon({ weekly, width = 92, height = 24 }: { weekly: number[]; width?: number; height?: number }) {
  if (weekly.length < 2) return <span className="text-sm text-ink-2">no history</span>;
  const top = Math.max(...weekly, 1);
  const points = weekly.map((n, i) => `${((i / (weekly.length - 1)) * width).toFixed(1)},${(height - 1 - (n / top) * (height - 3)).toFixed(1)}`);
  const words = `Sold each week over ${weekly.length} weeks: between ${Math.min(...weekly)} and ${top}, last ${weekly[weekly.length - 1]}`;
  return (
    <svg width={width} height={height} viewBox={`0 0 ${width} ${height}`} role="img" aria-label={words} className="block">
      <title>{words}</title>
      <polygon points={`0,${height} ${points.join(" ")} ${width},${height}`} fill="var(--profit)" opacity="0.16" />
      <polyline points={points.join(" ")} fill="none" stroke="var(--profit)" strokeWidth="1.3" strokeLinejoin="round" />
    </svg>
  );
}
