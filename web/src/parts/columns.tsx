import { useState } from "react";
import { Tick } from "./controls";
import { Opener } from "./opener";

/** useHiddenColumns keeps in the browser which columns of a table are hidden; those of first are, until one chooses. */
export function useHiddenColumns(table: string, first: string[]) {
  const place = `pelican.columns.${table}`;
  const [hidden, setHidden] = useState<Set<string>>(() => {
    try {
      const kept = JSON.parse(localStorage.getItem(place) ?? "null") as unknown;
      return new Set(Array.isArray(kept) ? kept.map(String) : first);
    } catch {
      return new Set(first);
    }
  });
  const set = (id: string, shown: boolean) => {
    const next = new Set(hidden);
    if (shown) next.delete(id);
    else next.add(id);
    setHidden(next);
    try {
      localStorage.setItem(place, JSON.stringify([...next]));
    } catch {
      // no room: it holds until the page is left
    }
  };
  return [hidden, set] as const;
}

/** ColumnChoice says which columns of a table are shown. */
export function ColumnChoice({
  columns,
  hidden,
  onChange,
}: {
  columns: { id: string; name: string }[];
  hidden: Set<string>;
  onChange: (id: string, shown: boolean) => void;
}) {
  return (
    <Opener
      words="Columns"
      label="Columns"
      className="inline-flex min-h-7 items-center rounded-md px-3 py-1 font-semibold hover:bg-sunk"
      panelLabel="Columns"
      panelClass="w-52 p-2"
      align="end"
    >
      {() =>
        columns.map((c) => (
          <div key={c.id} className="flex items-center gap-1">
            <Tick checked={!hidden.has(c.id)} onChange={(now) => onChange(c.id, now)} label={c.name} />
            <span aria-hidden="true">{c.name}</span>
          </div>
        ))
      }
    </Opener>
  );
}
