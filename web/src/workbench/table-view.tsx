import { useInfiniteQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { api, ask, type Problem, type Schemas } from "../api/client";
import { refresh } from "../api/refresh";
import { useSession } from "../frame/session";
import { Cell, type CellEdit, Cells } from "../parts/cells";
import { ColumnChoice, useHiddenColumns } from "../parts/columns";
import { Button, Notice, Tick } from "../parts/controls";
import { FieldMap, Fields } from "../parts/fields";
import { useKept } from "../parts/kept";
import { useKeys } from "../parts/keys";
import { RowReach, useCursor, useRow, useRows } from "../parts/list";
import { scaled } from "../parts/room";
import { Link, useNavigate } from "../parts/route";
import { useSay } from "../parts/toast";
import { type Dialog, Dialogs } from "./dialogs";
import { Exchange } from "./exchange";
import { FilterSentence, useDraftFilter } from "./filter";
import { add as addEdit, type Edit, editsWait, fieldsOf } from "./pending";
import { type DraftFilter, tableQuery, undoBulk, undoneWords, updateRows } from "./queries";
import {
  type Input,
  type Line,
  merged,
  shownWith,
  type TableColumn,
  type TableRow,
  tableColumns,
} from "./table-columns";

const rowHeight = scaled(36);

/** The columns that stay in sight when the others are scrolled: the tick, the picture and the title. */
const frozen = ["picture", "title"];
const tickWidth = scaled(36);

/** TableView is many drafts as one table: a row a draft or a variant, edited as a spreadsheet is. */
export default function TableView() {
  const { storeId, store, may } = useSession();
  const go = useNavigate();
  const { filter, change, search, asked } = useDraftFilter();
  const [byVariant, setByVariant] = useKept("workbench.by-variant", () => false);
  const [hidden, setHidden] = useHiddenColumns(
    "drafts",
    tableColumns.filter((c) => c.extra).map((c) => c.id),
  );
  const rows = useInfiniteQuery(tableQuery(storeId, filter, byVariant));
  const drafts = useMemo(() => rows.data?.pages.flatMap((p) => p.rows ?? []) ?? [], [rows.data]);
  const total = rows.data?.pages[0]?.total ?? 0;
  const lines = useMemo<Line[]>(
    () =>
      byVariant
        ? drafts.flatMap((draft) => draft.variants.map((variant) => ({ draft, variant })))
        : drafts.map((draft) => ({ draft, variant: undefined })),
    [drafts, byVariant],
  );
  const columns = tableColumns.filter((c) => !hidden.has(c.id) && (byVariant ? !c.ofDraft : !c.ofVariant));
  const [selected, setSelected] = useKept<Set<number>>("workbench.selected", () => new Set());
  const [cursor, setCursor] = useCursor(lines.length, "row");
  const [dialog, setDialog] = useState<Dialog>();
  const [exchange, setExchange] = useState(false);
  const fields = useRef(new FieldMap()).current;
  const { edit, undo } = useTableEdits(storeId, filter, byVariant, lines);
  const ids = drafts.filter((d) => selected.has(d.id)).map((d) => d.id);
  const here = lines[cursor]?.draft;
  const onMany = (of: "publish" | "prices" | "change" | "move") => () => {
    const of_ids = ids.length > 0 ? ids : here ? [here.id] : [];
    if (of_ids.length > 0) setDialog({ of, ids: of_ids });
  };
  const mark = (id: number | undefined) =>
    id &&
    setSelected((before) => {
      const next = new Set(before);
      if (!next.delete(id)) next.add(id);
      return next;
    });
  const more = rows.hasNextPage && !rows.isFetchingNextPage ? () => void rows.fetchNextPage() : undefined;
  const selectAll = async (all: boolean) => {
    let read = rows.data;
    while (all && read && (read.pages.at(-1)?.next ?? 0) > 0) read = (await rows.fetchNextPage()).data;
    setSelected(new Set(all ? read?.pages.flatMap((p) => p.rows ?? []).map((d) => d.id) : []));
  };
  useKeys([
    { keys: ["x"], label: "select", run: () => mark(here?.id) },
    { keys: ["Enter"], label: "open draft", run: () => here && go({ pathname: `/workbench/${here.id}`, search }) },
    ...(may("editor")
      ? [
          { keys: ["b"], label: "change words", run: onMany("change") },
          { keys: ["c"], label: "change prices", run: onMany("prices") },
          { keys: ["v"], label: "move to a tray", run: onMany("move") },
          { keys: ["ctrl+z"], label: "undo", run: undo, whileTyping: false },
        ]
      : []),
    { keys: ["/"], label: "filter", run: () => fields.come("filter") },
    { keys: ["Escape"], label: "", run: () => setSelected(new Set()) },
  ]);
  return (
    <Fields value={fields}>
      <main className="flex min-h-0 grow flex-col">
        <h1 className="sr-only">Drafts as a table</h1>
        <div className="flex flex-wrap items-center gap-x-4 border-b border-line bg-surface pr-4">
          <div className="min-w-64 grow [&>search]:border-0">
            <FilterSentence filter={filter} change={change} />
          </div>
          <Link to={{ pathname: "/workbench", search }} className="underline underline-offset-2">
            One at a time
          </Link>
        </div>
        <div className="flex min-h-10 shrink-0 flex-wrap items-center gap-2 border-b border-line px-3">
          <b>
            {total < 0
              ? `${drafts.length} drafts and more`
              : total === 1
                ? "1 draft"
                : `${total.toLocaleString("en")} drafts`}
          </b>
          {selected.size > 0 && <span className="text-ink-2">{ids.length} selected</span>}
          <span className="grow" />
          <RowsOf value={byVariant} onChange={setByVariant} />
          <ColumnChoice
            columns={tableColumns.filter((c) => (byVariant ? !c.ofDraft : !c.ofVariant))}
            hidden={hidden}
            onChange={setHidden}
          />
          <Button tone="quiet" onClick={() => setExchange(true)}>
            File…
          </Button>
          {may("editor") && (
            <Button onClick={onMany("change")} disabled={!here}>
              Change {ids.length > 0 ? `${ids.length} selected` : "words"}…
            </Button>
          )}
        </div>
        {rows.error && !rows.data ? (
          <Notice title="The drafts cannot be shown" error>
            <p>{(rows.error as Problem).message}</p>
            <Button onClick={() => void rows.refetch()}>Try again</Button>
          </Notice>
        ) : rows.data && lines.length === 0 ? (
          <Notice title={asked ? "No draft matches" : "There are no drafts"}>
            {asked && <Button onClick={() => go("/workbench/table")}>Clear the filter</Button>}
          </Notice>
        ) : (
          <Sheet
            lines={lines}
            columns={columns}
            currency={store?.currency ?? ""}
            cursor={cursor}
            onPoint={setCursor}
            selected={selected}
            onSelect={mark}
            all={drafts.length > 0 && !rows.hasNextPage && drafts.every((d) => selected.has(d.id))}
            onSelectAll={(all) => void selectAll(all)}
            more={more}
            onEdit={edit}
            readOnly={!may("editor")}
          />
        )}
        {exchange && <Exchange filter={filter} onClose={() => setExchange(false)} />}
        {dialog && (
          <Dialogs
            dialog={dialog}
            draft={undefined}
            edit={() => {}}
            onUndo={() => {}}
            onClose={() => setDialog(undefined)}
          />
        )}
      </main>
    </Fields>
  );
}

function RowsOf({ value, onChange }: { value: boolean; onChange: (byVariant: boolean) => void }) {
  return (
    <fieldset className="flex items-center gap-2">
      <legend className="sr-only">A row is</legend>
      {(
        [
          [false, "A row a draft"],
          [true, "A row a variant"],
        ] as const
      ).map(([is, words]) => (
        <label key={words} className="flex min-h-7 cursor-pointer items-center gap-1.5">
          <input
            type="radio"
            name="rows"
            className="accent-(--beak-fill)"
            checked={value === is}
            onChange={() => onChange(is)}
          />
          {words}
        </label>
      ))}
    </fieldset>
  );
}

/** revisions are the changes of a draft as far as an edit knows them: at which revision each of its fields was seen. */
const revisions = (base: Record<string, number> | undefined) =>
  Object.fromEntries(Object.entries(base ?? {}).map(([field, revision]) => [field, { revision }]));

/** useTableEdits saves what was typed or pasted as one step, shows it at once, and undoes the last such step. */
function useTableEdits(store: number, filter: DraftFilter, byVariant: boolean, lines: Line[]) {
  const client = useQueryClient();
  const say = useSay();
  const made = useRef<number[]>([]); // the steps that can be undone, the last behind
  const latest = useRef(lines);
  latest.current = lines;
  const key = tableQuery(store, filter, byVariant).queryKey;
  const columns = useMemo(() => new Map(tableColumns.map((c) => [c.id, c])), []);
  const last = useRef(Promise.resolve()); // one is saved after another, and undone once it is saved
  const saveNow = useCallback(
    async (body: { edits: Schemas["WorkbenchDraftEdit"][] }) => {
      try {
        const saved = await ask(api.POST("/api/drafts/edits", { params: { query: { store } }, body }));
        if (saved.bulk) made.current.push(saved.bulk);
        if (saved.refused.length > 0) {
          const first = saved.refused[0];
          const others = saved.refused.length > 1 ? ` ${saved.refused.length - 1} more were refused.` : "";
          say(`${first?.title ? `“${first.title}”: ` : ""}${first?.words}${others}`, true);
        }
        if (saved.changed > 20) say(`${saved.changed} drafts are changed.`);
        void refresh(client, "draft-names");
      } catch (error) {
        const problem = error as Problem;
        if (problem.status !== 0 && problem.status < 500) {
          say(problem.message, true);
          void refresh(client, "draft-table");
          return;
        }
        // Away: each waits in this browser, and is sent once the application is back.
        for (const { draft_id, edit: change } of body.edits) {
          const { base, ...rest } = change;
          addEdit({ id: draft_id, changes: revisions(base) }, store, rest as Edit);
        }
        say(`${problem.message} ${editsWait(body.edits.length)} in this browser, and are sent then.`, true);
        return;
      }
      void refresh(client, "draft-table", "draft");
    },
    [client, store, say],
  );
  const save = useCallback(
    (body: Parameters<typeof saveNow>[0]) => {
      last.current = last.current.then(() => saveNow(body));
      return last.current;
    },
    [saveNow],
  );
  const edit = useCallback(
    async (edits: CellEdit[]) => {
      const byDraft = new Map<number, { draft: TableRow; change: Partial<Input> }>();
      for (const { row, col, text } of edits) {
        const line = latest.current[row];
        const column = columns.get(col);
        if (!line || !column?.set || text === column.text(line)) continue;
        const now = byDraft.get(line.draft.id) ?? { draft: line.draft, change: {} };
        byDraft.set(line.draft.id, { ...now, change: merged(now.change, column.set(text, line)) });
      }
      if (byDraft.size === 0) return;
      updateRows(client, key, (row) => {
        const e = byDraft.get(row.id);
        return e ? shownWith(row, e.change) : row;
      });
      const body = {
        edits: [...byDraft.values()].map(({ draft, change }) => ({
          draft_id: draft.id,
          edit: {
            ...change,
            base: Object.fromEntries(fieldsOf(change, store).map((f) => [f, draft.changes?.[f]?.revision ?? 0])),
          },
        })),
      };
      await save(body);
    },
    [client, key, columns, store, save],
  );
  const undo = async () => {
    await last.current;
    const bulk = made.current.pop();
    if (!bulk) return say("There is nothing of yours left to undo in this table.");
    try {
      say(undoneWords(await undoBulk(bulk)));
    } catch (error) {
      say((error as Problem).message, true);
    }
    void refresh(client, "draft-table", "draft", "drafts");
  };
  return { edit: (edits: CellEdit[]) => void edit(edits), undo: () => void undo() };
}

/** Sheet is the table itself: its head and first columns stay in sight. */
function Sheet({
  lines,
  columns,
  currency,
  cursor,
  onPoint,
  selected,
  onSelect,
  all,
  onSelectAll,
  more,
  onEdit,
  readOnly,
}: {
  lines: Line[];
  columns: TableColumn[];
  currency: string;
  cursor: number;
  onPoint: (row: number) => void;
  selected: Set<number>;
  onSelect: (id: number) => void;
  all: boolean;
  onSelectAll: (all: boolean) => void;
  more: (() => void) | undefined;
  onEdit: (edits: CellEdit[]) => void;
  readOnly: boolean;
}) {
  const { box, items, size, last } = useRows(lines.length, rowHeight, cursor);
  useEffect(() => {
    if (last >= lines.length - 40) more?.();
  }, [last, lines.length, more]);
  const byId = useMemo(() => new Map(columns.map((c) => [c.id, c])), [columns]);
  const lefts = new Map<string, number>();
  let left = tickWidth;
  for (const c of columns)
    if (frozen.includes(c.id)) {
      lefts.set(c.id, left);
      left += scaled(c.width);
    }
  const track = (c: TableColumn) => (c.id === "title" ? `minmax(${scaled(c.width)}px, 1fr)` : `${scaled(c.width)}px`);
  const tracks = `${tickWidth}px ${columns.map(track).join(" ")}`;
  const width = tickWidth + columns.reduce((sum, c) => sum + scaled(c.width), 0);
  return (
    <Cells
      columns={columns.filter((c) => c.set).map((c) => c.id)}
      rows={lines.length}
      textAt={(row, col) => {
        const line = lines[row];
        return line ? (byId.get(col)?.text(line) ?? "") : "";
      }}
      onEdit={onEdit}
      reveal={onPoint}
    >
      <div
        ref={box}
        role="grid"
        aria-label="Drafts"
        aria-rowcount={lines.length + 1}
        aria-colcount={columns.length + 1}
        aria-multiselectable
        className="min-h-0 grow overflow-auto max-md:shrink-0 max-md:basis-50"
      >
        <div
          role="row"
          aria-rowindex={1}
          className="sticky top-0 z-20 grid h-8 items-center border-b border-line bg-sunk text-sm text-ink-2"
          style={{ gridTemplateColumns: tracks, minWidth: width }}
        >
          <span role="columnheader" className="sticky left-0 z-10 bg-sunk pl-1">
            <Tick checked={all} onChange={onSelectAll} disabled={lines.length === 0} label="Select all drafts" />
          </span>
          {columns.map((c) => (
            <span
              key={c.id}
              role="columnheader"
              title={c.name}
              className={`truncate px-2 ${c.align === "right" ? "text-right" : ""} ${lefts.has(c.id) ? "sticky z-10 bg-sunk" : ""}`}
              style={{ left: lefts.get(c.id) }}
            >
              {c.id === "picture" ? (
                <span className="sr-only">{c.name}</span>
              ) : c.id === "price" && currency ? (
                `Price, ${currency}`
              ) : (
                c.name
              )}
            </span>
          ))}
        </div>
        <div role="rowgroup" className="relative" style={{ height: size, minWidth: width }}>
          {items.map((item) => {
            const line = lines[item.index];
            return (
              line && (
                <SheetRow
                  key={`${line.draft.id} ${line.variant?.id ?? ""}`}
                  line={line}
                  index={item.index}
                  start={item.start}
                  columns={columns}
                  tracks={tracks}
                  lefts={lefts}
                  currency={currency}
                  current={item.index === cursor}
                  selected={selected.has(line.draft.id)}
                  onPoint={onPoint}
                  onSelect={onSelect}
                  readOnly={readOnly}
                />
              )
            );
          })}
        </div>
      </div>
    </Cells>
  );
}

function SheetRow({
  line,
  index,
  start,
  columns,
  tracks,
  lefts,
  currency,
  current,
  selected,
  onPoint,
  onSelect,
  readOnly,
}: {
  line: Line;
  index: number;
  start: number;
  columns: TableColumn[];
  tracks: string;
  lefts: Map<string, number>;
  currency: string;
  current: boolean;
  selected: boolean;
  onPoint: (row: number) => void;
  onSelect: (id: number) => void;
  readOnly: boolean;
}) {
  const row = useRow<HTMLDivElement>(current, () => onPoint(index));
  const name = `${line.draft.title}${line.variant ? `, ${line.variant.values.join(" ")}` : ""}`;
  const ground = current ? "bg-surface" : "bg-paper";
  return (
    <div
      {...row}
      role="row"
      aria-rowindex={index + 2}
      aria-selected={selected}
      data-cursor={current || undefined}
      className={`absolute inset-x-0 grid items-center border-b border-line ${ground} ${current ? "focus-visible:-outline-offset-2" : ""}`}
      style={{ top: start, height: rowHeight, gridTemplateColumns: tracks }}
    >
      <RowReach value={current}>
        <span
          role="gridcell"
          className={`sticky left-0 z-10 self-stretch pl-1 ${ground} grid items-center ${current ? "shadow-[inset_3px_0_0_var(--beak)]" : ""}`}
        >
          <Tick checked={selected} onChange={() => onSelect(line.draft.id)} label={`Select ${line.draft.title}`} />
        </span>
        {columns.map((c) => (
          <span
            key={c.id}
            role="gridcell"
            className={`min-w-0 self-stretch ${lefts.has(c.id) ? `sticky z-10 ${ground}` : ""} ${c.align === "right" ? "text-right" : ""} ${c.set ? "" : "grid items-center truncate px-2"}`}
            style={{ left: lefts.get(c.id) }}
          >
            {c.set && (!c.ofVariant || line.variant) ? (
              <Cell
                row={index}
                col={c.id}
                value={c.text(line)}
                label={`${c.name} of ${name}`}
                readOnly={readOnly}
                reach={current}
                {...(c.check && { check: (text: string) => c.check?.(text, currency) })}
                className={`h-full w-full truncate border border-transparent bg-transparent px-2 hover:border-line-2 focus-visible:-outline-offset-2 ${c.align === "right" ? "text-right" : ""} ${c.id === "price" && line.variant?.manual ? "font-semibold" : ""}`}
              />
            ) : c.show ? (
              <span className="truncate">{c.show(line)}</span>
            ) : (
              <span className="truncate">{c.text(line)}</span>
            )}
          </span>
        ))}
      </RowReach>
    </div>
  );
}
