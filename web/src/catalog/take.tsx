import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useCallback, useState } from "react";
import { api, ask, type Problem } from "../api/client";
import { refresh } from "../api/refresh";
import { Button, Dialog } from "../parts/controls";
import { useNavigate } from "../parts/route";
import { useSay } from "../parts/toast";
import { asQuery, type Question } from "./question";

/** maxTaken is how many offers are taken at once at most. */
export const maxTaken = 500;

/** idsOf are the offers that a sentence finds, up to maxTaken. */
async function idsOf(question: Question, store: number): Promise<number[]> {
  const ids: number[] = [];
  const limit = 200;
  while (ids.length < maxTaken) {
    const query = { ...asQuery(question, store), offset: ids.length, limit };
    const { offers, total } = await ask(api.GET("/api/offers", { params: { query } }));
    ids.push(...offers.map((o) => o.id));
    if (offers.length < limit || ids.length >= total) break;
  }
  return ids.slice(0, maxTaken);
}

/** useTake takes offers to the Workbench, and asks before it makes a second draft of one. */
export function useTake(onTaken: () => void) {
  const say = useSay();
  const client = useQueryClient();
  const [already, setAlready] = useState<{ offer_id: number; draft_id: number; title: string }[]>([]);
  const go = useNavigate();
  const take = useMutation({
    mutationFn: ({ ids, again }: { ids: number[]; again: boolean }) =>
      ask(api.POST("/api/drafts/take", { body: { offers: ids, again } })),
    onSuccess: (result) => {
      if (result.taken.length > 0) {
        say(
          result.taken.length === 1
            ? `“${result.taken[0]?.title}” is in the Workbench.`
            : `${result.taken.length} offers are in the Workbench.`,
        );
        onTaken();
      }
      setAlready(result.already);
      void refresh(client, "offers", "offer", "drafts", "header");
    },
    onError: (error) => say(error.message, true),
  });
  const dialog = (
    <Dialog
      open={already.length > 0}
      onClose={() => setAlready([])}
      title={
        already.length === 1
          ? "This is in the Workbench already"
          : `${already.length} of these are in the Workbench already`
      }
    >
      <ul className="mb-4 space-y-1">
        {already.slice(0, 6).map((a) => (
          <li key={a.offer_id} className="truncate">
            {a.title}
          </li>
        ))}
        {already.length > 6 && <li className="text-ink-2">and {already.length - 6} more</li>}
      </ul>
      <p className="mb-4 text-ink-2">Taking it again makes a second draft beside the first.</p>
      <div className="flex justify-end gap-2">
        <Button onClick={() => go(`/workbench/${already[0]?.draft_id}`)}>See the draft</Button>
        <Button onClick={() => take.mutate({ ids: already.map((a) => a.offer_id), again: true })}>Take again</Button>
        <Button tone="main" onClick={() => setAlready([])}>
          Cancel
        </Button>
      </div>
    </Dialog>
  );
  const { mutate } = take;
  /** Takes all that a sentence finds, in its order. */
  const all = async (question: Question, store: number) => {
    try {
      mutate({ ids: await idsOf(question, store), again: false });
    } catch (error) {
      say((error as Problem).message, true);
    }
  };
  const start = useCallback((ids: number[]) => mutate({ ids, again: false }), [mutate]);
  return { start, all, busy: take.isPending, dialog };
}
