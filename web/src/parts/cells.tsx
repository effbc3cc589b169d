import {
  type ClipboardEvent,
  createContext,
  type KeyboardEvent,
  type ReactNode,
  use,
  useCallback,
  useEffect,
  useEffectEvent,
  useMemo,
  useRef,
  useState,
  useSyncExternalStore,
} from "react";

/** A Place in a grid: the row by its index on screen, the column by its name. */
type Place = { row: number; col: string };

/** A CellEdit is what a cell is to hold. */
export type CellEdit = Place & { text: string };

type Shared = {
  register: (place: Place, element: HTMLInputElement) => () => void;
  go: (row: number, col: string, extend?: boolean) => boolean;
  /** The cells between the one where selecting began and the one with the focus; empty where it is one alone. */
  range: () => Place[];
  begin: (place: Place) => void;
  chosen: (place: Place) => boolean;
  listen: (listener: () => void) => () => void;
  columns: string[];
  edit: (edits: CellEdit[]) => void;
  textAt: (place: Place) => string;
  rows: () => number;
};

const Sharing = createContext<Shared | undefined>(undefined);

const keyOf = ({ row, col }: Place) => `${row}:${col}`;

/**
 * Cells makes the fields in it behave as the cells of a spreadsheet: typing replaces, arrows and Enter move, Tab goes
 * right, Shift selects a block, Ctrl D fills it down, and a block that was copied is pasted from the cell on.
 */
export function Cells({
  columns,
  rows,
  textAt,
  onEdit,
  reveal,
  children,
}: {
  /** The columns that can be edited, from left to right. */
  columns: string[];
  rows: number;
  /** What a cell holds, drawn or not. */
  textAt: (row: number, col: string) => string;
  onEdit: (edits: CellEdit[]) => void;
  /** Has a row drawn that is out of sight; left out where all are. */
  reveal?: (row: number) => void;
  children: ReactNode;
}) {
  const elements = useRef(new Map<string, HTMLInputElement>()).current;
  const wanted = useRef<string>(undefined); // the cell that gets the focus once it is drawn
  const block = useRef<{ from: Place; to: Place }>(undefined);
  const listeners = useRef(new Set<() => void>()).current;
  const latest = useRef({ rows, textAt, onEdit, reveal });
  latest.current = { rows, textAt, onEdit, reveal };
  const names = columns.join(" ");
  // biome-ignore lint/correctness/useExhaustiveDependencies: among other rows or columns, no block is selected
  useEffect(() => {
    block.current = undefined;
    for (const listener of listeners) listener();
  }, [rows, names]);
  const shared = useMemo<Shared>(() => {
    const cols = names.split(" ");
    const tell = () => {
      for (const listener of listeners) listener();
    };
    const span = () => {
      const b = block.current;
      if (!b) return undefined;
      const [a, z] = [cols.indexOf(b.from.col), cols.indexOf(b.to.col)];
      return {
        top: Math.min(b.from.row, b.to.row),
        bottom: Math.max(b.from.row, b.to.row),
        left: Math.min(a, z),
        right: Math.max(a, z),
      };
    };
    return {
      columns: cols,
      rows: () => latest.current.rows,
      textAt: ({ row, col }) => latest.current.textAt(row, col),
      edit: (edits) => latest.current.onEdit(edits),
      register: (place, element) => {
        const key = keyOf(place);
        elements.set(key, element);
        if (wanted.current === key) {
          wanted.current = undefined;
          element.focus();
        }
        return () => {
          if (elements.get(key) === element) elements.delete(key);
        };
      },
      go: (row, col, extend = false) => {
        if (row < 0 || row >= latest.current.rows || !cols.includes(col)) return false;
        const from = block.current?.from;
        const element = elements.get(keyOf({ row, col }));
        if (!element && !latest.current.reveal) return false;
        if (element) element.focus();
        else {
          wanted.current = keyOf({ row, col });
          latest.current.reveal?.(row);
        }
        block.current = { from: extend && from ? from : { row, col }, to: { row, col } };
        tell();
        return true;
      },
      begin: (place) => {
        if (block.current && keyOf(block.current.to) === keyOf(place)) return;
        block.current = { from: place, to: place };
        tell();
      },
      range: () => {
        const s = span();
        if (!s) return [];
        const out: Place[] = [];
        for (let row = s.top; row <= s.bottom; row++)
          for (const col of cols.slice(s.left, s.right + 1)) out.push({ row, col });
        return out.length > 1 ? out : [];
      },
      chosen: ({ row, col }) => {
        const s = span();
        const at = cols.indexOf(col);
        if (!s || (s.top === s.bottom && s.left === s.right)) return false;
        return row >= s.top && row <= s.bottom && at >= s.left && at <= s.right;
      },
      listen: (listener) => {
        listeners.add(listener);
        return () => listeners.delete(listener);
      },
    };
  }, [names, elements, listeners]);
  return <Sharing value={shared}>{children}</Sharing>;
}

