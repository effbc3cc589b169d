import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, ask, type DraftLine, type Run } from "../api/client";
import { refresh } from "../api/refresh";
import { useSession } from "../frame/session";
import { Button, Dialog } from "../parts/controls";

/** What one run takes, as the server has it. */
const mostDrafts = 50_000;

/** Publish confirms a run: what goes where, and how. */
export function Publish({ ids, drafts, onClose }: { ids: number[]; drafts: DraftLine[]; onClose: () => void }) {
  const { store, storeId } = useSession();
  const go = useNavigate();
  const client = useQueryClient();
  const [visible, setVisible] = useState(true);
  const [sellEmpty, setSellEmpty] = useState(false);
  const wanted = new Set(ids);
  const stopped = drafts.filter((d) => wanted.has(d.id) && !d.report.ready);
  const able = drafts.filter((d) => wanted.has(d.id) && d.report.ready).map((d) => d.id);
  const tooMany = able.length > mostDrafts;
  const start = useMutation<Run, Error>({
    mutationFn: () =>
      ask(api.POST("/api/runs", { body: { store_id: storeId, draft_ids: able, visible, sell_empty: sellEmpty } })),
    onSuccess: (run) => {
      void refresh(client, "runs", "header");
      go(`/listings/runs/${run.id}`);
    },
  });
  return (
    <Dialog open onClose={onClose} title={`Publish ${ids.length === 1 ? "one draft" : `${ids.length} drafts`}`}>
      <p className="text-lg leading-9">
        To <b>{store?.name}</b>,{" "}
        <button
          type="button"
          className="clause"
          aria-pressed={visible}
          onClick={() => setVisible(!visible)}
          aria-label={`Visibility: ${visible ? "visible" : "hidden"}`}
        >
          {visible ? "visible to customers" : "hidden from customers"}
        </button>
        ,{" "}
        <button
          type="button"
          className="clause"
          aria-pressed={sellEmpty}
          onClick={() => setSellEmpty(!sellEmpty)}
          aria-label={`When out of stock: ${sellEmpty ? "selling on" : "not selling"}`}
        >
          {sellEmpty ? "selling on when out of stock" : "not selling when out of stock"}
        </button>
        , at the prices they show.
      </p>
      {stopped.length > 0 && (
        <p className="mt-3 text-loss" role="alert">
          {stopped.length === 1
            ? `“${stopped[0]?.title}” is not ready and stays here: `
            : `${stopped.length} are not ready and stay here, such as “${stopped[0]?.title}”: `}
          {stopped[0]?.report.findings.find((f) => f.stops)?.words}
        </p>
      )}
      {tooMany && (
        <p className="mt-3 text-loss" role="alert">
          One run takes up to {mostDrafts.toLocaleString("en")} drafts; {able.length.toLocaleString("en")} are selected.
          Select fewer, and publish the others after.
        </p>
      )}
      {start.error && (
        <p className="mt-3 text-loss" role="alert">
          {start.error.message}
        </p>
      )}
      <div className="mt-5 flex justify-end gap-2">
        <Button onClick={onClose}>Cancel</Button>
        <Button
          tone="main"
          onClick={() => start.mutate()}
          disabled={start.isPending || able.length === 0 || tooMany}
          autoFocus
        >
          {stopped.length > 0 && able.length > 0 ? `Publish the ${able.length} that can` : `Publish ${ids.length}`}
        </Button>
      </div>
    </Dialog>
  );
}
