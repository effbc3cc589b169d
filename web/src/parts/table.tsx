import {
  type ColumnDef,
  columnVisibilityFeature,
  createSortedRowModel,
  rowSortingFeature,
  sortFn_alphanumeric,
  tableFeatures,
  useTable,
} from "@tanstack/react-table";
import { Fragment, type ReactNode, type RefObject } from "react";
import { cursorLook, Grid, GridRow } from "./grid";
import { RowReach, useRow, useRows } from "./list";
import { scaled, useNarrow } from "./room";

/** What a cell may want to know besides its row. */
type CellOf = { index: number; current: boolean };

/** A Column of a table, as data. */
export type Column<R extends object> = {
  id: string;
  /** What its heading says, and where it is more than words, what it shows. */
  name: string;
  head?: ReactNode;
  /** The heading is only read out: a column of pictures, ticks or buttons. */
  unseen?: boolean;
  /** The track of a table with a cursor: "3.25rem", "minmax(10rem,1fr)". */
  track?: string;
  align?: "right";
  /** Only where there is room, from 1280 px. */
  roomy?: boolean;
  /**
   * Where it stands in the card that a row is on a narrow screen: before it, in it, at its right, above or beneath, or
   * in a line of its own. Without, it is in the sheet alone there.
   */
  card?: keyof typeof cards;
  className?: string;
  show: (row: R, cell: CellOf) => ReactNode;
  /** What rows are sorted by where its heading is pressed. */
  by?: (row: R) => number | string;
};

const cards = {
  tick: "col-start-1 row-span-2",
  what: "col-start-2 row-span-2",
  top: "col-start-3 row-start-1 text-right",
  bottom: "col-start-3 row-start-2 text-right",
  line: "col-span-3 row-start-3",
};

const features = tableFeatures({
  columnVisibilityFeature,
  rowSortingFeature,
  sortedRowModel: createSortedRowModel(),
  sortFns: { alphanumeric: sortFn_alphanumeric },
});

/** useColumns holds rows and columns together: the rows in the order that was chosen, the columns that are shown. */
function useColumns<R extends object>(
  rows: R[],
  columns: Column<R>[],
  key: (row: R) => string | number,
  hidden?: Set<string>,
) {
  const defs: ColumnDef<typeof features, R>[] = columns.map((column) => ({
    id: column.id,
    header: column.name,
    enableSorting: column.by !== undefined,
    accessorFn: (row: R) => column.by?.(row) ?? "",
    sortFn: "alphanumeric" as const,
  }));
  const table = useTable({
    features,
    data: rows,
    columns: defs,
    getRowId: (row) => String(key(row)),
    state: { columnVisibility: Object.fromEntries([...(hidden ?? [])].map((id) => [id, false])) },
  });
  const shown = table
    .getVisibleLeafColumns()
    .map((leaf) => ({ leaf, column: columns.find((c) => c.id === leaf.id) as Column<R> }));
  return { shown, rows: table.getRowModel().rows };
}

type Columns<R extends object> = ReturnType<typeof useColumns<R>>;

/** heading is what a column's heading shows: its words, or a button where rows can be sorted by it. */
function heading<R extends object>({ leaf, column }: Columns<R>["shown"][number]): ReactNode {
  if (column.unseen) return <span className="sr-only">{column.name}</span>;
  if (!leaf.getCanSort()) return column.head ?? column.name;
  const sorted = leaf.getIsSorted();
  return (
    <button type="button" className="min-h-6 hover:underline" onClick={leaf.getToggleSortingHandler()}>
      {column.head ?? column.name}
      {sorted && <span aria-hidden="true">{sorted === "asc" ? " ▴" : " ▾"}</span>}
    </button>
  );
}

const sortedAs = { asc: "ascending", desc: "descending" } as const;

