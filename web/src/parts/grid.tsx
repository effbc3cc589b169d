import type { ReactNode, RefObject } from "react";

/** Grid is a long list of which only the rows in sight are there. */
export function Grid({
  box,
  label,
  count,
  size,
  active,
  children,
}: {
  box: RefObject<HTMLDivElement | null>;
  label: string;
  count: number;
  size: number;
  active?: string | undefined;
  children: ReactNode;
}) {
  return (
    <div
      ref={box}
      className="min-h-0 grow overflow-auto"
      tabIndex={0}
      role="grid"
      aria-label={label}
      aria-rowcount={count}
      aria-activedescendant={active}
    >
      <div className="relative" role="rowgroup" style={{ height: size }}>
        {children}
      </div>
    </div>
  );
}

/** GridRow is one row, at its place; the cursor's has the beak at its left. */
export function GridRow({
  id,
  index,
  start,
  height,
  current,
  onPoint,
  className,
  children,
}: {
  id?: string | undefined;
  index: number;
  start: number;
  height: number;
  current: boolean;
  onPoint: () => void;
  className: string;
  children: ReactNode;
}) {
  return (
    <div
      id={id}
      role="row"
      aria-rowindex={index + 1}
      aria-selected={current}
      tabIndex={-1}
      onClick={onPoint}
      className={`${className} absolute inset-x-0 border-b contain-content border-line ${current ? "bg-surface shadow-[inset_3px_0_0_var(--beak)]" : "hover:bg-surface"}`}
      style={{ top: start, height }}
    >
      {children}
    </div>
  );
}
