import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { type Problem, type Schemas, sendFile } from "../api/client";
import { refresh } from "../api/refresh";
import { useSession } from "../frame/session";
import { Button, Dialog } from "../parts/controls";
import { Difference } from "../parts/difference";
import { type Column, Table } from "../parts/table";
import { useSay } from "../parts/toast";
import { asParams } from "./filter";
import type { DraftFilter } from "./queries";

type Result = Schemas["WorkbenchFileResult"];
type Line = Result["differences"][number];

/** Exchange writes drafts to a file, and reads one that was changed elsewhere as a difference to accept. */
export function Exchange({ filter, onClose }: { filter: DraftFilter; onClose: () => void }) {
  const { storeId, store, may } = useSession();
  const client = useQueryClient();
  const say = useSay();
  const [file, setFile] = useState<File>();
  const query = (format: string) => {
    const out = asParams(filter);
    out.set("store", String(storeId));
    out.set("format", format);
    return out;
  };
  const look = useMutation<Result, Problem, File>({
    mutationFn: (f) => sendFile<Result>(`/api/drafts/import?store=${storeId}&apply=false`, f),
  });
  const apply = useMutation<Result, Problem, File>({
    mutationFn: (f) => sendFile<Result>(`/api/drafts/import?store=${storeId}&apply=true`, f),
    onSuccess: (made) => {
      void refresh(client, "drafts", "draft", "draft-table", "draft-names");
      const refused =
        made.refused.length > 0 ? `; ${made.refused.length} were refused: ${made.refused[0]?.words}` : ".";
      say(`${made.drafts - made.refused.length} drafts are changed${refused}`, made.refused.length > 0);
      onClose();
    },
  });
  const seen = look.data;
  const error = apply.error ?? look.error;
  const link = "inline-flex min-h-7 items-center rounded-md border border-line-2 px-3 py-1 font-semibold hover:bg-sunk";
  return (
    <Dialog open onClose={onClose} title="Drafts as a file" size={seen ? "full" : "wide"}>
      <p className="mb-2">
        The drafts that the filter finds, a row for each variant{store ? `, with their prices in ${store.name}` : ""}.
      </p>
      <p className="mb-4 flex gap-2">
        <a href={`/api/drafts/export?${query("csv")}`} download className={link}>
          Export CSV
        </a>
        <a href={`/api/drafts/export?${query("xlsx")}`} download className={link}>
          Export XLSX
        </a>
      </p>
      {may("editor") && (
        <>
          <label className="block font-semibold">
            A file that was exported here, and changed
            <input
              type="file"
              accept=".csv,.xlsx,text/csv"
              className="mt-1 block font-normal"
              onChange={(e) => {
                const chosen = e.target.files?.[0];
                setFile(chosen);
                if (chosen) look.mutate(chosen);
                else look.reset();
              }}
            />
          </label>
          <p className="mt-1 text-sm text-ink-2">
            Nothing is changed before you have seen it. Columns and rows that are left out stay as they are; of a
            draft's own cells, those of its first row count.
          </p>
          {look.isPending && <p className="mt-2 text-ink-2">Reading…</p>}
          {error && (
            <p className="mt-2 text-loss" role="alert">
              {error.message}
            </p>
          )}
          {seen && !look.isPending && <Seen result={seen} />}
          <div className="mt-4 flex justify-end gap-2">
            <Button onClick={onClose}>Cancel</Button>
            <Button
              tone="main"
              disabled={!file || !seen || seen.drafts === 0 || look.isPending || apply.isPending}
              onClick={() => file && apply.mutate(file)}
            >
              Change {seen?.drafts === 1 ? "1 draft" : `${seen?.drafts ?? ""} drafts`}
            </Button>
          </div>
        </>
      )}
    </Dialog>
  );
}

const columns: Column<Line & { key: number }>[] = [
  {
    id: "title",
    name: "Draft",
    className: "max-w-56 truncate py-1 pr-3 align-top",
    by: (l) => l.title,
    show: (l) => (
      <>
        {l.title} <span className="text-ink-2">{l.variant}</span>
      </>
    ),
  },
  {
    id: "column",
    name: "Column",
    className: "py-1 pr-3 align-top text-ink-2",
    by: (l) => l.column,
    show: (l) => l.column,
  },
  {
    id: "difference",
    name: "Before and after",
    className: "py-1 align-top",
    show: (l) => <Difference before={l.before} after={l.after} />,
  },
];

function Seen({ result }: { result: Result }) {
  const rows = result.differences.slice(0, 300).map((d, key) => ({ ...d, key }));
  const found = result.differences.length + result.more;
  return (
    <>
      <p className="mt-3 mb-1" aria-live="polite">
        {result.rows.toLocaleString("en")} rows: <b>{found === 1 ? "1 cell" : `${found.toLocaleString("en")} cells`}</b>{" "}
        of {result.drafts === 1 ? "1 draft" : `${result.drafts} drafts`} would change
        {result.rejected.length > 0 && (
          <>
            , <b className="text-loss">{result.rejected.length} rows</b> cannot be used
          </>
        )}
        .
      </p>
      {result.rejected.length > 0 && (
        <ul className="mb-2 max-h-28 overflow-auto text-sm text-loss">
          {result.rejected.map((r) => (
            <li key={`${r.row} ${r.reason}`}>
              Row {r.row}: {r.reason}
            </li>
          ))}
        </ul>
      )}
      {rows.length > 0 && (
        <div
          className="max-h-[38vh] overflow-auto border-y border-line"
          role="region"
          aria-label="Differences"
          tabIndex={0}
        >
          <Table rows={rows} columns={columns} rowKey={(l) => l.key} label="Differences" />
        </div>
      )}
    </>
  );
}
