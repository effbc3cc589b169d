import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, ask, type DraftLine, type Run } from "../api/client";
import { useSession } from "../frame/session";
import { Button, Dialog } from "../parts/controls";

/** Publish confirms a run: what goes where, and how. */
export function Publish({ ids, drafts, onClose }: { ids: number[]; drafts: DraftLine[]; onClose: () => void }) {
  const { store, storeId } = useSession();
  const go = useNavigate();
  const client = useQueryClient();
  const [visible, setVisible] = useState(true);
  const [sellEmpty, setSellEmpty] = useState(false);
  const stopped = drafts.filter((d) => ids.includes(d.id) && !d.report.ready);
  const start = useMutation<Run, Error>({
    mutationFn: () => ask(api.POST("/api/runs", { body: { store_id: storeId, draft_ids: ids, visible, sell_empty: sellEmpty } })),
    onSuccess: (run) => {
      void client.invalidateQueries({ queryKey: ["runs"] });
      void client.invalidateQueries({ queryKey: ["quay"] });
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
            ? `“${stopped[0]?.title}” is not ready and will fail: `
            : `${stopped.length} are not ready and will fail, such as “${stopped[0]?.title}”: `}
          {stopped[0]?.report.findings.find((f) => f.stops)?.words}
        </p>
      )}
      {start.error && (
        <p className="mt-3 text-loss" role="alert">
          {start.error.message}
        </p>
      )}
      <div className="mt-5 flex justify-end gap-2">
        <Button onClick={onClose}>Cancel</Button>
        <Button tone="main" onClick={() => start.mutate()} disabled={start.isPending} autoFocus>
          Publish {ids.length}
        </Button>
      </div>
    </Dialog>
  );
}
