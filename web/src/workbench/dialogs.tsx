import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, ask, type Draft, type DraftLine } from "../api/client";
import { refresh } from "../api/refresh";
import { Dialog as Box, Button } from "../parts/controls";
import { useSay } from "../parts/toast";
import { ChangeMany } from "./change";
import type { EditDraft } from "./draft";
import { History } from "./history";
import { Prices } from "./prices";
import { Publish } from "./publish";
import { undoBulk } from "./queries";
import { Tidy } from "./tidy";
import { MoveToTray, Trays } from "./trays";

/** A Dialog of the Workbench that is open, and what it is about. */
export type Dialog =
  | { of: "publish" | "prices" | "change" | "move"; ids: number[] }
  | { of: "trays" | "tidy" | "history" }
  | { of: "undo bulk"; bulk: NonNullable<Draft["undo_bulk"]> }
  | { of: "undo since"; words: string }
  | { of: "discard"; draft: DraftLine };

/** Dialogs shows the one that is open. Those about the draft that is shown close with it. */
export function Dialogs({
  dialog,
  draft,
  edit,
  onUndo,
  onClose,
}: {
  dialog: Dialog;
  draft: Draft | undefined;
  edit: EditDraft;
  /** Undoes what was asked about. */
  onUndo: () => void;
  onClose: () => void;
}) {
  switch (dialog.of) {
    case "publish":
      return <Publish ids={dialog.ids} onClose={onClose} />;
    case "prices":
      return <Prices ids={dialog.ids} onClose={onClose} />;
    case "change":
      return <ChangeMany ids={dialog.ids} onClose={onClose} />;
    case "move":
      return <MoveToTray drafts={dialog.ids} onClose={onClose} />;
    case "trays":
      return <Trays onClose={onClose} />;
    case "tidy":
      return draft && <Tidy draft={draft} edit={edit} onClose={onClose} />;
    case "history":
      return draft && <History draft={draft} edit={edit} onClose={onClose} />;
    case "undo bulk":
      return <UndoBulk bulk={dialog.bulk} onClose={onClose} />;
    case "undo since":
      return (
        <UndoSince
          words={dialog.words}
          onUndo={() => {
            onClose();
            onUndo();
          }}
          onClose={onClose}
        />
      );
    case "discard":
      return <Discard draft={dialog.draft} onClose={onClose} />;
  }
}

/** UndoSince asks before an edit is undone though somebody has changed the same field since. */
function UndoSince({ words, onUndo, onClose }: { words: string; onUndo: () => void; onClose: () => void }) {
  return (
    <Box open onClose={onClose} title="Undo yours all the same?">
      <p className="mb-4">{words}</p>
      <div className="flex justify-end gap-2">
        <Button onClick={onClose} autoFocus>
          Cancel
        </Button>
        <Button tone="main" onClick={onUndo}>
          Undo mine
        </Button>
      </div>
    </Box>
  );
}

/** UndoBulk asks before a change of many drafts is undone as one. */
function UndoBulk({ bulk, onClose }: { bulk: NonNullable<Draft["undo_bulk"]>; onClose: () => void }) {
  const client = useQueryClient();
  const say = useSay();
  const undo = useMutation({
    mutationFn: () => undoBulk(bulk.id),
    onSuccess: (result) => {
      say(
        `Undone in ${result.undone === 1 ? "1 draft" : `${result.undone} drafts`}${result.edited_since > 0 ? `; ${result.edited_since} were changed since and stay` : ""}.`,
      );
      void refresh(client, "drafts", "draft");
      onClose();
    },
  });
  return (
    <Box open onClose={onClose} title={`Undo the ${bulk.what} of ${bulk.drafts} drafts?`}>
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
    </Box>
  );
}

/** Discard asks before a draft is thrown away. */
function Discard({ draft, onClose }: { draft: DraftLine; onClose: () => void }) {
  const client = useQueryClient();
  const say = useSay();
  const discard = useMutation({
    mutationFn: () => ask(api.DELETE("/api/drafts/{id}", { params: { path: { id: draft.id } } })),
    onSuccess: () => {
      const again = () => refresh(client, "drafts", "draft", "header", "offers", "offer", "trays");
      say("Discarded. It can be brought back for thirty days.", false, {
        words: "Undo",
        run: () =>
          void ask(api.PATCH("/api/drafts/{id}", { params: { path: { id: draft.id } }, body: { bring_back: true } }))
            .then(again)
            .catch((error: Error) => say(error.message, true)),
      });
      void again();
      onClose();
    },
    onError: (error) => {
      say(error.message, true);
      onClose();
    },
  });
  return (
    <Box open onClose={onClose} title="Discard this draft?">
      <p className="mb-4">
        “{draft.title}” goes out of the Workbench. It can be brought back for thirty days, from its address or by Undo.
      </p>
      <div className="flex justify-end gap-2">
        <Button onClick={onClose}>Cancel</Button>
        <Button tone="danger" onClick={() => discard.mutate()} disabled={discard.isPending}>
          Discard
        </Button>
      </div>
    </Box>
  );
}
