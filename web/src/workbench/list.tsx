import { type ReactNode, useEffect } from "react";
import type { DraftLine } from "../api/client";
import { Picture, Tick } from "../parts/controls";
import { Grid, GridRow } from "../parts/grid";
import { useRows } from "../parts/list";
import { ReadinessMarks } from "../parts/readiness";
import { scaled } from "../parts/room";
import { Link, type To } from "../parts/route";
import { draggedDrafts } from "./trays";

const rowHeight = scaled(50);

/** DraftList shows drafts in the order of the list, and asks for more of them once its end is near. */
export function DraftList({
  list,
  total,
  more,
  at,
  selected,
  aside,
  onSelect,
  onSelectAll,
  onPoint,
  onDrag,
  table,
  children,
}: {
  list: DraftLine[];
  /**
   * Total counts all drafts that the filter finds, -1 where that is not known yet; more asks for those that were not
   * read yet, and is absent where all were.
   */
  total: number;
  more?: () => void;
  at: number;
  selected: Set<number>;
  /** How many more there are in trays that are put aside. */
  aside: number;
  onSelect: (id: number) => void;
  onSelectAll: (all: boolean) => void;
  onPoint: (id: number) => void;
  /** The drafts that are carried when one is dragged; absent where none can be. */
  onDrag?: ((id: number) => number[]) | undefined;
  /** Where the same drafts are shown as a table. */
  table: To;
  /** What stands above the list: its filter. */
  children?: ReactNode;
}) {
  const { box, items, size, last } = useRows(list.length, rowHeight, at);
  const ready = list.filter((d) => d.report.ready).length;
  useEffect(() => {
    if (last >= list.length - 20) more?.();
  }, [last, list.length, more]);
  return (
    <div className="flex w-[16.5rem] shrink-0 flex-col border-r border-line bg-sunk max-md:w-full max-md:grow max-md:border-r-0">
      {children}
      <div className="flex h-9 items-center justify-between border-b border-line pr-3 pl-1">
        <span className="flex items-center">
          <Tick
            checked={list.length > 0 && !more && list.every((d) => selected.has(d.id))}
            onChange={onSelectAll}
            disabled={list.length === 0}
            label="Select all drafts"
          />
          <b>
            {total < 0 ? `${list.length} and more` : total === 1 ? "1 draft" : `${total.toLocaleString("en")} drafts`}
          </b>
        </span>
        <Link to={table} className="text-sm underline underline-offset-2">
          Table
        </Link>
        <span className="text-sm text-ink-2">
          {selected.size > 0 ? `${selected.size} selected` : more ? "" : `${ready} ready`}
        </span>
      </div>
      <Grid box={box} label="Drafts" count={total < 0 ? -1 : total} size={size} many>
        {items.map((item) => {
          const d = list[item.index];
          return (
            d && (
              <GridRow
                key={d.id}
                index={item.index}
                start={item.start}
                height={rowHeight}
                current={item.index === at}
                selected={selected.has(d.id)}
                headed={false}
                onPoint={() => onPoint(d.id)}
                onDrag={onDrag && ((transfer) => transfer.setData(draggedDrafts, JSON.stringify(onDrag(d.id))))}
                className="flex cursor-pointer items-center gap-2 pr-2 pl-1"
              >
                <span role="gridcell">
                  <Tick checked={selected.has(d.id)} onChange={() => onSelect(d.id)} label={`Select ${d.title}`} />
                </span>
                <span role="gridcell" className="shrink-0">
                  <Picture path={d.picture} width={96} className="size-9 shrink-0 border border-line" />
                </span>
                <span role="gridcell" className="min-w-0 grow">
                  <span className="block truncate font-semibold" title={d.title}>
                    {d.title || "No title"}
                  </span>
                  <ReadinessMarks report={d.report} />
                </span>
              </GridRow>
            )
          );
        })}
      </Grid>
      <p className="border-t border-line px-3 py-1.5 text-xs text-ink-2">
        {aside > 0 && `${aside} more put aside · `}marks: description · pictures · variants · price
      </p>
    </div>
  );
}
