import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, ask, type Problem, type Schemas, upload } from "../api/client";
import { refresh } from "../api/refresh";
import { Button, Dialog } from "../parts/controls";
import { FileButton } from "../parts/file-button";
import { useSay } from "../parts/toast";
import { toSendQuery } from "./queries";

type ToSend = Schemas["OrdersToSend"];

/** OrderSheets are what goes to suppliers that take no orders from here: saved, sent by a person, marked as sent. */
export function OrderSheets({ onClose }: { onClose: () => void }) {
  const list = useQuery(toSendQuery);
  return (
    <Dialog open onClose={onClose} size="wide" title="Order sheets">
      <p className="mb-3 text-ink-2">
        These suppliers take no orders from here. Save the sheet, send it to the supplier as you do, then mark it as
        sent. Its last columns are for the supplier: tracking number, carrier and link.
      </p>
      {list.error && (
        <p className="text-loss" role="alert">
          {(list.error as unknown as Problem).message}
        </p>
      )}
      {list.data?.length === 0 && <p>Nothing waits to be sent.</p>}
      {list.data?.map((of) => (
        <OneSheet key={of.source_id} of={of} />
      ))}
      <Answer />
      <div className="mt-5 flex justify-end">
        <Button onClick={onClose} autoFocus>
          Close
        </Button>
      </div>
    </Dialog>
  );
}

function OneSheet({ of }: { of: ToSend }) {
  const client = useQueryClient();
  const say = useSay();
  const sent = useMutation<Schemas["OrdersMoved"], Problem>({
    mutationFn: () => ask(api.POST("/api/purchases/sent", { body: { ids: of.purchases } })),
    onSuccess: (moved) =>
      say(`${moved.moved === 1 ? "1 purchase is" : `${moved.moved} purchases are`} marked as sent.`),
    onError: (error) => say(error.message, true),
    onSettled: () => refresh(client, "orders", "header"),
  });
  const file = (format: string) => `/api/purchases/sheet?source=${of.source_id}&format=${format}`;
  return (
    <section className="flex flex-wrap items-center gap-x-4 gap-y-1 border-b border-line py-2 last:border-0">
      <b>{of.source}</b>
      <span className="text-ink-2">
        {of.purchases.length === 1 ? "1 purchase" : `${of.purchases.length} purchases`}
      </span>
      <a href={file("csv")} className="ml-auto underline underline-offset-2">
        Save as CSV
      </a>
      <a href={file("xlsx")} className="underline underline-offset-2">
        Save as XLSX
      </a>
      <Button onClick={() => sent.mutate()} ready={!sent.isPending}>
        Mark as sent
      </Button>
    </section>
  );
}

type Outcome = Schemas["OrdersAnswerOutcome"];

/** Answer reads the tracking numbers of an order sheet that a supplier filled in and sent back. */
function Answer() {
  const client = useQueryClient();
  const read = useMutation<Outcome, Error, File>({
    mutationFn: async (file) => {
      const up = await upload(file);
      return ask(api.POST("/api/purchases/answer", { body: { file: up.file } }));
    },
    onSettled: () => refresh(client, "orders", "header"),
  });
  const out = read.data;
  return (
    <section className="mt-4" aria-label="A supplier's answer">
      <p className="flex flex-wrap items-center gap-2">
        <span>A sheet came back with tracking numbers?</span>
        <FileButton
          label="An order sheet that a supplier filled in"
          accept=".csv,.xlsx,.txt,.tsv"
          ready={!read.isPending}
          onFile={(file) => read.mutate(file)}
        >
          Read the answer…
        </FileButton>
      </p>
      {read.error && (
        <p className="mt-1 text-loss" role="alert">
          {read.error.message}
        </p>
      )}
      {out && (
        <div className="mt-1" role="status">
          <p>
            {out.parcels === 1 ? "1 parcel is noted" : `${out.parcels} parcels are noted`}; the stores are told of them.
            {out.waiting > 0 && ` ${out.waiting === 1 ? "1 row has" : `${out.waiting} rows have`} no number yet.`}
          </p>
          {out.rejected.map((r) => (
            <p key={`${r.row} ${r.reason}`} className="text-loss">
              Row {r.row}: {r.reason}
            </p>
          ))}
        </div>
      )}
    </section>
  );
}
