import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Problem } from "../api/client";
import { refresh } from "../api/refresh";
import { useTake } from "../catalog/take";
import { useSession } from "../frame/session";
import { Button, Dialog } from "../parts/controls";
import { Heard } from "../parts/heard";
import { Link } from "../parts/route";
import { linksQuery } from "./queries";
import { type ImportRun, number } from "./words";

const maxFile = 2_000_000; // bytes that are read of a file

/** linksIn are the links in a text, each once, wherever in a line they stand. */
const linksIn = (text: string) => [...new Set(text.match(/https?:\/\/[^\s"'<>;,]+/g) ?? [])];

/** Links takes the products of pasted links in, and shows what came of each, a line each. */
export function Links({ onClose }: { onClose: () => void }) {
  const client = useQueryClient();
  const { may } = useSession();
  const [text, setText] = useState("");
  const [run, setRun] = useState<ImportRun>();
  const paste = useMutation<ImportRun, Problem>({
    mutationFn: () => ask(api.POST("/api/links", { body: { links: text } })),
    onSuccess: (begun) => {
      setRun(begun);
      void refresh(client, "sources");
    },
  });
  const results = useQuery(linksQuery(run?.id));
  const list = results.data ?? [];
  const done = list.filter((r) => r.title || r.error);
  const good = list.filter((r) => r.title);
  const takeable = may("editor") ? [...new Set(good.map((r) => r.offer_id).filter((id) => id > 0))] : [];
  const take = useTake(onClose);
  const waiting = list.length === 0 || done.length < list.length;
  const progress = waiting
    ? `Reading: ${number(done.length)} of ${number(list.length)}. You can leave; it goes on.`
    : `${number(good.length)} of ${number(list.length)} came in.`;
  return (
    <Dialog open onClose={onClose} title="Import products from links" size="wide">
      {run === undefined ? (
        <form
          onSubmit={(e) => {
            e.preventDefault();
            paste.mutate();
          }}
        >
          <label className="block">
            <span className="mb-1 block">
              One link or a hundred, one a line. Each page is read for its product; what it does not say is left empty.
            </span>
            <textarea
              value={text}
              onChange={(e) => setText(e.target.value)}
              rows={9}
              placeholder="https://shop.example/storm-lamp"
              aria-label="Links, one a line"
              spellCheck={false}
              className="w-full rounded-md border border-line-2 bg-surface px-2.5 py-1.5 font-mono text-sm"
            />
          </label>
          <label className="mt-1 block text-sm text-ink-2">
            Or choose a text file with links in it{" "}
            <input
              type="file"
              accept=".txt,.csv,text/plain,text/csv"
              className="ml-1"
              onChange={async (e) => {
                const file = e.target.files?.[0];
                if (!file) return;
                const found = linksIn((await file.slice(0, maxFile).text()) ?? "");
                setText((now) => [now.trim(), ...found].filter(Boolean).join("\n"));
              }}
            />
          </label>
          {paste.error && (
            <p className="mt-1 text-loss" role="alert">
              {paste.error.message}
            </p>
          )}
          <div className="mt-3 flex justify-end gap-2">
            <Button onClick={onClose}>Cancel</Button>
            <Button tone="main" type="submit" disabled={paste.isPending}>
              Take them in
            </Button>
          </div>
        </form>
      ) : (
        <>
          <p className="mb-2">{progress}</p>
          <Heard words={progress} />
          <ol className="max-h-[46vh] overflow-auto">
            {list.map((r) => (
              <li key={r.line} className="border-b border-line py-1.5">
                <span className="block truncate text-sm text-ink-2" title={r.link}>
                  {r.link}
                </span>
                {r.error ? (
                  <span className="text-loss">{r.error}</span>
                ) : r.title ? (
                  <>
                    <b>{r.title}</b>{" "}
                    <span className="text-sm text-ink-2">
                      {r.already_in_catalog
                        ? "is in the catalog already"
                        : `by ${r.format}${r.missing.length > 0 ? `; the page does not say ${r.missing.join(", ")}` : ""}`}
                    </span>
                  </>
                ) : (
                  <span className="text-ink-2">waiting</span>
                )}
              </li>
            ))}
          </ol>
          <div className="mt-3 flex justify-end gap-2">
            <Button
              onClick={() => {
                setRun(undefined);
                setText("");
              }}
              disabled={waiting}
            >
              Paste more
            </Button>
            {takeable.length > 0 && (
              <Button onClick={() => take.start(takeable)} disabled={waiting || take.busy}>
                Take {takeable.length === 1 ? "it" : `all ${takeable.length}`} to the Workbench
              </Button>
            )}
            <Link
              to="/catalog"
              onClick={onClose}
              className="inline-flex min-h-7 items-center rounded-md border border-beak-fill bg-beak-fill px-3 py-1 font-semibold text-white hover:brightness-110"
            >
              To the Catalog
            </Link>
          </div>
        </>
      )}
      {take.dialog}
    </Dialog>
  );
}
