import { useMutation, useQueryClient } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { Button, Dialog } from "./controls";
import { useSay } from "./toast";

/** Disconnect asks before a connection is ended, and says what stops and what stays. */
export function Disconnect({
  name,
  stops,
  stays,
  end,
  onClose,
}: {
  name: string;
  stops: ReactNode[];
  stays: string;
  end: () => Promise<unknown>;
  onClose: () => void;
}) {
  const client = useQueryClient();
  const say = useSay();
  const leave = useMutation({
    mutationFn: end,
    onSuccess: () => {
      say(`${name} is disconnected.`);
      void client.invalidateQueries();
      onClose();
    },
    onError: (error) => say(error.message, true),
  });
  return (
    <Dialog open onClose={onClose} title={`Disconnect ${name}?`}>
      <p className="mb-2">This stops:</p>
      <ul className="mb-3 list-disc space-y-1 pl-5">
        {stops.map((words, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: the list never changes
          <li key={i}>{words}</li>
        ))}
      </ul>
      <p className="mb-4 text-ink-2">{stays}</p>
      <div className="flex justify-end gap-2">
        <Button onClick={onClose}>Cancel</Button>
        <Button tone="danger" onClick={() => leave.mutate()} disabled={leave.isPending}>
          Disconnect
        </Button>
      </div>
    </Dialog>
  );
}