/** blockOf is a copied text as rows of cells, as spreadsheets copy it: RFC 4180 quotes, tabs between cells. */
export function blockOf(text: string): string[][] {
  const rows: string[][] = [[]];
  let cell = "";
  let quoted = false;
  const source = text.replace(/\r\n?/g, "\n").replace(/\n$/, "");
  for (let i = 0; i < source.length; i++) {
    const c = source[i] as string;
    if (quoted) {
      if (c !== '"') cell += c;
      else if (source[i + 1] === '"') {
        cell += '"';
        i++;
      } else quoted = false;
    } else if (c === '"' && cell === "") quoted = true;
    else if (c === "\t" || c === "\n") {
      rows.at(-1)?.push(cell);
      cell = "";
      if (c === "\n") rows.push([]);
    } else cell += c;
  }
  rows.at(-1)?.push(cell);
  return rows;
}

const asBlock = (shared: Shared, places: Place[]) => {
  const lines = new Map<number, string[]>();
  for (const p of places) {
    const text = shared.textAt(p);
    const cell = /[\t\n"]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
    lines.set(p.row, [...(lines.get(p.row) ?? []), cell]);
  }
  return [...lines.values()].map((cells) => cells.join("\t")).join("\n");
};

/** Cell is one field of Cells. What is typed is kept once it is left; what cannot be is said beneath, and stays. */
export function Cell({
  row,
  col,
  value,
  label,
  readOnly = false,
  check,
  fieldRef,
  reach = true,
  className = "",
  ...rest
}: {
  row: number;
  col: string;
  value: string;
  label: string;
  readOnly?: boolean;
  /** What is wrong with a text; undefined where nothing is. */
  check?: (text: string) => string | undefined;
  /** By which others can give it the focus. */
  fieldRef?: (element: HTMLInputElement | null) => void;
  /** Whether Tab comes to it from outside: in a long list, those of the cursor's row alone. */
  reach?: boolean;
  className?: string;
  placeholder?: string;
  inputMode?: "decimal" | "numeric";
  "aria-invalid"?: boolean | undefined;
}) {
  const shared = use(Sharing) as Shared;
  const [typed, setTyped] = useState<string>();
  const text = typed ?? value;
  const own = useRef<HTMLInputElement>(null);
  const leaving = useRef(false); // by Escape: what was typed is not kept
  const place = useMemo(() => ({ row, col }), [row, col]);
  const chosen = useSyncExternalStore(shared.listen, () => shared.chosen(place));
  const ref = useCallback(
    (element: HTMLInputElement | null) => {
      own.current = element;
      if (!element) return;
      const forget = shared.register(place, element);
      const also = fieldRef?.(element) as unknown;
      return () => {
        forget();
        if (typeof also === "function") also();
      };
    },
    [shared, place, fieldRef],
  );
  const wrong = text.trim() === value ? undefined : check?.(text);
  const save = useEffectEvent(() => {
    if (typed === undefined || wrong) return;
    const next = typed.trim();
    if (next !== value) shared.edit([{ row, col, text: next }]);
    setTyped(undefined);
  });
  useEffect(() => () => save(), []);
  return (
    <>
      <input
        {...rest}
        ref={ref}
        aria-label={label}
        aria-invalid={wrong !== undefined || rest["aria-invalid"] || undefined}
        autoComplete="off"
        tabIndex={reach ? 0 : -1}
        value={text}
        readOnly={readOnly}
        data-chosen={chosen || undefined}
        data-unchanged={text === value || undefined}
        onChange={(e) => setTyped(e.target.value)}
        onFocus={(e) => {
          e.target.select();
          shared.begin(place);
        }}
        onBlur={() => leaving.current || save()}
        onKeyDown={(e) => {
          if (e.key !== "Escape")
            return readOnly && e.key.length === 1 ? undefined : onCellKey(e, shared, place, typed !== undefined);
          leaving.current = true;
          setTyped(undefined);
          own.current?.blur();
          leaving.current = false;
        }}
        onCopy={(e) => {
          const places = shared.range();
          if (places.length === 0) return;
          e.preventDefault();
          e.clipboardData.setData("text/plain", asBlock(shared, places));
        }}
        onPaste={(e) => !readOnly && pasteBlock(e, shared, place)}
        className={`${className} ${chosen ? "bg-beak-wash!" : ""}`}
      />
      {wrong && (
        <span role="alert" className="block text-left text-sm text-loss">
          {wrong}
        </span>
      )}
    </>
  );
}

/** onCellKey moves between cells, and fills or empties those that are selected. */
function onCellKey(e: KeyboardEvent<HTMLInputElement>, shared: Shared, { row, col }: Place, typing: boolean) {
  const at = shared.columns.indexOf(col);
  const moved = (rows: number, cols: number, extend = false) => {
    const next = shared.columns[at + cols];
    if (next === undefined) return false;
    // A row may lack the cell: the next that has it is meant.
    for (let to = row + rows; to >= 0 && to < shared.rows(); to += rows || 1) {
      if (shared.go(to, next, extend)) return true;
      if (rows === 0) return false;
    }
    return false;
  };
  const act = (done: boolean) => {
    if (done) e.preventDefault();
    return done;
  };
  const { key } = e;
  if ((e.ctrlKey || e.metaKey) && key.toLowerCase() === "d") {
    e.preventDefault();
    return fillDown(shared, { row, col });
  }
  if (e.ctrlKey || e.metaKey || e.altKey) return;
  if (key === "ArrowDown" || (key === "Enter" && !e.shiftKey)) {
    if (!act(moved(1, 0, e.shiftKey && key !== "Enter")) && key === "Enter") e.currentTarget.blur();
    if (key === "ArrowDown") e.preventDefault();
  } else if (key === "ArrowUp" || key === "Enter") {
    moved(-1, 0, e.shiftKey && key !== "Enter");
    e.preventDefault();
  } else if (key === "Tab") act(moved(0, e.shiftKey ? -1 : 1));
  else if ((key === "ArrowRight" || key === "ArrowLeft") && !typing)
    act(moved(0, key === "ArrowRight" ? 1 : -1, e.shiftKey));
  else if ((key === "Delete" || key === "Backspace") && !typing && shared.range().length > 0) {
    e.preventDefault();
    shared.edit(shared.range().map((p) => ({ ...p, text: "" })));
  }
}

/** fillDown has the cells of a block hold what its first row holds; of one cell, what the one above holds. */
function fillDown(shared: Shared, { row, col }: Place) {
  const places = shared.range();
  if (places.length === 0) {
    if (row > 0) shared.edit([{ row, col, text: shared.textAt({ row: row - 1, col }) }]);
    return;
  }
  const top = Math.min(...places.map((p) => p.row));
  const rest = places.filter((p) => p.row > top);
  if (rest.length > 0) shared.edit(rest.map((p) => ({ ...p, text: shared.textAt({ row: top, col: p.col }) })));
}

/** pasteBlock pastes rows and columns of cells from one on; one cell alone is pasted as text. */
function pasteBlock(e: ClipboardEvent<HTMLInputElement>, shared: Shared, { row, col }: Place) {
  const rows = blockOf(e.clipboardData.getData("text"));
  const single = rows.length === 1 && rows[0]?.length === 1;
  const places = shared.range();
  if (single && places.length === 0) return;
  e.preventDefault();
  if (single) return shared.edit(places.map((p) => ({ ...p, text: (rows[0]?.[0] ?? "").trim() })));
  const first = shared.columns.indexOf(col);
  const edits: CellEdit[] = [];
  for (const [r, cells] of rows.entries())
    for (const [c, text] of cells.entries()) {
      const to = shared.columns[first + c];
      if (to !== undefined && row + r < shared.rows()) edits.push({ row: row + r, col: to, text: text.trim() });
    }
  shared.edit(edits);
}
