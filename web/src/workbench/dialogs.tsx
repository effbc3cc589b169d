import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, ask, type Draft, type DraftLine } from "../api/client";
import { refresh } from "../api/refresh";
import { Button, Dialog } from "../parts/controls";
import { useSay } from "../parts/toast";

/** UndoSince asks before an edit is undone though somebody has changed the same field since. */
export function UndoSince({ words, onUndo, onClose }: { words: string; onUndo: () => void; onClose: () => void }) {
  return (
    <Dialog open onClose={onClose} title="Undo yours all the same?">
      <p className="mb-4">{words}</p>
      <div className="flex justify-end gap-2">
        <Button onClick={onClose} autoFocus>
          Cancel
        </Button>
        <Button tone="main" onClick={onUndo}>
          Undo mine
        </Button>
      </div>
    </Dialog>
  );
}

/** UndoBulk asks before a change of many drafts is undone as one. */
export function UndoBulk({ bulk, onClose }: { bulk: NonNullable<Draft["undo_bulk"]>; onClose: () => void }) {
  const client = useQueryClient();
  const say = useSay();
  const undo = useMutation({
    mutationFn: () => ask(api.POST("/api/drafts/bulk/{id}/undo", { params: { path: { id: bulk.id } } })),
    onSuccess: (result) => {
      say(
        `Undone in ${result.undone === 1 ? "1 draft" : `${result.undone} drafts`}${result.edited_since > 0 ? `; ${result.edited_since} were changed since and stay` : ""}.`,
      );
      void refresh(client, "drafts", "draft");
      onClose();
    },
  });
  return (
    <Dialog open onClose={onClose} title={`Undo the ${bulk.what} of ${bulk.drafts} drafts?`}>
      <p className="mb-4">
        This was one change of {bulk.drafts} drafts, and is undone in all of them. What was changed in them since stays.
      </p>
      {undo.error && (
        <p className="mb-3 text-loss" role="alert">
          {undo.error.message}
        </p>
      )}
      <div className="flex justify-end gap-2">
        <Button onClick={onClose}>Cancel</Button>
        <Button tone="main" onClick={() => undo.mutate()} disabled={undo.isPending} autoFocus>
          Undo in {bulk.drafts} drafts
        </Button>
      </div>
    </Dialog>
  );
}

/** Discard asks before a draft is thrown away. */
export function Discard({ draft, onClose }: { draft: DraftLine; onClose: () => void }) {
  const client = useQueryClient();
  const say = useSay();
  const discard = useMutation({
    mutationFn: () => ask(api.DELETE("/api/drafts/{id}", { params: { path: { id: draft.id } } })),
    onSuccess: () => {
      say("Discarded. The offer is still in the Catalog.");
      void refresh(client, "drafts", "header", "offers", "offer");
      onClose();
    },
    onError: (error) => {
      say(error.message, true);
      onClose();
    },
  });
  return (
    <Dialog open onClose={onClose} title="Discard this draft?">
      <p className="mb-4">
        Your words, pictures and prices for “{draft.title}” are thrown away. This cannot be undone.
      </p>
      <div className="flex justify-end gap-2">
        <Button onClick={onClose}>Cancel</Button>
        <Button tone="danger" onClick={() => discard.mutate()} disabled={discard.isPending}>
          Discard
        </Button>
      </div>
    </Dialog>
  );
}