/** Table is a table that is read line by line, each as high as it needs. */
export function Table<R extends object>({
  rows,
  columns,
  rowKey,
  label,
  cursor,
  rowClass,
  groupOf,
  hidden,
  order,
  className = "",
}: {
  rows: R[];
  columns: Column<R>[];
  rowKey: (row: R) => string | number;
  label?: string;
  /** The cursor moves through the first rows, count of them; through all where it is left out. */
  cursor?: { at: number; set: (row: number) => void; count?: number } | undefined;
  rowClass?: (row: R) => string;
  /** Rows of one group stand together under its heading; the first group needs none. */
  groupOf?: (row: R) => string;
  /** The columns that are not shown, by id. */
  hidden?: Set<string>;
  /** Told the rows in the order in which they stand. */
  order?: RefObject<R[]>;
  className?: string;
}) {
  const table = useColumns(rows, columns, rowKey, hidden);
  if (order) order.current = table.rows.map((row) => row.original);
  let group = "";
  return (
    <div className="max-md:overflow-x-auto">
      <table className={`relative w-full text-left ${className}`} aria-label={label} role={cursor ? "grid" : undefined}>
        <thead className="text-sm text-ink-2">
          <tr>
            {table.shown.map((c) => {
              const sorted = c.leaf.getIsSorted();
              return (
                <th
                  key={c.leaf.id}
                  className={`py-1 font-normal! ${cellClass(c.column)}`}
                  aria-sort={sorted ? sortedAs[sorted] : undefined}
                >
                  {heading(c)}
                </th>
              );
            })}
          </tr>
        </thead>
        <tbody>
          {table.rows.map((row, index) => {
            const of = groupOf?.(row.original) ?? "";
            const begins = of !== group;
            group = of;
            return (
              <Fragment key={row.id}>
                {begins && (
                  <tr>
                    <th
                      colSpan={table.shown.length}
                      scope="rowgroup"
                      className="px-4 pt-5 pb-1 text-left font-semibold"
                    >
                      {of}
                    </th>
                  </tr>
                )}
                <Line
                  row={row.original}
                  index={index}
                  current={cursor?.at === index}
                  onPoint={cursor && index < (cursor.count ?? table.rows.length) ? () => cursor.set(index) : undefined}
                  columns={table.shown}
                  className={rowClass?.(row.original) ?? ""}
                />
              </Fragment>
            );
          })}
        </tbody>
      </table>
    </div>
  );
}

function cellClass<R extends object>(column: Column<R>): string {
  return `${column.align === "right" ? "text-right" : ""} ${column.roomy ? "hidden xl:table-cell" : ""} ${column.className ?? ""}`;
}

function Line<R extends object>({
  row,
  index,
  current,
  onPoint,
  columns,
  className,
}: {
  row: R;
  index: number;
  current: boolean;
  onPoint: (() => void) | undefined;
  columns: Columns<R>["shown"];
  className: string;
}) {
  const pointed = useRow<HTMLTableRowElement>(current, onPoint);
  return (
    <tr
      {...(onPoint ? { ...pointed, "aria-selected": current } : {})}
      className={`border-t border-line ${onPoint ? cursorLook(current) : ""} ${className}`}
    >
      <RowReach value={current || !onPoint}>
        {columns.map(({ column }) => (
          <td key={column.id} className={cellClass(column)}>
            {column.show(row, { index, current })}
          </td>
        ))}
      </RowReach>
    </tr>
  );
}

/** LongTable is a table of many rows, all equally high, of which those in sight are drawn; it has a cursor. */
export function LongTable<R extends object>({
  rows,
  columns,
  rowKey,
  label,
  rowHeight,
  cardHeight = rowHeight,
  cursor,
}: {
  rows: R[];
  columns: Column<R>[];
  rowKey: (row: R) => string | number;
  label: string;
  rowHeight: number;
  /** That of the cards on a narrow screen, where it differs. */
  cardHeight?: number;
  cursor: { at: number; set: (row: number) => void };
}) {
  const table = useColumns(rows, columns, rowKey);
  const narrow = useNarrow();
  const height = scaled(narrow ? cardHeight : rowHeight);
  const { box, items, size } = useRows(rows.length, height, cursor.at);
  const shown = narrow ? table.shown.filter(({ column }) => column.card) : table.shown;
  const tracks = narrow ? "auto minmax(0,1fr) auto" : shown.map(({ column }) => column.track ?? "1fr").join(" ");
  const grid = narrow ? "grid content-center items-center gap-x-2 px-3" : "grid items-center gap-x-4 px-4";
  return (
    <Grid
      box={box}
      label={label}
      count={rows.length}
      size={size}
      headClass={grid}
      tracks={tracks}
      heads={shown.map((c) => ({
        words: heading(c),
        className: c.column.align === "right" ? "text-right" : undefined,
      }))}
    >
      {items.map((item) => {
        const row = table.rows[item.index];
        if (!row) return null;
        const cell = { index: item.index, current: item.index === cursor.at };
        return (
          <GridRow
            key={row.id}
            index={item.index}
            start={item.start}
            height={height}
            current={cell.current}
            onPoint={() => cursor.set(item.index)}
            className={grid}
            columns={tracks}
          >
            {shown.map(({ column }) => (
              <span
                role="gridcell"
                key={column.id}
                className={`min-w-0 ${column.align === "right" ? "text-right" : ""} ${narrow && column.card ? cards[column.card] : ""} ${column.className ?? ""}`}
              >
                {column.show(row.original, cell)}
              </span>
            ))}
          </GridRow>
        );
      })}
    </Grid>
  );
}
