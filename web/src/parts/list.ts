import { defaultRangeExtractor, useVirtualizer } from "@tanstack/react-virtual";
import { createContext, type RefObject, use, useEffect, useLayoutEffect, useRef, useState } from "react";
import { useKeys } from "./keys";

/** Whether the cursor was last moved by a key: its row takes the focus then, if nothing else has it. */
let byKey = false;

/** useCursor moves through a list of so many rows with J and K, the arrows, Home and End. */
export function useCursor(count: number, what: string) {
  const [at, setAt] = useState(0);
  const cursor = Math.max(0, Math.min(at, count - 1));
  const moveTo = (row: number) => {
    byKey = true;
    setAt(Math.max(0, Math.min(row, count - 1)));
  };
  useKeys([
    { keys: ["j", "ArrowDown"], label: `next ${what}`, run: () => moveTo(cursor + 1) },
    { keys: ["k", "ArrowUp"], label: `previous ${what}`, run: () => moveTo(cursor - 1) },
    { keys: ["Home"], label: "", run: () => moveTo(0) },
    { keys: ["End"], label: "", run: () => moveTo(count - 1) },
    { keys: ["PageDown"], label: "", run: () => moveTo(cursor + 10) },
    { keys: ["PageUp"], label: "", run: () => moveTo(cursor - 10) },
  ]);
  return [cursor, setAt, moveTo] as const;
}

/** movedByKey says of a cursor that a view keeps elsewhere, in its address for instance, that a key moved it. */
export function movedByKey() {
  byKey = true;
}

const overscan = 4;

/**
 * useRows shows only the rows of a long list that are in sight, and keeps the cursor's there: it is scrolled to when it
 * moves, and drawn also when it is scrolled away, since it may have the focus. First and last are those in sight.
 * What is listed while something else is asked for stands still until that is there, which begins at its top.
 */
export function useRows(
  count: number,
  height: number,
  cursor: number,
  into?: RefObject<HTMLDivElement | null>,
  { of, asked }: { of: string; asked: boolean } = { of: "", asked: false },
) {
  const own = useRef<HTMLDivElement>(null);
  const box = into ?? own;
  const rows = useVirtualizer({
    count,
    getScrollElement: () => box.current,
    estimateSize: () => height,
    overscan,
    rangeExtractor: (range) => {
      const seen = defaultRangeExtractor(range);
      if (cursor < 0 || cursor >= count || seen.includes(cursor)) return seen;
      return cursor < (seen[0] ?? 0) ? [cursor, ...seen] : [...seen, cursor];
    },
  });
  // biome-ignore lint/correctness/useExhaustiveDependencies: rows of another height are laid out anew
  useEffect(() => rows.measure(), [rows, height]);
  const before = useRef(of);
  useLayoutEffect(() => {
    if (before.current !== of) box.current?.scrollTo(0, 0);
    before.current = of;
  }, [of, box]);
  useEffect(() => {
    if (asked) return;
    // To know how far it scrolls is to lay out the whole page: a row that is in sight does not need that.
    const [from, room] = [rows.scrollOffset ?? 0, rows.scrollRect?.height ?? 0];
    const seen = cursor * height >= from && (cursor + 1) * height <= from + room;
    if (count > 0 && !seen && (cursor > 0 || from)) rows.scrollToIndex(cursor, { align: "auto" });
  }, [cursor, count, rows, height, asked]);
  const items = rows.getVirtualItems();
  const { startIndex = 0, endIndex = 0 } = rows.range ?? {};
  return {
    box,
    items,
    size: rows.getTotalSize(),
    first: Math.max(0, startIndex - overscan),
    last: Math.max(0, Math.min(endIndex + overscan, count - 1)),
  };
}

/** Whether the controls of a row can be reached with Tab: those of the cursor's can, so that Tab leaves a long list. */
export const RowReach = createContext(true);

/** useReach is the tab index of a control that may stand in a row. */
export function useReach(): 0 | -1 {
  return use(RowReach) ? 0 : -1;
}

/**
 * useRow makes an element the row of a list with a cursor. The cursor's row has the focus: it takes it when the cursor
 * comes to it while the focus is in the list, or nowhere; and where the focus comes to a row, the cursor comes too.
 */
export function useRow<E extends HTMLElement>(current: boolean, onPoint: (() => void) | undefined) {
  const row = useRef<E>(null);
  useLayoutEffect(() => {
    const element = row.current;
    if (!current || !element) return;
    const has = document.activeElement;
    const nobody = has === null || has === document.body || has.matches("main");
    const inList = element.closest("[role=grid]")?.contains(has) && !element.contains(has);
    if (inList || (nobody && byKey)) element.focus({ preventScroll: true });
    byKey = false;
  }, [current]);
  return {
    ref: row,
    tabIndex: current ? 0 : -1,
    onClick: onPoint,
    onFocus: () => {
      if (!current) onPoint?.();
    },
  };
}
