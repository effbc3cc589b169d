import type { ReactNode, RefObject } from "react";
import { RowReach, useRow } from "./list";

/** Where the cursor is has the beak at its left. */
export const cursorLook = (current: boolean) =>
  current ? "bg-surface shadow-[inset_3px_0_0_var(--beak)] focus-visible:-outline-offset-2" : "hover:bg-surface";

/** A heading of a column: what it says, and how it stands. A column of pictures or ticks says it to readers only. */
export type Head = { words: ReactNode; className?: string | undefined; unseen?: boolean | undefined };

/** Grid is a long list of which only the rows in sight are there, with a head where its columns have names. */
export function Grid({
  box,
  label,
  count,
  size,
  heads,
  headClass = "",
  tracks,
  many = false,
  children,
}: {
  box: RefObject<HTMLDivElement | null>;
  label: string;
  /** How many rows there are; -1 where that is not known. */
  count: number;
  size: number;
  heads?: Head[];
  headClass?: string;
  /** The tracks of its columns, where the class does not say them. */
  tracks?: string | undefined;
  /** Whether rows are selected, several at once. */
  many?: boolean;
  children: ReactNode;
}) {
  return (
    <div
      className="flex min-h-0 grow flex-col max-md:shrink-0 max-md:basis-50"
      role="grid"
      data-opens-sheet
      aria-label={label}
      aria-rowcount={count < 0 ? -1 : count + (heads ? 1 : 0)}
      aria-colcount={heads?.length}
      aria-multiselectable={many || undefined}
    >
      {heads && (
        <div
          role="row"
          aria-rowindex={1}
          className={`${headClass} min-h-7 shrink-0 border-b border-line text-sm text-ink-2 max-md:sr-only`}
          style={{ gridTemplateColumns: tracks }}
        >
          {heads.map((head, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: the columns of one table keep their order
            <span role="columnheader" key={i} className={head.className}>
              {head.unseen ? <span className="sr-only">{head.words}</span> : head.words}
            </span>
          ))}
        </div>
      )}
      <div ref={box} className="min-h-0 grow overflow-auto" role="presentation">
        <div className="relative" role="rowgroup" style={{ height: size }}>
          {children}
        </div>
      </div>
    </div>
  );
}

/** GridRow is one row of a Grid, at its index; the first stands beneath the head. */
export function GridRow({
  id,
  index,
  start,
  height,
  current,
  selected,
  headed = true,
  onPoint,
  onDrag,
  className,
  columns,
  children,
}: {
  id?: string | undefined;
  index: number;
  start: number;
  height: number;
  current: boolean;
  /** Left out where rows are not selected: the cursor's is it then. */
  selected?: boolean | undefined;
  headed?: boolean;
  onPoint: () => void;
  /** Where it can be dragged: what is carried, put into the transfer. */
  onDrag?: ((transfer: DataTransfer) => void) | undefined;
  className: string;
  /** The tracks of its columns, where the class does not say them. */
  columns?: string | undefined;
  children: ReactNode;
}) {
  const row = useRow<HTMLDivElement>(current, onPoint);
  return (
    <div
      {...row}
      id={id}
      role="row"
      aria-rowindex={index + (headed ? 2 : 1)}
      aria-selected={selected ?? current}
      data-cursor={current || undefined}
      draggable={onDrag ? true : undefined}
      onDragStart={onDrag && ((e) => onDrag(e.dataTransfer))}
      className={`${className} absolute inset-x-0 border-b contain-content border-line ${cursorLook(current)}`}
      style={{ top: start, height, gridTemplateColumns: columns }}
    >
      <RowReach value={current}>{children}</RowReach>
    </div>
  );
}
