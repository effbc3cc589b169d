import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef, useState } from "react";
import { useKeys } from "./keys";

/** useCursor moves through a list of so many rows with J and K, the arrows, Home and End. */
export function useCursor(count: number, what: string) {
  const [at, setAt] = useState(0);
  const cursor = Math.max(0, Math.min(at, count - 1));
  const move = (by: number) => setAt(Math.max(0, Math.min(cursor + by, count - 1)));
  useKeys([
    { keys: ["j", "ArrowDown"], label: `next ${what}`, run: () => move(1) },
    { keys: ["k", "ArrowUp"], label: `previous ${what}`, run: () => move(-1) },
    { keys: ["Home"], label: "", run: () => setAt(0) },
    { keys: ["End"], label: "", run: () => setAt(count - 1) },
    { keys: ["PageDown"], label: "", run: () => move(10) },
    { keys: ["PageUp"], label: "", run: () => move(-10) },
  ]);
  return [cursor, setAt] as const;
}

/** useHeld is a value, or for as long as it is held, what it was before. */
export function useHeld<V>(value: V, held: boolean): V {
  const [last, setLast] = useState(value);
  if (!held && last !== value) setLast(value);
  return held ? last : value;
}

/** useRows shows only the rows of a long list that are in sight, and keeps the cursor's there. */
export function useRows(count: number, height: number, cursor: number) {
  const box = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({ count, getScrollElement: () => box.current, estimateSize: () => height, overscan: 4 });
  useEffect(() => {
    // To know how far it scrolls is to lay out the whole page: the first row needs that only when others are in front.
    if (count > 0 && (cursor > 0 || rows.scrollOffset)) rows.scrollToIndex(cursor, { align: "auto" });
  }, [cursor, count, rows]);
  return { box, items: rows.getVirtualItems(), size: rows.getTotalSize() };
}
